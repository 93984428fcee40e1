package planfile

import (
	"strings"
	"testing"

	"molt/doc"
)

func FuzzPlan(f *testing.F) {
	f.Add("molt-plan: 1\ngoal: x@1\nreachable: true\nmade: {on: x, lock: y, registry: z}\nstages:\n  - id: a\n    kind: " +
		"patch\n    title: t\n    status: pending\n    changes:\n      # why\n      - name: keel\n        group: g\n       " +
		" to: {constraint: '1', version: 1.0.0}\n")
	f.Add("molt-plan: 1\nstages: [{id: a, status: done}]\n")
	f.Fuzz(func(t *testing.T, text string) {
		plan, err := Read(File, []byte(text))
		if err != nil || len(plan.Stages) == 0 {
			return
		}
		id := plan.Stages[0].ID
		if plan.Mark(id, doc.Done, "") == nil && plan.Stage(id) != nil {
			again, err := Read(File, plan.Text.Bytes())
			if err != nil || again.Stage(id) == nil || again.Stage(id).Status != doc.Done {
				t.Errorf("marking %q in %q leaves %q: %v", id, text, plan.Text.Bytes(), err)
			}
		}
	})
}

const writtenPlan = `# The crew's plan.
molt-plan: 1
goal: hulk@4 # as agreed
reachable: true
made:
  on: 2026-01-31
  lock: abc
  registry: def
stages:
  # first the small things
  - id: minor
    kind: minor
    title: all minor releases, together
    status: pending # not yet
    changes:
      # Morag wants to see this
      - name: keel
        group: dependencies
        from: {constraint: ^1.0.0, version: 1.0.0}
        to: {constraint: ^1.0.0, version: 1.0.5}
      - name: deck
        group: dependencies
        note: loud
        from: {constraint: ^1.0.0, version: 1.0.0}
        to: {constraint: ^1.0.0, version: 1.2.0}
      - {name: mast, group: dependencies, from: {constraint: '*', version: 1.0.0}, to: {constraint: '*', version: 2.0.0}}
    lock:
      added: 0
      removed: 0
      moved: 3
  # then the big one
  - id: goal-4
    kind: goal
    title: hulk 4
    changes: []
`

func readPlan(t *testing.T, text string) *Plan {
	t.Helper()
	plan, err := Read(File, []byte(text))
	if err != nil {
		t.Fatal(err)
	}
	return plan
}

// A status is set in whatever form people wrote the stage.
func TestMarkAnyForm(t *testing.T) {
	head := "molt-plan: 1\ngoal: hulk@4\nreachable: true\nmade: {on: 2026-01-31, lock: abc, registry: def}\nstages:\n"
	for _, c := range []struct{ name, before, after string }{
		{"between braces", "  - {id: minor, note: \"status: é\", status: pending, changes: []} # so\n",
			"  - {id: minor, note: \"status: é\", status: done, changes: []} # so\n"},
		{"between braces, without", "  - {note: é, id: minor}\n", "  - {note: é, id: minor, status: done}\n"},
		{"quoted", "  - \"id\": 'minor'\n    'status': \"pending\" # so\n", "  - \"id\": 'minor'\n    'status': done # so\n"},
		{"a quoted key before it", "  - \"id\": minor\n    kind: minor\n",
			"  - \"id\": minor\n    status: done\n    kind: minor\n"},
		{"empty", "  - id: minor\n    status: # so\n    kind: minor\n",
			"  - id: minor\n    status: done # so\n    kind: minor\n"},
	} {
		t.Run(c.name, func(t *testing.T) {
			plan := readPlan(t, head+c.before)
			if err := plan.Mark("minor", doc.Done, "xyz"); err != nil {
				t.Fatal(err)
			}
			if got, want := string(plan.Text.Bytes()), strings.Replace(head, "abc", "xyz", 1)+c.after; got != want {
				t.Errorf("the plan is\n%s\nwant\n%s", got, want)
			}
		})
	}
	plan := readPlan(t, head+"  - id: minor\n    status: >-\n      pending\n")
	if err := plan.Mark("minor", doc.Done, ""); err == nil {
		t.Error("a status over two lines was edited")
	}
}

