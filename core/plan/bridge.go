package plan

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"molt/core/assess"
	"molt/core/fact"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/version"
)

// bridgeFamily moves a family ahead of the framework when its members have later releases that resolve with the
// framework in use and, with the rest as the optimum has it, with the hop. Otherwise nothing happens: the family goes
// together. What moves in the hop anyway and does not let the family go by itself, as its types do, goes along.
func (p *planner) bridgeFamily(h hop, family, retired, moving []string) error {
	for along := family; ; {
		if slices.ContainsFunc(along, p.Owned) || slices.ContainsFunc(along, p.unpublished) {
			return nil
		}
		c, err := p.bridgeScope(h, along)
		if err != nil {
			return err
		}
		// a breaking move where another will do is one too many, and all the more one of what only goes along
		gentle := maps.Clone(c)
		for _, name := range along {
			if gentle[name], err = p.unbroken(name, c[name]); err != nil {
				return err
			}
		}
		some := maps.Clone(gentle)
		for _, name := range family {
			some[name] = c[name]
		}
		var added bool
		var blame []string
		tried := -1
		for _, choice := range []assess.Choice{gentle, some, c} {
			n := 0
			for _, name := range along {
				n += len(choice[name])
			}
			if n == tried { // the same again
				continue
			}
			tried = n
			if added, blame, err = p.bridgeWithin(h, family, along, retired, choice); err != nil || added {
				return err
			}
		}
		more := slices.Clone(along)
		for _, name := range blame {
			if slices.Contains(moving, name) && !slices.Contains(more, name) {
				more = append(more, name)
			}
		}
		if len(more) == len(along) {
			return nil
		}
		along = more
	}
}

// unbroken returns those of some releases to which a package moves without a breaking move.
func (p *planner) unbroken(name string, releases []string) ([]string, error) {
	pkg, err := p.Pkg(name)
	if err != nil {
		return nil, err
	}
	now := pkg.Known(project.VersionOf(p.now.Locked, name))
	return slices.DeleteFunc(slices.Clone(releases), func(v string) bool {
		return now == nil || p.App.Breaking(name, now.Version, pkg.Known(v).Version)
	}), nil
}

// releasesKey names the releases at which a family stands, or only the family.
func releasesKey(family []string, at map[string]string) string {
	key := ""
	for _, name := range family {
		key += name + "@" + at[name] + " "
	}
	return key
}

// bridgeScope gives the members of a family the later releases that state nothing against the framework in use nor
// against the hop, and everything else the release that it has.
func (p *planner) bridgeScope(h hop, family []string) (assess.Choice, error) {
	framework, err := p.Pkg(p.Goal.Name)
	if err != nil {
		return nil, err
	}
	c := p.exact(p.now)
	for _, name := range family {
		pkg, err := p.Pkg(name)
		if err != nil {
			return nil, err
		}
		now := project.VersionOf(p.now.Locked, name)
		current := []string{project.VersionOf(p.now.Locked, p.Goal.Name)}
		both := p.Acceptors(pkg, framework, h.releases).All.And(p.Acceptors(pkg, framework, current).All).And(
			p.Promises(name, pkg, framework, current))
		part := version.NewSet(pkg.Len())
		for i := range both.And(p.Usable(pkg, now)).And(p.Speaking(pkg, framework)).All() {
			if at := pkg.Index(now); i > at {
				part.Add(i)
			}
		}
		c[name] = slices.DeleteFunc(p.Towards(name, pkg, assess.Texts(pkg, part), h.releases), func(v string) bool {
			return len(family) == 1 && p.closed[closedKey(h, assess.Choice{name: {v}}, family)]
		})
	}
	return c, p.Evenly(c, family)
}

