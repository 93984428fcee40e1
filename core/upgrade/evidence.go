package upgrade

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"

	"molt/core/universe"
)

// A Grade says how much a piece of evidence proves.
type Grade string

// The grades, best first.
const (
	Stated  Grade = "stated"  // a bounded range names the goal, in a release younger than the goal's first
	Early   Grade = "early"   // a bounded range names it, in a release older than the goal's first
	Open    Grade = "open"    // an unbounded range merely fails to exclude it
	Refused Grade = "refused" // the range excludes it
	None    Grade = "none"    // nothing is said
	Advised Grade = "advised" // an upgrade guide says so
)

// Evidence is what a standing rests on.
type Evidence struct {
	Grade Grade
	Says  string // the sentence that proves it
	Where string // where it was read
}

// prove collects the evidence for a standing.
func (a *advisor) prove(got *Assessed, p, framework *universe.Package, target []string) {
	if got.Retires != nil && got.Standing == Retires {
		grade := Stated
		if got.Retires.Advised {
			grade = Advised
		}
		got.Evidence = append(got.Evidence, Evidence{grade, got.Retires.Says, got.Retires.Where})
	}
	var subject string
	switch got.Standing {
	case Bridge, Together:
		subject = got.To
	case Blocked:
		if slices.Contains(a.app.Held, got.Name) { // it is not for want of a release
			subject = got.Locked
			break
		}
		newest := p.Newest()
		if newest == nil {
			return
		}
		subject = newest.Version.String()
	default:
		subject = got.Locked
	}
	if slices.Contains(a.app.Held, got.Name) {
		got.Evidence = append(got.Evidence, Evidence{None, "held: " + a.app.Reasons[got.Name], "hold"})
	}
	got.Evidence = append(append(got.Evidence, a.about(p, framework, subject, target)...), a.advised(p.Name)...)
	if got.Standing == Bridge || got.Standing == Together {
		got.Evidence = append(got.Evidence, a.unsuited(p, subject)...)
	}
	if got.Preview != "" {
		for _, e := range a.about(p, framework, got.Preview, target) {
			e.Says = "only the prerelease " + got.Preview + " goes with it: " + e.Says
			got.Evidence = append(got.Evidence, e)
		}
	}
}

// unsuited says what a release requires of runtimes and does not get today.
func (a *advisor) unsuited(p *universe.Package, subject string) (all []Evidence) {
	r := p.Release(subject)
	if r == nil {
		return nil
	}
	for _, q := range r.Runtimes {
		if deployed, known := a.app.Runtimes[q.Name]; known && !a.app.runtime(q.Name).SuitsAll(q.Text, deployed) {
			all = append(all, Evidence{Refused, fmt.Sprintf("needs %s %s, and %s is deployed", q.Name, q.Text, deployed), fmt.Sprintf("%s %s, runtime", p.Name, subject)})
		}
	}
	return all
}

// about reads what one release says about the goal.
func (a *advisor) about(p, framework *universe.Package, subject string, target []string) []Evidence {
	r := p.Release(subject)
	if r == nil {
		return nil
	}
	demands := append(a.onFramework(r), a.ofFramework(r.Covered)...)
	if len(demands) == 0 {
		return []Evidence{{None, fmt.Sprintf("%s %s says nothing about %s", p.Name, subject, a.goal.Name), p.Name + " " + subject}}
	}
	first := a.firstOf(framework, target)
	if r.Published.IsZero() { // the short documents of packages that nobody declares have no dates
		if dated, err := universe.WithDates(a.ctx, a.full, p.Name); err == nil {
			if same := dated.Release(subject); same != nil && !same.Published.IsZero() {
				with := *r
				with.Published = same.Published
				r = &with
			}
		}
	}
	var all []Evidence
	for _, d := range demands {
		kind := "needs"
		if slices.Contains(r.Peers, d) || slices.Contains(r.Covered, d) {
			kind = "peers"
		}
		e := Evidence{Where: fmt.Sprintf("%s %s, %s", p.Name, subject, kind)}
		e.Grade, e.Says = a.grade(r, d, framework, first, target)
		if kind == "needs" {
			e.Says += a.secondCopy(d, framework, target)
		}
		all = append(all, e)
	}
	return all
}

// secondCopy says what comes of a framework that is needed, and not peered on.
func (a *advisor) secondCopy(d universe.Demand, framework *universe.Package, target []string) string {
	set, err := framework.Admit(d.Text)
	if err == nil && slices.ContainsFunc(target, func(v string) bool { return set.Has(framework.Index(v)) }) {
		return "; a need, and not a peer: it shares the application's copy only while the range admits that, and brings a second copy after"
	}
	return "; a need, and not a peer: it would bring a second copy of " + framework.Name + " beside the goal, which Molt does not accept"
}