// A status changes one word of the file, and the lock that the plan goes on from another.
func TestMarkLeavesTheRestAlone(t *testing.T) {
	plan := readPlan(t, writtenPlan)
	if plan.Stages[1].Status != doc.Pending {
		t.Errorf("a stage without a status is %q", plan.Stages[1].Status)
	}
	if err := plan.Mark("minor", doc.Done, "xyz"); err != nil {
		t.Fatal(err)
	}
	want := strings.NewReplacer("status: pending # not yet", "status: done # not yet", "lock: abc", "lock: xyz").Replace(
		writtenPlan)
	if got := string(plan.Text.Bytes()); got != want {
		t.Errorf("the plan is\n%s", got)
	}
	if err := plan.Mark("goal-4", doc.Done, ""); err != nil {
		t.Fatal(err)
	}
	if got := string(plan.Text.Bytes()); got != strings.Replace(
		want, "  - id: goal-4\n", "  - id: goal-4\n    status: done\n", 1) {
		t.Errorf("the plan is\n%s", got)
	}
	if plan.Stage("goal-4").Status != doc.Done || plan.Left() != 0 || plan.Next() != nil {
		t.Errorf("the stages are %+v", plan.Stages)
	}
}

func TestSplitKeepsWhatPeopleWrote(t *testing.T) {
	plan := readPlan(t, writtenPlan)
	first, second := Part(plan.Stage("minor"), []string{"keel", "mast"}), Part(plan.Stage("minor"), []string{"deck"})
	second.ID, second.Title = plan.FreeID("minor"), doc.InWords("deck apart")
	first.Locked, second.Locked = &doc.PlanLocked{Added: 0, Removed: 0, Moved: 2},
		&doc.PlanLocked{Added: 1, Removed: 0, Moved: 1}
	first.Effort = &doc.Effort{Jump: "major", Files: 3}
	if err := plan.Split("minor", first, second); err != nil {
		t.Fatal(err)
	}
	text := string(plan.Text.Bytes())
	for _, want := range []string{
		"# The crew's plan.", "# as agreed", "  # first the small things\n  - id: minor\n",
		"      # Morag wants to see this\n      - name: keel\n", "  - id: minor-2\n", "title: deck apart",
		"        note: loud\n", "      - {name: mast,", "  # then the big one\n  - id: goal-4\n", "      files: 3\n"} {
		if !strings.Contains(text, want) {
			t.Errorf("the plan lacks %q:\n%s", want, text)
		}
	}
	if strings.Index(text, "name: mast") > strings.Index(text, "minor-2") ||
		strings.Index(text, "name: deck") < strings.Index(text, "minor-2") {
		t.Errorf("the changes are not where they belong:\n%s", text)
	}
	if len(plan.Stages) != 3 || len(plan.Stages[0].Changes) != 2 || plan.Stages[1].Changes[0].Note != "loud" ||
		plan.Stages[1].Locked.Added != 1 {
		t.Errorf("the stages are %+v", plan.Stages)
	}
}

// A plan of which the stages share lines can be carried out, but not split.
func TestSplitOfAPlanInFlowStyle(t *testing.T) {
	plan := readPlan(t, "molt-plan: 1\ngoal: hulk@4\nreachable: true\nstages: [{id: a, kind: minor, title: t, status: "+
		"pending, changes: [{name: x, group: g, to: {constraint: '1', version: 1.0.0}}]}]\n")
	if err := plan.Split("a", plan.Stages[0], plan.Stages[0]); err == nil ||
		!strings.Contains(err.Error(), "molt plan makes it anew") {
		t.Errorf("splitting it: %v", err)
	}
	if err := plan.Mark("a", doc.Done, ""); err == nil && !strings.Contains(string(plan.Text.Bytes()), "status: done") {
		t.Errorf("marking it leaves %s", plan.Text.Bytes())
	}
}

func TestPlanErrorsPointAtTheirLine(t *testing.T) {
	for _, test := range []struct{ old, new, says string }{
		{"id: minor", "id: mi/nor", "molt-plan.yaml:11:9: the id \"mi/nor\""},
		{"id: goal-4", "id: minor", "molt-plan.yaml:32:9: every stage needs an id of its own"},
		{"status: pending # not yet", "status: perhaps", "molt-plan.yaml:14:13: stage minor: a status is"},
		{"      - name: deck\n        group: dependencies\n", "      - name: deck\n",
			"molt-plan.yaml:21:9: stage minor: a change needs a name"},
		{"molt-plan: 1", "molt-plan: 7", "molt-plan.yaml:2:12: this is format 7"},
	} {
		_, err := Read(File, []byte(strings.Replace(writtenPlan, test.old, test.new, 1)))
		if err == nil || !strings.Contains(err.Error(), test.says) {
			t.Errorf("%q becomes %q: %v, want %q", test.old, test.new, err, test.says)
		}
	}
}

