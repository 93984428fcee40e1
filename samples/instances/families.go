package instances

import (
	"fmt"
	"math/rand/v2"

	"molt/core/solve"
	"molt/core/universe"
)

// Families lists the families that are compared with other solvers, each as a function of a seed.
var Families = []struct {
	Name string
	Make func(seed uint64) Instance
}{
	{"random", Random},
	{"transition", Transition},
	{"conflicting", Conflicting},
	{"pigeonholes", func(seed uint64) Instance { return Pigeonholes(3+int(seed%4), int(seed/4%2)) }},
	{"chains", Chain},
	{"diamonds", Diamonds},
	{"histories", Histories},
	{"queens", func(seed uint64) Instance { return Queens(4+int(seed%4), seed) }},
}

// one asks for exactly one major.
func one(major int) string { return fmt.Sprintf("^%d.0.0", major) }

// Random has 12 packages of up to 5 releases; a release needs up to 3 packages at one or two of their majors.
func Random(seed uint64) Instance { return tangle("random", seed, 12, 5, 3, 2) }

// Transition is near the point where half of the instances have a solution: 20 packages of 4 releases, and a release
// needs two others, each at two of four majors.
func Transition(seed uint64) Instance { return tangle("transition", seed, 20, 4, 2, 2) }

func tangle(name string, seed uint64, packages, releases, needs, width int) Instance {
	random := rand.New(rand.NewPCG(seed, uint64(packages)))
	b := build(fmt.Sprintf("%s-%d", name, seed))
	count := make([]int, packages)
	for i := range count {
		count[i] = releases
		if name == "random" {
			count[i] = 1 + random.IntN(releases)
		}
	}
	for i := range packages {
		for r := range count[i] {
			var all []universe.Demand
			seen := map[int]bool{i: true}
			for range needs {
				j := random.IntN(packages)
				if seen[j] || name == "random" && random.IntN(2) == 0 {
					continue
				}
				seen[j] = true
				text := one(1 + random.IntN(count[j]))
				for range width - 1 {
					text += " || " + one(1+random.IntN(count[j]))
				}
				all = append(all, need(fmt.Sprintf("p%d", j), text))
			}
			b.release(fmt.Sprintf("p%d", i), r+1, 0, all...)
		}
	}
	for i := range max(2, packages/3) {
		b.root(fmt.Sprintf("p%d", i), "*")
	}
	return b.instance(solve.Single)
}

// Conflicting is layered like an ecosystem, with 40 packages in 5 layers and 6 releases each. Newer releases need newer
// majors of the next layer, and one need in four insists on an old one, so that the newest cannot all be had.
func Conflicting(seed uint64) Instance {
	random := rand.New(rand.NewPCG(seed, 2))
	b := build(fmt.Sprintf("conflicting-%d", seed))
	const layers, wide, releases = 5, 8, 6
	name := func(layer, i int) string { return fmt.Sprintf("l%d-%d", layer, i) }
	for layer := range layers {
		for i := range wide {
			for r := range releases {
				var all []universe.Demand
				if layer < layers-1 {
					for _, j := range random.Perm(wide)[:3] {
						major := r + 1
						if random.IntN(4) == 0 {
							major = 1 + random.IntN(releases)
						}
						text := one(major)
						if major > 1 {
							text += " || " + one(major-1)
						}
						all = append(all, need(name(layer+1, j), text))
					}
				}
				b.release(name(layer, i), r+1, 0, all...)
			}
		}
	}
	for i := range wide / 2 {
		b.root(name(0, i), "*")
	}
	return b.instance(solve.Single)
}

// Histories has the proportions of a registry: 120 packages in 6 layers with 30 releases each, of which one resolution
// looks at few. A release needs two of the next layer at or after a release of about its own age; one need in ten knows
// only an old major.
func Histories(seed uint64) Instance {
	random := rand.New(rand.NewPCG(seed, 6))
	b := build(fmt.Sprintf("histories-%d", seed))
	const layers, wide, majors, minors = 6, 20, 5, 6
	name := func(layer, i int) string { return fmt.Sprintf("h%d-%d", layer, i) }
	for layer := range layers {
		for i := range wide {
			for r := range majors * minors {
				var all []universe.Demand
				if layer < layers-1 {
					for _, j := range random.Perm(wide)[:2] {
						text := fmt.Sprintf(">=%d.%d.0", 1+r/minors, random.IntN(1+r%minors))
						if random.IntN(10) == 0 {
							text = one(1 + random.IntN(1+r/minors))
						}
						all = append(all, need(name(layer+1, j), text))
					}
				}
				b.release(name(layer, i), 1+r/minors, r%minors, all...)
			}
		}
	}
	for i := range wide / 2 {
		b.root(name(0, i), "*")
	}
	return b.instance(solve.Single)
}

