package plan

import (
	"context"
	"fmt"
	"slices"

	"molt/core/assess"
	"molt/core/conflict"
	"molt/core/fact"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
)

// A Wanted is a package that is to be declared, or declared otherwise.
type Wanted struct {
	Name       string
	Group      string // where it is to stand; "" for wherever it stands already, or else the usual group
	Constraint string // "" for the newest release that resolves, asked for in a style
}

// Granted is what comes of Want: what changes in the manifest, and what was not to be had.
type Granted struct {
	Changes []project.Change
	Short   []fact.Fact // one for each package that does not get its newest release
}

// Want works out how to declare packages, all of them together: at the newest releases that resolve
// with the rest of the manifest as it stands, first those of the packages named first, and with as
// few locked packages moved as can be. The style is for constraints that are not given; OtherStyle
// means that of the line, or the one that the manifest mostly uses. Releases that run on what is
// taken to be deployed come first. The error is a *NameError, a *solve.Tangle, or that of the
// source.
func Want(ctx context.Context, source universe.Source, app project.Application, wanted []Wanted, usual string,
	style version.Style) (*Granted, error) {
	assumed := app
	assumed.Runtimes = app.Assumed()
	w := &wanter{Judgement: &assess.Judgement{
		Ctx: ctx, Source: project.Runnable(source, assumed), Full: source, App: app, Base: app.Locked},
		scopes: map[string][]string{}}
	edited, lines := app, map[project.Line]string{}
	edited.Declared = slices.Clone(app.Declared)
	for _, want := range wanted {
		if err := w.declare(&edited, want, usual, lines); err != nil {
			return nil, err
		}
	}
	r, err := w.solve(edited, wanted)
	if solve.AsTangle(err) != nil && len(app.InferredRuntimes) > 0 { // what is only inferred forbids nothing
		w.Source = project.Runnable(source, app)
		r, err = w.solve(edited, wanted)
	}
	if err != nil {
		return nil, err
	}
	for i := range edited.Declared { // for the question why there is nothing newer
		if d := &edited.Declared[i]; w.scopes[d.As] != nil && d.Text == "" {
			d.Text = app.Scheme.Any()
		}
	}
	got := &Granted{}
	for _, d := range edited.Declared {
		scope, ok := w.scopes[d.As]
		if !ok || slices.ContainsFunc(
			wanted, func(x Wanted) bool { return x.Name == d.As && x.Group != "" && x.Group != d.Group }) {
			continue
		}
		p, err := source.Package(ctx, d.Package)
		if err != nil {
			return nil, err
		}
		v := p.Known(project.VersionOf(r, d.As)).Version
		was, declared := lines[d.Line()]
		change := project.Change{Name: d.As, Group: d.Group, To: project.Point{Constraint: d.Text, Version: v.String()}}
		if slices.ContainsFunc(wanted, func(x Wanted) bool { return x.Name == d.As && x.Constraint == "" }) {
			change.To.Constraint = app.Scheme.Styled(w.style(style, was), v)
		}
		if declared {
			change.From = project.Point{Constraint: was, Version: project.VersionOf(app.Locked, d.As)}
			if from := p.Release(change.From.Version); from != nil {
				change.Jump = app.Scheme.Jump(from.Version, v)
			}
		}
		got.Changes = append(got.Changes, change)
		if newest := scope[len(scope)-1]; newest != v.String() {
			q, err := conflict.NewReasons(ctx, source, edited, d.As, p)
			if err != nil {
				return nil, err
			}
			o, err := q.Why(p.Index(newest))
			if ctx.Err() != nil {
				return nil, ctx.Err()
			}
			if err != nil { // the change itself is found
				got.Short = append(got.Short, fact.New(GetsUnknown, d.As, v, newest, err.Error()))
				continue
			}
			says := fact.New(GetsForOthers, d.As, v, newest)
			if o != nil {
				says = fact.New(GetsSince, d.As, v, o.Says)
			}
			got.Short = append(got.Short, says)
		}
	}
	return got, nil
}

type wanter struct {
	*assess.Judgement
	scopes map[string][]string // releases that come into question, ascending, by declared name
}

