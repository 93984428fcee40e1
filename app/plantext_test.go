package app

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"molt/input"
)

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

func readPlan(t *testing.T, text string) *PlanDoc {
	t.Helper()
	doc, err := decodePlan(PlanFile, []byte(text))
	if err != nil {
		t.Fatal(err)
	}
	return doc
}

// A status is set in whatever form people wrote the stage.
func TestMarkAnyForm(t *testing.T) {
	head := "molt-plan: 1\ngoal: hulk@4\nreachable: true\nmade: {on: 2026-01-31, lock: abc, registry: def}\nstages:\n"
	for _, c := range []struct{ name, before, after string }{
		{"between braces", "  - {id: minor, note: \"status: é\", status: pending, changes: []} # so\n", "  - {id: minor, note: \"status: é\", status: done, changes: []} # so\n"},
		{"between braces, without", "  - {note: é, id: minor}\n", "  - {note: é, id: minor, status: done}\n"},
		{"quoted", "  - \"id\": 'minor'\n    'status': \"pending\" # so\n", "  - \"id\": 'minor'\n    'status': done # so\n"},
		{"a quoted key before it", "  - \"id\": minor\n    kind: minor\n", "  - \"id\": minor\n    status: done\n    kind: minor\n"},
		{"empty", "  - id: minor\n    status: # so\n    kind: minor\n", "  - id: minor\n    status: done # so\n    kind: minor\n"},
	} {
		t.Run(c.name, func(t *testing.T) {
			doc := readPlan(t, head+c.before)
			if err := doc.mark("minor", Done, "xyz"); err != nil {
				t.Fatal(err)
			}
			if got, want := string(doc.text.bytes()), strings.Replace(head, "abc", "xyz", 1)+c.after; got != want {
				t.Errorf("the plan is\n%s\nwant\n%s", got, want)
			}
		})
	}
	doc := readPlan(t, head+"  - id: minor\n    status: >-\n      pending\n")
	if err := doc.mark("minor", Done, ""); err == nil {
		t.Error("a status over two lines was edited")
	}
}

// A status changes one word of the file, and the lock that the plan goes on from another.
func TestMarkLeavesTheRestAlone(t *testing.T) {
	doc := readPlan(t, writtenPlan)
	if doc.Stages[1].Status != Pending {
		t.Errorf("a stage without a status is %q", doc.Stages[1].Status)
	}
	if err := doc.mark("minor", Done, "xyz"); err != nil {
		t.Fatal(err)
	}
	want := strings.NewReplacer("status: pending # not yet", "status: done # not yet", "lock: abc", "lock: xyz").Replace(writtenPlan)
	if got := string(doc.text.bytes()); got != want {
		t.Errorf("the plan is\n%s", got)
	}
	if err := doc.mark("goal-4", Done, ""); err != nil {
		t.Fatal(err)
	}
	if got := string(doc.text.bytes()); got != strings.Replace(want, "  - id: goal-4\n", "  - id: goal-4\n    status: done\n", 1) {
		t.Errorf("the plan is\n%s", got)
	}
	if doc.Stage("goal-4").Status != Done || doc.left() != 0 || doc.Next() != nil {
		t.Errorf("the stages are %+v", doc.Stages)
	}
}

func TestSplitKeepsWhatPeopleWrote(t *testing.T) {
	doc := readPlan(t, writtenPlan)
	first, second := partOf(doc.Stage("minor"), []string{"keel", "mast"}), partOf(doc.Stage("minor"), []string{"deck"})
	second.ID, second.Title = doc.freeID("minor"), "deck apart"
	first.Lock, second.Lock = &LockDoc{0, 0, 2}, &LockDoc{1, 0, 1}
	first.Effort = &EffortDoc{Jump: "major", Files: 3}
	if err := doc.split("minor", first, second); err != nil {
		t.Fatal(err)
	}
	text := string(doc.text.bytes())
	for _, want := range []string{"# The crew's plan.", "# as agreed", "  # first the small things\n  - id: minor\n", "      # Morag wants to see this\n      - name: keel\n", "  - id: minor-2\n", "title: deck apart",
		"        note: loud\n", "      - {name: mast,", "  # then the big one\n  - id: goal-4\n", "      files: 3\n"} {
		if !strings.Contains(text, want) {
			t.Errorf("the plan lacks %q:\n%s", want, text)
		}
	}
	if strings.Index(text, "name: mast") > strings.Index(text, "minor-2") || strings.Index(text, "name: deck") < strings.Index(text, "minor-2") {
		t.Errorf("the changes are not where they belong:\n%s", text)
	}
	if len(doc.Stages) != 3 || len(doc.Stages[0].Changes) != 2 || doc.Stages[1].Changes[0].Note != "loud" || doc.Stages[1].Lock.Added != 1 {
		t.Errorf("the stages are %+v", doc.Stages)
	}
}

// A plan of which the stages share lines can be carried out, but not split.
func TestSplitOfAPlanInFlowStyle(t *testing.T) {
	doc := readPlan(t, "molt-plan: 1\ngoal: hulk@4\nreachable: true\nstages: [{id: a, kind: minor, title: t, status: pending, changes: [{name: x, group: g, to: {constraint: '1', version: 1.0.0}}]}]\n")
	if err := doc.split("a", doc.Stages[0], doc.Stages[0]); err == nil || !strings.Contains(err.Error(), "molt plan makes it anew") {
		t.Errorf("splitting it: %v", err)
	}
	if err := doc.mark("a", Done, ""); err == nil && !strings.Contains(string(doc.text.bytes()), "status: done") {
		t.Errorf("marking it leaves %s", doc.text.bytes())
	}
}

