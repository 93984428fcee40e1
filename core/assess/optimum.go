package assess

import (
	"slices"

	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
)

// An Optimum tells what was aimed for on the way to a goal, in order, and how near the solution is to the best.
type Optimum struct {
	Aims  []string
	Cost  []int
	Bound []int // no solution costs less, the first difference deciding
}

// Optimum finds the best way to bring the framework to a target: the fewest declared packages that
// break, then the fewest lines of the manifest changed, then the newest release of the framework,
// then the fewest locked packages moved, then the newest releases of those declared packages that
// move, one after the other. Held packages are not touched. Without any solution it returns nil.
// Unless the whole is asked for, it stops after the lines: they decide what has to move.
func (a *Judgement) Optimum(s project.Draft, target []string, whole bool) (*solve.Resolution, *Optimum, error) {
	first, err := a.Fewest(s, target)
	if err != nil || first == nil {
		return nil, nil, err
	}
	if !whole {
		return first.Best.Resolution, nil, nil
	}
	return a.Rest(s, first)
}

// CostOf returns how many packages break and how many lines change on the way to a target; nil when there is none.
func (a *Judgement) CostOf(s project.Draft, target []string) ([]int, error) {
	first, err := a.Fewest(s, target)
	if err != nil || first == nil {
		return nil, err
	}
	return first.Best.Cost, nil
}

// A PartialOptimum is an optimum by breaking packages and lines only, with what it takes to work out the rest.
type PartialOptimum struct {
	optimizer *solve.Optimizer
	Best      *solve.Best
	choice    Choice
	names     []string
	aims      []string
}

// Fewest finds the fewest declared packages that break, then the fewest lines; nil without any solution.
func (a *Judgement) Fewest(s project.Draft, target []string) (*PartialOptimum, error) {
	c, names, err := a.choices(s, target)
	if err != nil {
		return nil, err
	}
	breaking, lines := solve.Objective{Name: "majors besides the goal"}, solve.Objective{Name: "lines besides the goal"}
	deprecated := solve.Objective{Name: "deprecated releases"}
	for _, name := range names {
		p, err := a.Pkg(name)
		if err != nil {
			return nil, err
		}
		inStep, _ := a.Scopes(p, s, name)
		if a.Also[name] != nil && a.final(target) {
			continue
		}
		if project.VersionOf(s.Locked, name) == "" || slices.Contains(a.App.Held, name) {
			continue
		}
		breaking.Soft = append(breaking.Soft, solve.SoftConstraint{As: name, Package: p.Name, Among: inStep})
		if others := slices.DeleteFunc(slices.Clone(c[name]), func(v string) bool {
			r := p.Known(v)
			return r != nil && r.Deprecated != "" && v != project.VersionOf(s.Locked, name)
		}); len(others) < len(c[name]) {
			deprecated.Soft = append(deprecated.Soft, solve.SoftConstraint{As: name, Package: p.Name, Among: others})
		}
		line := append(Texts(p, a.Admitted(p, s, name)), project.VersionOf(s.Locked, name))
		lines.Soft = append(lines.Soft, solve.SoftConstraint{As: name, Package: p.Name, Among: line})
	}
	o := solve.NewOptimizer(a.Ctx, a.Source, a.ProblemFrom(s.Locked, c, s.Locked.Versions()))
	o.Draft = true
	aims := []solve.Objective{breaking, lines}
	if len(deprecated.Soft) > 0 { // no deprecated release where another serves
		aims = []solve.Objective{breaking, deprecated, lines}
	}
	best, err := o.Minimize(aims...)
	if err != nil || best == nil {
		return nil, err
	}
	return &PartialOptimum{o, best, c, names, []string{breaking.Name, lines.Name}}, nil
}

// choices gives every declared package the releases that it may have with a target; with their
// names but for the framework's.
func (a *Judgement) choices(s project.Draft, target []string) (c Choice, names []string, err error) {
	names = slices.DeleteFunc(a.Names(), func(n string) bool { return n == a.Goal.Name || s.Gone[n] })
	c = Choice{a.Goal.Name: target}
	for _, name := range names {
		p, err := a.Pkg(name)
		if err != nil {
			return nil, nil, err
		}
		_, free := a.Scopes(p, s, name)
		c[name] = a.Towards(name, p, free, target)
	}
	return c, names, nil
}

