package history_test

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strconv"
	"strings"
	"testing"

	"molt/core/history"
	"molt/core/plan"
	"molt/core/solve"
	"molt/ecosystem/js"
	"molt/ecosystem/python"
)

// scripts and snakes are the two dialects: peers, types and several releases of one package beside
// one another; and one release of each, with classifiers and minors that break.
var (
	scripts = history.Dialect{Name: "nested", Scheme: js.JS{}.Scheme(), Strategy: js.JS{}.Strategy(), Kin: js.JS{}.Kin,
		Peers: true, Types: true,
		Bounded: func(from, to int) string {
			var all []string
			for major := from; major <= to; major++ {
				all = append(all, fmt.Sprintf("^%d.0.0", major))
			}
			return strings.Join(all, " || ")
		},
		Open: func(from int) string { return fmt.Sprintf(">=%d", from) },
		Only: func(some, _ []string) string { return strings.Join(some, " || ") },
	}
	snakes = history.Dialect{Name: "single", Scheme: python.Python{}.Scheme(), Strategy: solve.Single,
		Kin: python.Python{}.Kin, Classes: true, Loose: true,
		Bounded: func(from, to int) string { return fmt.Sprintf(">=%d.0,<%d", from, to+1) },
		Open:    func(from int) string { return fmt.Sprintf(">=%d.0", from) },
		Only: func(some, all []string) string {
			in := map[string]bool{}
			for _, v := range some {
				in[v] = true
			}
			var not []string
			for _, v := range all {
				if !in[v] {
					not = append(not, "!="+v)
				}
			}
			return strings.Join(not, ",")
		},
	}
)

func seeds(t *testing.T, usual int) int {
	if n, err := strconv.Atoi(os.Getenv("MOLT_HISTORIES")); err == nil {
		return n
	}
	if testing.Short() {
		t.Skip("histories take a while")
	}
	return usual
}

// measured tallies the policies over some histories: what is stated believed, all newest, and plans.
func measured(t *testing.T, d history.Dialect, honesty history.Honesty,
	count int) (believed, newest, plans history.Tally) {
	t.Helper()
	ctx := context.Background()
	believed.Policy, newest.Policy, plans.Policy = history.Believed, "all newest", "plan"
	for seed := range count {
		h, err := history.New(d, honesty, uint64(seed))
		if err != nil {
			t.Fatalf("seed %d: %v", seed, err)
		}
		if h == nil {
			continue
		}
		if breaks := h.Breaks(h.App.Locked); breaks != nil {
			t.Fatalf("seed %d: the application does not run where it stands: %v", seed, breaks)
		}
		need, err := h.Need(ctx)
		if err != nil {
			t.Fatalf("seed %d: %v", seed, err)
		}
		if err := errors.Join(believed.Resolver(ctx, h, need), newest.Newest(ctx, h, need)); err != nil {
			t.Fatalf("seed %d: %v", seed, err)
		}
		p, err := plans.Plan(ctx, h, need, plan.Cut{})
		if err != nil {
			t.Fatalf("seed %d: %v", seed, err)
		}
		if p.Reachable != p.Assessed.Reachable {
			t.Errorf("%s, %s, seed %d: reachable is %v in the plan and %v in what it rests on", d.Name, honesty.Name,
				seed, p.Reachable, p.Assessed.Reachable)
		}
	}
	return believed, newest, plans
}

// TestTable prints how plans fare in truth, by honesty, beside two naive policies:
// MOLT_HISTORIES=250 go test ./core/history -run Table -v. Whatever the metadata is like, nothing
// goes back, hardly a wall is false, and a plan runs more often than what comes of believing it.
func TestTable(t *testing.T) {
	var b strings.Builder
	for _, d := range []history.Dialect{scripts, snakes} {
		for _, honesty := range []history.Honesty{history.Honest, history.Typical, history.Poor} {
			believed, newest, plans := measured(t, d, honesty, seeds(t, 5))
			fmt.Fprintf(&b, "\n%s, %s\n%s\n%s\n%s\n%s\n", d.Name, honesty.Name, history.TallyHead, believed, newest, plans)
			if plans.Downgrades > 0 || honesty.Name != history.Poor.Name && plans.Told > 2+plans.Stages/33 ||
				50*plans.Walls > plans.Possible+49 || plans.GoalBreaks*believed.Goals > believed.GoalBreaks*plans.Goals {
				t.Errorf("%s, %s:\n%s\n%s", d.Name, honesty.Name, history.TallyHead, plans)
			}
		}
	}
	t.Log(b.String())
}

// The same seed makes the same history, and where every release states exactly what it runs with, what resolves runs.
func TestHistories(t *testing.T) {
	made := 0
	for seed := range uint64(12) {
		for _, d := range []history.Dialect{scripts, snakes} {
			h, err := history.New(d, history.Typical, seed)
			if err != nil || h == nil {
				continue
			}
			made++
			again, err := history.New(d, history.Typical, seed)
			if err != nil || fmt.Sprint(again.App.Declared) != fmt.Sprint(h.App.Declared) ||
				fmt.Sprint(again.App.Locked) != fmt.Sprint(h.App.Locked) {
				t.Errorf("%s, seed %d: two histories of one seed differ: %v", d.Name, seed, err)
			}
			r, err := solve.Resolve(context.Background(), h.Truth(), h.App.Problem())
			if solve.AsTangle(err) != nil {
				continue // the lines of the manifest admit nothing that runs
			}
			if err != nil {
				t.Fatal(err)
			}
			if breaks := h.Breaks(r); breaks != nil {
				t.Errorf("%s, seed %d: what resolves in truth does not run: %v", d.Name, seed, breaks)
			}
		}
	}
	if made < 12 {
		t.Errorf("%d histories have an application", made)
	}
}
