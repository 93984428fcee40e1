package plan

import (
	"context"
	"math/rand/v2"
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"

	"molt/core/assess"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
	"molt/samples/projecttest"
)

func TestPlans(t *testing.T) {
	tests := []struct{ name, universe, want string }{
		{"safe moves first, each size together", `
			app: hulk@^3.0.0 keel@^1.0.0 mast@~1.1.0 pin@1.0.0 old@^0.1.0
			hulk@3.0
			hulk@3.0.4
			hulk@4.0
			keel@1.0
			keel@1.0.2
			keel@1.3
			mast@1.1
			mast@1.2
			pin@1.0
			pin@1.1
			old@0.1
			old@0.1.5
			old@0.2`,
			"patch: hulk 3.0.0>3.0.4, keel 1.0.0>1.0.2, old 0.1.0>0.1.5; minor: keel 1.0.2>1.3.0, pin 1.0.0>1.1.0 1.0.0>1.1.0; " +
				"goal-4: hulk 3.0.4>4.0.0 ^3.0.0>^4.0.0; after-old: old 0.1.5>0.2.0 ^0.1.0>^0.2.0"},
		{"a line that ends before the next major goes past that for the goal alone", `
			app: hulk@^3 keel@~1.1.0 mast@1.0||1.1 sail@~1.0
			hulk@3.0
			hulk@4.0
			keel@1.1: peer:hulk@^3
			keel@1.2: peer:hulk@^3||^4
			keel@2.0: peer:hulk@^4
			mast@1.1
			mast@1.2
			mast@2.0
			sail@1.0
			sail@2.0`,
			"bridge-keel: keel 1.1.0>1.2.0 ~1.1.0>~1.2.0; goal-4: hulk 3.0.0>4.0.0 ^3>^4; after-keel: keel 1.2.0>2.0.0 " +
				"~1.2.0>~2.0.0; after-sail: sail 1.0.0>2.0.0 ~1.0>~2.0"},
		{"later releases interpret earlier ones in the tail", `
			app: hulk@^3 lang@^4 parser@^5
			hulk@3.0
			hulk@4.0
			lang@4.0
			lang@6.0
			lang@7.0
			parser@5.0
			parser@8.0
			parser@8.1: peer:lang@4||6`,
			"goal-4: hulk 3.0.0>4.0.0 ^3>^4; after-lang: lang 4.0.0>6.0.0 ^4>^6; after-parser: parser 5.0.0>8.1.0 ^5>^8"},
		{"the newest, though a package that stays holds an older one", `
			app: hulk@^3.0.0 keel@^1.0.0 mast@^1.0.0
			hulk@3.0
			hulk@4.0
			keel@1.0
			keel@1.1
			mast@1.0: keel@^1.0`,
			"minor: keel 1.0.0>1.1.0; goal-4: hulk 3.0.0>4.0.0 ^3.0.0>^4.0.0"},
		{"bridge, then together", `
			app: hulk@^3.0.0 b@^1.0.0 w@^1.0.0
			hulk@3.0
			hulk@4.0
			b@1.0: peer:hulk@^3
			b@2.0: peer:hulk@^3||^4
			w@1.0: peer:hulk@^3
			w@2.0: peer:hulk@^4`,
			"bridge-b: b 1.0.0>2.0.0 ^1.0.0>^2.0.0; goal-4: hulk 3.0.0>4.0.0 ^3.0.0>^4.0.0, w 1.0.0>2.0.0 ^1.0.0>^2.0.0"},
		{"a pin that blocks is moved, and stays a pin", `
			app: hulk@^3.0.0 pin@1.0.0
			hulk@3.0
			hulk@4.0
			pin@1.0: peer:hulk@^3
			pin@1.1: peer:hulk@^3||^4`,
			"minor: pin 1.0.0>1.1.0 1.0.0>1.1.0; goal-4: hulk 3.0.0>4.0.0 ^3.0.0>^4.0.0"},
		{"one major at a time, and over one that does not hold", `
			app: hulk@^3.0.0 w@^1.0.0
			hulk@3.0
			hulk@4.0
			hulk@5.0
			hulk@6.0
			w@1.0: peer:hulk@^3
			w@2.0: peer:hulk@^4
			w@3.0: peer:hulk@^6`,
			"goal-4: hulk 3.0.0>4.0.0 ^3.0.0>^4.0.0, w 1.0.0>2.0.0 ^1.0.0>^2.0.0; goal-6: hulk 4.0.0>6.0.0 ^4.0.0>^6.0.0, w " +
				"2.0.0>3.0.0 ^2.0.0>^3.0.0"},
		{"a code generator moves with its runtime", `
			app: hulk@^3.0.0 schema@^1.0.0 gen@^1.0.0
			hulk@3.0
			hulk@4.0
			schema@1.0: peer:hulk@^3
			schema@2.0: peer:hulk@^4
			gen@1.0: peer:schema@1.0.0
			gen@2.0: peer:schema@2.0.0`,
			"goal-4: hulk 3.0.0>4.0.0 ^3.0.0>^4.0.0, schema 1.0.0>2.0.0 ^1.0.0>^2.0.0, gen 1.0.0>2.0.0 ^1.0.0>^2.0.0"},
		{"what the goal opens, each breaking move on its own", `
			app: hulk@^3.0.0 x@^1.0.0 y@^1.0.0 z@^1.0.0
			hulk@3.0
			hulk@4.0
			x@1.0
			x@1.1: peer:hulk@^4
			y@1.0
			y@2.0: peer:z@^2
			z@1.0
			z@2.0`,
			"goal-4: hulk 3.0.0>4.0.0 ^3.0.0>^4.0.0; after-minor: x 1.0.0>1.1.0; after-z: z 1.0.0>2.0.0 ^1.0.0>^2.0.0; " +
				"after-y: y 1.0.0>2.0.0 ^1.0.0>^2.0.0"},
		{"retiring packages go, are replaced, or go with the goal", `
			app: hulk@^3.0.0 old@^1.0.0 part@^1.0.0
			hulk@3.0
			hulk@4.0
			old@1.0 # renamed to new
			new@2.0
			part@1.0: peer:hulk@^3 # part of hulk`,
			"goal-4: hulk 3.0.0>4.0.0 ^3.0.0>^4.0.0, part 1.0.0>-; retire-old: old 1.0.0>-, new ->2.0.0"},
		{"nobody goes back to an open range to get there", `
			app: hulk@^3.0.0 lab@^1.0.1
			hulk@3.0
			hulk@4.0
			lab@1.0: peer:hulk@*
			lab@1.0.1: peer:hulk@<4
			lab@2.0: peer:hulk@^4`,
			"goal-4: hulk 3.0.0>4.0.0 ^3.0.0>^4.0.0, lab 1.0.1>2.0.0 ^1.0.1>^2.0.0"},
		{"the goal is reached already", `
			app: hulk@^4.0.0
			hulk@3.0
			hulk@4.0`, ""},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			source, app := projecttest.Sketch(t, test.universe)
			plan := mustPlan(t, source, app, project.Goal{Name: "hulk"})
			if got := longChanges(plan); got != test.want {
				t.Errorf("got  %s\nwant %s", got, test.want)
			}
			if !plan.Reachable {
				t.Error("the goal is out of reach")
			}
		})
	}
}

