package upgrade

import (
	"maps"
	"slices"

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

// effort bounds the work on the aims that come after the manifest's: about a second for an application of a thousand
// packages. What was reached by then is nearly always the best, only not proven to be.
const effort = 200_000

// optimum finds the best way to bring the framework to a target: the fewest declared packages that break, then the
// fewest lines of the manifest changed, then the newest release of the framework, then the fewest locked packages moved,
// then the newest releases of those declared packages that move, one after the other. Held packages are not touched. Without any solution it returns nil.
// Unless the whole is asked for, it stops after the lines, by which is settled what has to move.
func (a *advisor) optimum(s state, target []string, whole bool) (*solve.Resolution, *Optimum, error) {
	first, err := a.fewest(s, target)
	if err != nil || first == nil {
		return nil, nil, err
	}
	if !whole {
		return first.best.Resolution, nil, nil
	}
	return a.rest(s, first)
}

// costOf returns how many packages break and how many lines change on the way to a target; nil when there is none.
func (a *advisor) costOf(s state, target []string) ([]int, error) {
	first, err := a.fewest(s, target)
	if err != nil || first == nil {
		return nil, err
	}
	return first.best.Cost, nil
}

// A partialOptimum is an optimum by breaking packages and lines alone, with what it takes to work out the rest.
type partialOptimum struct {
	optimizer *solve.Optimizer
	best      *solve.Best
	choice    choice
	names     []string
	aims      []string
}

// fewest finds the fewest declared packages that break, then the fewest lines; nil without any solution.
func (a *advisor) fewest(s state, target []string) (*partialOptimum, error) {
	names := slices.DeleteFunc(a.names(), func(n string) bool { return n == a.goal.Name || s.gone[n] })
	c := choice{a.goal.Name: target}
	back := solve.Objective{Name: "packages that go back"}
	breaking, lines := solve.Objective{Name: "majors besides the goal"}, solve.Objective{Name: "lines besides the goal"}
	for _, name := range names {
		p, err := a.pkg(name)
		if err != nil {
			return nil, err
		}
		inStep, free := a.scopes(p, s, name)
		c[name] = a.towards(name, p, free, target)
		if a.also[name] != nil && a.final(target) {
			continue
		}
		if versionOf(s.locked, name) == "" || slices.Contains(a.app.Held, name) {
			continue
		}
		if at := p.Index(versionOf(s.locked, name)); a.fewestBack && at >= 0 {
			later := slices.DeleteFunc(slices.Clone(free), func(v string) bool { return p.Index(v) < at })
			back.Wishes = append(back.Wishes, solve.Wish{As: name, Package: p.Name, Among: later})
		}
		breaking.Wishes = append(breaking.Wishes, solve.Wish{As: name, Package: p.Name, Among: inStep})
		line := append(texts(p, a.admitted(p, s, name)), versionOf(s.locked, name))
		lines.Wishes = append(lines.Wishes, solve.Wish{As: name, Package: p.Name, Among: line})
	}
	o := solve.NewOptimizer(a.ctx, a.source, a.problem(c, s.locked.Versions()))
	aims := []solve.Objective{breaking, lines}
	if a.fewestBack {
		aims = append([]solve.Objective{back}, aims...)
	}
	best, err := o.Minimize(aims...)
	if err != nil || best == nil {
		return nil, err
	}
	return &partialOptimum{o, best, c, names, []string{breaking.Name, lines.Name}}, nil
}

// rest works out the rest of an optimum.
func (a *advisor) rest(s state, first *partialOptimum) (*solve.Resolution, *Optimum, error) {
	o, best, c, names := first.optimizer, first.best, first.choice, first.names
	o.Effort = effort
	goal, err := a.newest(best.Resolution, s.locked, c, []string{a.goal.Name})
	if err != nil {
		return nil, nil, err
	}
	lines := len(best.Cost) - 1
	moved := len(best.Cost) + len(goal)
	if best, err = o.Minimize(append(goal, keepLocked(s.locked))...); err != nil {
		return nil, nil, err
	}
	newest, err := a.newest(best.Resolution, s.locked, c, names)
	if err != nil {
		return nil, nil, err
	}
	if len(newest) > 0 {
		if best, err = o.Minimize(newest...); err != nil {
			return nil, nil, err
		}
	}
	out := &Optimum{Aims: append(first.aims, "locked packages moved")}
	for _, k := range []int{lines - 1, lines, moved} {
		out.Cost, out.Bound = append(out.Cost, best.Cost[k]), append(out.Bound, best.Bound[k])
	}
	return best.Resolution, out, nil
}

// keepLocked is the objective to move as few locked packages as can be.
func keepLocked(locked *solve.Resolution) solve.Objective {
	o := solve.Objective{Name: "locked packages moved"}
	if locked == nil {
		return o
	}
	versions := locked.Versions()
	for _, name := range slices.Sorted(maps.Keys(versions)) {
		o.Wishes = append(o.Wishes, solve.Wish{Package: name, Among: versions[name]})
	}
	return o
}

// newest makes an objective of each declared package that a solution moves: how many releases it could be newer. What
// the solution has reached is a wish too, so that it is not lost.
func (a *advisor) newest(r, locked *solve.Resolution, c choice, names []string) ([]solve.Objective, error) {
	var all []solve.Objective
	for _, name := range names {
		got := versionOf(r, name)
		if got == "" || got == versionOf(locked, name) && name != a.goal.Name {
			continue
		}
		p, err := a.pkg(name)
		if err != nil {
			return nil, err
		}
		o := solve.Objective{Name: name + " newer"}
		for k, v := range c[name] {
			if i := p.Index(v); i >= p.Index(got) && p.Releases[i].Deprecated == "" {
				o.Wishes = append(o.Wishes, solve.Wish{As: name, Package: p.Name, Among: c[name][k:]})
			}
		}
		all = append(all, o)
	}
	return all, nil
}

// keepExcept prefers what is locked, but not of the packages that are to move: these shall be new.
func keepExcept(locked *solve.Resolution, moving map[string]bool) map[string][]string {
	keep := locked.Versions()
	for name := range moving {
		if n := locked.Root(name); n != nil {
			delete(keep, n.Name)
		}
	}
	return keep
}

// scopes lists the releases that a package may have without breaking, and all that it may have: these hold releases
// before the one in use too. A held package has the one in use alone.
func (a *advisor) scopes(p *universe.Package, s state, name string) (inStep, free []string) {
	current := versionOf(s.locked, name)
	all := texts(p, a.usable(p, current))
	at := p.Index(current)
	switch {
	case at < 0:
		return all, all
	case slices.Contains(a.app.Held, name):
		return []string{current}, []string{current}
	}
	if a.forward {
		all = slices.DeleteFunc(all, func(v string) bool { return p.Index(v) < at })
	}
	step := version.NewSet(len(p.Releases))
	for i := range a.usable(p, current).All() {
		if i == at || i > at && !a.app.Scheme.Breaking(p.Releases[at].Version, p.Releases[i].Version) {
			step.Add(i)
		}
	}
	return texts(p, step), all
}

// admitted returns the releases that every line of the manifest about a name admits.
func (a *advisor) admitted(p *universe.Package, s state, name string) version.Set {
	all := version.FullSet(len(p.Releases))
	for _, d := range a.app.Declared {
		if d.As == name {
			set, _ := p.Admit(s.lines[line{Group: d.Group, Name: name, When: d.When}]) // a line that cannot be read admits nothing
			all = all.And(set)
		}
	}
	return all
}
