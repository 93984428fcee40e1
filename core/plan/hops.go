package plan

import (
	"fmt"
	"slices"
	"strings"

	"molt/core/assess"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
)

// hops goes to the goal one major after the other. A major that the application cannot stand on is leapt over; the last
// one has to hold.
func (p *planner) hops() error {
	framework, err := p.Pkg(p.Goal.Name)
	if err != nil {
		return err
	}
	set, err := p.Target(framework)
	if err != nil {
		return err
	}
	final := assess.Texts(framework, set)
	if slices.Contains(final, project.VersionOf(p.now.Locked, p.Goal.Name)) && p.alsoReached(final) {
		p.plan.Reachable = true
		return nil
	}
	hops := p.between(framework, final)
	if p.cut.Leap {
		hops = hops[len(hops)-1:]
	}
	if at := project.VersionOf(p.now.Locked, p.Goal.Name); slices.Contains(final, at) { // only the further goals are left
		if p.plan.Reachable, err = p.hop(hop{major: hops[0].major, releases: []string{at}}); err != nil || p.plan.Reachable {
			return err
		}
	}
	for _, hop := range hops {
		if hop.advised && framework.Index(project.VersionOf(p.now.Locked, p.Goal.Name)) >= framework.Index(hop.releases[0]) {
			continue // another stop led there already
		}
		done, err := p.under(func() (bool, error) { return p.hop(hop) })
		if err != nil {
			return err
		}
		p.plan.Reachable = done
	}
	return nil
}

// A hop is a major on the way, with its releases.
type hop struct {
	major    string
	releases []string
	advised  bool // a guide says to go by it
}

// between lists the hops after the release in use, up to the goal, whose releases are final: the
// stops that people named; else the majors on the way (where minor releases of the framework may
// break, those), by way of the stops that guides advise.
func (p *planner) between(framework *universe.Package, final []string) []hop {
	at := framework.Index(project.VersionOf(p.now.Locked, p.Goal.Name))
	end := framework.Index(final[len(final)-1])
	if stops, named := p.App.Stops[p.Goal.Name]; named {
		return append(p.atStops(framework, stops, at, framework.Index(final[0])),
			hop{major: p.Goal.Constraint, releases: final})
	}
	var hops []hop
	same := func(i, k int) bool {
		a, b := framework.Version(i), framework.Version(k)
		return p.App.Scheme.Major(a) == p.App.Scheme.Major(b) &&
			(!slices.Contains(p.App.Minors, p.Goal.Name) || p.App.Scheme.Jump(a, b) < version.Minor)
	}
	first := framework.Index(final[0])
	for i := at + 1; i < end; i++ {
		r := framework.About(i)
		if at >= 0 && same(at, i) || same(i, end) || same(i, first) || i >= first || r.Version.Prerelease() ||
			framework.Withdrawn(i) {
			continue
		}
		if n := len(hops); n > 0 && same(framework.Index(hops[n-1].releases[0]), i) {
			hops[n-1].releases = append(hops[n-1].releases, r.Version.String())
		} else {
			hops = append(hops, hop{major: p.series(r.Version), releases: []string{r.Version.String()}})
		}
	}
	for _, advised := range p.atStops(framework, project.AdvisedStops(p.App.Guides, p.Goal.Name), at, first) {
		hops = slices.DeleteFunc(hops, func(h hop) bool {
			return same(framework.Index(h.releases[0]), framework.Index(advised.releases[0])) && !h.advised
		})
		advised.advised = true
		hops = append(hops, advised)
	}
	slices.SortStableFunc(hops, func(a, b hop) int {
		return framework.Index(a.releases[0]) - framework.Index(b.releases[0])
	})
	return append(hops, hop{major: p.series(framework.Version(end)), releases: final})
}

// series names what a hop goes to: a major, or a minor release where these may break.
func (p *planner) series(v version.Version) string {
	if slices.Contains(p.App.Minors, p.Goal.Name) {
		for _, text := range []string{p.Goal.Constraint, v.String()} { // the goal as people named it, where that is it
			if c, err := p.App.Scheme.Goal(text); err == nil && version.Admits(c, v) && text != p.App.Scheme.Major(v) {
				return text
			}
		}
	}
	return p.App.Scheme.Major(v)
}