func TestHeldStays(t *testing.T) {
	source, app := projecttest.Sketch(t, "app: hulk@^3.0.0 keel@^1.0.0\nhulk@3.0\nhulk@4.0\nkeel@1.0\nkeel@1.1\nkeel@2.0")
	app.Held = []string{"keel"}
	if got := changes(mustPlan(t, source,
		app, project.Goal{Name: "hulk", Constraint: "4"})); got != "goal-4: hulk 3.0.0>4.0.0" {
		t.Errorf("the plan is %s", got)
	}
	source, app = projecttest.Sketch(
		t, "app: hulk@^3.0.0 keel@^1.0.0\nhulk@3.0\nhulk@4.0\nkeel@1.0: peer:hulk@^3\nkeel@2.0: peer:hulk@^4")
	app.Held = []string{"keel"}
	plan := mustPlan(t, source, app, project.Goal{Name: "hulk", Constraint: "4"})
	if plan.Reachable {
		t.Errorf("a hold was broken: %s", changes(plan))
	}
}

// Out of reach, a plan does what can be done and names the wall.
func TestWall(t *testing.T) {
	source, app := projecttest.Sketch(t, projecttest.Harbour)
	plan := mustPlan(t, source, app, project.Goal{Name: "hulk", Constraint: "5"})
	if plan.Reachable || len(plan.Wall) != 2 || !plan.Wall[1].Is(PreviewWould) || plan.Wall[1].Of[1] != "2.0.0-rc.1" {
		t.Errorf("reachable %v, wall %s", plan.Reachable, plan.Wall)
	}
	if got := changes(plan); !strings.HasPrefix(got, "minor: hulk 3.0.0>3.2.0, blocked 1.0.0>1.1.0") {
		t.Errorf("the plan is %s", got)
	}
}

