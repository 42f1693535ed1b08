package web

// Paced and Queued are paced and queued, for tests that wait less and hold less.
var (
	Paced  = paced
	Queued = queued
)