// atStops lists the named stops after the release in use and before the goal, with their releases.
func (p *planner) atStops(framework *universe.Package, stops []string, at, end int) (hops []hop) {
	for _, text := range stops {
		meant, err := p.App.Scheme.Goal(text)
		if err != nil {
			continue // they were read
		}
		var releases []string
		for i := range meant.Admit(framework.Versions()).All() {
			if i > at && i < end && !framework.Version(i).Prerelease() && !framework.Withdrawn(i) {
				releases = append(releases, framework.Version(i).String())
			}
		}
		if releases != nil && !meant.Admit(framework.Versions()).Has(at) {
			hops = append(hops, hop{major: text, releases: releases})
		}
	}
	return hops
}

// alsoReached reports whether the further goals are reached.
func (p *planner) alsoReached(final []string) bool {
	if !p.OneAt(p.now.Locked, final) {
		return false
	}
	for name, releases := range p.Also {
		if !slices.Contains(releases, project.VersionOf(p.now.Locked, name)) {
			return false
		}
	}
	return len(p.Raised) == 0
}

// hop brings the framework to one major: first the bridges, then the runtime, then the framework with what must go
// together with it. It reports whether it got there; when not, the plan is as it was.
func (p *planner) hop(h hop) (bool, error) {
	saved, stages := p.now.Clone(), slices.Clone(p.plan.Stages)
	p.visited = map[string]bool{}
	p.closes = false
	undo := func(err error) (bool, error) {
		p.now, p.plan.Stages = saved, stages
		return false, err
	}
	retired, err := p.retireFor(h)
	if err != nil {
		return undo(err)
	}
	// One bridge can open the way for another, so this goes on until none is added. What then still has to move goes
	// together with the framework.
	var r *solve.Resolution
	var best *assess.Optimum
	var first *assess.PartialOptimum // of the present state
	for whole := false; ; {
		if !whole {
			if p.enough, err = p.sufficient(h, retired); err != nil || p.enough == nil {
				return undo(err)
			}
			if first, err = p.enough.Fewest(p.without(retired), h.releases); err != nil || first == nil {
				return undo(err)
			}
			r = first.Best.Resolution
		} else if r, best, err = p.enough.Rest(p.without(retired), first); err != nil {
			return undo(err)
		}
		var moving []string
		for _, name := range p.Names() {
			if to := project.VersionOf(r, name); name != p.Goal.Name && to != "" && to != project.VersionOf(p.now.Locked, name) {
				moving = append(moving, name)
			}
		}
		bridged, before := len(p.plan.Stages), p.now.Locked
		for _, family := range p.families(moving) {
			if slices.ContainsFunc(family.names, func(name string) bool {
				return project.VersionOf(p.now.Locked, name) != project.VersionOf(before, name)
			}) {
				continue // it went along with another; whether it has to move again, the next round tells
			}
			p.bridging = family
			if err := p.bridgeFamily(h, family.names, retired, moving); err != nil {
				return undo(err)
			}
		}
		if len(p.plan.Stages) == bridged && whole {
			break
		}
		whole = len(p.plan.Stages) == bridged // the rest of the optimum is worked out when nothing bridges any more
	}
	p.joinBridges(h, saved.Locked, len(stages))
	if err := p.runtime(h, r); err != nil {
		return undo(err)
	}
	done, err := p.goalStage(h, r, best, retired)
	if err != nil || !done {
		return undo(err)
	}
	return true, nil
}

// sufficient returns the question with the least runtime with which the hop resolves; nil where none does.
func (p *planner) sufficient(h hop, retired []string) (*assess.Judgement, error) {
	q, r, err := p.Least(p.without(retired), h.releases)
	if err != nil || r == nil {
		return nil, err
	}
	return q, nil
}

// without returns the present state as it is when some packages are gone.
func (p *planner) without(names []string) project.Draft {
	s := p.now.Clone()
	for _, name := range names {
		s.Gone[name] = true
	}
	return s
}

// freeID returns an ID that no stage has yet.
func (p *planner) freeID(id string) string {
	unique := id
	for n := 2; slices.ContainsFunc(p.plan.Stages, func(st Stage) bool { return st.ID == unique }); n++ {
		unique = fmt.Sprintf("%s-%d", id, n)
	}
	return unique
}

func slug(name string) string {
	return strings.Trim(strings.NewReplacer("/", "-", " ", "-", "@", "").Replace(name), "-")
}
