package project

import (
	"context"
	"fmt"
	"path"
	"slices"
	"strings"
	"time"

	"github.com/github/go-spdx/v2/spdxexp"

	"molt/core/universe"
)

// A Policy says what may be used, and on what evidence. The zero Policy allows everything.
type Policy struct {
	Allow, Refuse                 []string // names of packages; * stands for any letters but a slash
	AllowLicences, RefuseLicences []string // SPDX identifiers
	Oldest                        time.Duration
	Now                           time.Time // for Oldest
	Evidence                      Grade     // the weakest that counts for a package that speaks of the framework
}

// Breach returns the rule that a release breaks, "" for none.
func (r Policy) Breach(name string, release *universe.Release) string {
	matches := func(patterns []string) bool {
		return slices.ContainsFunc(patterns, func(pattern string) bool {
			ok, _ := path.Match(pattern, name) // patterns are validated at load time
			return ok
		})
	}
	switch {
	case matches(r.Refuse):
		return "the policy refuses " + name
	case len(r.Allow) > 0 && !matches(r.Allow):
		return "the policy does not allow " + name
	}
	if len(r.AllowLicences)+len(r.RefuseLicences) > 0 && !r.licensed(release.Licence) {
		if release.Licence == "" {
			return "it states no licence"
		}
		return "the policy does not allow the licence " + release.Licence
	}
	if r.Oldest > 0 && !release.Published.IsZero() && r.Now.Sub(release.Published) > r.Oldest {
		return fmt.Sprintf("published %s; the policy allows at most %s", release.Published.Format(time.DateOnly),
			years(r.Oldest))
	}
	return ""
}

// Breach returns why the policy refuses a release of a package, "" where it does not. What is
// locked stays, whatever the policy says of it.
func (app Application) Breach(p *universe.Package, i int) string {
	says := app.Rules.Breach(p.Name, app.Rules.look(p, i))
	if says == "" || app.Locked != nil && slices.Contains(app.Locked.Versions()[p.Name], p.Version(i).String()) {
		return ""
	}
	return says
}

// look returns as much of a release as the rules are about.
func (r Policy) look(p *universe.Package, i int) *universe.Release {
	if len(r.AllowLicences)+len(r.RefuseLicences) > 0 {
		return p.At(i)
	}
	return p.About(i)
}

// licensed reports whether an SPDX licence expression (SPDX 3, annex B) leaves a licence that the
// policy takes. What is no such expression is taken as the name of a licence.
func (r Policy) licensed(expression string) bool {
	takes := func(licence string) bool {
		in := func(list []string) bool {
			return slices.ContainsFunc(list,
				func(l string) bool { return strings.EqualFold(l, strings.TrimSuffix(licence, "+")) })
		}
		return !in(r.RefuseLicences) && (len(r.AllowLicences) == 0 || in(r.AllowLicences))
	}
	named, err := spdxexp.ExtractLicenses(expression)
	if err != nil || len(named) == 0 {
		return takes(expression)
	}
	taken := slices.DeleteFunc(named, func(licence string) bool {
		licence, _, _ = strings.Cut(licence, " WITH ") // an exception permits more, not less
		return !takes(licence)
	})
	if len(taken) == 0 {
		return false
	}
	satisfied, err := spdxexp.Satisfies(expression, taken)
	return err == nil && satisfied
}

// years writes an age for people.
func years(age time.Duration) string {
	const day = 24 * time.Hour
	for _, unit := range []struct {
		length time.Duration
		name   string
	}{{365 * day, "year"}, {30 * day, "month"}, {7 * day, "week"}} {
		if n := age / unit.length; n > 0 && age%unit.length == 0 {
			if n == 1 {
				return "1 " + unit.name
			}
			return fmt.Sprintf("%d %ss", n, unit.name)
		}
	}
	return fmt.Sprintf("%d days", age/day)
}

// Any reports whether a rule hides releases.
func (r Policy) Any() bool {
	return len(r.Allow)+len(r.Refuse)+len(r.AllowLicences)+len(r.RefuseLicences) > 0 || r.Oldest > 0
}

// Permitted filters a source to what the policy and the fixed set allow, and sets aside what people
// waived. Locked releases stay visible, so that a rule does not tear out what is there. Of a
// package in the fixed set, only the given release is visible.
func Permitted(source universe.Source, app Application) universe.Source {
	if _, already := source.(*permitted); already || !app.Rules.Any() && len(app.Fixed) == 0 && len(app.Waived) == 0 {
		return source
	}
	source = Waived(source, app)
	locked := map[string][]string{}
	if app.Locked != nil {
		locked = app.Locked.Versions()
	}
	if app.Rules.Any() {
		source = universe.Changed(source, func(p *universe.Package) (*universe.Package, error) {
			return p.Only(func(i int) bool {
				v := p.Version(i).String()
				return app.Rules.Breach(p.Name, app.Rules.look(p, i)) == "" || slices.Contains(locked[p.Name], v) ||
					app.Fixed[p.Name] == v
			}), nil
		})
	}
	return &permitted{universe.Changed(source, func(p *universe.Package) (*universe.Package, error) {
		given, fixed := app.Fixed[p.Name]
		switch {
		case !fixed:
			return p, nil
		case p.Index(given) < 0:
			return nil, &FixedError{p.Name, given}
		}
		return p.Only(func(i int) bool { return p.Version(i).String() == given }), nil
	})}
}

// Hidden says which releases of a package are hidden, by the fixed set, by the policy or by the
// source, and why; "" when none are.
func Hidden(ctx context.Context, source universe.Source, app Application, name string) (string, error) {
	p, err := universe.LookUp(ctx, source, name)
	if err != nil || p == nil {
		return "", err
	}
	young, err := universe.Hidden(ctx, source, name)
	if err != nil {
		return "", err
	}
	if says := app.hides(p, name); says != "" {
		young = append(young, says)
	}
	return strings.Join(young, "; "), nil
}

// hides is the part of Hidden that is about given releases and rules.
func (app Application) hides(p *universe.Package, name string) string {
	if given, fixed := app.Fixed[name]; fixed && p.Index(given) >= 0 && p.Len() > 1 {
		return fmt.Sprintf("%s is given from outside, at %s", name, given)
	}
	var locked []string
	if app.Locked != nil {
		locked = app.Locked.Versions()[name]
	}
	hidden, last := 0, ""
	for i := range p.Len() {
		r := app.Rules.look(p, i)
		if says := app.Rules.Breach(name, r); says != "" && !slices.Contains(locked, r.Version.String()) {
			hidden++
			last = fmt.Sprintf("%s: %s", r.Version, says)
		}
	}
	switch hidden {
	case 0:
		return ""
	case p.Len():
		return fmt.Sprintf("the policy hides all releases of %s; %s", name, last)
	}
	return fmt.Sprintf("the policy hides %d of %d releases of %s; %s", hidden, p.Len(), name, last)
}

// permitted is a source that was filtered.
type permitted struct{ universe.Source }

// A FixedError reports a release of the fixed set that the registry does not have.
type FixedError struct{ Name, Version string }

func (e *FixedError) Error() string {
	return fmt.Sprintf("%s %s is given from outside, and the registry has no such release", e.Name, e.Version)
}

// Unwrap returns the source before it was filtered.
func (p *permitted) Unwrap() universe.Source { return p.Source }
