package universe

import (
	"regexp"
	"strings"
	"time"

	"molt/core/version"
)

// asOf is how a constraint ends that is about the majors alone that existed on a day. No scheme's grammar has it.
var asOf = regexp.MustCompile(`^(.*) \(as of (\d{4}-\d{2}-\d{2})\)$`)

// AsOf writes a constraint that admits what another one does, of the majors that existed on a day.
func AsOf(text string, day time.Time) string {
	return text + " (as of " + day.Format(time.DateOnly) + ")"
}

// IsAsOf reports whether a constraint was written by AsOf.
func IsAsOf(text string) bool { return asOf.MatchString(text) }

// orOlder is how a constraint ends that admits what is older than what it names, too, and the rest of the newest major
// that it names.
const orOlder = " or older"

// OrOlder writes a constraint that admits all up to the end of the newest major of which another one admits a release.
func OrOlder(text string) string { return text + orOlder }

// evaluateOrOlder is evaluate for such a constraint; false for any other.
func (p *Package) evaluateOrOlder(text string) (set version.Set, err error, ok bool) {
	base, ok := strings.CutSuffix(text, orOlder)
	if !ok {
		return set, nil, false
	}
	if set, err = p.evaluate(base); err != nil {
		return set, err, true
	}
	out := version.NewSet(p.Len())
	for i := range p.Len() {
		if last := set.Max(); i <= last || last >= 0 && p.Scheme.Major(p.Version(i)) == p.Scheme.Major(p.Version(last)) {
			out.Add(i)
		}
	}
	return out, nil, true
}

// evaluateAsOf is evaluate for such a constraint; false for any other.
func (p *Package) evaluateAsOf(text string) (set version.Set, err error, ok bool) {
	parts := asOf.FindStringSubmatch(text)
	if parts == nil {
		return set, nil, false
	}
	day, err := time.Parse(time.DateOnly, parts[2])
	if err != nil {
		return set, nil, false
	}
	if set, err = p.evaluate(parts[1]); err != nil {
		return set, err, true
	}
	out := version.NewSet(p.Len())
	for i := range set.All() {
		if born := p.Born(i); born.IsZero() || !born.After(day) {
			out.Add(i)
		}
	}
	return out, nil, true
}

// Born returns when the first release of a release's major was published, on that day's beginning; zero where the
// registry does not say.
func (p *Package) Born(i int) time.Time {
	major := p.Scheme.Major(p.Version(i))
	for k := range p.Len() {
		if v := p.Version(k); !v.Prerelease() && p.Scheme.Major(v) == major && !p.Published(k).IsZero() {
			return p.Published(k).Truncate(24 * time.Hour)
		}
	}
	return time.Time{}
}
