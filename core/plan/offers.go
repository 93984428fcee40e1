package plan

import (
	"context"
	"slices"

	"molt/core/assess"
	"molt/core/fact"
	"molt/core/project"
	"molt/core/universe"
	"molt/core/version"
)

// An Offer is a set of moves that resolves by itself, from where the application stands. A package
// is in one offer at the most, so that offers do not change the same line of a manifest.
type Offer struct {
	ID      string
	Title   fact.Fact
	Changes []project.Change
}

// A Waiting is a package for which there is something newer that is not offered, with the reason.
type Waiting struct {
	Name, At, Newest string
	Why              fact.Fact
}

// Offers lists what is new for an application that is not to go anywhere in particular: all patch
// releases together, all minor ones together, and each breaking move by itself, or with those
// without which it does not resolve. They are the stages that a plan would have, each from where
// the application stands, and judged as there; where it is known what the application's framework
// is, it keeps its major. What does not break goes first: a package is offered its next major when
// it has nothing else left. Held packages wait.
func Offers(ctx context.Context, source universe.Source, app project.Application,
	framework string) ([]Offer, []Waiting, error) {
	o, err := newOffering(ctx, source, app, framework)
	if err != nil {
		return nil, nil, err
	}
	if err := o.safe(); err != nil {
		return nil, nil, err
	}
	if err := o.breaking(); err != nil {
		return nil, nil, err
	}
	return o.offers, o.waiting, o.rest()
}

// An offering collects offers. Its planner stands where the application does, before every stage.
type offering struct {
	*planner
	start   project.Draft
	offered map[string]bool
	offers  []Offer
	waiting []Waiting
}

func newOffering(ctx context.Context, source universe.Source, app project.Application,
	framework string) (*offering, error) {
	a := assess.AskNone(ctx, source, app)
	if d := a.Declaration(framework); d.As != "" && project.Registered(d) {
		p, err := a.Pkg(framework)
		if err != nil {
			return nil, err
		}
		if r := p.Known(a.Locked(framework)); r != nil {
			if a, err = assess.AskOne(ctx, source,
				app, project.Goal{Name: framework, Constraint: app.Scheme.Major(r.Version)}); err != nil {
				return nil, err
			}
		}
	}
	p := &planner{Judgement: a.Deployed().Interpreting(app.Locked), assessed: map[string]assess.Assessed{}, plan: &Plan{},
		closed: map[string]bool{}}
	p.now = project.Draft{Lines: map[project.Line]string{}, Locked: app.Locked, Gone: map[string]bool{}}
	for _, d := range app.Declared {
		p.now.Lines[d.Line()] = d.Text
	}
	return &offering{planner: p, start: p.now, offered: map[string]bool{}}, nil
}

// take makes an offer of the stage that was added last, if one was, and returns to the start.
func (o *offering) take(id string, title fact.Fact) {
	if len(o.plan.Stages) == 0 {
		return
	}
	changes := o.plan.Stages[0].Changes
	o.plan.Stages, o.now = nil, o.start
	if title.None() {
		title = fact.New(MovesTo, changes[0].Name, changes[0].To.Version)
		if len(changes) > 1 {
			title.Kind = MovesInStep
		}
	}
	for _, c := range changes {
		o.offered[c.Name] = true
	}
	o.offers = append(o.offers, Offer{id, title, changes})
}

// safe offers what does not break: the packages that have minor releases, and those that have patch releases only.
func (o *offering) safe() error {
	minor, _, err := o.fresh(version.Minor)
	if err != nil {
		return err
	}
	patch, patched, err := o.fresh(version.Patch)
	if err != nil {
		return err
	}
	for name := range patched {
		patched[name] = len(patch[name]) == len(minor[name])
	}
	for _, one := range []struct {
		kind   StageKind
		choice assess.Choice
		of     func(name string) bool
	}{
		{PatchStage, patch, func(name string) bool { return patched[name] }},
		{MinorStage, minor, func(name string) bool { return len(minor[name]) > 1 && !patched[name] }},
	} {
		c, moving := o.exact(o.now), map[string]bool{}
		for _, name := range o.Names() {
			if one.of(name) {
				c[name], moving[name] = one.choice[name], true
			}
		}
		r, err := o.freshest(c, moving)
		if err != nil {
			return err
		}
		if r == nil {
			continue
		}
		if _, err := o.stage(one.kind, string(one.kind), freshTitle(one.kind), versionsOf(r, o.Names()),
			func(string) fact.Fact { return fact.Fact{} }); err != nil {
			return err
		}
		o.take(string(one.kind), freshTitle(one.kind))
	}
	return nil
}

// breaking offers the breaking moves of packages that have nothing else left, in the smallest groups that resolve.
func (o *offering) breaking() error {
	all, err := o.targets()
	if err != nil {
		return err
	}
	to := map[string]string{}
	for name, v := range all {
		pkg, err := o.Pkg(name)
		if err != nil {
			return err
		}
		if !o.offered[name] && o.breaks(pkg, name, v) {
			to[name] = v
		}
	}
	if err := o.alike(to); err != nil {
		return err
	}
	for _, f := range o.families(o.remaining(to)) {
		if err := o.offerGroup(f, to); err != nil {
			return err
		}
	}
	for _, name := range o.remaining(to) { // none of them goes by itself
		if to[name] == "" {
			continue
		}
		set, err := o.smallest(name, to)
		if err != nil {
			return err
		}
		if set != nil {
			if err := o.offerGroup(family{names: set}, to); err != nil {
				return err
			}
		}
	}
	return nil
}

func (o *offering) offerGroup(f family, to map[string]string) error {
	if err := o.group(f, to); err != nil {
		return err
	}
	o.take("major-"+slug(f.names[0]), fact.Fact{})
	return nil
}

// rest lists what is newer and not offered, with the reason.
func (o *offering) rest() error {
	for _, name := range o.Names() {
		pkg, err := o.Pkg(name)
		if err != nil {
			return err
		}
		real, err := o.Real.Package(o.Ctx, pkg.Name) // also what is hidden from choosing
		if err != nil {
			return err
		}
		at, newest := real.Known(o.Locked(name)), universe.NewestStable(real)
		if o.offered[name] || at == nil || newest == nil || newest.Deprecated != "" ||
			at.Version.Compare(newest.Version) >= 0 {
			continue
		}
		why, err := o.whyNot(name, real, newest)
		if err != nil {
			return err
		}
		if why.None() {
			continue
		}
		o.waiting = append(o.waiting, Waiting{name, at.Version.String(), newest.Version.String(), why})
	}
	return nil
}

// whyNot tells why a package is not offered its newest release; none where that is none that it could have.
func (o *offering) whyNot(name string, pkg *universe.Package, newest *universe.Release) (why fact.Fact, err error) {
	if slices.Contains(o.App.Held, name) {
		return fact.New(assess.Held, o.App.HeldFor(name)), nil
	}
	if name == o.Goal.Name {
		return fact.New(NextMajorIsGoal, name, o.App.Scheme.Major(newest.Version)), nil
	}
	if o.App.Kin != nil && o.App.Kin(pkg.Name).Describes != "" {
		return why, nil // it goes with what it describes
	}
	later, err := o.newer(func(string, version.Version, version.Version) bool { return true })
	if err != nil {
		return why, err
	}
	return o.whyBehind(name, pkg, newest, later)
}
