// Package prose reads what maintainers write for people, in English, where nothing else says it: which package a
// deprecation sends its readers to, and which lines of a change log speak of a break. It guesses by words and is asked
// last; whatever it finds is shown with the sentence that it was found in.
package prose

import (
	"regexp"
	"strings"
)

var (
	leads = regexp.MustCompile(
		`(?i)(?:renamed to|moved to|replaced by|superseded by|succeeded by|use|continues as|lives on as)\s+[` + "`'\"" +
			`]?(@?[a-z0-9][a-z0-9._/-]*[a-z0-9])`)
	absorbed = regexp.MustCompile(
		`(?i)(?:part of|built into|included in|merged into|comes with|now in|core of|swallowed by)`)
	breaks = regexp.MustCompile(`(?i)\bbreak(s|ing)?\b|\bincompatib`)
)

// ordinary are words that follow "use" in sentences and name no package.
var ordinary = map[string]bool{
	"a": true, "an": true, "the": true, "another": true, "it": true, "this": true, "at": true, "your": true,
	"native": true, "newer": true, "version": true, "latest": true, "something": true, "with": true}

// Successor returns the package that a deprecation sends its readers to, as written; "" for none.
func Successor(deprecation string) string {
	if m := leads.FindStringSubmatch(deprecation); m != nil && !ordinary[strings.ToLower(m[1])] {
		return m[1]
	}
	return ""
}

// Absorbed reports whether a deprecation says that another package, which it names, has become the home of this one.
func Absorbed(deprecation, by string) bool {
	return by != "" && absorbed.MatchString(deprecation) && strings.Contains(deprecation, by)
}

// Breaks reports whether a heading or a line of a change log speaks of a break.
func Breaks(line string) bool { return breaks.MatchString(line) }
