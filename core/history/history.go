// Package history simulates how packages grow along with a framework, so that what is judged by
// metadata can be held against a truth that metadata does not tell.
//
// Every release offers names and uses names of other packages; what is installed runs when every
// name that is used is offered. Maintainers remove names at majors (and, where the language
// promises nothing, at minors), and those who use them adapt after a while, for the new major only
// or for both. What a release states of the majors that it is for follows from what its maintainers
// could know on that day, as honestly as a parameter says. An application is set down in that
// history at a time at which it truly runs, and asked to go to the framework's next major some time
// after that was published.
//
// Nothing in it is taken from a real package, and its percentages say nothing about the world: they
// compare rules with one another.
package history

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"time"

	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
)

// A Dialect is how an ecosystem writes what releases state.
type Dialect struct {
	Name     string
	Scheme   version.Scheme
	Strategy solve.Strategy
	Kin      func(name string) project.Kin
	// Bounded and Open write the constraints that admit some majors, and a major and everything after it.
	Bounded func(from, to int) string
	Open    func(from int) string
	// Only writes the constraint that admits some of the versions of a package; of them there is one at least.
	Only func(some, all []string) string
	// Peers says that companions state the framework as a peer, Types that there are packages which
	// describe others, Classes that releases can name majors that they are for, and Loose that
	// minors break as well.
	Peers, Types, Classes, Loose bool
}

// Honesty is how statements are made, in shares of a hundred packages; the rest states nothing, ever.
type Honesty struct {
	Name    string
	Bounded int // the majors that it was tried with, and no others
	Open    int // the least of them, and everything after it
	Late    int // nothing until it had to adapt for the first time, bounded from then on
	Wrong   int // one major too many, on either end
}

// The grades of honesty that are measured.
var (
	Honest  = Honesty{"honest", 80, 10, 5, 0}
	Typical = Honesty{"typical", 40, 32, 10, 5}
	Poor    = Honesty{"poor", 10, 40, 10, 10}
)

// A History is a universe with a truth behind it, and an application in it.
type History struct {
	Dialect  Dialect
	Universe universe.Table // what releases state, as far as they are published by now
	App      project.Application
	Goal     project.Goal

	random   *rand.Rand
	honesty  Honesty
	packages []*pkg // in the order in which they were made: whatever a package uses comes before it
	byName   map[string]*pkg
	now      int  // in days
	admitted bool // what is stated admits the goal
}

const framework = "hull"

// epoch is day 0 of every history.
var epoch = time.Date(2015, 1, 1, 0, 0, 0, 0, time.UTC)

// New makes the history of a seed, or nil where the application that comes of it has fewer than four packages.
func New(d Dialect, honesty Honesty, seed uint64) (*History, error) {
	h := &History{Dialect: d, honesty: honesty, random: rand.New(rand.NewPCG(seed, 1729)), byName: map[string]*pkg{}}
	h.grow()
	goal := 2 + h.random.IntN(2) // the framework goes from 1 to 2, or from 2 to 3
	born := h.byName[framework].firstOf(goal)
	if born < 0 {
		return nil, nil
	}
	h.now = born + 20 + h.random.IntN(500)
	h.Universe = h.table(h.now, h.stated)
	h.Goal = project.Goal{Name: framework, Constraint: fmt.Sprint(goal)}
	ok, err := h.settle(born - 30 - h.random.IntN(250))
	if err != nil || !ok {
		return nil, err
	}
	return h, nil
}

// table builds the packages as they are on a day, with the demands that a function makes of a release.
func (h *History) table(day int, demands func(*pkg, *release) (needs, peers []universe.Demand)) universe.Table {
	t := universe.Table{}
	for _, p := range h.packages {
		var all []universe.Release
		for _, r := range p.releases {
			if r.day > day {
				continue
			}
			v, err := h.Dialect.Scheme.Parse(r.text())
			if err != nil {
				panic(fmt.Sprintf("a version that was made up is none: %v", err))
			}
			one := universe.Release{Version: v, Published: epoch.AddDate(0, 0, r.day), Claims: r.claims}
			one.Needs, one.Peers = demands(p, r)
			all = append(all, one)
		}
		if len(all) > 0 {
			t[p.name] = universe.NewPackage(p.name, h.Dialect.Scheme, all)
		}
	}
	return t
}

func (h *History) stated(_ *pkg, r *release) (needs, peers []universe.Demand) {
	return r.needs, r.peers
}

// settle sets the application down on a day: of each package the newest release that runs with the
// framework of that day. Packages that keep it from running are left out. It reports whether enough
// stay.
func (h *History) settle(day int) (bool, error) {
	scheme := h.Dialect.Scheme
	h.App = project.Application{Scheme: scheme, Strategy: h.Dialect.Strategy, Kin: h.Dialect.Kin,
		Frameworks: []string{framework}}
	hull := h.byName[framework].newestBefore(day, nil)
	if hull == nil || fmt.Sprint(hull.major+1) != h.Goal.Constraint {
		return false, nil
	}
	chosen := map[string]*release{framework: hull}
	names := []string{framework}
	for _, p := range h.packages {
		if p.name == framework || p.kind == below && h.random.IntN(2) == 0 {
			continue
		}
		if r := p.newestBefore(day, func(r *release) bool { return h.serves(r, chosen) }); r != nil &&
			(p.kind != below || h.usedBy(hull, p, r)) {
			chosen[p.name] = r
			names = append(names, p.name)
		}
	}
	visible := h.table(day, h.stated)
	for len(names) > 4 {
		problem := solve.Problem{Strategy: h.Dialect.Strategy, Single: []string{framework}}
		h.App.Declared = nil
		for _, name := range names {
			v, err := scheme.Parse(chosen[name].text())
			if err != nil {
				return false, err
			}
			style := []version.Style{version.NextMinor, version.NextMinor, version.NextMinor, version.NextPatch,
				version.Exact}[len(name)%5]
			if name == framework && h.now%3 == 0 { // a line that ends before the next minor
				style = version.NextPatch
			}
			d := project.Declared{Demand: universe.Demand{As: name, Package: name, Text: scheme.Styled(style, v)},
				Group: "dependencies"}
			h.App.Declared = append(h.App.Declared, d)
			root := d.Root()
			root.Among = []string{v.String()}
			problem.Roots = append(problem.Roots, root)
		}
		r, against, err := solve.Try(context.Background(), visible, problem)
		if err != nil {
			return false, err
		}
		if r != nil {
			breaks := h.Breaks(r)
			if len(breaks) == 0 {
				h.App.Locked = r
				return true, nil
			}
			against = []string{breaks[0].Of}
		}
		gone := names[len(names)-1]
		for _, name := range against { // which packages of a contradiction are left out decides nothing
			if name != framework && slices.Contains(names, name) {
				gone = name
			}
		}
		names = slices.DeleteFunc(names, func(name string) bool { return name == gone })
	}
	return false, nil
}

// serves reports whether all that a release uses of packages that were chosen is offered by these.
func (h *History) serves(r *release, chosen map[string]*release) bool {
	for of, names := range r.uses {
		if c := chosen[of]; c != nil && !c.has(names) {
			return false
		}
	}
	return true
}

func (h *History) usedBy(user *release, p *pkg, r *release) bool { return r.has(user.uses[p.name]) }
