package conflict

import (
	"context"
	"slices"
	"strings"

	"molt/core/fact"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
)

// Reasons tell why a package of an application is not at other releases than the one it has.
// Everything that says so asks them: the rest of the application stands as it is declared, releases
// that the assumed runtimes do not suit or the policy refuses are left out, and the package's own
// line and hold are set aside. The package need not be declared.
type Reasons struct {
	ctx    context.Context
	source universe.Source
	app    project.Application // with the assumed runtimes as deployed, and without the fixed set, which the problem has
	fixed  map[string]string
	name   string // as it is declared
	p      *universe.Package
	base   solve.Problem
}

// NewReasons returns those of a package under the name that the application has for it.
func NewReasons(ctx context.Context, source universe.Source, app project.Application, name string,
	p *universe.Package) (*Reasons, error) {
	q, err := stand(ctx, source, app, p.Name)
	if err == nil {
		q.name, q.p = name, p
	}
	return q, err
}

// Together reports whether an application resolves with some declared names at given releases, all of them.
func Together(ctx context.Context, source universe.Source, app project.Application,
	at map[string]string) (bool, error) {
	q, err := stand(ctx, source, app, "")
	if err != nil {
		return false, err
	}
	for i := range q.base.Roots {
		if v, ok := at[q.base.Roots[i].As]; ok {
			q.base.Roots[i].Among = []string{v}
		}
	}
	r, _, err := solve.Try(ctx, project.Runnable(source, q.app), q.base)
	return r != nil, err
}

// stand states the application as it stands, with the releases that are given from outside but for one package.
func stand(ctx context.Context, source universe.Source, app project.Application, except string) (*Reasons, error) {
	q := &Reasons{ctx: ctx, source: source, app: app, fixed: map[string]string{}, base: app.Problem()}
	q.app.Runtimes, q.app.Fixed = app.Assumed(), nil
	if app.Current() && !app.Edgeless {
		q.base.Base = solve.NewBase(app.Locked) // what stays as it is need not be looked at again
	}
	q.base.Refuse = map[string][]string{}
	for fixed, v := range app.Fixed {
		if fixed == except {
			continue
		}
		other, err := universe.LookUp(ctx, source, fixed)
		if err != nil {
			return nil, err
		}
		if other == nil || other.Index(v) < 0 {
			continue // nothing that the registry knows needs it at a release that is not there
		}
		q.fixed[fixed] = v
		for _, r := range other.Versions() {
			if r.String() != v {
				q.base.Refuse[fixed] = append(q.base.Refuse[fixed], r.String())
			}
		}
	}
	return q, nil
}

// problem states the application with the package at one of some releases.
func (q *Reasons) problem(among []string) solve.Problem {
	problem := q.base
	problem.Roots = slices.Clone(q.base.Roots)
	text, declared := strings.Join(among, " or "), false
	for i := range problem.Roots {
		if r := &problem.Roots[i]; r.As == q.name {
			r.Among, r.Text, r.Group, declared = among, text, "", true // the question asks for it, and no line
		}
	}
	if !declared {
		problem.Roots = append(problem.Roots,
			solve.Root{Demand: universe.Demand{As: q.name, Package: q.p.Name, Text: text}, Among: among})
	}
	return problem
}

// Resolves reports whether the application resolves with the package at a release.
func (q *Reasons) Resolves(i int) (bool, error) {
	r, _, err := solve.Try(q.ctx, project.Runnable(q.source, q.app), q.problem([]string{q.p.Version(i).String()}))
	return r != nil, err
}

// Newest returns the newest of some releases with which the application resolves, -1 for none.
func (q *Reasons) Newest(among []int) (int, error) {
	var texts []string
	for _, i := range among {
		texts = append(texts, q.p.Version(i).String())
	}
	newer := solve.Objective{Name: q.name + " newer"}
	for k := range texts {
		newer.Soft = append(newer.Soft, solve.SoftConstraint{As: q.name, Package: q.p.Name, Among: texts[k:]})
	}
	o := solve.NewOptimizer(q.ctx, project.Runnable(q.source, q.app), q.problem(texts))
	best, err := o.Minimize(newer)
	if err != nil || best == nil {
		return -1, err
	}
	return q.p.Index(project.VersionOf(best.Resolution, q.name)), nil
}

// An Obstacle is what keeps a package from a release.
type Obstacle struct {
	Release string
	Says    fact.Fact // the rule that excludes it, or the demand of the tangle that says most
	// Tangle holds the demands that exclude the release; nil where a rule of the policy does.
	Tangle *solve.Tangle
	// Apart says that the package has no part in the tangle: the application itself does not resolve.
	Apart bool

	question *Reasons
}

// Why returns what keeps the package from a release; nil where nothing does.
func (q *Reasons) Why(i int) (*Obstacle, error) {
	at := q.p.Version(i).String()
	if says := q.app.Breach(q.p, i); says != "" {
		return &Obstacle{Release: at, Says: fact.New(RuledOut, at, says), question: q}, nil
	}
	_, err := project.ResolveRunnable(q.ctx, q.source, q.app, q.problem([]string{at}))
	tangle := solve.AsTangle(err)
	if tangle == nil {
		return nil, err
	}
	tangle, part := about(tangle, q.p.Name)
	says := project.Brief(tangle, q.app, q.p.Name, at, q.fixed)
	if !part {
		says = fact.New(NothingFits, says)
	}
	return &Obstacle{Release: at, Says: says, Tangle: tangle, Apart: !part, question: q}, nil
}

// about returns, of tangles that share no demand, the one in which a package has a part, else the
// first, and whether it has.
func about(t *solve.Tangle, name string) (*solve.Tangle, bool) {
	for _, one := range append([]*solve.Tangle{t}, t.Others...) {
		if slices.ContainsFunc(one.Demands, func(d solve.Demand) bool { return d.Package == name }) {
			return &solve.Tangle{Demands: one.Demands, More: one.More}, true
		}
	}
	return &solve.Tangle{Demands: t.Demands, More: t.More}, false
}

// Explain makes the tangle ready for people, nil where there is none.
func (o *Obstacle) Explain() (*Explanation, error) {
	if o.Tangle == nil {
		return nil, nil
	}
	app := o.question.app
	app.Fixed = o.question.fixed
	return Explain(o.question.ctx, o.question.source, app, o.Tangle)
}
