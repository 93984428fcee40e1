package plan

import (
	"fmt"
	"maps"
	"molt/core/assess"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
	"slices"
	"strings"
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
	if set.Has(framework.Index(project.VersionOf(p.now.Locked, p.Goal.Name))) && p.alsoReached() {
		p.plan.Reachable = true
		return nil
	}
	final := assess.Texts(framework, set)
	hops := p.between(framework, final)
	if p.cut.Leap {
		hops = hops[len(hops)-1:]
	}
	if at := project.VersionOf(p.now.Locked, p.Goal.Name); slices.Contains(final, at) { // only the further goals are left
		if p.plan.Reachable, err = p.hop(hop{hops[0].major, []string{at}}); err != nil || p.plan.Reachable {
			return err
		}
	}
	for _, hop := range hops {
		// A release of before that merely does not exclude the hop is no way to get there, unless there is no other.
		p.Forward = true
		done, err := p.hop(hop)
		if err == nil && !done {
			p.Forward, p.FewestBack = false, true
			done, err = p.hop(hop)
			p.FewestBack = false
		}
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
}

// between lists the majors after the one in use, up to the goal's, whose releases are final.
func (p *planner) between(framework *universe.Package, final []string) []hop {
	var hops []hop
	at := framework.Index(project.VersionOf(p.now.Locked, p.Goal.Name))
	end := framework.Index(final[len(final)-1])
	here := ""
	if at >= 0 {
		here = p.App.Scheme.Major(framework.Releases[at].Version)
	}
	goal := p.App.Scheme.Major(framework.Releases[end].Version)
	for i := at + 1; i <= end; i++ {
		r := &framework.Releases[i]
		m := p.App.Scheme.Major(r.Version)
		if m == here || m == goal || r.Version.Prerelease() {
			continue
		}
		if n := len(hops); n > 0 && hops[n-1].major == m {
			hops[n-1].releases = append(hops[n-1].releases, r.Version.String())
		} else {
			hops = append(hops, hop{m, []string{r.Version.String()}})
		}
	}
	return append(hops, hop{goal, final})
}

// alsoReached reports whether the further goals are reached.
func (p *planner) alsoReached() bool {
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
	p.visited, p.bridged = map[string]bool{}, map[string]bool{}
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
			if first, err = p.AnyRuntime().Fewest(p.without(retired), h.releases); err != nil || first == nil {
				return undo(err)
			}
			r = first.Best.Resolution
		} else if r, best, err = p.AnyRuntime().Rest(p.without(retired), first); err != nil {
			return undo(err)
		}
		var moving []string
		for _, name := range p.Names() {
			if to := project.VersionOf(r, name); name != p.Goal.Name && to != "" && to != project.VersionOf(p.now.Locked, name) {
				moving = append(moving, name)
			}
		}
		bridged := len(p.plan.Stages)
		for _, family := range p.families(moving) {
			p.bridging = family
			if err := p.bridgeFamily(h, family.names, retired); err != nil {
				return undo(err)
			}
		}
		if len(p.plan.Stages) == bridged && whole {
			break
		}
		whole = len(p.plan.Stages) == bridged // the rest of the optimum is worked out when nothing bridges any more
	}
	if err := p.runtime(h, r); err != nil {
		return undo(err)
	}
	done, err := p.goalStage(h, r, best, retired)
	if err != nil || !done {
		return undo(err)
	}
	return true, nil
}

// without returns the present state as it is when some packages are gone.
func (p *planner) without(names []string) project.Draft {
	s := p.now.Clone()
	for _, name := range names {
		s.Gone[name] = true
	}
	return s
}

// retireFor lists the retiring packages that no release of the hop goes with: they have to go at the latest now.
func (p *planner) retireFor(h hop) ([]string, error) {
	var names []string
	for _, name := range p.Names() {
		got := p.assessed[name]
		if got.Retires == nil || got.Standing != project.Retires || p.now.Gone[name] {
			continue
		}
		pkg, err := p.Pkg(name)
		if err != nil {
			return nil, err
		}
		c := assess.Choice{p.Goal.Name: h.releases, name: assess.Texts(pkg, p.Usable(pkg, project.VersionOf(p.now.Locked, name)))}
		r, _, err := p.AnyRuntime().Solve(c, nil)
		if err != nil {
			return nil, err
		}
		if r == nil {
			names = append(names, name)
		}
	}
	return names, nil
}

