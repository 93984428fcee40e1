// Package instances makes universes of several families for benchmarks and for comparison with other solvers. The same
// parameters give the same universe. Each shape is described at its function; names carry the family, so that a failing
// instance can be told at sight.
package instances

import (
	"fmt"
	"math/rand/v2"

	"molt/core/solve"
	"molt/core/universe"
	"molt/ecosystem/js/ranges"
)

// An Instance is a universe and what an application asks of it.
type Instance struct {
	Name    string
	Source  universe.Table
	Problem solve.Problem
}

// A builder collects packages.
type builder struct {
	name     string
	names    universe.Numbers
	releases map[string][]universe.Release
	roots    []solve.Root
}

func build(name string) *builder {
	return &builder{name: name, releases: map[string][]universe.Release{}}
}

// release adds a release major.minor.0; demands are needs.
func (b *builder) release(name string, major, minor int, needs ...universe.Demand) {
	v, err := ranges.Scheme.Parse(fmt.Sprintf("%d.%d.0", major, minor))
	if err != nil {
		panic(err) // numbers make versions
	}
	for k := range needs {
		b.names.Enter(&needs[k])
	}
	b.releases[name] = append(b.releases[name], universe.Release{Version: v, Needs: needs})
}

func (b *builder) root(name, constraint string) {
	b.roots = append(b.roots, solve.Root{Demand: need(name, constraint), Group: "dependencies"})
}

func (b *builder) instance(tenancy solve.Strategy) Instance {
	t := universe.Table{}
	for name, releases := range b.releases {
		t[name] = universe.NewPackage(b.names.Text(name), ranges.Scheme, releases)
	}
	return Instance{b.name, t, solve.Problem{Strategy: tenancy, Roots: b.roots}}
}

func need(name, constraint string) universe.Demand {
	return universe.Demand{As: name, Package: name, Text: constraint}
}

// Layered is shaped like an ecosystem: n packages, 4 to 12 releases each in one to three majors.
// Every package but the declared ones is needed by some earlier package at its newest major; a
// release needs up to 4 more of deeper layers, by caret, half of them among the last tenth, which
// are popular. Everything can be had at its newest: there is no conflict, and the resolution holds
// all n packages. One package in 40 is declared.
func Layered(n int, tenancy solve.Strategy) Instance {
	random := rand.New(rand.NewPCG(uint64(n), 1))
	b := build(fmt.Sprintf("layered-%d", n))
	name := func(i int) string { return fmt.Sprintf("pkg-%d", i) }
	majors, children := make([]int, n), make([][]int, n)
	declared := max(1, n/40)
	for i := range majors {
		majors[i] = 1 + random.IntN(3)
		if i >= declared {
			parent := random.IntN(i)
			children[parent] = append(children[parent], i)
		}
	}
	for i := range n {
		for major := 1; major <= majors[i]; major++ {
			for minor := range 4 {
				seen := map[int]bool{}
				var needs []universe.Demand
				add := func(j int) {
					if !seen[j] {
						seen[j] = true
						needs = append(needs, need(name(j), fmt.Sprintf("^%d.0.0", majors[j])))
					}
				}
				for _, j := range children[i] {
					add(j)
				}
				for range random.IntN(5) {
					switch {
					case i+1 >= n:
					case random.IntN(2) == 0:
						add(max(i+1, n-1-random.IntN(n/10+1)))
					default:
						add(i + 1 + random.IntN(n-i-1))
					}
				}
				b.release(name(i), major, minor, needs...)
			}
		}
	}
	for i := range declared {
		b.root(name(i), fmt.Sprintf("^%d.0.0", majors[i]))
	}
	return b.instance(tenancy)
}