func TestBaseline(t *testing.T) {
	source, app := projecttest.Sketch(t, "app: hulk@^3.0.0\nhulk@3.0\nhulk@4.0")
	app.Locked = nil
	plan := mustPlan(t, source, app, project.Goal{Name: "hulk", Constraint: "4"})
	if plan.Stages[0].Kind != BaselineStage || plan.Stages[0].Locked.Added != 1 || len(plan.Stages[0].Changes) != 0 {
		t.Errorf("the first stage is %+v", plan.Stages[0])
	}
}

func TestRuntimeStage(t *testing.T) {
	source, app := projecttest.Sketch(t, "app: hulk@^3.0.0\nhulk@3.0\nhulk@4.0\nhulk@5.0")
	source["hulk"].At(1).Runtimes = []universe.Requirement{{Name: "node", Text: ">=20"}}
	source["hulk"].At(2).Runtimes = []universe.Requirement{{Name: "node", Text: ">=22"}}
	app.Runtimes = project.Runtimes{"node": project.Everywhere("20.1.0")}
	plan := mustPlan(t, source, app, project.Goal{Name: "hulk", Constraint: "5"})
	var ids []string
	for _, s := range plan.Stages {
		ids = append(ids, s.ID)
	}
	if got := strings.Join(ids, " "); got != "goal-4 runtime-5 goal-5" {
		t.Errorf("the stages are %s", got)
	}
	if app.Runtimes["node"].String() != "20.1.0" {
		t.Error("planning changed the application")
	}
}

// Every stage of every plan resolves, no stage holds what its title denies, and what stands in a goal's stage could not
// have gone before.
func TestPlansOnRandomUniverses(t *testing.T) {
	count := seeds(150)
	reached, bridged, together := 0, 0, 0
	for seed := range count {
		random := rand.New(rand.NewPCG(uint64(seed), 3))
		text := projecttest.RandomHarbour(random)
		source, app := projecttest.Sketch(t, text)
		if app.Locked == nil || app.Locked.Root("f").Version >= "3" {
			continue
		}
		if seed%2 == 1 {
			app.Strategy = solve.Nested
		}
		cut := Cut{Fresh: Freshness[random.IntN(len(Freshness))], Leap: random.IntN(2) == 0}
		plan, err := NewPlan(context.Background(), source, app, []project.Goal{{Name: "f", Constraint: "3"}}, cut)
		if err != nil {
			t.Fatalf("seed %d: %v\n%s", seed, err, text)
		}
		if plan.Reachable {
			reached++
		}
		declared, before := app.Declared, app.Locked
		for _, st := range plan.Stages {
			if st.After == nil {
				continue
			}
			next := projecttest.Applied(declared, st.Changes)
			p := solve.Problem{Strategy: app.Strategy}
			for _, d := range next {
				p.Roots = append(p.Roots, solve.Root{Demand: d.Demand, Group: d.Group})
			}
			if err := solve.Verify(context.Background(), source, p, st.After); err != nil {
				t.Fatalf("seed %d, stage %s: %v\n%s", seed, st.ID, err, text)
			}
			for _, c := range st.Changes {
				if c.To.Version != "" && project.VersionOf(st.After, c.Name) != c.To.Version {
					t.Fatalf("seed %d, stage %s: %s is at %s, not %s\n%s", seed, st.ID, c.Name, project.VersionOf(st.After, c.Name),
						c.To.Version, text)
				}
				switch {
				case st.Kind == BridgeStage:
					bridged++
				case st.Kind == GoalStage && c.Name != "f":
					together++
					if early := goneBefore(t, source, app.Strategy, declared, before, c); early {
						t.Fatalf("seed %d: %s could have moved to %s before the goal\n%s\n%s", seed, c.Name, c.To.Version, changes(plan),
							text)
					}
				}
			}
			declared, before = next, st.After
		}
	}
	if reached < count/10 || bridged < count/20 || together < count/20 {
		t.Errorf("%d plans reach the goal, %d packages bridge, %d go together: the universes are too tame", reached,
			bridged, together)
	}
	t.Logf("%d of %d plans reach the goal, %d packages bridge, %d go together", reached, count, bridged, together)
}

