package assess

import (
	"cmp"
	"context"
	"maps"
	"slices"
	"strings"

	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
)

// A RuntimeNeed is a demand on a runtime by something that the goal brings along.
type RuntimeNeed struct {
	project.Runtime
	Needs    string
	By       string           // release that asks
	Deployed project.Deployed // what configuration says is deployed, nil when it does not say
	Met      bool             // whether Deployed is known and fits everywhere
	Pins     []Pinned         // what files of the application say of it
}

// To names the release to which the runtime is best raised; "" where nobody can tell more than the need does.
func (n RuntimeNeed) To() string {
	at := n.Least(n.Needs)
	if at < 0 || n.Newest == nil {
		return ""
	}
	return n.Newest(n.Known[at])
}

// A Pinned is a version that a file names, and whether it fits.
type Pinned struct {
	project.Pin
	Met bool
}

// Environments lists the environments with names that have the runtime, with whether each fits.
func (n RuntimeNeed) Environments() []Pinned {
	var all []Pinned
	for _, environment := range slices.Sorted(maps.Keys(n.Deployed)) {
		if v := n.Deployed[environment]; environment != "" {
			all = append(all, Pinned{project.Pin{Name: n.Name, Version: v, Where: environment}, n.Suits(n.Needs, v)})
		}
	}
	return all
}

// pinned adds what files of the application say of each runtime.
func (a *Judgement) pinned(needs []RuntimeNeed) []RuntimeNeed {
	for i := range needs {
		n := &needs[i]
		for _, pin := range a.App.Pins {
			if pin.Name == n.Name {
				n.Pins = append(n.Pins, Pinned{pin, n.Suits(n.Needs, pin.Version)})
			}
		}
	}
	return needs
}

// RuntimeNeeds lists the requirements on runtimes that a new resolution brings along. Releases that
// are in the old resolution too don't count: they run already. For each runtime, requirements that
// are not met come first, and of these the goal's own and then those of what is declared; then the
// higher ones. One that is not met is left out where one before it asks for as much.
func RuntimeNeeds(ctx context.Context, source universe.Source, app project.Application,
	before, after *solve.Resolution) ([]RuntimeNeed, error) {
	var all []RuntimeNeed
	known := map[string]bool{}
	if before != nil {
		for _, n := range before.Packages {
			known[n.Name+"@"+n.Version] = true
		}
	}
	for _, n := range after.Packages {
		p, err := source.Package(ctx, n.Name)
		if err != nil {
			return nil, err
		}
		if known[n.Name+"@"+n.Version] {
			continue
		}
		for _, q := range p.Release(n.Version).Runtimes {
			deployed, ok := app.Assumed()[q.Name]
			if !ok && !slices.Contains(project.RuntimesOf(app), q.Name) {
				continue
			}
			need := RuntimeNeed{Runtime: app.Runtime(q.Name), Needs: q.Text, By: n.Name + " " + n.Version, Deployed: deployed}
			need.Met = ok && need.SuitsAll(q.Text, deployed)
			if !slices.ContainsFunc(all, func(x RuntimeNeed) bool { return x.Name == need.Name && x.Needs == need.Needs }) {
				all = append(all, need)
			}
		}
	}
	slices.SortStableFunc(all, func(a, b RuntimeNeed) int {
		near, more := cmp.Compare(a.rank(app), b.rank(app)), cmp.Compare(b.Least(b.Needs), a.Least(a.Needs))
		if a.Met {
			near, more = more, near
		}
		return cmp.Or(cmp.Compare(a.Name, b.Name), compareBool(a.Met, b.Met), near, more)
	})
	return slices.CompactFunc(all, func(n, before RuntimeNeed) bool {
		return n.Name == before.Name && !n.Met && !before.Met && n.Least(n.Needs) <= before.Least(before.Needs)
	}), nil
}

// rank says how near a need is to what people asked for: 0 for the framework's own, 1 for that of a
// declared package, 2 for the rest.
func (n RuntimeNeed) rank(app project.Application) int {
	name := n.By
	if at := strings.LastIndexByte(name, ' '); at > 0 {
		name = name[:at]
	}
	switch {
	case slices.Contains(app.Frameworks, name):
		return 0
	case slices.ContainsFunc(app.Declared, func(d project.Declared) bool { return d.Package == name }):
		return 1
	}
	return 2
}

// compareBool puts false before true.
func compareBool(a, b bool) int {
	switch {
	case a == b:
		return 0
	case a:
		return 1
	}
	return -1
}

// Sufficient returns the question with the least runtime with which a choice of releases resolves,
// and a resolution: the question as it is where what is deployed suffices, else with the language's
// own runtime raised, to the lowest version that does. Both are nil where no runtime does. Where
// nobody knows what is deployed, any runtime will do.
func (a *Judgement) Sufficient(c Choice) (*Judgement, *solve.Resolution, error) {
	here := a.Deployed()
	if len(a.Raised) > 0 {
		here = a.AnyRuntime()
	}
	try := func(q *Judgement) (*solve.Resolution, error) {
		r, _, err := q.Solve(c, a.Base.Versions())
		return r, err
	}
	r, err := try(here)
	if err != nil || r != nil {
		return here, r, err
	}
	free := a.AnyRuntime()
	if r, err = try(free); err != nil || r == nil {
		return nil, nil, err
	}
	if len(a.App.Known) == 0 {
		return free, r, nil
	}
	runtime := a.App.Known[0]
	deployed := a.App.Assumed()[runtime.Name]
	if _, asked := a.Raised[runtime.Name]; asked || len(deployed) == 0 {
		return free, r, nil
	}
	raisedTo := func(v version.Version) *Judgement {
		raised := maps.Clone(deployed)
		for environment, text := range raised {
			if at, err := version.Complete(runtime.Scheme, text); err != nil || at.Compare(v) < 0 {
				raised[environment] = v.String()
			}
		}
		return a.Raising(runtime.Name, raised)
	}
	lowest := lowestOf(runtime, deployed)
	for _, known := range runtime.Known { // the least of the known releases that does
		if lowest != nil && known.Compare(lowest) <= 0 {
			continue
		}
		q := raisedTo(known)
		if r, err = try(q); err != nil {
			return nil, nil, err
		}
		if r != nil {
			return (&lowering{a, runtime, lowest, raisedTo, try}).from(q, r)
		}
	}
	return free, r, nil
}

