// Package conflict explains why something does not resolve, and finds ways out. A way out is shown
// only after solving with it. The words are explained in docs/words.md.
package conflict

import (
	"context"
	"slices"

	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
)

// An Explanation is a tangle made ready for people: the packages on which demands exclude each
// other, who makes these demands, and how each of them comes about.
type Explanation struct {
	Contested []Contest
	Tangles   int      // how many tangles there are that share no demand
	More      int      // demands that are left out, since there are too many
	Involved  []string // the packages that the tangles are about, contested or not, sorted
}

// A Contest is a package on which demands exclude each other, or one that nothing can serve.
type Contest struct {
	Name  string
	Sides []Party // in the order of the tangle
}

// A Party is one demand of a contest.
type Party struct {
	Demand   solve.Demand
	Releases string         // the releases of the package that asks so, in words; "" for the application
	Admits   string         // the releases that the demand admits, in words; "" for a runtime
	Chain    []solve.Demand // from the manifest down to the demand, both included
}

// Explain makes a tangle ready for people. Releases that the policy or a fixed set rules out are
// not mentioned; where a contested package is given from outside, that is a side of its own.
func Explain(ctx context.Context, source universe.Source, app project.Application,
	t *solve.Tangle) (*Explanation, error) {
	permitted := project.Permitted(source, app)
	k := &Explanation{}
	for _, one := range append([]*solve.Tangle{t}, t.Others...) {
		contested, err := contests(ctx, permitted, heldIn(one, app))
		if err != nil {
			return nil, err
		}
		for i := range contested {
			if err := contested[i].given(ctx, source, app.Fixed); err != nil {
				return nil, err
			}
		}
		for _, d := range one.Demands {
			k.Involved = append(k.Involved, d.Package)
		}
		shown, more := causes(contested)
		k.Contested = append(k.Contested, shown...)
		k.Tangles++
		k.More += one.More + more
	}
	slices.Sort(k.Involved)
	k.Involved = slices.Compact(k.Involved)
	return k, nil
}

// mostShown is how many contests of a tangle, and how many sides of a contest, people are shown.
const mostShown = 4

// causes returns the contests that people are shown, and how many demands are not among them. A
// release that cannot be used is the cause of what hangs on it, so these come first, and of many
// contests they alone are shown.
func causes(all []Contest) (shown []Contest, more int) {
	hinders := func(c Contest) bool { _, ok := universe.Hinders(c.Name); return ok }
	first := slices.DeleteFunc(slices.Clone(all), func(c Contest) bool { return !hinders(c) })
	rest := slices.DeleteFunc(slices.Clone(all), hinders)
	if len(first) > 0 { // as many demands on one package all hang on it
		rest = slices.DeleteFunc(rest, func(c Contest) bool {
			if len(c.Sides) > mostShown {
				more += len(c.Sides)
				return true
			}
			return false
		})
	}
	if shown = append(first, rest...); len(shown) > mostShown {
		keep := mostShown
		if len(first) > 0 {
			keep = min(mostShown, len(first))
		}
		for _, c := range shown[keep:] {
			more += len(c.Sides)
		}
		shown = shown[:keep]
	}
	for i := range shown {
		if n := len(shown[i].Sides) - mostShown; n > 0 {
			shown[i].Sides = shown[i].Sides[:mostShown]
			more += n
		}
	}
	return shown, more
}

// given adds the side of the fixed set, where the package is in it, and tells of the other sides all that they admit.
func (c *Contest) given(ctx context.Context, source universe.Source, fixed map[string]string) error {
	v := fixed[c.Name]
	p, err := universe.LookUp(ctx, source, c.Name)
	if v == "" || err != nil || p == nil || p.Index(v) < 0 {
		return err
	}
	meets := true
	for i := range c.Sides {
		set, _ := p.Admit(c.Sides[i].Demand.Constraint)
		c.Sides[i].Admits = p.Versions().Brief(set, mostRuns)
		meets = meets && set.Has(p.Index(v))
	}
	if !meets {
		demand := solve.Demand{As: c.Name, Package: c.Name, Constraint: v, Group: project.FixedGroup}
		c.Sides = append([]Party{{Demand: demand, Admits: v, Chain: []solve.Demand{demand}}}, c.Sides...)
	}
	return nil
}

