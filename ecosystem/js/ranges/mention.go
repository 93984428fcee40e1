package ranges

import (
	"regexp"
	"strings"

	"molt/core/version"
)

// Complete reads a version of which the last numbers may be missing.
func (Rules) Complete(text string) (version.Version, error) {
	v, err := Scheme.Parse(text)
	end := strings.IndexAny(text, "-+")
	if end < 0 {
		end = len(text)
	}
	for missing := ".0"; err != nil && len(missing) <= len(".0.0"); missing += ".0" {
		if whole, _ := Scheme.Parse(text[:end] + missing + text[end:]); whole != nil {
			return whole, nil
		}
	}
	return v, err
}

// numbers are those of a version, anywhere in a range.
var numbers = regexp.MustCompile(`[0-9]+(\.[0-9]+)*`)

// Mentions finds every run of numbers.
func (Rules) Mentions(constraint string) []version.Version {
	return completed(numbers.FindAllString(constraint, -1))
}

// inProse is a version in a sentence or a heading: two numbers at least, and no part of a longer word.
var inProse = regexp.MustCompile(`(?:^|[^\w.])v?(\d+\.\d+(?:\.\d+)?(?:-[0-9A-Za-z.-]+)?)(?:[^\w.]|\.?$)`)

// FindIn finds versions with a dot in them.
func (Rules) FindIn(prose string) []version.Version {
	var texts []string
	for _, m := range inProse.FindAllStringSubmatch(prose, -1) {
		texts = append(texts, strings.TrimRight(m[1], ".-"))
	}
	return completed(texts)
}

// completed reads those texts that are versions.
func completed(texts []string) (all []version.Version) {
	for _, text := range texts {
		if v, err := version.Complete(Scheme, text); err == nil {
			all = append(all, v)
		}
	}
	return all
}
