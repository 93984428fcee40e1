package plan

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"molt/core/assess"
	"molt/core/project"
	"molt/core/universe"
	"molt/core/version"
	"molt/samples/projecttest"
)

// kinOfYard reads names of the random yards: d-x describes x, fw-x is named after the framework.
func kinOfYard(name string) project.Kin {
	if about, ok := strings.CutPrefix(name, "d-"); ok {
		return project.Kin{Name: name, Describes: about}
	}
	stem, _, _ := strings.Cut(name, "-")
	return project.Kin{Name: name, Stem: stem}
}

// randomYard makes a framework with a tool of equal numbers, packages that state what they like
// about it, descriptions of some of these and of the runtime, and demands among them.
func randomYard(random *rand.Rand) string {
	var b strings.Builder
	names := []string{"p", "q", "r", "s"}[:2+random.IntN(3)]
	b.WriteString("app: fw@^1 fw-tools@^1 d-node@^8")
	for _, n := range names {
		fmt.Fprintf(&b, " %s@^1.1", n)
	}
	tools := [][2]string{{": peer:fw@^2", ": peer:fw@^3"}, {"", ""}}[random.IntN(2)] // it may state nothing
	fmt.Fprintf(&b, " x@^1 y@^1 d-p@^1\nfw@1\nfw@1.1\nfw@2\nfw@3\nfw-tools@1\nfw-tools@1.1\nfw-tools@2%s\nfw-tools@3%s\n",
		tools[0], tools[1])
	if random.IntN(2) == 0 { // two that only move together
		b.WriteString("x@1: peer:y@^1\nx@2: peer:y@^2\ny@1: peer:x@^1\ny@2: peer:x@^2\n")
	} else {
		b.WriteString("x@1\nx@2: peer:y@^1\ny@1\ny@2\n")
	}
	b.WriteString("d-node@8\nd-node@12\nd-node@16\nd-p@1\nd-p@2\nd-p@3\n")
	says := []string{"", "fw@*", "fw@>=1", "fw@^1", "fw@^1||^2", "fw@^2", "fw@^2||^3", "fw-tools@^1", "fw-tools@^2"}
	for _, n := range names {
		fmt.Fprintf(&b, "%s@1.0%s\n", n, []string{"", ": peer:fw@*"}[random.IntN(2)]) // to which nobody goes back
		for major := 1; major <= 1+random.IntN(3); major++ {
			fmt.Fprintf(&b, "%s@%d.1:", n, major)
			at := random.IntN(len(says))
			if major == 1 { // it runs with what is in use
				at = random.IntN(5)
			}
			if says[at] != "" {
				fmt.Fprintf(&b, " peer:%s", says[at])
			}
			if other := names[random.IntN(len(names))]; other != n && random.IntN(3) == 0 {
				fmt.Fprintf(&b, " peer:%s@%s", other, []string{"*", "^1", ">=1", "^2", ">=2"}[random.IntN(5)])
			}
			b.WriteString("\n")
		}
	}
	return b.String()
}

// yard sketches a random yard; what some releases require of the runtime is random too.
func yard(t *testing.T, seed int) (source universe.Table, app project.Application, text string) {
	random := rand.New(rand.NewPCG(uint64(seed), 31))
	text = randomYard(random)
	source, app = projecttest.Sketch(t, text)
	app.Kin = kinOfYard
	app.Runtimes = project.Runtimes{"node": project.Everywhere("10.0.0")}
	for _, name := range []string{"fw", "p", "q"} {
		for i := range source[name].Len() {
			if r := source[name].At(i); i > 0 && random.IntN(3) == 0 {
				r.Runtimes = append(r.Runtimes,
					universe.Requirement{Name: "node", Text: fmt.Sprintf(">=%d.%d", 8+random.IntN(8), 5*random.IntN(2))})
				text += fmt.Sprintf("%s %s needs node %s\n", name, r.Version, r.Runtimes[0].Text)
			}
		}
	}
	return source, app, text
}