// bridgeFamily moves a family ahead of the framework when its members have releases that resolve with the framework in
// use and, with the rest as the optimum has it, with the hop. Later releases are tried first; an earlier one only comes
// into question where a bridge to a former hop went too far. Otherwise nothing happens: the family goes together.
func (p *planner) bridgeFamily(h hop, family, retired []string) error {
	for _, later := range []bool{true, false} {
		// What a bridge of this hop has moved does not go back: it would come and go for ever.
		if !later && (p.bridged[releasesKey(family, nil)] || !p.movedAlready(family)) {
			break
		}
		c, err := p.bridgeScope(h, family, later)
		if err != nil {
			return err
		}
		before, stages := p.now.Clone(), len(p.plan.Stages)
		done, err := p.bridgeWithin(h, family, retired, c)
		if err != nil {
			return err
		}
		if done && !later { // a way back has to pay
			if pays, err := p.pays(h, retired, before); err != nil {
				return err
			} else if !pays {
				p.now, p.plan.Stages = before, p.plan.Stages[:stages]
				return nil
			}
		}
		if done {
			p.bridged[releasesKey(family, nil)] = true
			return nil
		}
	}
	return nil
}

// pays reports whether the hop breaks fewer packages, or changes fewer lines, from the present state than from another.
func (p *planner) pays(h hop, retired []string, other project.Draft) (bool, error) {
	now, err := p.AnyRuntime().CostOf(p.without(retired), h.releases)
	if err != nil || now == nil {
		return false, err
	}
	if p.FewestBack {
		now[0]++ // the bridge itself goes back
	}
	other = other.Clone()
	for _, name := range retired {
		other.Gone[name] = true
	}
	before, err := p.AnyRuntime().CostOf(other, h.releases)
	return before == nil || slices.Compare(now, before) < 0, err
}

// releasesKey names the releases at which a family stands, or the family alone.
func releasesKey(family []string, at map[string]string) string {
	key := ""
	for _, name := range family {
		key += name + "@" + at[name] + " "
	}
	return key
}

// movedAlready reports whether a stage of the plan moves one of a family.
func (p *planner) movedAlready(family []string) bool {
	return slices.ContainsFunc(p.plan.Stages, func(st Stage) bool {
		return slices.ContainsFunc(st.Changes, func(c project.Change) bool { return slices.Contains(family, c.Name) })
	})
}

// bridgeScope gives the members of a family the releases that state nothing against the framework in use nor against
// the hop, and everything else the release that it has.
func (p *planner) bridgeScope(h hop, family []string, later bool) (assess.Choice, error) {
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
		both := p.Acceptors(pkg, framework, h.releases).All.And(p.Acceptors(pkg, framework, []string{project.VersionOf(p.now.Locked, p.Goal.Name)}).All)
		part := version.NewSet(len(pkg.Releases))
		for i := range both.And(p.Usable(pkg, now)).All() {
			if at := pkg.Index(now); i != at && (i > at) == later {
				part.Add(i)
			}
		}
		c[name] = slices.DeleteFunc(p.Towards(name, pkg, assess.Texts(pkg, part), h.releases), func(v string) bool {
			return len(family) == 1 && p.closed[closedKey(h, p.Forward, assess.Choice{name: {v}}, family)]
		})
	}
	return c, nil
}

// bridgeWithin adds a stage that moves a family to some of the given releases; it reports whether there was one.
func (p *planner) bridgeWithin(h hop, family, retired []string, c assess.Choice) (bool, error) {
	current := project.VersionOf(p.now.Locked, p.Goal.Name)
	moving := map[string]bool{}
	for _, name := range family {
		moving[name] = true
	}
	p.visited[releasesKey(family, versionsOf(p.now.Locked, family))] = true
	for len(c[family[0]]) > 0 { // each round refuses releases that one side chooses and the other does not agree to
		r, _, err := p.Solve(c, assess.KeepExcept(p.now.Locked, moving))
		if err != nil || r == nil {
			return false, err
		}
		ahead, err := p.opens(h, c, family, retired)
		if err != nil || ahead == nil {
			return false, err
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
				return false, err
			}
			if other != nil && !p.visited[releasesKey(family, to)] {
				return p.familyStage(BridgeStage, p.freeID("bridge-"+slug(family[0])), strings.Join(family, ", ")+" ahead of "+p.Goal.Name+" "+h.major, to,
					func(string) string {
						return fmt.Sprintf("goes with %s %s and with %s", p.Goal.Name, current, h.major)
					})
			}
			c[family[0]] = slices.DeleteFunc(slices.Clone(c[family[0]]), func(v string) bool { return v == to[family[0]] })
		}
	}
	return false, nil
}