// goneBefore asks whether a change of a goal's stage would have resolved before it, with everything else declared at
// the release that it had. One to a release that names no majors of the framework would not have been a bridge.
func goneBefore(t *testing.T, source universe.Table, tenancy solve.Strategy, declared []project.Declared,
	before *solve.Resolution, c project.Change) bool {
	r := source[c.Name].Release(c.To.Version)
	if !slices.ContainsFunc(slices.Concat(r.Needs, r.Peers), func(d universe.Demand) bool {
		said, err := source[c.Name].Scheme.Constrain(d.Text)
		return d.Package == "f" && err == nil && said.Bounded()
	}) {
		return false
	}
	p := solve.Problem{Strategy: tenancy, Single: []string{"f"}}
	for _, d := range declared {
		root := solve.Root{Demand: d.Demand, Group: d.Group, Among: []string{project.VersionOf(before, d.As)}}
		if d.As == c.Name {
			root.Among = []string{c.To.Version}
		}
		p.Roots = append(p.Roots, root)
	}
	ok, err := solve.Possible(context.Background(), source, p)
	if err != nil {
		t.Fatal(err)
	}
	return ok
}

// seeds is how many random applications a test looks at: MOLT_SEEDS, or the usual number.
func seeds(usual int) int {
	if n, err := strconv.Atoi(os.Getenv("MOLT_SEEDS")); err == nil {
		return n
	}
	return usual
}

// The optimum is what brute force finds: the fewest packages that break, then the fewest lines.
func TestOptimumAgainstBruteForce(t *testing.T) {
	compared, count := 0, seeds(150)
	for seed := range count {
		random := rand.New(rand.NewPCG(uint64(seed), 5))
		text := projecttest.RandomHarbour(random)
		source, app := projecttest.Sketch(t, text)
		if app.Locked == nil {
			continue
		}
		a, err := assess.AskOne(context.Background(), source, app, project.Goal{Name: "f", Constraint: "3"})
		if err != nil {
			t.Fatal(err)
		}
		s := project.Draft{Lines: map[project.Line]string{}, Locked: app.Locked, Gone: map[string]bool{}}
		for _, d := range app.Declared {
			s.Lines[d.Line()] = d.Text
		}
		r, got, err := a.Optimum(s, []string{"3.0.0"}, true)
		if err != nil {
			t.Fatal(err)
		}
		best := bruteCost(t, a, s)
		if r == nil && best == nil {
			continue
		}
		compared++
		if r == nil || !slices.Equal(got.Cost[:2], best) || !slices.Equal(costOf(t, a, s, versionsOf(r, a.Names())), best) {
			t.Fatalf("seed %d: the optimum costs %v, brute force finds %v\n%s", seed, got, best, text)
		}
	}
	if compared < count/10 {
		t.Errorf("only %d cases have a solution", compared)
	}
}

// bruteCost tries every release of every declared package.
func bruteCost(t *testing.T, a *assess.Judgement, s project.Draft) []int {
	var best []int
	names := slices.DeleteFunc(a.Names(), func(n string) bool { return n == "f" })
	c := assess.Choice{"f": {"3.0.0"}}
	var try func(k int)
	try = func(k int) {
		if k < len(names) {
			p, err := a.Pkg(names[k])
			if err != nil {
				t.Fatal(err)
			}
			for _, v := range p.Versions() {
				c[names[k]] = []string{v.String()}
				try(k + 1)
			}
			return
		}
		at := map[string]string{}
		for _, n := range names {
			at[n] = c[n][0]
		}
		cost := costOf(t, a, s, at)
		if best != nil && slices.Compare(cost, best) >= 0 {
			return
		}
		if r, _, err := a.Solve(c, nil); err != nil {
			t.Fatal(err)
		} else if r != nil {
			best = cost
		}
	}
	try(0)
	return best
}

// costOf counts the packages that break and the lines that change.
func costOf(t *testing.T, a *assess.Judgement, s project.Draft, at map[string]string) []int {
	cost := make([]int, 2)
	for name, v := range at {
		p, err := a.Pkg(name)
		if err != nil {
			t.Fatal(err)
		}
		was := project.VersionOf(s.Locked, name)
		if name == "f" || v == was {
			continue
		}
		if p.Index(v) < p.Index(was) || version.Breaking(a.App.Scheme, p.Release(was).Version, p.Release(v).Version) {
			cost[0]++
		}
		if !a.Admitted(p, s, name).Has(p.Index(v)) {
			cost[1]++
		}
	}
	return cost
}

func mustPlan(t *testing.T, source universe.Source, app project.Application, goal project.Goal) *Plan {
	t.Helper()
	plan, err := NewPlan(context.Background(), source, app, []project.Goal{goal}, Cut{})
	if err != nil {
		t.Fatal(err)
	}
	return plan
}