// Rest works out the rest of an optimum.
func (a *Judgement) Rest(s project.Draft, first *PartialOptimum) (*solve.Resolution, *Optimum, error) {
	o, best, c, names := first.optimizer, first.Best, first.choice, first.names
	o.Effort = project.Effort
	own := []string{a.Goal.Name} // the framework and its own packages, which go by its majors, and what describes it
	for _, name := range names {
		if a.kin.capped[name] || a.kin.numbered[name] || a.Describes(name) == a.Goal.Name {
			own = append(own, name)
		}
	}
	goal, err := a.newest(best.Resolution, s.Locked, c, own)
	if err != nil {
		return nil, nil, err
	}
	lines := len(best.Cost) - 1
	moved := len(best.Cost) + len(goal)
	if best, err = o.Minimize(append(goal, project.KeepLocked(s.Locked))...); err != nil {
		return nil, nil, err
	}
	newest, err := a.newest(best.Resolution, s.Locked, c, names)
	if err != nil {
		return nil, nil, err
	}
	if len(newest) > 0 {
		if best, err = o.Minimize(newest...); err != nil {
			return nil, nil, err
		}
	}
	out := &Optimum{Aims: append(first.aims, "locked packages moved")}
	for _, k := range []int{0, lines, moved} {
		out.Cost, out.Bound = append(out.Cost, best.Cost[k]), append(out.Bound, best.Bound[k])
	}
	return best.Resolution, out, nil
}

// newest returns one objective for each declared package that a solution moves: how many releases
// it could be newer. What the solution has reached already is a soft constraint too, so that it is
// not lost.
func (a *Judgement) newest(r, locked *solve.Resolution, c Choice, names []string) ([]solve.Objective, error) {
	var all []solve.Objective
	for _, name := range names {
		got := project.VersionOf(r, name)
		if got == "" || got == project.VersionOf(locked, name) && name != a.Goal.Name {
			continue
		}
		p, err := a.Pkg(name)
		if err != nil {
			return nil, err
		}
		o := solve.Objective{Name: name + " newer"}
		for k, v := range c[name] {
			if i := p.Index(v); i >= p.Index(got) && !p.Deprecated(i) {
				o.Soft = append(o.Soft, solve.SoftConstraint{As: name, Package: p.Name, Among: c[name][k:]})
			}
		}
		all = append(all, o)
	}
	return all, nil
}

// KeepExcept prefers what is locked, except for the packages that are to move, which should be new.
func KeepExcept(locked *solve.Resolution, moving map[string]bool) map[string][]string {
	keep := locked.Versions()
	for name := range moving {
		if n := locked.Root(name); n != nil {
			delete(keep, n.Name)
		}
	}
	return keep
}

// Scopes returns the releases that a package may have without a breaking move, and all that it may
// have: none before the one in use. A held package may have the one in use only.
func (a *Judgement) Scopes(p *universe.Package, s project.Draft, name string) (inStep, free []string) {
	current := project.VersionOf(s.Locked, name)
	all := Texts(p, a.Usable(p, current))
	at := p.Index(current)
	switch {
	case at < 0:
		return all, all
	case slices.Contains(a.App.Held, name):
		return []string{current}, []string{current}
	}
	// nothing goes back
	all = slices.DeleteFunc(all, func(v string) bool {
		return p.Index(v) < at || p.Index(v) > at && !a.Under(name, p, p.Index(v))
	})
	step := version.NewSet(p.Len())
	for i := range a.Usable(p, current).All() {
		if i == at || i > at && a.Under(name, p, i) && !a.App.Breaking(name, p.Version(at), p.Version(i)) {
			step.Add(i)
		}
	}
	return Texts(p, step), all
}

// Admitted returns the releases that every line of the manifest about a name admits.
func (a *Judgement) Admitted(p *universe.Package, s project.Draft, name string) version.Set {
	all := version.FullSet(p.Len())
	for _, d := range a.App.Declared {
		if d.As == name {
			set, _ := p.Admit(s.Lines[d.Line()]) // a line that cannot be read admits nothing
			all = all.And(set)
		}
	}
	return all
}
