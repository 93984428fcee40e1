package plan

import (
	"context"
	"fmt"
	"math/rand/v2"
	"molt/core/assess"
	"molt/core/inspect"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"slices"
	"strings"
	"testing"
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
			"patch: hulk 3.0.0>3.0.4, keel 1.0.0>1.0.2, old 0.1.0>0.1.5; minor: keel 1.0.2>1.3.0, mast 1.1.0>1.2.0 ~1.1.0>~1.2.0; " +
				"goal-4: hulk 3.0.4>4.0.0 ^3.0.0>^4.0.0; after-old: old 0.1.5>0.2.0 ^0.1.0>^0.2.0"},
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
			"bridge-pin: pin 1.0.0>1.1.0 1.0.0>1.1.0; goal-4: hulk 3.0.0>4.0.0 ^3.0.0>^4.0.0"},
		{"one major at a time, and over one that does not hold", `
			app: hulk@^3.0.0 w@^1.0.0
			hulk@3.0
			hulk@4.0
			hulk@5.0
			hulk@6.0
			w@1.0: peer:hulk@^3
			w@2.0: peer:hulk@^4
			w@3.0: peer:hulk@^6`,
			"goal-4: hulk 3.0.0>4.0.0 ^3.0.0>^4.0.0, w 1.0.0>2.0.0 ^1.0.0>^2.0.0; goal-6: hulk 4.0.0>6.0.0 ^4.0.0>^6.0.0, w 2.0.0>3.0.0 ^2.0.0>^3.0.0"},
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
			"goal-4: hulk 3.0.0>4.0.0 ^3.0.0>^4.0.0; after-minor: x 1.0.0>1.1.0; after-z: z 1.0.0>2.0.0 ^1.0.0>^2.0.0; after-y: y 1.0.0>2.0.0 ^1.0.0>^2.0.0"},
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
		{"but there may be no other way", `
			app: hulk@^3.0.0 lab@^1.0.1
			hulk@3.0
			hulk@4.0
			lab@1.0: peer:hulk@*
			lab@1.0.1: peer:hulk@<4`,
			"goal-4: hulk 3.0.0>4.0.0 ^3.0.0>^4.0.0, lab 1.0.1>1.0.0 ^1.0.1>^1.0.0"},
		{"the goal is reached already", `
			app: hulk@^4.0.0
			hulk@3.0
			hulk@4.0`, ""},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			source, app := sketch(t, test.universe)
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
	source, app := sketch(t, "app: hulk@^3.0.0 keel@^1.0.0\nhulk@3.0\nhulk@4.0\nkeel@1.0\nkeel@1.1\nkeel@2.0")
	app.Held = []string{"keel"}
	if got := changes(mustPlan(t, source, app, project.Goal{Name: "hulk", Constraint: "4"})); got != "goal-4: hulk 3.0.0>4.0.0" {
		t.Errorf("the plan is %s", got)
	}
	source, app = sketch(t, "app: hulk@^3.0.0 keel@^1.0.0\nhulk@3.0\nhulk@4.0\nkeel@1.0: peer:hulk@^3\nkeel@2.0: peer:hulk@^4")
	app.Held = []string{"keel"}
	plan := mustPlan(t, source, app, project.Goal{Name: "hulk", Constraint: "4"})
	if plan.Reachable {
		t.Errorf("a hold was broken: %s", changes(plan))
	}
}

// Out of reach, a plan does what can be done and names the wall.
func TestWall(t *testing.T) {
	source, app := sketch(t, harbour)
	plan := mustPlan(t, source, app, project.Goal{Name: "hulk", Constraint: "5"})
	if plan.Reachable || len(plan.Wall) != 2 || !strings.Contains(plan.Wall[1], "the prerelease 2.0.0-rc.1 would") {
		t.Errorf("reachable %v, wall %q", plan.Reachable, plan.Wall)
	}
	if got := changes(plan); !strings.HasPrefix(got, "minor: hulk 3.0.0>3.2.0, blocked 1.0.0>1.1.0") {
		t.Errorf("the plan is %s", got)
	}
}

func TestBaseline(t *testing.T) {
	source, app := sketch(t, "app: hulk@^3.0.0\nhulk@3.0\nhulk@4.0")
	app.Locked = nil
	plan := mustPlan(t, source, app, project.Goal{Name: "hulk", Constraint: "4"})
	if plan.Stages[0].Kind != BaselineStage || plan.Stages[0].Locked.Added != 1 || len(plan.Stages[0].Changes) != 0 {
		t.Errorf("the first stage is %+v", plan.Stages[0])
	}
}