// fixedAt is a choice in which some names have one release.
func fixedAt(c assess.Choice, at map[string]string) assess.Choice {
	fixed := maps.Clone(c)
	for name, v := range at {
		fixed[name] = []string{v}
	}
	return fixed
}

// freeID returns an ID that no stage has yet.
func (p *planner) freeID(id string) string {
	unique := id
	for n := 2; slices.ContainsFunc(p.plan.Stages, func(st Stage) bool { return st.ID == unique }); n++ {
		unique = fmt.Sprintf("%s-%d", id, n)
	}
	return unique
}

// closedKey names a question to opens.
func closedKey(h hop, forward bool, chosen assess.Choice, family []string) string {
	key := fmt.Sprint(h.major, forward)
	for _, name := range family {
		key += fmt.Sprint(" ", name, chosen[name])
	}
	return key
}

// opens returns a resolution of the hop in which a family has some of the chosen releases; nil when there is none. What
// has none once has none later: the stages before a hop leave the other packages all releases to choose from.
func (p *planner) opens(h hop, chosen assess.Choice, family, retired []string) (*solve.Resolution, error) {
	key := closedKey(h, p.Forward, chosen, family)
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
	r, _, err := p.AnyRuntime().Solve(c, assess.KeepExcept(p.now.Locked, moving))
	if r == nil && err == nil {
		p.closed[key] = true
	}
	return r, err
}

// runtime adds a stage for the runtimes that the goal's resolution requires and that are not known to be there.
func (p *planner) runtime(h hop, r *solve.Resolution) error {
	needs, err := assess.RuntimeNeeds(p.Ctx, p.Full, p.App, p.now.Locked, r)
	if err != nil {
		return err
	}
	st := Stage{ID: p.freeID("runtime-" + h.major), Kind: RuntimeStage, Title: "raise the runtime"}
	for _, n := range p.AdvisedRuntimes(h.major) {
		if !slices.ContainsFunc(needs, func(x assess.RuntimeNeed) bool { return x.Name == n.Name && x.Needs == n.Needs }) {
			needs = append(needs, n)
		}
	}
	needs = append(p.Raises(), needs...)
	for _, n := range needs {
		if n.Deployed != nil && !n.Met && !slices.ContainsFunc(st.Raise, func(x assess.RuntimeNeed) bool { return x.Name == n.Name && x.By == assess.TheGoal }) {
			st.Raise = append(st.Raise, n)
		}
	}
	if st.Raise != nil {
		p.plan.Stages = append(p.plan.Stages, st)
		for _, n := range st.Raise { // from here on it is taken to be done
			if err := p.raise(n.Name, r); err != nil {
				return err
			}
		}
	}
	return nil
}

// raise takes a runtime to be at the lowest version that suits a resolution, or, when that cannot be told, at whatever
// will be asked for. The application's own map is left alone.
func (p *planner) raise(name string, r *solve.Resolution) error {
	runtime := p.App.Runtime(name)
	to, err := project.LeastRuntime(p.Ctx, p.Full, runtime, r)
	if err != nil {
		return err
	}
	if v, asked := p.Raised[name]; asked {
		to = v.String()
	}
	least, unknown := runtime.Scheme.Complete(to)
	raised := maps.Clone(p.App.Runtimes[name])
	for environment, v := range raised {
		if at, err := runtime.Scheme.Complete(v); unknown == nil && (err != nil || at.Compare(least) < 0) {
			raised[environment] = to
		}
	}
	p.App.Runtimes = maps.Clone(p.App.Runtimes)
	p.App.Runtimes[name] = raised
	if to == "" {
		delete(p.App.Runtimes, name)
	}
	p.Source = project.RunnableFrom(p.Full, p.App, p.Base)
	return nil
}

