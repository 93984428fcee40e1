package history_test

import (
	"context"
	"testing"

	"molt/core/assess"
	"molt/core/history"
	"molt/core/plan"
	"molt/core/project"
)

// TestOneView: what an assessment says of a package is what a plan does with it: what is ready stays in its major, a
// bridge is taken before the framework moves, what goes together moves with it; to the same releases, but for a few
// where a stage before the goal changes what is best, or the release of the framework in use does not let a bridge go
// ahead and a later one would.
func TestOneView(t *testing.T) {
	ctx := context.Background()
	standings, otherwise := 0, 0
	for _, d := range []history.Dialect{scripts, snakes} {
		for _, honesty := range []history.Honesty{history.Honest, history.Typical, history.Poor} {
			for seed := range uint64(seeds(t, 4)) {
				h, err := history.New(d, honesty, seed)
				if err != nil || h == nil {
					continue
				}
				got, err := assess.Assess(ctx, h.Universe, h.App, h.Goal)
				if err != nil {
					t.Fatal(err)
				}
				p, err := plan.NewPlan(ctx, h.Universe, h.App, []project.Goal{h.Goal}, plan.Cut{Fresh: plan.FreshNone, Leap: true})
				if err != nil {
					t.Fatal(err)
				}
				fault := func(what, name string) {
					t.Errorf("%s, %s, seed %d: %s %s", d.Name, honesty.Name, seed, name, what)
				}
				if got.Reachable != p.Reachable {
					fault("reached in one and not in the other", h.Goal.Name)
				}
				if !got.Reachable || !p.Reachable || p.AtGoal == 0 {
					continue
				}
				before, after := h.App.Locked, p.Stages[p.AtGoal-1].After
				for _, st := range p.Stages[:p.AtGoal-1] {
					if st.After != nil {
						before = st.After
					}
				}
				if v := project.VersionOf(after, h.Goal.Name); v != got.Release {
					fault("goes to "+v+", and not to "+got.Release, h.Goal.Name)
				}
				for _, a := range got.Packages {
					was, is := project.VersionOf(before, a.Name), project.VersionOf(after, a.Name)
					if a.By != "" || is == "" {
						continue
					}
					standings++
					switch {
					case a.Standing == project.Blocked:
						fault("is blocked, and the goal is reached", a.Name)
					case a.Standing == project.Together && is == was, a.Standing == project.Bridge && is == a.Locked:
						fault("is not moved", a.Name)
					case a.Standing == project.Ready &&
						h.App.Breaking(a.Name, h.Universe[a.Name].Known(a.Locked).Version, h.Universe[a.Name].Known(is).Version):
						fault("is ready, and moved", a.Name)
					case a.Standing == project.Bridge && was == a.Locked || a.To != "" && is != a.To || a.To == "" && is != a.Locked:
						otherwise++
						t.Logf("%s, %s, seed %d: %s %s goes to %s, and not to %q", d.Name, honesty.Name, seed, a.Name, a.Locked, is, a.To)
					}
				}
			}
		}
	}
	if otherwise*200 > standings || standings == 0 {
		t.Errorf("of %d, %d go elsewhere", standings, otherwise)
	}
}