func TestPlanErrorsPointAtTheirLine(t *testing.T) {
	for _, test := range []struct{ old, new, says string }{
		{"id: minor", "id: mi/nor", "molt-plan.yaml:11:9: the id \"mi/nor\""},
		{"id: goal-4", "id: minor", "molt-plan.yaml:32:9: every stage needs an id of its own"},
		{"status: pending # not yet", "status: perhaps", "molt-plan.yaml:14:13: stage minor: a status is"},
		{"      - name: deck\n        group: dependencies\n", "      - name: deck\n", "molt-plan.yaml:21:9: stage minor: a change needs a name"},
		{"molt-plan: 1", "molt-plan: 7", "molt-plan.yaml:2:12: this is format 7"},
	} {
		_, err := decodePlan(PlanFile, []byte(strings.Replace(writtenPlan, test.old, test.new, 1)))
		if err == nil || !strings.Contains(err.Error(), test.says) {
			t.Errorf("%q becomes %q: %v, want %q", test.old, test.new, err, test.says)
		}
	}
}

// Comments of people find their stage and their change in a plan that was made anew.
func TestCommentsAreCarriedOver(t *testing.T) {
	old := readPlan(t, writtenPlan)
	fresh := readPlan(t, writtenPlan)
	fresh.Stages[0].Changes[0], fresh.Stages[0].Changes[1] = fresh.Stages[0].Changes[1], fresh.Stages[0].Changes[0]
	data, err := fresh.Encode()
	if err != nil {
		t.Fatal(err)
	}
	if strings.Contains(string(data), "Morag") {
		t.Fatal("the comment is there already")
	}
	if data, err = keepComments(old, data); err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{"# first the small things\n", "      # Morag wants to see this\n      - name: keel\n", "  # then the big one\n"} {
		if strings.Count(string(data), want) != 1 {
			t.Errorf("the plan lacks %q:\n%s", want, data)
		}
	}
}

func TestKeepOrderAndDropped(t *testing.T) {
	stage := func(id string, names ...string) StageDoc {
		s := StageDoc{ID: id, Kind: "after", Title: id, Status: Pending}
		for _, n := range names {
			s.Changes = append(s.Changes, ChangeDoc{Name: n, Group: "g", To: &PointDoc{"1", "1.0.0"}})
		}
		return s
	}
	ids := func(p *PlanDoc) string {
		var all []string
		for _, s := range p.Stages {
			all = append(all, s.ID+"("+strings.Join(namesOf(&s), " ")+")")
		}
		return strings.Join(all, " ")
	}
	made := &MadeDoc{Offered: map[string][]string{"a": {"x", "y"}, "b": {"z"}, "c": {"w"}, "d": {"v"}}}
	fresh := func() *PlanDoc {
		return &PlanDoc{Stages: []StageDoc{stage("a", "x", "y", "new"), stage("b", "z"), stage("c", "w"), stage("d", "v"), stage("e", "u")}}
	}
	// People dropped y and c, put d before b, and moved x into a stage of their own.
	old := &PlanDoc{Made: made, Stages: []StageDoc{stage("d", "v"), stage("b", "z"), stage("a-x", "x")}}
	p := fresh()
	var kept []string
	for _, id := range []string{"a", "b", "c", "d"} {
		kept = append(kept, keepDropped(id, old, p)...)
	}
	if got := ids(p); got != "a(x new) b(z) d(v) e(u)" || len(kept) != 2 {
		t.Errorf("without what was dropped: %s, kept %q", got, kept)
	}
	kept = keepSplits(old, p)
	if got := ids(p); got != "a(new) a-x(x) b(z) d(v) e(u)" || len(kept) != 1 {
		t.Errorf("with the split: %s, kept %q", got, kept)
	}
	kept = keepOrder(old, p)
	if got := ids(p); got != "a(new) d(v) b(z) a-x(x) e(u)" || len(kept) != 1 {
		t.Errorf("in the order of before: %s, kept %q", got, kept)
	}
	if kept := keepOrder(old, p); kept != nil {
		t.Errorf("the order was kept twice: %q", kept)
	}
	if kept := keepSplits(&PlanDoc{Stages: old.Stages}, fresh()); kept != nil {
		t.Errorf("a plan that does not say what it was made on: %q", kept)
	}
}

// A text of a few lines that would become an endless one is refused before anybody expands it.
func TestYAMLThatExpands(t *testing.T) {
	text := "hold: {a: &a [x,x,x,x,x,x,x,x,x]"
	for c := 'b'; c < 'q'; c++ {
		text += fmt.Sprintf(", %c: &%c [%s*%c]", c, c, strings.Repeat(fmt.Sprintf("*%c,", c-1), 8), c-1)
	}
	text += "}\n"
	var beyond *input.LimitError
	if _, err := readConfig("molt.yaml", []byte(text)); !errors.As(err, &beyond) {
		t.Errorf("a configuration: %v", err)
	}
	if _, err := decodePlan("molt-plan.yaml", []byte(text)); !errors.As(err, &beyond) {
		t.Errorf("a plan: %v", err)
	}
	if _, err := readConfig("molt.yaml", []byte("checks:\n  - &a {name: x, run: y}\n")); err != nil {
		t.Errorf("an anchor: %v", err)
	}
}
