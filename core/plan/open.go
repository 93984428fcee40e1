package plan

import (
	"maps"
	"slices"

	"molt/core/assess"
	"molt/core/project"
	"molt/core/solve"
)

// No stage closes the goal: a later release can refuse what an earlier one accepts, so a patch, a
// bridge or a stage on the way that takes the newest there is may end where nothing leads on, since
// nothing goes back. Each of these stages is looked at before it counts; where it would close the
// goal, it is made again with ceilings, releases above which packages do not go yet.

// ceilings are these releases, by declared name.
type ceilings map[string]string

// reach returns a resolution of the goal from a state, with nothing moved back and with some
// packages no lower than given releases; nil where there is none. Packages that retire are left
// out: they are gone by then, or stand in nobody's way. Where it can choose, it keeps what is
// there, or takes the newest.
func (p *planner) reach(s project.Draft, least map[string]string, newest bool) (*solve.Resolution, error) {
	q := p.AnyRuntime().Below(nil)
	c := assess.Choice{p.Goal.Name: p.destination}
	for _, name := range p.Names() {
		if name == p.Goal.Name || s.Gone[name] || p.assessed[name].Standing == project.Retires {
			continue
		}
		pkg, err := p.Pkg(name)
		if err != nil {
			return nil, err
		}
		_, free := q.Scopes(pkg, s, name)
		if v := least[name]; v != "" {
			free = slices.DeleteFunc(free, func(x string) bool { return pkg.Index(x) < pkg.Index(v) })
		}
		c[name] = q.Towards(name, pkg, free, p.destination)
	}
	keep := s.Locked.Versions()
	if newest {
		keep = assess.KeepExcept(s.Locked, setOf(p.Names()))
	}
	r, _, err := solve.Try(p.Ctx, q.Source, q.ProblemFrom(s.Locked, c, keep))
	return r, err
}

func setOf(names []string) map[string]bool {
	all := map[string]bool{}
	for _, name := range names {
		all[name] = true
	}
	return all
}

// open reports whether the goal can be reached from a state. Where it could not be reached to begin
// with, nothing closes it.
func (p *planner) open(s project.Draft) (bool, error) {
	if p.destination == nil || slices.Contains(p.destination, project.VersionOf(s.Locked, p.Goal.Name)) {
		return true, nil
	}
	r, err := p.reach(s, nil, false)
	return r != nil, err
}

// under makes stages with ceilings, the highest first, until one is made that leaves the goal open:
// without any; with the newest release of each package from which alone the goal can be reached;
// and with those of one resolution of the goal, from which it can be reached whatever else moves.
// The state is as it was between two tries. It reports whether a try succeeded, which says so
// itself.
func (p *planner) under(try func() (bool, error)) (bool, error) {
	done, err := try()
	if err != nil || done || !p.closes {
		return done, err
	}
	usual := p.Judgement
	defer func() { p.Judgement = usual }()
	for _, find := range []func() (ceilings, error){p.each, p.together} {
		limits, err := find()
		if err != nil || limits == nil {
			return false, err
		}
		p.Judgement = usual.Below(limits)
		if done, err := try(); err != nil || done {
			return done, err
		}
	}
	return false, nil
}

// each returns, of every package, the newest release from which alone the goal can be reached.
func (p *planner) each() (ceilings, error) {
	limits := ceilings{}
	for _, name := range p.Names() {
		if name == p.Goal.Name || p.now.Gone[name] {
			continue
		}
		pkg, err := p.Pkg(name)
		if err != nil {
			return nil, err
		}
		_, free := p.Below(nil).Scopes(pkg, p.now, name)
		low, high := 0, len(free)-1 // what can be reached from a release can be reached from those before it
		for low < high {
			middle := (low + high + 1) / 2
			r, err := p.reach(p.now, map[string]string{name: free[middle]}, false)
			if err != nil {
				return nil, err
			}
			if r != nil {
				low = middle
			} else {
				high = middle - 1
			}
		}
		if low < len(free)-1 {
			limits[name] = free[low]
		}
	}
	return limits, nil
}

// together returns the releases of a resolution of the goal.
func (p *planner) together() (ceilings, error) {
	r, err := p.reach(p.now, nil, true)
	if err != nil || r == nil {
		return nil, err
	}
	limits := ceilings{}
	maps.Copy(limits, versionsOf(r, slices.DeleteFunc(p.Names(), func(name string) bool { return name == p.Goal.Name })))
	return limits, nil
}