// heldIn returns a tangle with the releases that holds ask for, instead of the lines that admit more.
func heldIn(t *solve.Tangle, app project.Application) *solve.Tangle {
	held := *t
	held.Demands = slices.Clone(t.Demands)
	for i := range held.Demands {
		if d := &held.Demands[i]; d.Kind == solve.Declared {
			if v := app.HeldAt(d.As, d.Group); v != nil {
				d.Constraint = version.Only(app.Scheme, v)
			}
		}
	}
	return &held
}

func contests(ctx context.Context, source universe.Source, t *solve.Tangle) ([]Contest, error) {
	var contested []Contest
	var names []string
	sides := map[string][]Party{}
	for _, d := range t.Demands {
		side, err := newSide(ctx, source, t, d)
		if err != nil {
			return nil, err
		}
		name := project.OwnName(d.As) // what a member of a workspace has apart meets what its packages ask for
		if sides[name] == nil {
			names = append(names, name)
		}
		sides[name] = append(sides[name], side)
	}
	for _, name := range names {
		alone := len(sides[name]) == 1
		if _, runtime := project.RuntimeOf(name); alone && !runtime && sides[name][0].Admits != nothing && len(names) > 1 {
			continue // it only leads to where the demands meet
		}
		contested = append(contested, Contest{name, sides[name]})
	}
	return contested, nil
}

// mostRuns is how many runs of releases are named of one demand.
const mostRuns = 8

// mostAsked is how many releases of a package, the newest, are asked whether they make a demand,
// where each costs a request.
const mostAsked = 64

// nothing is how an empty set of releases is described.
var nothing = version.List{}.Describe(version.Set{})

func newSide(ctx context.Context, source universe.Source, t *solve.Tangle, d solve.Demand) (Party, error) {
	side := Party{Demand: d, Admits: nothing, Chain: chainTo(t, d)}
	p, err := universe.LookUp(ctx, source, d.Package)
	if err != nil {
		return side, err
	}
	runtime, ofRuntime := project.RuntimeOf(d.Package)
	switch {
	case ofRuntime:
		side.Admits = ""
	case p != nil:
		set, _ := p.Admit(d.Constraint) // what cannot be read admits nothing
		side.Admits = p.Versions().Brief(set, mostRuns)
	}
	if d.By == "" {
		return side, nil
	}
	if universe.IsUnseen(d.Package) {
		side.Releases = t.Unseen[d.By]
		return side, nil
	}
	by, err := universe.LookUp(ctx, source, d.By)
	if err != nil || by == nil {
		return side, err
	}
	// Releases that nothing in the tangle admits have no part in it.
	admitted := version.NewSet(by.Len())
	for _, x := range t.Demands {
		if x.Package == d.By {
			set, _ := by.Admit(x.Constraint)
			admitted = admitted.Or(set)
		}
	}
	if admitted.Empty() {
		admitted = version.FullSet(by.Len())
	}
	asks := version.NewSet(by.Len())
	asked := slices.Collect(admitted.All())
	if by.IsCostly() { // a request each: the newest few tell what people want to know
		asked = asked[max(0, len(asked)-mostAsked):]
	}
	for _, i := range asked {
		if ofRuntime {
			if slices.Contains(by.Runtimes(i), universe.Requirement{Name: runtime, Text: d.Constraint}) {
				asks.Add(i)
			}
			continue
		}
		all := by.Needs(i)
		if d.Kind == solve.Peer {
			all = by.Peers(i)
		}
		if slices.ContainsFunc(all, func(x universe.Demand) bool {
			return x.As == d.As && x.Package == d.Package && x.Text == d.Constraint
		}) {
			asks.Add(i)
		}
	}
	side.Releases = by.Versions().Brief(asks, mostRuns)
	return side, nil
}

// chainTo finds the shortest chain of the tangle's own demands that leads from the application to a
// demand. There is one, since a tangle is minimal: every package in it is there because another of
// its demands brings it in.
func chainTo(t *solve.Tangle, d solve.Demand) []solve.Demand {
	chain := map[string][]solve.Demand{"": nil} // by package
	for grew := true; grew; {
		grew = false
		for _, x := range t.Demands {
			above, reached := chain[x.By]
			if _, known := chain[x.Package]; reached && !known {
				chain[x.Package] = append(slices.Clone(above), x)
				grew = true
			}
		}
	}
	return append(slices.Clone(chain[d.By]), d)
}
