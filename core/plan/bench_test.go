package plan

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"molt/core/assess"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/samples/projecttest"
)

// shipyard makes an application with a framework of three majors and declared packages of all
// standings, each with a chain of packages of its own below it.
func shipyard(tb testing.TB, packages int) (universe.Table, project.Application) {
	var b strings.Builder
	b.WriteString("app: f@^1.0.0")
	for k := range packages {
		fmt.Fprintf(&b, " p%d@^1.0.0", k)
	}
	b.WriteString("\nf@1.0\nf@1.4\nf@2.0\nf@2.2\nf@3.0\nf@3.1\n")
	ranges := [][]string{{"^1", "^1||^2", "^2||^3"}, {"^1||^2||^3", "^1||^2||^3", "^2||^3"}, {"^1", "^2", "^3"},
		{">=1", ">=1", ">=2"}}
	for k := range packages {
		for major := 1; major <= 3; major++ {
			for minor := range 6 {
				fmt.Fprintf(&b, "p%d@%d.%d: peer:f@%s q%d-0@^%d\n", k, major, minor, ranges[k%len(ranges)][major-1], k, major)
			}
		}
		for depth := range 10 {
			for major := 1; major <= 3; major++ {
				fmt.Fprintf(&b, "q%d-%d@%d.0: q%d-%d@^%d\nq%d-%d@%d.1: q%d-%d@^%d\n", k, depth, major, k, depth+1, major,
					k, depth, major, k, depth+1, major)
			}
		}
		fmt.Fprintf(&b, "q%d-10@1.0\nq%d-10@2.0\nq%d-10@3.0\n", k, k, k)
	}
	return projecttest.Sketch(tb, b.String())
}

// The yardstick of the other two: solving the application once. 60 declared packages, 700 in all.
func BenchmarkSolveOnce(b *testing.B) {
	source, app := shipyard(b, 60)
	app.Strategy = solve.Nested
	for b.Loop() {
		if _, err := project.Relock(context.Background(), source, app); err != nil {
			b.Fatal(err)
		}
	}
}

func BenchmarkAssess(b *testing.B) {
	source, app := shipyard(b, 60)
	app.Strategy = solve.Nested
	for b.Loop() {
		if got, err := assess.Assess(context.Background(), source,
			app, project.Goal{Name: "f", Constraint: "3"}); err != nil || !got.Reachable {
			b.Fatal(got, err)
		}
	}
}

func BenchmarkPlan(b *testing.B) {
	source, app := shipyard(b, 60)
	app.Strategy = solve.Nested
	for b.Loop() {
		if plan, err := NewPlan(context.Background(), source, app, []project.Goal{{Name: "f", Constraint: "3"}},
			Cut{Fresh: FreshMinor}); err != nil || !plan.Reachable {
			b.Fatal(plan, err)
		}
	}
}