// Least is Sufficient for what every declared package may choose in a state with a target.
func (a *Judgement) Least(s project.Draft, target []string) (*Judgement, *solve.Resolution, error) {
	c, _, err := a.choices(s, target)
	if err != nil {
		return nil, nil, err
	}
	return a.Sufficient(c)
}

// A lowering is the search for the least version of a runtime with which there is a resolution.
type lowering struct {
	*Judgement
	runtime  project.Runtime
	lowest   version.Version // what is deployed, which does not do; nil for nothing
	raisedTo func(version.Version) *Judgement
	try      func(*Judgement) (*solve.Resolution, error)
}

// from goes down from a question that has a resolution, along the versions that the requirements on the way mention, as
// long as there is one.
func (l *lowering) from(q *Judgement, r *solve.Resolution) (*Judgement, *solve.Resolution, error) {
	a, runtime, lowest := l.Judgement, l.runtime, l.lowest
	for at := version.Version(nil); ; {
		text, err := project.LeastRuntime(a.Ctx, a.Real, runtime, a.fresh(r))
		if err != nil || text == "" {
			return q, r, err
		}
		least, err := version.Complete(runtime.Scheme, text)
		if err != nil || lowest != nil && least.Compare(lowest) <= 0 || at != nil && least.Compare(at) > 0 {
			return q, r, nil
		}
		q, at = l.raisedTo(least), least
		mentioned, err := a.mentioned(runtime, r)
		if err != nil {
			return nil, nil, err
		}
		var below version.Version
		for _, v := range mentioned {
			if v.Compare(least) < 0 && (lowest == nil || v.Compare(lowest) > 0) {
				below = v
			}
		}
		if below == nil {
			return q, r, nil
		}
		other, err := l.try(l.raisedTo(below))
		if err != nil || other == nil {
			return q, r, err
		}
		q, r, at = l.raisedTo(below), other, below
	}
}

// fresh returns what of a resolution is not in the base: what is there runs already.
func (a *Judgement) fresh(r *solve.Resolution) *solve.Resolution {
	here := a.Base.Versions()
	return &solve.Resolution{Packages: slices.DeleteFunc(
		slices.Clone(r.Packages), func(n solve.Node) bool { return slices.Contains(here[n.Name], n.Version) })}
}

// mentioned lists the versions of a runtime that any release of the packages in a resolution mentions, ascending.
func (a *Judgement) mentioned(runtime project.Runtime, r *solve.Resolution) (version.List, error) {
	var all []version.Version
	seen := map[string]bool{}
	for _, n := range r.Packages {
		p, err := a.Real.Package(a.Ctx, n.Name)
		if err != nil {
			return nil, err
		}
		for i := range p.Len() {
			for _, q := range p.Runtimes(i) {
				if q.Name == runtime.Name && !seen[q.Text] {
					seen[q.Text] = true
					all = append(all, version.Mentions(runtime.Scheme, q.Text)...)
				}
			}
		}
	}
	return version.Sort(all), nil
}

// lowestOf returns the lowest version of a runtime that is deployed anywhere; nil where none can be read.
func lowestOf(runtime project.Runtime, d project.Deployed) version.Version {
	var lowest version.Version
	for _, text := range d {
		if v, err := version.Complete(runtime.Scheme, text); err == nil && (lowest == nil || v.Compare(lowest) < 0) {
			lowest = v
		}
	}
	return lowest
}

// AnyRuntime returns the question without regard to what is deployed today.
func (a *Judgement) AnyRuntime() *Judgement {
	free := *a
	free.Source = a.ahead()
	return &free
}

// ahead returns the source as seen with the runtimes that are goals, and no others, deployed.
func (a *Judgement) ahead() universe.Source {
	runtimes := project.Runtimes{}
	for name, v := range a.Raised {
		runtimes[name] = project.Everywhere(v.String())
	}
	return a.runnable(a.paired(a.Full), runtimes)
}

// opens lists the newest releases for the goal that need a newer runtime than the goal itself does.
func (a *Judgement) opens(least *Judgement, target []string) []string {
	var all []string
	for _, name := range append([]string{a.Goal.Name}, a.Names()...) {
		if name == a.Goal.Name && len(all) > 0 {
			continue
		}
		p, err := a.Pkg(name)
		if err != nil {
			continue
		}
		releases := a.Towards(name, p, Texts(p, a.Usable(p, a.Locked(name))), target)
		if name == a.Goal.Name {
			releases = target
		}
		if len(releases) == 0 || p.Index(releases[len(releases)-1]) <= p.Index(a.Locked(name)) {
			continue
		}
		newest := p.Known(releases[len(releases)-1])
		for _, q := range newest.Runtimes {
			if d := least.App.Assumed()[q.Name]; len(d) > 0 && !a.App.Runtime(q.Name).SuitsAll(q.Text, d) {
				all = append(all, name+" "+newest.Version.String()+" needs "+q.Name+" "+q.Text)
			}
		}
	}
	return slices.Compact(all)
}
