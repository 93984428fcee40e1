package plan

import (
	"context"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"molt/core/project"
	"molt/core/universe"
	"molt/samples/projecttest"
)

// stated makes a small history in which every release states a bounded range of the framework,
// which later releases need not widen, so that no rule of judgement but "nothing goes back" has a
// say.
func stated(random *rand.Rand, packages int) string {
	var b strings.Builder
	b.WriteString("app: hull@^1")
	for i := range packages {
		fmt.Fprintf(&b, " p%d@^1.0", i)
	}
	b.WriteString("\nhull@1\nhull@1.1\nhull@2\nhull@2.1\nhull@3\n")
	for i := range packages {
		for _, v := range []string{"1.0.0", "1.1.0", "1.2.0", "2.0.0", "2.1.0"} {
			if v != "1.0.0" && random.IntN(3) == 0 {
				continue
			}
			says := []string{"^1", "1||2", "1||2||3", "2||3", "^2", "^3", "1.0.x||2"}[random.IntN(7)]
			if v == "1.0.0" {
				says = []string{"^1", "1||2", "1||2||3"}[random.IntN(3)]
			}
			fmt.Fprintf(&b, "p%d@%s: peer:hull@%s", i, v, says)
			if other := random.IntN(packages); other != i && v != "1.0.0" && random.IntN(3) == 0 {
				fmt.Fprintf(&b, " peer:p%d@%s", other, []string{"1.0.0", "^1", "^2"}[random.IntN(3)])
			}
			b.WriteString("\n")
		}
	}
	return b.String()
}

// cheapest tries every choice of releases none of which is before the locked one, and returns how
// few packages besides the framework make a breaking move in one that holds with the goal; -1 where
// none holds.
func cheapest(t *testing.T, source universe.Table, app project.Application, goal project.Goal) int {
	t.Helper()
	meant, err := app.Scheme.Goal(goal.Constraint)
	if err != nil {
		t.Fatal(err)
	}
	best := -1
	at := map[string]int{}
	holds := func() bool {
		for _, d := range app.Declared {
			for _, peer := range source[d.Package].Peers(at[d.As]) {
				if set, err := source[peer.Package].Admit(peer.Text); err != nil || !set.Has(at[peer.As]) {
					return false
				}
			}
		}
		return true
	}
	var choose func(k, majors int)
	choose = func(k, majors int) {
		if k == len(app.Declared) {
			if (best < 0 || majors < best) && holds() {
				best = majors
			}
			return
		}
		d := app.Declared[k]
		p := source[d.Package]
		from := p.Index(project.VersionOf(app.Locked, d.As))
		for i := from; i < p.Len(); i++ {
			if d.As == goal.Name && !meant.Admit(p.Versions()).Has(i) {
				continue
			}
			more := 0
			if d.As != goal.Name && app.Breaking(d.As, p.Version(from), p.Version(i)) {
				more = 1
			}
			at[d.As] = i
			choose(k+1, majors+more)
		}
	}
	choose(0, 0)
	return best
}

// TestPlansAgainstBruteForce: whether the goal can be reached, by hops or in one leap, is what
// trying everything says, and its stage has no more breaking moves than that needs.
func TestPlansAgainstBruteForce(t *testing.T) {
	count := seeds(60)
	reachable := 0
	for seed := range count {
		random := rand.New(rand.NewPCG(uint64(seed), 41))
		text := stated(random, 2+random.IntN(4))
		source, app := projecttest.Sketch(t, text)
		app.Kin = nil
		goal := project.Goal{Name: "hull", Constraint: []string{"2", "3"}[random.IntN(2)]}
		want := cheapest(t, source, app, goal)
		for _, cut := range []Cut{{Fresh: FreshNone, Leap: true}, {Fresh: FreshNone}, {}} {
			p, err := NewPlan(context.Background(), source, app, []project.Goal{goal}, cut)
			if err != nil {
				t.Fatal(err)
			}
			if p.Reachable != (want >= 0) {
				t.Fatalf("universe %d: plan %+v of %s says it can be reached: %v, trying everything says %d\n%s", seed, cut,
					goal, p.Reachable, want, text)
			}
			if !p.Reachable {
				continue
			}
			reachable++
			majors := map[string]bool{} // in the stage of the goal; a bridge is a move of its own that makes that stage smaller
			for _, st := range p.Stages[:p.AtGoal] {
				for _, c := range st.Changes {
					if st.Kind == BridgeStage {
						continue
					}
					if from, to := source[c.Name].Release(project.VersionOf(app.Locked, c.Name)),
						source[c.Name].Release(c.To.Version); c.Name != goal.Name && app.Breaking(c.Name, from.Version, to.Version) {
						majors[c.Name] = true
					}
				}
			}
			if cut.Leap && len(majors) > want {
				t.Errorf("universe %d: %d breaking moves with %s, %d would do\n%s\n%s", seed, len(majors), goal, want, moves(p),
					text)
			}
		}
	}
	if reachable < count {
		t.Errorf("%d plans reach the goal: the universes are too hard", reachable)
	}
}
