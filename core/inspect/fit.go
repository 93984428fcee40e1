package inspect

import (
	"context"
	"slices"

	"molt/core/assess"
	"molt/core/conflict"
	"molt/core/fact"
	"molt/core/project"
	"molt/core/universe"
	"molt/core/version"
)

// A Fit is a release with whether it resolves with an application.
type Fit struct {
	Release *universe.Release
	Fits    bool
}

// Fits lists the releases of a package that come into question, the newest first, and which of them resolve together
// with an application as it stands, or, with a fixed set, with these releases and none other of their packages. The
// package need not be declared. At most so many releases are looked at, 0 for all. The obstacle is that of the newest
// release that does not fit.
func Fits(ctx context.Context, source universe.Source, app project.Application, name string,
	most int) ([]Fit, *conflict.Obstacle, error) {
	p, err := universe.LookUp(ctx, source, name)
	a := &assess.Judgement{Ctx: ctx, Source: source, Full: source, App: app, Base: app.Locked}
	if d := a.Declaration(name); d.As != "" && d.Package != name {
		p, err = universe.LookUp(ctx, source, d.Package)
	}
	switch {
	case err != nil:
		return nil, nil, err
	case p == nil:
		return nil, nil, &project.NameError{
			Name: name, Reason: project.NotAmong("the registry has no such package", name, app.Names())}
	}
	q, err := conflict.NewReasons(ctx, source, app, name, p)
	if err != nil {
		return nil, nil, err
	}
	var all []Fit
	var obstacle *conflict.Obstacle
	usable := slices.Collect(a.Usable(p, a.Locked(name)).All())
	for _, i := range slices.Backward(usable) {
		if most > 0 && len(all) == most {
			break
		}
		fits := false
		if obstacle == nil {
			obstacle, err = q.Why(i)
			fits = obstacle == nil
		} else {
			fits, err = q.Resolves(i)
		}
		if err != nil {
			return nil, nil, err
		}
		all = append(all, Fit{p.About(i), fits})
	}
	return all, obstacle, nil
}

// Advice is a better constraint for a package, with the reason.
type Advice struct {
	Constraint string
	Reason     fact.Fact
	Breaking   bool // following it is a breaking move from what is locked
}

// Advise looks for the nearest constraint that admits the newest release which resolves with an application, or that
// narrows one which admits everything. It returns nil when the constraint can stay.
func Advise(ctx context.Context, source universe.Source, app project.Application, name,
	constraint string) (*Advice, error) {
	fits, _, err := Fits(ctx, source, app, name, 0)
	if err != nil {
		return nil, err
	}
	newest := slices.IndexFunc(fits, func(f Fit) bool { return f.Fits && f.Release.Deprecated == "" })
	if newest < 0 {
		return nil, nil
	}
	v := fits[newest].Release.Version
	c, err := app.Scheme.Constrain(constraint)
	if err != nil {
		return nil, err
	}
	locked := project.VersionOf(app.Locked, name)
	switch {
	case !c.Bounded():
		at, kind := v, KeepsToNewest
		if here, err := app.Scheme.Parse(locked); err == nil {
			at, kind = here, KeepsToLocked
		}
		return &Advice{app.Scheme.Styled(version.NextMinor, at),
			fact.New(kind, constraint, at), false}, nil
	}
	if here, err := app.Scheme.Parse(locked); err == nil {
		compatible := slices.IndexFunc(fits, func(f Fit) bool {
			return f.Fits && f.Release.Deprecated == "" && f.Release.Version.Compare(here) >= 0 &&
				!app.Breaking(name, here, f.Release.Version)
		})
		if compatible >= 0 && !version.Admits(c, fits[compatible].Release.Version) {
			w := fits[compatible].Release.Version
			return &Advice{version.Restyled(app.Scheme, constraint, w),
				fact.New(RefusesFitting, constraint, w, here), false}, nil
		}
		if !version.Admits(c, v) && app.Breaking(name, here, v) {
			return &Advice{version.Restyled(app.Scheme, constraint, v),
				fact.New(RefusesBreaking, constraint, v, here), true}, nil
		}
	}
	if !version.Admits(c, v) {
		return &Advice{version.Restyled(app.Scheme, constraint, v),
			fact.New(RefusesNewest, constraint, v), false}, nil
	}
	return nil, nil
}
