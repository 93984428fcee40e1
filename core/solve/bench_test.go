package solve_test

import (
	"context"
	"fmt"
	"runtime"
	"slices"
	"strings"
	"testing"

	"molt/core/solve"
	"molt/core/universe"
	"molt/samples/instances"
)

var tenancies = []struct {
	name string
	t    solve.Strategy
}{{"nested", solve.Nested}, {"single", solve.Single}}

func BenchmarkLayered(b *testing.B) {
	for _, tenancy := range tenancies {
		for _, n := range []int{100, 1000, 10000, 50000} {
			b.Run(fmt.Sprintf("%s/%d", tenancy.name, n), func(b *testing.B) {
				in := instances.Layered(n, tenancy.t)
				size := 0
				b.ReportAllocs()
				runtime.GC() // what making the universe left behind is not the search's
				for b.Loop() {
					r, err := solve.Resolve(context.Background(), in.Source, in.Problem)
					if err != nil {
						b.Fatal(err)
					}
					size = len(r.Packages)
				}
				b.ReportMetric(float64(size), "packages")
			})
		}
	}
}

// BenchmarkWalk goes through the packages of a Layered universe and does no more: it takes the
// newest release that the first need of a package admits. It is the yardstick of how Layered grows,
// since memory is the slower, the more of it is looked at.
func BenchmarkWalk(b *testing.B) {
	for _, n := range []int{100, 1000, 10000, 50000} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			in := instances.Layered(n, solve.Nested)
			size := 0
			runtime.GC()
			for b.Loop() {
				size = walk(b, in)
			}
			b.ReportMetric(float64(size), "packages")
		})
	}
}

// walk returns how many packages it went through.
func walk(b *testing.B, in instances.Instance) int {
	seen := map[string]bool{}
	var waiting []universe.Demand
	for _, r := range in.Problem.Roots {
		waiting = append(waiting, r.Demand)
	}
	for len(waiting) > 0 {
		d := waiting[0]
		waiting = waiting[1:]
		if seen[d.Package] {
			continue
		}
		seen[d.Package] = true
		p, err := in.Source.Package(context.Background(), d.Package)
		if err != nil {
			b.Fatal(err)
		}
		set, err := p.Admit(d.Text)
		if err != nil {
			b.Fatal(err)
		}
		waiting = append(waiting, p.Needs(set.Max())...)
	}
	return len(seen)
}

// BenchmarkConflicts resolves instances of every family that have a solution, and has the others end in a tangle.
func BenchmarkConflicts(b *testing.B) {
	for _, tenancy := range tenancies {
		for _, family := range instances.Families {
			var solvable, tangled []instances.Instance
			for seed := uint64(0); seed < 60; seed++ {
				in := family.Make(seed)
				in.Problem.Strategy = tenancy.t
				if tenancy.t == solve.Nested { // one release of everything, so that there is something to fight over
					for name := range in.Source {
						in.Problem.Single = append(in.Problem.Single, name)
					}
				}
				if ok, err := solve.Possible(context.Background(), in.Source, in.Problem); err != nil {
					b.Fatal(err)
				} else if ok {
					solvable = append(solvable, in)
				} else {
					tangled = append(tangled, in)
				}
			}
			for kind, all := range map[string][]instances.Instance{"solved": solvable, "tangle": tangled} {
				if len(all) == 0 {
					continue
				}
				b.Run(fmt.Sprintf("%s/%s/%s", tenancy.name, family.Name, kind), func(b *testing.B) {
					for i := 0; b.Loop(); i++ {
						in := all[i%len(all)]
						_, err := solve.Resolve(context.Background(), in.Source, in.Problem)
						if (err == nil) != (kind == "solved") {
							b.Fatal(err)
						}
					}
				})
			}
		}
	}
}

// BenchmarkOptimum moves an application's first package back by a major, and as little else as can be.
func BenchmarkOptimum(b *testing.B) {
	for _, tenancy := range tenancies {
		for _, n := range []int{100, 1000} {
			b.Run(fmt.Sprintf("%s/%d", tenancy.name, n), func(b *testing.B) {
				in := instances.Layered(n, tenancy.t)
				locked, err := solve.Resolve(context.Background(), in.Source, in.Problem)
				if err != nil {
					b.Fatal(err)
				}
				p := in.Problem
				p.Keep = locked.Versions()
				p.Roots = append([]solve.Root(nil), p.Roots...)
				p.Roots[0].Text = "<" + locked.Root(p.Roots[0].As).Version
				var stay solve.Objective
				for name, versions := range p.Keep {
					stay.Soft = append(stay.Soft, solve.SoftConstraint{Package: name, Among: versions})
				}
				slices.SortFunc(stay.Soft, func(a, b solve.SoftConstraint) int { return strings.Compare(a.Package, b.Package) })
				moved := 0
				for b.Loop() {
					best, err := solve.NewOptimizer(context.Background(), in.Source, p).Minimize(stay)
					if err != nil || !best.Proven() {
						b.Fatal(err, best)
					}
					moved = best.Cost[0]
				}
				b.ReportMetric(float64(moved), "moved")
			})
		}
	}
}