// goalStage moves the framework and all that the optimum moves with it.
func (p *planner) goalStage(h hop, r *solve.Resolution, best *assess.Optimum, retired []string) (bool, error) {
	to := versionsOf(r, p.Names())
	reason := func(name string) string {
		switch {
		case name == p.Goal.Name:
			return "the goal"
		case p.unpublished(name):
			return project.VersionOf(p.now.Locked, name) + " is not among the releases that the registry shows"
		case p.refuses(name, project.VersionOf(p.now.Locked, name), h.releases):
			return p.whyTogether(name, h)
		}
		if d, v := p.tied(name, to); v != "" {
			return fmt.Sprintf("asks for %s %s, which moves to %s", d.As, d.Text, v)
		}
		if by, d := p.excluded(name, r); by != "" {
			return fmt.Sprintf("%s asks for %s %s", by, d.As, d.Text)
		}
		return fmt.Sprintf("%s does not resolve with what %s %s brings along", project.VersionOf(p.now.Locked, name), p.Goal.Name, h.major)
	}
	before := p.now.Clone()
	p.now = p.without(retired)
	p.now.Locked = before.Locked
	removed, err := p.replacements(retired)
	if err != nil {
		return false, err
	}
	for _, change := range removed {
		if change.To.Version != "" {
			to[change.Name] = change.To.Version
		}
	}
	st, next, err := p.inStep(GoalStage, "goal-"+h.major, fmt.Sprintf("%s %s", p.Goal.Name, h.major), to, reason)
	if err != nil || st == nil {
		p.now = before
		return false, err
	}
	st.Changes = append(st.Changes, removed...)
	st.Optimum = best
	if len(st.Changes) > 0 {
		p.plan.Stages = append(p.plan.Stages, *st)
	}
	p.now = next
	return true, nil
}

// whyTogether says why a package that refuses the hop at its release in use cannot go ahead of it.
func (p *planner) whyTogether(name string, h hop) string {
	now, framework := project.VersionOf(p.now.Locked, name), project.VersionOf(p.now.Locked, p.Goal.Name)
	says := fmt.Sprintf("%s refuses %s %s", now, p.Goal.Name, h.major)
	pkg, err := p.Pkg(name)
	if err != nil {
		return says
	}
	f, err := p.Pkg(p.Goal.Name)
	if err != nil {
		return says
	}
	both := p.Acceptors(pkg, f, h.releases).All.And(p.Acceptors(pkg, f, []string{framework}).All)
	if both.And(p.Usable(pkg, now)).Max() <= pkg.Index(now) { // later ones count
		return says + "; what accepts it refuses " + framework
	}
	return says + "; what accepts it does not resolve with what is there before"
}

// excluded finds a release of a resolution with a peer that the release in use of a package does not fit: one that is
// declared, where there is one.
func (p *planner) excluded(name string, r *solve.Resolution) (by string, peer universe.Demand) {
	pkg, err := p.Pkg(name)
	if err != nil {
		return "", peer
	}
	now := pkg.Index(project.VersionOf(p.now.Locked, name))
	for _, declared := range []bool{true, false} {
		for _, n := range r.Packages {
			if (p.Declaration(n.Name).As != "") != declared {
				continue
			}
			other, err := p.Full.Package(p.Ctx, n.Name)
			if err != nil || other.Release(n.Version) == nil {
				continue
			}
			for _, d := range other.Release(n.Version).Peers {
				if d.Package != pkg.Name || d.Optional && n.Name == name {
					continue
				}
				if set, err := pkg.Admit(d.Text); err == nil && now >= 0 && !set.Has(now) {
					return n.Name + " " + n.Version, d
				}
			}
		}
	}
	return "", peer
}

// tied finds a demand of a package's release in use that another package's move would break.
func (p *planner) tied(name string, to map[string]string) (universe.Demand, string) {
	pkg, err := p.Pkg(name)
	if err != nil {
		return universe.Demand{}, ""
	}
	r := pkg.Release(project.VersionOf(p.now.Locked, name))
	if r == nil {
		return universe.Demand{}, ""
	}
	for _, d := range slices.Concat(r.Peers, r.Needs) {
		v, moves := to[d.As]
		if !moves {
			continue
		}
		other, err := p.Full.Package(p.Ctx, d.Package)
		if err != nil {
			continue
		}
		if set, err := other.Admit(d.Text); err == nil && !set.Has(other.Index(v)) {
			return d, v
		}
	}
	return universe.Demand{}, ""
}

func (p *planner) refuses(name, v string, framework []string) bool {
	pkg, err := p.Pkg(name)
	if err != nil {
		return false
	}
	f, err := p.Pkg(p.Goal.Name)
	return err == nil && !p.Acceptors(pkg, f, framework).All.Has(pkg.Index(v))
}

// unpublished reports whether the release in use is none that the source knows: taken back, or published after the day
// that was asked about.
func (p *planner) unpublished(name string) bool {
	pkg, err := p.Pkg(name)
	return err == nil && pkg.Index(project.VersionOf(p.now.Locked, name)) < 0
}

func slug(name string) string {
	return strings.Trim(strings.NewReplacer("/", "-", "@", "").Replace(name), "-")
}
