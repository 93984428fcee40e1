package inspect

import (
	"regexp"
	"slices"
	"strings"

	"molt/core/prose"
	"molt/core/version"
)

// A LogEntry is what a package's change log says of one release.
type LogEntry struct {
	Release  string
	Breaking []string // lines of the sections that speak of breaking changes
	Rest     []string // the other lines
}

var (
	logHeading   = regexp.MustCompile(`^ {0,3}(#{1,6})[ \t]+(.*?)[ \t#]*$`)
	logUnderline = regexp.MustCompile(`^ {0,3}(=+|-+)[ \t]*$`)
)

// ReadLog reads the part of a change log in Markdown between two releases: after the first, up to the second. A heading
// with a version in it begins a release, and headings below it begin its sections; what stands in fenced code is no
// heading. Entries come in the order of the releases, the newest first; empty ones are left out.
func ReadLog(scheme version.Scheme, text string, after, upTo version.Version) []LogEntry {
	var entries []LogEntry
	var versions []version.Version
	var entry *LogEntry
	level, breaking, breakingLevel, fenced := 0, false, 0, false
	lines := logLines(text)
	for i, line := range lines {
		if strings.HasPrefix(strings.TrimSpace(line), "```") {
			fenced = !fenced
		}
		depth, title := headingAt(lines, i)
		if fenced {
			depth = 0
		}
		if v := versionIn(scheme, title); depth > 0 && v != nil &&
			(entry == nil && level == 0 || depth <= level || level == 0) {
			level, breaking, entry = depth, false, nil
			if v.Compare(upTo) <= 0 && (after == nil || v.Compare(after) > 0) {
				entries, versions = append(entries, LogEntry{Release: v.String()}), append(versions, v)
				entry = &entries[len(entries)-1]
			}
			continue
		}
		if depth > 0 && depth < level { // something else begins
			level, entry = 0, nil
		}
		if entry == nil || depth == 0 && i > 0 && logUnderline.MatchString(line) && !fenced &&
			strings.TrimSpace(lines[i-1]) != "" {
			continue
		}
		switch {
		case depth > 0 && prose.Breaks(title):
			breaking, breakingLevel = true, depth
		case depth > 0 && breaking && depth <= breakingLevel:
			breaking = false
		}
		if breaking || prose.Breaks(line) {
			entry.Breaking = append(entry.Breaking, line)
		} else {
			entry.Rest = append(entry.Rest, line)
		}
	}
	order := make([]int, len(entries))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return versions[b].Compare(versions[a]) })
	var sorted []LogEntry
	for _, i := range order {
		e := entries[i]
		e.Breaking, e.Rest = trimmed(e.Breaking), trimmed(e.Rest)
		if len(e.Breaking)+len(e.Rest) > 0 {
			sorted = append(sorted, e)
		}
	}
	return sorted
}

// The longest line and the most lines of a change log that are read: what is longer was written by no one for people.
const (
	longestLine = 2000
	mostLines   = 100_000
)

// logLines cuts a text into lines, within limits.
func logLines(text string) []string {
	var lines []string
	for line := range strings.SplitSeq(text, "\n") {
		if len(lines) == mostLines {
			return append(lines, "… the rest is left out")
		}
		line = strings.TrimSuffix(line, "\r")
		if len(line) > longestLine {
			line = strings.ToValidUTF8(line[:longestLine], "") + " …"
		}
		lines = append(lines, line)
	}
	return lines
}

// headingAt returns the level and the text of a heading that begins at a line, 0 for none.
func headingAt(lines []string, i int) (int, string) {
	if m := logHeading.FindStringSubmatch(lines[i]); m != nil {
		return len(m[1]), m[2]
	}
	if i+1 < len(lines) && strings.TrimSpace(lines[i]) != "" {
		if m := logUnderline.FindStringSubmatch(lines[i+1]); m != nil {
			if m[1][0] == '=' {
				return 1, lines[i]
			}
			if len(m[1]) > 1 {
				return 2, lines[i]
			}
		}
	}
	return 0, ""
}

// versionIn finds the version that a heading is about, or nil.
func versionIn(scheme version.Scheme, title string) version.Version {
	if found := version.FindIn(scheme, title); len(found) > 0 {
		return found[0]
	}
	return nil
}

// trimmed drops blank lines at both ends, and all but one in a row between.
func trimmed(lines []string) []string {
	var kept []string
	for _, l := range lines {
		l = strings.TrimRight(l, " \t")
		if l == "" && (len(kept) == 0 || kept[len(kept)-1] == "") {
			continue
		}
		kept = append(kept, l)
	}
	if n := len(kept); n > 0 && kept[n-1] == "" {
		kept = kept[:n-1]
	}
	return kept
}