// The rules of docs/judgement.md that bind every plan, in random universes: no stage moves a
// declared package back; no description passes the major of what it describes; the framework's own
// packages never pass its major, and arrive at it together; and no set of what stays behind could
// have moved.
func TestRulesOfPlans(t *testing.T) {
	reached, tails, count := 0, 0, seeds(120)
	for seed := range count {
		source, app, text := yard(t, seed)
		if app.Locked == nil {
			continue
		}
		p, err := NewPlan(context.Background(), source, app, []project.Goal{{Name: "fw", Constraint: fmt.Sprint(2 + seed%2)}},
			Cut{})
		if err != nil {
			t.Fatalf("universe %d: %v\n%s", seed, err, text)
		}
		fail := func(says string, args ...any) {
			t.Errorf("universe %d: %s\n%s\n%s", seed, fmt.Sprintf(says, args...), changes(p), text)
		}
		now := map[string]string{}
		for _, d := range app.Declared {
			now[d.As] = project.VersionOf(app.Locked, d.As)
		}
		first := map[string]string{}
		for name, v := range now {
			first[name] = v
		}
		major := func(name, v string) int {
			r := source[name].Release(v)
			n := 0
			_, _ = fmt.Sscan(app.Scheme.Major(r.Version), &n)
			return n
		}
		for _, st := range p.Stages {
			for _, c := range st.Changes {
				if c.To.Version == "" {
					continue
				}
				if source[c.Name].Index(c.To.Version) < source[c.Name].Index(now[c.Name]) {
					fail("%s goes back from %s to %s in %s", c.Name, now[c.Name], c.To.Version, st.ID)
				}
				now[c.Name] = c.To.Version
			}
			if v := now["d-p"]; v != first["d-p"] && major("d-p", v) > major("p", now["p"]) {
				fail("after %s, d-p %s describes p %s", st.ID, v, now["p"])
			}
			if v := now["d-node"]; v != first["d-node"] && major("d-node", v) > 15 {
				fail("after %s, d-node is at %s", st.ID, v)
			}
			if major("fw-tools", now["fw-tools"]) > major("fw", now["fw"]) || st.Kind == GoalStage &&
				major("fw-tools", now["fw-tools"]) != major("fw", now["fw"]) {
				fail("after %s, fw is at %s and fw-tools at %s", st.ID, now["fw"], now["fw-tools"])
			}
		}
		if !p.Reachable {
			continue
		}
		reached++
		if left := couldMove(t, source, app, p, now); left != nil {
			fail("%v could have moved", left)
		}
		if len(p.Behind) > 0 {
			tails++
		}
	}
	t.Logf("%d reached, %d behind", reached, tails)
	if reached < 3*count/20 || tails < count/40 {
		t.Errorf("%d reached, %d with packages left behind: the universes are too tame", reached, tails)
	}
}

// couldMove looks, by trying every combination, for a set of declared packages that could go to
// later majors at the end of a plan while everything else stays. It returns nil when there is none.
func couldMove(t *testing.T, source universe.Table, app project.Application, p *Plan,
	now map[string]string) map[string]string {
	t.Helper()
	q, err := assess.Ask(context.Background(), source, app, []project.Goal{{Name: "fw", Constraint: p.Goal.Constraint}})
	if err != nil {
		t.Fatal(err)
	}
	for _, st := range p.Stages { // as the plan leaves the runtime
		for _, n := range st.Raise {
			q = q.Raising(n.Name, project.Everywhere("30.0.0"))
		}
	}
	q = q.Deployed()
	framework := source["fw"]
	target := []string{}
	for i := range framework.Len() {
		if r := framework.At(i); app.Scheme.Major(r.Version) == p.Goal.Constraint {
			target = append(target, r.Version.String())
		}
	}
	raised := slices.ContainsFunc(p.Stages, func(st Stage) bool { return len(st.Raise) > 0 })
	names := slices.DeleteFunc(slices.Sorted(func(yield func(string) bool) {
		for name := range now {
			if !yield(name) {
				return
			}
		}
	}), func(n string) bool { return n == "fw" || n == "d-node" && raised })
	c := assess.Choice{"fw": {now["fw"]}, "d-node": {now["d-node"]}}
	var try func(k int, moved map[string]string) map[string]string
	try = func(k int, moved map[string]string) map[string]string {
		if k == len(names) {
			if len(moved) == 0 {
				return nil
			}
			if r, _, err := q.Solve(c, nil); err != nil {
				t.Fatal(err)
			} else if r != nil && !raised {
				return moved
			}
			return nil
		}
		name := names[k]
		pkg, err := q.Pkg(name)
		if err != nil {
			t.Fatal(err)
		}
		c[name] = []string{now[name]}
		if found := try(k+1, moved); found != nil {
			return found
		}
		if len(moved) == 3 { // larger sets are not tried
			return nil
		}
		at := pkg.Index(now[name])
		var later []string
		for i := at + 1; i < pkg.Len(); i++ {
			r := pkg.At(i)
			if version.Breaking(app.Scheme, source[name].Release(now[name]).Version, r.Version) && !q.Capped(name, r.Version) {
				later = append(later, r.Version.String())
			}
		}
		for _, v := range q.Towards(name, pkg, later, target) {
			c[name] = []string{v}
			with := map[string]string{name: v}
			for n, to := range moved {
				with[n] = to
			}
			if found := try(k+1, with); found != nil {
				return found
			}
		}
		c[name] = []string{now[name]}
		return nil
	}
	return try(0, nil)
}

