package planfile

import (
	"strings"
	"testing"

	"molt/doc"
)

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
	if data, err = KeepComments(old, data); err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{"# first the small things\n", "      # Morag wants to see this\n      - name: keel\n", "  # then the big one\n"} {
		if strings.Count(string(data), want) != 1 {
			t.Errorf("the plan lacks %q:\n%s", want, data)
		}
	}
}

func TestKeepOrderAndDropped(t *testing.T) {
	stage := func(id string, names ...string) doc.PlanStage {
		s := doc.PlanStage{ID: id, Kind: "after", Title: id, Status: doc.Pending}
		for _, n := range names {
			s.Changes = append(s.Changes, doc.PlanChange{Name: n, Group: "g", To: &doc.PlanPoint{Constraint: "1", Version: "1.0.0"}})
		}
		return s
	}
	ids := func(p *Plan) string {
		var all []string
		for _, s := range p.Stages {
			all = append(all, s.ID+"("+strings.Join(NamesOf(&s), " ")+")")
		}
		return strings.Join(all, " ")
	}
	made := &doc.PlanMade{Offered: map[string][]string{"a": {"x", "y"}, "b": {"z"}, "c": {"w"}, "d": {"v"}}}
	fresh := func() *Plan {
		return &Plan{Plan: doc.Plan{Stages: []doc.PlanStage{stage("a", "x", "y", "new"), stage("b", "z"), stage("c", "w"), stage("d", "v"), stage("e", "u")}}}
	}
	// People dropped y and c, put d before b, and moved x into a stage of their own.
	old := &Plan{Plan: doc.Plan{Made: made, Stages: []doc.PlanStage{stage("d", "v"), stage("b", "z"), stage("a-x", "x")}}}
	p := fresh()
	var kept []string
	for _, id := range []string{"a", "b", "c", "d"} {
		kept = append(kept, KeepDropped(id, old, p)...)
	}
	if got := ids(p); got != "a(x new) b(z) d(v) e(u)" || len(kept) != 2 {
		t.Errorf("without what was dropped: %s, kept %q", got, kept)
	}
	kept = KeepSplits(old, p)
	if got := ids(p); got != "a(new) a-x(x) b(z) d(v) e(u)" || len(kept) != 1 {
		t.Errorf("with the split: %s, kept %q", got, kept)
	}
	kept = KeepOrder(old, p)
	if got := ids(p); got != "a(new) d(v) b(z) a-x(x) e(u)" || len(kept) != 1 {
		t.Errorf("in the order of before: %s, kept %q", got, kept)
	}
	if kept := KeepOrder(old, p); kept != nil {
		t.Errorf("the order was kept twice: %q", kept)
	}
	if kept := KeepSplits(&Plan{Plan: doc.Plan{Stages: old.Stages}}, fresh()); kept != nil {
		t.Errorf("a plan that does not say what it was made on: %q", kept)
	}
}