const laterPlan = `molt-plan: 1
goal: hulk@4
reachable: true
stages:
  - id: goal-4
    kind: goal
    title: hulk 4
    status: pending
    changes:
      - name: hulk
        group: dependencies
        from: {constraint: ^3.0.0, version: 3.0.0}
        to: {constraint: ^4.0.0, version: 4.0.0}
    lock:
      added: 0
      removed: 0
      moved: 1
  # these two belong together
  - id: after-keel
    kind: after
    title: keel, deck
    status: pending
    changes:
      # Morag knows why
      - name: keel
        group: dependencies
        note: loud
        from: {constraint: ^1.0.0, version: 1.0.0}
        to: {constraint: ^2.0.0, version: 2.0.0}
      - name: deck
        group: dependencies
        from: {constraint: ^1.0.0, version: 1.0.0}
        to: {constraint: ^2.0.0, version: 2.0.0}
    lock:
      added: 0
      removed: 0
      moved: 2
  - id: after-mast
    kind: after
    title: mast
    status: pending
    changes:
      - name: mast
        group: devDependencies
        from: {constraint: ^1.0.0, version: 1.0.0}
        to: {constraint: ^2.0.0, version: 2.0.0}
`

// What is brought forward takes along what people wrote at it, and a stage that is left without changes goes.
func TestBring(t *testing.T) {
	plan := readPlan(t, laterPlan)
	for _, name := range []string{"mast", "keel"} {
		if err := plan.Bring("goal-4", name); err != nil {
			t.Fatal(err)
		}
	}
	if names := NamesOf(plan.Stage("goal-4")); strings.Join(names, " ") != "hulk mast keel" ||
		plan.Stage("after-mast") != nil || strings.Join(NamesOf(plan.Stage("after-keel")), " ") != "deck" {
		t.Errorf("the stages are %+v", plan.Stages)
	}
	text := string(plan.Text.Bytes())
	for _, want := range []string{
		"  # these two belong together\n  - id: after-keel\n",
		"      # Morag knows why\n      - name: keel\n        group: dependencies\n        note: loud\n"} {
		if strings.Count(text, want) != 1 {
			t.Errorf("the plan lacks %q:\n%s", want, text)
		}
	}
	if strings.Index(text, "Morag") > strings.Index(text, "after-keel") {
		t.Errorf("the comment stayed behind:\n%s", text)
	}
	if err := plan.Count("goal-4", doc.PlanLocked{Added: 1, Moved: 3}); err != nil ||
		!strings.Contains(string(plan.Text.Bytes()), "      added: 1\n      removed: 0\n      moved: 3\n") {
		t.Errorf("the count is not there: %v\n%s", err, plan.Text.Bytes())
	}
	if err := plan.Count("after-keel", doc.PlanLocked{Moved: 2}); err != nil {
		t.Error(err)
	}
	before := string(plan.Text.Bytes())
	if err := plan.Bring("goal-4", "boom"); err != nil || string(plan.Text.Bytes()) != before {
		t.Errorf("what no stage has changed the text: %v", err)
	}
}

// A plan of which the stages share lines can't be changed so, and stays as it is.
func TestBringInFlowStyle(t *testing.T) {
	text := "molt-plan: 1\ngoal: hulk@4\nreachable: true\nstages: [{id: a, kind: goal, title: t, status: pending, " +
		"changes: [{name: x, group: g, to: {constraint: '1', version: 1.0.0}}]}, {id: b, kind: after, title: t, status: " +
		"pending, changes: [{name: y, group: g, to: {constraint: '1', version: 1.0.0}}]}]\n"
	plan := readPlan(t, text)
	if err := plan.Bring("a", "y"); err == nil || !strings.Contains(err.Error(), "not written as a list") ||
		string(plan.Text.Bytes()) != text {
		t.Errorf("%v\n%s", err, plan.Text.Bytes())
	}
}
