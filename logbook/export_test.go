package logbook

import (
	"embed"
)

// Migrations are the numbered steps, for tests that begin before the last.
var Migrations embed.FS = migrations