// Pigeonholes puts holes+extra pigeons into so many holes: pigeon i at release h needs hole h at release i, and a hole
// has one release at a time. With an extra pigeon there is no solution, and no short proof by resolution.
func Pigeonholes(holes, extra int) Instance {
	b := build(fmt.Sprintf("pigeonholes-%d+%d", holes, extra))
	pigeons := holes + extra
	for h := range holes {
		for i := range pigeons {
			b.release(fmt.Sprintf("hole%d", h), i+1, 0)
		}
	}
	for i := range pigeons {
		for h := range holes {
			b.release(fmt.Sprintf("pigeon%d", i), h+1, 0, need(fmt.Sprintf("hole%d", h), one(i+1)))
		}
		b.root(fmt.Sprintf("pigeon%d", i), "*")
	}
	return b.instance(solve.Single)
}

// Chain is 60 packages in a row with 8 releases each; a release needs the next at its own major or one lower, and now
// and then only one lower. The last release of the last package is asked for as well, or not.
func Chain(seed uint64) Instance {
	random := rand.New(rand.NewPCG(seed, 3))
	b := build(fmt.Sprintf("chain-%d", seed))
	const long, releases = 60, 8
	for i := range long {
		for r := 1; r <= releases; r++ {
			text := one(r) + " || " + one(max(1, r-1))
			if random.IntN(12) == 0 {
				text = one(max(1, r-1))
			}
			if i == long-1 {
				b.release(fmt.Sprintf("link%d", i), r, 0)
			} else {
				b.release(fmt.Sprintf("link%d", i), r, 0, need(fmt.Sprintf("link%d", i+1), text))
			}
		}
	}
	b.root("link0", "*")
	b.root(fmt.Sprintf("link%d", long-1), one(1+random.IntN(releases)))
	return b.instance(solve.Single)
}

// Diamonds stacks 15 diamonds: a top needs a left and a right, both of which need a bottom, which
// is the top of the next. Left and right agree on the bottom only at some of their releases.
func Diamonds(seed uint64) Instance {
	random := rand.New(rand.NewPCG(seed, 4))
	b := build(fmt.Sprintf("diamonds-%d", seed))
	const high, releases = 15, 5
	for i := range high {
		for r := range releases {
			b.release(fmt.Sprintf("top%d", i), r+1, 0, need(fmt.Sprintf("left%d", i), "*"), need(fmt.Sprintf("right%d", i), "*"))
			for _, side := range []string{"left", "right"} {
				b.release(fmt.Sprintf("%s%d", side, i), r+1, 0, need(fmt.Sprintf("top%d", i+1), one(1+random.IntN(releases))))
			}
		}
	}
	for r := range releases {
		b.release(fmt.Sprintf("top%d", high), r+1, 0)
	}
	b.root("top0", "*")
	return b.instance(solve.Single)
}

// Queens is the puzzle of n queens, some squares of which are taken away: the queen of a row at a
// release stands in that column, and needs the column and both diagonals for itself.
func Queens(n int, seed uint64) Instance {
	random := rand.New(rand.NewPCG(seed, 5))
	b := build(fmt.Sprintf("queens-%d-%d", n, seed))
	lines := map[string]bool{}
	for row := range n {
		placed := false
		for column := range n {
			if random.IntN(4) == 0 && (placed || column < n-1) {
				continue
			}
			placed = true
			var all []universe.Demand
			for _, line := range []string{
				fmt.Sprintf("column%d", column), fmt.Sprintf("rising%d", row+column), fmt.Sprintf("falling%d", n+row-column)} {
				lines[line] = true
				all = append(all, need(line, one(row+1)))
			}
			b.release(fmt.Sprintf("queen%d", row), column+1, 0, all...)
		}
		b.root(fmt.Sprintf("queen%d", row), "*")
	}
	for line := range lines {
		for row := range n {
			b.release(line, row+1, 0)
		}
	}
	return b.instance(solve.Single)
}
