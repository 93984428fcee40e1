// Package render holds the phrases that documents have in every form in which they are printed.
package render

import (
	"fmt"
	"strings"

	"molt/core/inspect"
	"molt/doc"
)

// Differing counts the differences.
func Differing(answer doc.Compare) string {
	if len(answer.Differences) == 0 {
		return fmt.Sprintf("%s and %s hold the same.", answer.Before, answer.After)
	}
	verb := "differ"
	if len(answer.Differences) == 1 {
		verb = "differs"
	}
	var parts []string
	for _, k := range inspect.DifferenceKinds {
		if n := answer.Counts[k]; n > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", n, k))
		}
	}
	return fmt.Sprintf("From %s to %s %s %s: %s.", answer.Before, answer.After, Count(len(answer.Differences), "package"),
		verb, strings.Join(parts, ", "))
}

// Differences groups the differences: declared ones, the rest.
func Differences(answer doc.Compare) (declared, rest []doc.Difference) {
	for _, d := range answer.Differences {
		if d.Declared {
			declared = append(declared, d)
		} else {
			rest = append(rest, d)
		}
	}
	return declared, rest
}

// Count writes a number of things: "1 line", "2 lines".
func Count(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}

// Declarer says what at the application's end asks: a line of a manifest, or what asks for
// something else than its line does.
func Declarer(l doc.Link) string {
	if l.Because == "" {
		return l.Where
	}
	return fmt.Sprintf("the %s (%s has %s)", l.Because, l.Where, l.Written)
}

// runTimes say when something of a release runs.
var runTimes = map[string]string{
	"start": "%s runs %s at every start of the runtime", "install": "%s has the script %s for when it is installed",
	"call": "%s has the program %s"}

// mostRuns is how much of what runs is told of one kind.
const mostRuns = 8

// Runs says what runs of releases, and of how many nobody can tell.
func Runs(runs []doc.Run, unread int) (all []string) {
	for _, when := range []string{"start", "install", "call"} {
		n := 0
		for _, r := range runs {
			if r.When != when {
				continue
			}
			if n++; n <= mostRuns {
				all = append(all, fmt.Sprintf(runTimes[when], r.Release, r.What))
			}
		}
		if n > mostRuns {
			all = append(all, fmt.Sprintf("and %d more like that", n-mostRuns))
		}
	}
	if unread > 0 {
		all = append(all, fmt.Sprintf("what runs of %s is not known, as the archives are not at hand; molt fetch brings them",
			Count(unread, "release")))
	}
	return all
}