// grade grades one demand on the framework.
func (a *advisor) grade(r *universe.Release, d universe.Demand, framework *universe.Package, first *universe.Release, target []string) (Grade, string) {
	says := fmt.Sprintf("asks for %s %s", d.As, d.Text)
	set, err := framework.Admit(d.Text)
	admits := slices.ContainsFunc(target, func(v string) bool { return set.Has(framework.Index(v)) })
	switch {
	case err != nil:
		return Refused, says + ", which cannot be read"
	case !admits:
		return Refused, says
	}
	if c, err := a.app.Scheme.Constrain(d.Text); err != nil || !c.Bounded() {
		return Open, says + ", which merely does not exclude it"
	}
	if first == nil || first.Published.IsZero() || r.Published.IsZero() {
		return Stated, says
	}
	if !inOrder(framework) {
		return Stated, says // the assessment says so, once
	}
	existed := framework.Name + " " + first.Version.String()
	days := int(r.Published.Sub(first.Published) / (24 * time.Hour))
	when := fmt.Sprintf(", published %s", r.Published.Format(time.DateOnly))
	switch {
	case days < 0:
		return Early, fmt.Sprintf("%s%s, %d days before %s existed", says, when, -days, existed)
	default:
		return Stated, fmt.Sprintf("%s%s, %d days after %s", says, when, days, existed)
	}
}

// firstOf returns the first stable release among the target's.
func (a *advisor) firstOf(framework *universe.Package, target []string) *universe.Release {
	for i := range framework.Releases {
		if r := &framework.Releases[i]; slices.Contains(target, r.Version.String()) {
			return r
		}
	}
	return nil
}

// inOrder reports whether the first releases of a package's majors came out in order.
func inOrder(p *universe.Package) bool {
	var last time.Time
	major := ""
	for i := range p.Releases {
		r := &p.Releases[i]
		m := p.Scheme.Major(r.Version)
		if r.Version.Prerelease() || m == major || r.Published.IsZero() {
			continue
		}
		if r.Published.Before(last) {
			return false
		}
		major, last = m, r.Published
	}
	return true
}

// RetirementKind says in which way a package retires.
type RetirementKind string

// The ways to retire.
const (
	Renamed   RetirementKind = "renamed"
	Swallowed RetirementKind = "swallowed"
	Abandoned RetirementKind = "abandoned"
)

// A Retirement is what the maintainers' deprecation of a whole package comes to.
type Retirement struct {
	Kind      RetirementKind
	Successor string // for a renamed package
	Says      string
	Where     string
	Advised   bool // a guide says so, and not the maintainers
}

var (
	successor = regexp.MustCompile(`(?i)(?:renamed to|moved to|replaced by|superseded by|succeeded by|use|continues as|lives on as)\s+[` + "`'\"" + `]?(@?[a-z0-9][a-z0-9._/-]*[a-z0-9])`)
	absorbed  = regexp.MustCompile(`(?i)(?:part of|built into|included in|merged into|comes with|now in|core of|swallowed by)`)
)

// RetirementOf says whether a package was renamed, swallowed by a framework or abandoned; nil when none of these. The
// framework may be "".
func RetirementOf(p *universe.Package, framework string) *Retirement {
	if framework == "" {
		framework = "\x00" // which nobody names
	}
	return retirement(p, framework)
}

// retirement reads the deprecation of a package's newest stable release. One that names the framework as its new home
// is swallowed; one that names another package is renamed; any other is abandoned.
func retirement(p *universe.Package, framework string) *Retirement {
	newest := newestStable(p)
	if newest == nil || newest.Deprecated == "" {
		return nil
	}
	r := &Retirement{Kind: Abandoned, Says: newest.Deprecated, Where: fmt.Sprintf("%s %s, deprecation", p.Name, newest.Version)}
	if absorbed.MatchString(newest.Deprecated) && strings.Contains(newest.Deprecated, framework) {
		r.Kind = Swallowed
		return r
	}
	if m := successor.FindStringSubmatch(newest.Deprecated); m != nil && m[1] != p.Name && !ordinary[strings.ToLower(m[1])] {
		r.Kind, r.Successor = Renamed, m[1]
	}
	return r
}

// ordinary are words that follow "use" in sentences and name no package.
var ordinary = map[string]bool{"a": true, "an": true, "the": true, "another": true, "it": true, "this": true, "at": true, "your": true, "native": true, "newer": true, "version": true, "latest": true, "something": true, "with": true}

func newestStable(p *universe.Package) *universe.Release {
	if i := p.Stable().Max(); i >= 0 {
		return &p.Releases[i]
	}
	return nil
}