func TestRuntimeStage(t *testing.T) {
	source, app := sketch(t, "app: hulk@^3.0.0\nhulk@3.0\nhulk@4.0\nhulk@5.0")
	source["hulk"].Releases[1].Runtimes = []universe.Requirement{{Name: "node", Text: ">=20"}}
	source["hulk"].Releases[2].Runtimes = []universe.Requirement{{Name: "node", Text: ">=22"}}
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

func TestSurvey(t *testing.T) {
	source, app := sketch(t, `
		app: current@^1.0.0 patch@^1.0.0 minor@~1.0.0 major@^1.0.0 wild@* ahead@^1.0.0 none@^1.0.0 gone@^1.0.0
		current@1.0
		patch@1.0
		patch@1.0.3
		minor@1.0
		minor@1.1
		major@1.0
		major@2.0
		major@3.0
		major@4.0-rc.1
		wild@1.0
		wild@9.0
		ahead@1.0
		none@1.0
		gone@1.0
		gone@1.1 # no longer maintained`)
	source["ahead"].Current = "0.9.0"
	app.Declared[6].Text = "^9.0.0"
	app.Declared = append(app.Declared,
		project.Declared{Demand: universe.Demand{As: "here", Package: "here", Text: "file:../here", Foreign: true}, Group: "dependencies"},
		project.Declared{Demand: universe.Demand{As: "ghost", Package: "ghost", Text: "*"}, Group: "dependencies"})
	rows, err := inspect.Survey(context.Background(), source, app)
	if err != nil {
		t.Fatal(err)
	}
	want := []string{
		"current 1.0.0 best 1.0.0 newest 1.0.0 same 0 []", "patch 1.0.0 best 1.0.3 newest 1.0.3 patch 1 []",
		"minor 1.0.0 best 1.0.0 newest 1.1.0 minor 1 []", "major 1.0.0 best 1.0.0 newest 3.0.0 major 2 []",
		"wild 1.0.0 best 9.0.0 newest 9.0.0 major 1 []", "ahead 1.0.0 best 1.0.0 newest 1.0.0 same 0 []",
		"none 1.0.0 best  newest 1.0.0 same 0 [admits none lock off range]", "gone 1.0.0 best 1.0.0 newest 1.0.0 same 0 [retiring]",
		"here  best  newest  same 0 [not from registry]", "ghost  best  newest  same 0 [not locked unknown to registry]",
	}
	for i, r := range rows {
		got := fmt.Sprintf("%s %s best %s newest %s %s %d %v", r.Name, r.Locked, r.Best, r.Newest, r.Jump, r.Releases, r.Flags)
		if got != want[i] {
			t.Errorf("got  %s\nwant %s", got, want[i])
		}
	}
}

// Every stage of every plan resolves, no stage holds what its title denies, and what stands in a goal's stage could not
// have gone before.
func TestPlansOnRandomUniverses(t *testing.T) {
	count := 400
	if testing.Short() {
		count = 60
	}
	reached, bridged, together := 0, 0, 0
	for seed := range count {
		random := rand.New(rand.NewPCG(uint64(seed), 3))
		text := randomHarbour(random)
		source, app := sketch(t, text)
		if app.Locked == nil || app.Locked.Root("f").Version >= "3" {
			continue
		}
		if seed%2 == 1 {
			app.Tenancy = solve.Nested
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
			next := applied(declared, st)
			p := solve.Problem{Tenancy: app.Tenancy}
			for _, d := range next {
				p.Roots = append(p.Roots, solve.Root{Demand: d.Demand, Group: d.Group})
			}
			if err := solve.Verify(context.Background(), source, p, st.After); err != nil {
				t.Fatalf("seed %d, stage %s: %v\n%s", seed, st.ID, err, text)
			}
			for _, c := range st.Changes {
				if c.To.Version != "" && project.VersionOf(st.After, c.Name) != c.To.Version {
					t.Fatalf("seed %d, stage %s: %s is at %s, not %s\n%s", seed, st.ID, c.Name, project.VersionOf(st.After, c.Name), c.To.Version, text)
				}
				switch {
				case st.Kind == BridgeStage:
					bridged++
				case st.Kind == GoalStage && c.Name != "f":
					together++
					if early := goneBefore(t, source, app.Tenancy, declared, before, c); early {
						t.Fatalf("seed %d: %s could have moved to %s before the goal\n%s\n%s", seed, c.Name, c.To.Version, changes(plan), text)
					}
				}
			}
			declared, before = next, st.After
		}
	}
	if reached < count/10 || bridged < count/20 || together < count/20 {
		t.Errorf("%d plans reach the goal, %d packages bridge, %d go together: the universes are too tame", reached, bridged, together)
	}
	t.Logf("%d of %d plans reach the goal, %d packages bridge, %d go together", reached, count, bridged, together)
}

// goneBefore asks whether a change of a goal's stage would have resolved before it, with everything else declared at
// the release that it had.
func goneBefore(t *testing.T, source universe.Table, tenancy solve.Tenancy, declared []project.Declared, before *solve.Resolution, c project.Change) bool {
	p := solve.Problem{Tenancy: tenancy, Single: []string{"f"}}
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

func applied(declared []project.Declared, st Stage) []project.Declared {
	next := slices.Clone(declared)
	for _, c := range st.Changes {
		i := slices.IndexFunc(next, func(d project.Declared) bool { return d.As == c.Name && d.Group == c.Group })
		switch {
		case c.To.Version == "":
			next = slices.Delete(next, i, i+1)
		case i < 0:
			next = append(next, project.Declared{Demand: universe.Demand{As: c.Name, Package: c.Name, Text: c.To.Constraint}, Group: c.Group})
		default:
			next[i].Text = c.To.Constraint
		}
	}
	return next
}

// randomHarbour makes a framework f with three majors, and a few packages that peer on it and on each other.
func randomHarbour(random *rand.Rand) string {
	var b strings.Builder
	b.WriteString("app: f@^1.0.0")
	names := []string{"p", "q", "r", "s"}[:2+random.IntN(3)]
	for _, n := range names {
		fmt.Fprintf(&b, " %s@^1.0.0", n)
	}
	b.WriteString("\nf@1.0\nf@1.1\nf@2.0\nf@3.0\nlib@1.0\nlib@2.0\n")
	ranges := []string{"^1", "^1||^2", "^2", "^2||^3", "^3", "^1||^2||^3", ">=1", "*"}
	for _, n := range names {
		for major := 1; major <= 1+random.IntN(4); major++ {
			at := min(random.IntN(3)+2*(major-1), len(ranges)-1)
			if major == 1 {
				at = random.IntN(2)
			}
			fmt.Fprintf(&b, "%s@%d.0: peer:f@%s", n, major, ranges[at])
			switch random.IntN(5) {
			case 0:
				fmt.Fprintf(&b, " peer:lib@%d", 1+random.IntN(2))
			case 1:
				fmt.Fprintf(&b, " lib@%d", 1+random.IntN(2))
			case 2:
				if other := names[random.IntN(len(names))]; other != n {
					fmt.Fprintf(&b, " peer:%s@>=%d", other, 1+random.IntN(2))
				}
			}
			b.WriteString("\n")
		}
	}
	return b.String()
}

// The optimum is what brute force finds: the fewest packages that break, then the fewest lines.
func TestOptimumAgainstBruteForce(t *testing.T) {
	compared := 0
	for seed := range 300 {
		random := rand.New(rand.NewPCG(uint64(seed), 5))
		text := randomHarbour(random)
		source, app := sketch(t, text)
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
	if compared < 30 {
		t.Errorf("only %d cases have a solution", compared)
	}
}

// bruteCost tries every release of every declared package.
func bruteCost(t *testing.T, a *assess.Question, s project.Draft) []int {
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
func costOf(t *testing.T, a *assess.Question, s project.Draft, at map[string]string) []int {
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
		if p.Index(v) < p.Index(was) || a.App.Scheme.Breaking(p.Release(was).Version, p.Release(v).Version) {
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

func TestEditDistance(t *testing.T) {
	for _, test := range []struct {
		a, b string
		want int
	}{{"", "abc", 3}, {"hulk", "hulk", 0}, {"hluk", "hulk", 2}, {"kitten", "sitting", 3}} {
		if got := project.EditDistance(test.a, test.b); got != test.want {
			t.Errorf("%s to %s: %d, want %d", test.a, test.b, got, test.want)
		}
	}
	if got := project.Nearest("brackwter", []string{"brackwater", "breakwater-x"}); got != "brackwater" {
		t.Errorf("the nearest is %q", got)
	}
	if got := project.Nearest("zzzzzz", []string{"brackwater"}); got != "" {
		t.Errorf("%q is near", got)
	}
}

// What is locked and not published any more has to move, and the plan says that this is why.
func TestPlanMovesWhatIsNotPublished(t *testing.T) {
	source, app := sketch(t, `
		app: f@^1 deck@^1 mast@^1
		f@1.0
		f@2.0
		deck@1.0: peer:f@1||2
		deck@1.1: peer:f@1||2
		mast@1.0
		mast@1.1`)
	for _, name := range []string{"deck", "mast"} {
		source[name] = universe.NewPackage(name, source[name].Scheme, source[name].Releases[1:])
	}
	plan := mustPlan(t, source, app, project.Goal{Name: "f", Constraint: "2"})
	goal := plan.Stages[len(plan.Stages)-1]
	var got []string
	for _, c := range goal.Changes {
		got = append(got, c.Name+" "+c.To.Version+": "+c.Reason)
	}
	want := "f 2.0.0: the goal; deck 1.1.0: 1.0.0 is not among the releases that the registry shows; mast 1.1.0: 1.0.0 is not among the releases that the registry shows"
	if strings.Join(got, "; ") != want {
		t.Errorf("the goal's stage is %s\nwant %s", strings.Join(got, "; "), want)
	}
}