// declare puts a wanted package into the declarations, with "" for a constraint that is still to be found.
func (w *wanter) declare(app *project.Application, want Wanted, usual string, lines map[project.Line]string) error {
	p, err := universe.LookUp(w.Ctx, w.Full, want.Name)
	var at []int
	for i, d := range app.Declared {
		if d.As == want.Name && (want.Group == "" || d.Group == want.Group) {
			at = append(at, i)
		}
	}
	if len(at) > 0 && app.Declared[at[0]].Package != want.Name {
		p, err = universe.LookUp(w.Ctx, w.Full, app.Declared[at[0]].Package)
	}
	switch {
	case err != nil:
		return err
	case p == nil:
		return &project.NameError{Name: want.Name,
			Reason: project.NotAmong("the registry has no such package", want.Name, w.App.Names())}
	}
	scope := w.Usable(p, project.VersionOf(app.Locked, want.Name))
	if want.Constraint != "" {
		if scope, err = p.Admit(want.Constraint); err != nil {
			return &project.NameError{Name: want.Name, Reason: err.Error()}
		}
		if stable := scope.And(p.Stable()); !stable.Empty() {
			scope = stable
		}
	}
	if scope.Empty() {
		return &project.NameError{Name: want.Name,
			Reason: fmt.Sprintf("no published release fits %q; there are %s", want.Constraint,
				p.Versions().Describe(version.FullSet(p.Len())))}
	}
	for _, i := range w.sound(p, scope) {
		w.scopes[want.Name] = append(w.scopes[want.Name], p.Version(i).String())
	}
	if len(at) == 0 {
		group := want.Group
		if group == "" {
			group = usual
		}
		app.Declared = append(app.Declared,
			project.Declared{Demand: universe.Demand{As: want.Name, Package: p.Name, Text: want.Constraint}, Group: group})
	}
	for _, i := range at {
		d := &app.Declared[i]
		lines[d.Line()] = d.Text
		d.Text, d.Foreign = want.Constraint, false
	}
	return nil
}

// sound leaves out what is deprecated, unless there is nothing else.
func (w *wanter) sound(p *universe.Package, s version.Set) []int {
	all := slices.Collect(s.All())
	if good := slices.DeleteFunc(slices.Clone(all), func(i int) bool { return p.Deprecated(i) }); len(good) > 0 {
		return good
	}
	return all
}

func (w *wanter) solve(app project.Application, wanted []Wanted) (*solve.Resolution, error) {
	return app.TryApart(app.Declared, func(all []project.Declared) (*solve.Resolution, error) {
		one := app
		one.Declared = all
		return w.solveWith(one, wanted)
	})
}

// asked returns the name under which a root was wanted: one that stands apart by now may have been
// wanted under its own.
func (w *wanter) asked(r solve.Root) string {
	if _, ok := w.scopes[r.As]; !ok && r.Apart != "" {
		return r.Own
	}
	return r.As
}

func (w *wanter) solveWith(app project.Application, wanted []Wanted) (*solve.Resolution, error) {
	p := app.Problem()
	for i := range p.Roots {
		if scope, ok := w.scopes[w.asked(p.Roots[i])]; ok {
			p.Roots[i].Among = scope
			if p.Roots[i].Text == "" {
				p.Roots[i].Text = app.Scheme.Any() // for a tangle
			}
			delete(p.Keep, p.Roots[i].Package)
		}
	}
	o := solve.NewOptimizer(w.Ctx, w.Source, p)
	var newest []solve.Objective
	for _, want := range wanted {
		objective := solve.Objective{Name: want.Name + " newer"}
		root := p.Roots[slices.IndexFunc(p.Roots, func(r solve.Root) bool { return w.asked(r) == want.Name })]
		for k := range w.scopes[want.Name] {
			objective.Soft = append(objective.Soft,
				solve.SoftConstraint{As: root.As, Package: root.Package, Among: w.scopes[want.Name][k:]})
		}
		newest = append(newest, objective)
	}
	best, err := o.Minimize(newest...)
	if err != nil {
		return nil, err
	}
	if best == nil {
		return project.ResolveRunnable(w.Ctx, w.Full, w.App, p) // for the tangle
	}
	return best.Resolution, nil
}

// style decides in which style to ask: the one that was said, that of the line, or the one that most lines have.
func (w *wanter) style(said version.Style, was string) version.Style {
	if said != version.OtherStyle {
		return said
	}
	if s := w.App.Scheme.StyleOf(was); was != "" && s != version.OtherStyle {
		return s
	}
	count := map[version.Style]int{}
	for _, d := range w.App.Declared {
		if project.Registered(d) {
			count[w.App.Scheme.StyleOf(d.Text)]++
		}
	}
	best := version.NextMinor
	for _, s := range version.Styles {
		if count[s] > count[best] {
			best = s
		}
	}
	return best
}