// The runtime that a goal needs is the least with which anything resolves.
func TestLeastRuntime(t *testing.T) {
	raised, count := 0, seeds(120)
	for seed := range count {
		source, app, text := yard(t, seed)
		if app.Locked == nil {
			continue
		}
		q, err := assess.Ask(context.Background(), source, app, []project.Goal{{Name: "fw", Constraint: "2"}})
		if err != nil {
			t.Fatal(err)
		}
		state := project.Draft{Lines: map[project.Line]string{}, Locked: q.Base, Gone: map[string]bool{}}
		for _, d := range app.Declared {
			state.Lines[d.Line()] = d.Text
		}
		least, r, err := q.Least(state, []string{"2.0.0"})
		if err != nil {
			t.Fatal(err)
		}
		if r == nil {
			continue
		}
		got, want := least.App.Runtimes["node"][""], ""
		for v := 20; v < 60 && want == ""; v++ {
			at := fmt.Sprintf("%d.%d.0", v/2, v%2*5)
			one := app
			one.Runtimes = project.Runtimes{"node": project.Everywhere(at)}
			other, err := assess.Ask(context.Background(), source, one, []project.Goal{{Name: "fw", Constraint: "2"}})
			if err != nil {
				t.Fatal(err)
			}
			if _, r, err := other.Least(state, []string{"2.0.0"}); err == nil && r != nil {
				if free := solvable(t, other.Deployed(), state); free {
					want = at
				}
			}
		}
		if got != want {
			t.Errorf("universe %d: the least runtime is said to be %s, and is %s\n%s", seed, got, want, text)
		}
		if want != "10.0.0" {
			raised++
		}
	}
	if raised < count/20 {
		t.Errorf("only %d universes need a newer runtime", raised)
	}
}

// solvable reports whether the goal resolves with what is deployed, without anything being raised.
func solvable(t *testing.T, q *assess.Judgement, state project.Draft) bool {
	t.Helper()
	c := assess.Choice{"fw": {"2.0.0"}}
	for _, name := range q.Names() {
		if name == "fw" {
			continue
		}
		pkg, err := q.Pkg(name)
		if err != nil {
			t.Fatal(err)
		}
		_, free := q.Scopes(pkg, state, name)
		c[name] = q.Towards(name, pkg, free, []string{"2.0.0"})
	}
	r, _, err := q.Solve(c, nil)
	if err != nil {
		t.Fatal(err)
	}
	return r != nil
}

// The least runtime is found below the one that the newest releases ask for, step by step.
func TestLeastRuntimeIsNotTheNewestsWish(t *testing.T) {
	source, app := projecttest.Sketch(t, "app: fw@^3.0.0\nfw@3.0\nfw@5.0\nfw@5.1\nfw@5.2")
	app.Runtimes = project.Runtimes{"node": project.Everywhere("20.0.0")}
	for release, needs := range map[string]string{"5.0.0": ">=22.1", "5.1.0": ">=22.4", "5.2.0": ">=22.7"} {
		projecttest.Requires(source, "fw", release, needs)
	}
	q, err := assess.Ask(context.Background(), source, app, []project.Goal{{Name: "fw", Constraint: "5"}})
	if err != nil {
		t.Fatal(err)
	}
	state := project.Draft{Lines: map[project.Line]string{app.Declared[0].Line(): app.Declared[0].Text}, Locked: q.Base,
		Gone: map[string]bool{}}
	least, r, err := q.Least(state, []string{"5.0.0", "5.1.0", "5.2.0"})
	if err != nil || r == nil || least.App.Runtimes["node"][""] != "22.1.0" || project.VersionOf(r, "fw") != "5.0.0" {
		t.Errorf("%+v, %v, %v", r, least.App.Runtimes, err)
	}
}