// changes writes a plan in one line: stages, with what moves from where to where.
func changes(p *Plan) string {
	return describePlan(p, func(project.Change) string { return "" })
}

// longChanges adds the lines of the manifest that change.
func longChanges(p *Plan) string {
	return describePlan(p, func(c project.Change) string {
		if c.From.Constraint == c.To.Constraint || c.From.Constraint == "" || c.To.Constraint == "" {
			return ""
		}
		return " " + c.From.Constraint + ">" + c.To.Constraint
	})
}

func describePlan(p *Plan, lines func(project.Change) string) string {
	var stages []string
	for _, s := range p.Stages {
		var all []string
		for _, c := range s.Changes {
			from, to := c.From.Version, c.To.Version
			if from == "" {
				from = "-"
			}
			if to == "" {
				to = "-"
			}
			all = append(all, c.Name+" "+from+">"+to+lines(c))
		}
		stages = append(stages, s.ID+": "+strings.Join(all, ", "))
	}
	return strings.Join(stages, "; ")
}

// What is locked and not published any more has to move, and the plan says that this is why.
func TestPlanMovesWhatIsNotPublished(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: f@^1 deck@^1 mast@^1
		f@1.0
		f@2.0
		deck@1.0: peer:f@1||2
		deck@1.1: peer:f@1||2
		mast@1.0
		mast@1.1`)
	for _, name := range []string{"deck", "mast"} {
		source[name] = universe.NewPackage(name, source[name].Scheme, source[name].Copies()[1:])
	}
	plan := mustPlan(t, source, app, project.Goal{Name: "f", Constraint: "2"})
	goal := plan.Stages[len(plan.Stages)-1]
	var got []string
	for _, c := range goal.Changes {
		got = append(got, c.Name+" "+c.To.Version+": "+c.Reason.String())
	}
	want := "f 2.0.0: the goal; deck 1.1.0: not among the releases(1.0.0); mast 1.1.0: not among the releases(1.0.0)"
	if strings.Join(got, "; ") != want {
		t.Errorf("the goal's stage is %s\nwant %s", strings.Join(got, "; "), want)
	}
}

// Each package could go, but not both: the standings see it, and the tangle says why.
func TestTangleOfTwo(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: hulk@^3.0.0 deck@^1.0.0 cabin@^1.0.0
		hulk@3.0
		hulk@5.0
		deck@1.0: peer:hulk@^3
		deck@2.0: peer:hulk@^5 peer:cipher@^2
		cabin@1.0: peer:hulk@^3
		cabin@2.0: peer:hulk@^5 peer:cipher@^3
		cipher@2.0
		cipher@3.0`)
	got, err := assess.Assess(context.Background(), source, app, project.Goal{Name: "hulk", Constraint: "5"})
	if err != nil {
		t.Fatal(err)
	}
	if got.Reachable || got.Tangle == nil {
		t.Fatalf("reachable %v, tangle %v", got.Reachable, got.Tangle)
	}
	for _, d := range []string{"cipher ^2", "cipher ^3", "hulk 5"} {
		if !strings.Contains(got.Tangle.Error(), d) {
			t.Errorf("the tangle lacks %s: %v", d, got.Tangle)
		}
	}
	plan, err := NewPlan(context.Background(), source, app, []project.Goal{{Name: "hulk", Constraint: "5"}}, Cut{})
	if err != nil || plan.Reachable || plan.Tangle == nil {
		t.Errorf("the plan: %+v, %v", plan, err)
	}
}

// A transitive conflict that only shows when two packages move together is avoided by taking an older release.
func TestOptimumAvoidsConflict(t *testing.T) {
	source, app := projecttest.Sketch(t, `
		app: hulk@^3.0.0 pay@^1.0.0 auth@^1.0.0
		hulk@3.0
		hulk@5.0
		pay@1.0: peer:hulk@^3
		pay@2.0: peer:hulk@^5 link@^1
		pay@2.1: peer:hulk@^5 link@^2
		auth@1.0: peer:hulk@^3
		auth@2.0: peer:hulk@^5 peer:cipher@^3
		link@1.0: peer:cipher@*
		link@2.0: peer:cipher@^2
		cipher@2.0
		cipher@3.0`)
	plan := mustPlan(t, source, app, project.Goal{Name: "hulk", Constraint: "5"})
	if got := changes(plan); got != "goal-5: hulk 3.0.0>5.0.0, pay 1.0.0>2.0.0, auth 1.0.0>2.0.0" {
		t.Errorf("the plan is %s", got)
	}
}