// bridgeWithin adds a stage that moves a family, and what goes along with it, to some of the given releases; it reports
// whether there was one, and else the declared packages in whose way it is where they are.
func (p *planner) bridgeWithin(
	h hop, named, family, retired []string, c assess.Choice) (added bool, blame []string, err error) {
	current := project.VersionOf(p.now.Locked, p.Goal.Name)
	moving := map[string]bool{}
	for _, name := range family {
		moving[name] = true
	}
	p.visited[releasesKey(family, versionsOf(p.now.Locked, family))] = true
	if slices.ContainsFunc(family, func(name string) bool { return len(c[name]) == 0 }) {
		return false, nil, nil
	}
	for len(c[family[0]]) > 0 { // each round refuses releases that one side chooses and the other does not agree to
		r, blame, err := p.Solve(c, assess.KeepExcept(p.now.Locked, moving))
		if err != nil || r == nil {
			return false, blame, err
		}
		ahead, err := p.opens(h, c, family, retired)
		if err != nil || ahead == nil {
			return false, nil, err
		}
		here, there := versionsOf(r, family), versionsOf(ahead, family)
		for k, to := range []map[string]string{here, there} {
			var other *solve.Resolution // the side that did not choose these
			if at := fixedAt(c, to); k == 0 {
				other, err = p.opens(h, at, family, retired)
			} else {
				other, _, err = p.Solve(at, p.now.Locked.Versions())
			}
			if err != nil {
				return false, nil, err
			}
			if other != nil && !p.visited[releasesKey(family, to)] {
				added, err := p.familyStage(BridgeStage, p.freeID("bridge-"+slug(family[0])),
					fact.New(AheadOf, strings.Join(family, ", "), p.Goal.Name, h.major), to,
					func(name string) fact.Fact {
						if !slices.Contains(named, name) {
							return fact.New(MovesWith, named[0])
						}
						return p.lifting(name, fact.New(AcceptsBoth, p.Goal.Name, current, h.major))
					})
				if err != nil || added || !p.closes {
					return added, nil, err
				}
			}
			c[family[0]] = slices.DeleteFunc(slices.Clone(c[family[0]]), func(v string) bool { return v == to[family[0]] })
		}
	}
	return false, nil, nil
}

// fixedAt is a choice in which some names have one release.
func fixedAt(c assess.Choice, at map[string]string) assess.Choice {
	fixed := maps.Clone(c)
	for name, v := range at {
		fixed[name] = []string{v}
	}
	return fixed
}

// closedKey names a question to opens.
func closedKey(h hop, chosen assess.Choice, family []string) string {
	key := h.major
	for _, name := range family {
		key += fmt.Sprint(" ", name, chosen[name])
	}
	return key
}

// opens returns a resolution of the hop in which a family has some of the chosen releases; nil when there is none. What
// has none once has none later: the stages before a hop leave the other packages all releases to choose from.
func (p *planner) opens(h hop, chosen assess.Choice, family, retired []string) (*solve.Resolution, error) {
	key := closedKey(h, chosen, family)
	if p.closed[key] {
		return nil, nil
	}
	s := p.without(retired)
	c := assess.Choice{p.Goal.Name: h.releases}
	for _, name := range p.Names() {
		if name == p.Goal.Name || s.Gone[name] {
			continue
		}
		pkg, err := p.Pkg(name)
		if err != nil {
			return nil, err
		}
		_, free := p.Scopes(pkg, s, name)
		c[name] = p.Towards(name, pkg, free, h.releases)
		if slices.Contains(family, name) {
			c[name] = chosen[name]
		}
	}
	moving := map[string]bool{}
	for _, name := range family {
		moving[name] = true
	}
	r, _, err := solve.Try(p.Ctx, p.enough.Source, p.Problem(c, assess.KeepExcept(p.now.Locked, moving)))
	if r == nil && err == nil {
		p.closed[key] = true
	}
	return r, err
}

// joinBridges makes one stage of the bridges of a hop, which begin at a position and continue a resolution: the last of
// them resolves with what all of them change. People may want each apart.
func (p *planner) joinBridges(h hop, before *solve.Resolution, from int) {
	bridges := p.plan.Stages[from:]
	if len(bridges) < 2 || p.cut.Apart {
		return
	}
	one := Stage{ID: p.freeID("bridge-" + slug(h.major)), Kind: BridgeStage, After: bridges[len(bridges)-1].After}
	var names []string
	for _, st := range bridges {
		for _, c := range st.Changes {
			i := slices.IndexFunc(one.Changes, func(x project.Change) bool { return x.Name == c.Name && x.Group == c.Group })
			if i < 0 {
				one.Changes, names = append(one.Changes, c), append(names, c.Name)
				continue
			}
			c.From = one.Changes[i].From
			if pkg, err := p.Pkg(c.Name); err == nil {
				if a, b := pkg.Release(c.From.Version), pkg.Release(c.To.Version); a != nil && b != nil {
					c.Jump = p.App.JumpOf(c.Name, a.Version, b.Version)
				}
			}
			one.Changes[i] = c
		}
		for _, c := range st.Companions {
			if !slices.ContainsFunc(one.Companions, func(x Companion) bool { return x.Name == c.Name }) {
				one.Companions = append(one.Companions, c)
			}
		}
	}
	one.Title = fact.New(AheadOf, strings.Join(slices.Compact(names), ", "), p.Goal.Name, h.major)
	one.Locked = project.MovesBetween(before, one.After)
	p.plan.Stages = append(p.plan.Stages[:from:from], one)
}
