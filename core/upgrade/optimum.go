package upgrade

import (
	"slices"

	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
)

// A concession is how far a declared package may be moved. Each includes the ones before it.
type concession int

const (
	stay   concession = iota // the release it has
	inLine                   // releases that the line in the manifest admits and that do not break
	inStep                   // releases that do not break
	free                     // every usable release
	last   = free
)

// price orders solutions as the design does: first the fewest packages that break, then the fewest lines changed, then
// the fewest packages moved. Counts stay far below the ratio of the prices.
var price = [...]int{stay: 0, inLine: 1, inStep: 1 + 1e4, free: 1 + 1e4 + 1e8}

// optimum finds the cheapest way to bring the framework to a target: which declared packages have to give way, and how
// far. It keeps a list of cores, sets of concessions that were refuted together; the cheapest assignment that goes
// beyond each core somewhere is tried next (an implicit hitting set, as in Moreno-Centeno and Karp, 2013). The first
// one that resolves is optimal, since no cheaper one can. Without any solution it returns nil.
func (a *advisor) optimum(s state, target []string) (*solve.Resolution, map[string]concession, error) {
	names := slices.DeleteFunc(a.names(), func(n string) bool { return n == a.goal.Name || s.gone[n] })
	scopes := map[string][][]string{}
	for _, name := range names {
		p, err := a.pkg(name)
		if err != nil {
			return nil, nil, err
		}
		scopes[name] = a.scopes(p, s, name)
	}
	try := func(level map[string]concession) (*solve.Resolution, []string, error) {
		c := choice{a.goal.Name: target}
		for _, name := range names {
			c[name] = scopes[name][level[name]]
		}
		return a.solve(c, keepExcept(s.locked, names, level))
	}
	var cores []map[string]concession
	for {
		level := cheapest(names, cores)
		if level == nil {
			return nil, nil, nil
		}
		r, blame, err := try(level)
		if err != nil || r != nil {
			return r, level, err
		}
		core := map[string]concession{}
		for _, name := range blame {
			if l, ok := level[name]; ok && l < last {
				core[name] = l
			}
		}
		for _, name := range blame { // a smaller core says more
			at, ok := core[name]
			if !ok {
				continue
			}
			trial := map[string]concession{}
			for _, n := range names {
				trial[n] = last
			}
			for n, l := range core {
				if n != name {
					trial[n] = l
				}
			}
			if r, _, err := try(trial); err != nil {
				return nil, nil, err
			} else if r == nil {
				delete(core, name)
			} else {
				core[name] = at
			}
		}
		cores = append(cores, core)
	}
}

// keepExcept prefers what is locked, but not of the packages that were allowed to move: these shall be new.
func keepExcept(locked *solve.Resolution, names []string, level map[string]concession) map[string][]string {
	keep := locked.Versions()
	for _, name := range names {
		if level[name] > stay {
			if n := locked.Root(name); n != nil {
				delete(keep, n.Name)
			}
		}
	}
	return keep
}

// scopes lists, by concession, the releases that a package may have. Releases before the one in use come into question
// only with the last concession.
func (a *advisor) scopes(p *universe.Package, s state, name string) [][]string {
	current := versionOf(s.locked, name)
	at := p.Index(current)
	if at < 0 {
		all := texts(p, a.usable(p, current))
		return [][]string{all, all, all, all}
	}
	now := []string{current}
	if slices.Contains(a.app.Held, name) {
		return [][]string{now, now, now, now}
	}
	admitted := a.admitted(p, s, name)
	step, line := version.NewSet(len(p.Releases)), version.NewSet(len(p.Releases))
	for i := range a.usable(p, current).All() {
		if i == at || i > at && !a.app.Scheme.Breaking(p.Releases[at].Version, p.Releases[i].Version) {
			step.Add(i)
			if i == at || admitted.Has(i) {
				line.Add(i)
			}
		}
	}
	return [][]string{now, texts(p, line), texts(p, step), texts(p, a.usable(p, current))}
}

// admitted returns the releases that every line of the manifest about a name admits.
func (a *advisor) admitted(p *universe.Package, s state, name string) version.Set {
	all := version.FullSet(len(p.Releases))
	for _, d := range a.app.Declared {
		if d.As == name {
			set, _ := p.Admit(s.lines[line{d.Group, name}]) // a line that cannot be read admits nothing
			all = all.And(set)
		}
	}
	return all
}

// cheapest finds the cheapest assignment of concessions that goes beyond every core in at least one package, by branch
// and bound; nil when a core leaves no way. Among equals the one that concedes to earlier names wins.
func cheapest(names []string, cores []map[string]concession) map[string]concession {
	best, bound := map[string]concession(nil), int(1)<<62
	level := map[string]concession{}
	for _, n := range names {
		level[n] = stay
	}
	var branch func(cost int)
	branch = func(cost int) {
		if cost >= bound {
			return
		}
		for _, core := range cores {
			if slices.ContainsFunc(names, func(n string) bool { l, ok := core[n]; return ok && level[n] > l }) {
				continue
			}
			for _, n := range names {
				l, ok := core[n]
				if !ok || l == last {
					continue
				}
				was := level[n]
				level[n] = l + 1
				branch(cost - price[was] + price[level[n]])
				level[n] = was
			}
			return
		}
		bound, best = cost, map[string]concession{}
		for n, l := range level {
			best[n] = l
		}
	}
	branch(0)
	return best
}
