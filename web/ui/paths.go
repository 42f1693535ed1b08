package ui

import (
	"fmt"
	"strings"
)

// The addresses of pages, so that each is spelled in one place; templates spell them as they link. More is what stands
// below a page, with its own slashes, questions or fragments: RunPath(7, "/history").

// RunPath is a run's page.
func RunPath(id int64, more ...string) string { return path("/runs/", id, more) }

// RecordingPath is a recording of a run.
func RecordingPath(runID, id int64, more ...string) string {
	return path(RunPath(runID, "/recordings/"), id, more)
}

// PhotoPath is a photo of a run.
func PhotoPath(runID, id int64, more ...string) string {
	return path(RunPath(runID, "/photos/"), id, more)
}

// StallRunPath is a run under way, at the stall.
func StallRunPath(id int64, more ...string) string { return path("/stall/", id, more) }

// ArrivalPath is a file that waits on the desk.
func ArrivalPath(id int64, more ...string) string { return path("/desk/arrivals/", id, more) }

// CarPath is a car in the garage.
func CarPath(id int64, more ...string) string { return path("/garage/cars/", id, more) }

// SiteInList is where a site stands in the list of sites.
func SiteInList(id int64) string { return path("/sites#site-", id, nil) }

// PlanPath is a kept plan, opened.
func PlanPath(id int64) string { return path("/prepare?kept=", id, nil) }

// PlanRestorePath brings a removed plan back.
func PlanRestorePath(id int64) string { return path("/prepare/plans/", id, []string{"/restore"}) }

// MethodInList is where a tester's own method stands in the list of methods.
func MethodInList(id int64) string { return path("/prepare/methods#own-", id, nil) }

// KeptBenchPath is a kept bench, opened.
func KeptBenchPath(id int64) string { return path("/bench?kept=", id, nil) }

// KeptBenchRestorePath brings a removed bench back.
func KeptBenchRestorePath(id int64) string { return path("/bench/kept/", id, []string{"/restore"}) }

func path(before string, id int64, more []string) string {
	out := before + fmt.Sprint(id)
	for _, m := range more {
		out += m
	}
	return out
}

// secretPaths are what addresses begin with whose next word lets in whoever knows it.
var secretPaths = []string{"/r/", "/join/"}

// Hidden is a path as it may stand in a log: without the secret of a link.
func Hidden(path string) string {
	for _, begins := range secretPaths {
		if strings.HasPrefix(path, begins) {
			return begins + "…"
		}
	}
	return path
}
