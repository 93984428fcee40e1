package planfile

import (
	"strings"
	"testing"

	"molt/app/yamlfile"
	"molt/core/fact"
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
	for _, want := range []string{
		"# first the small things\n", "      # Morag wants to see this\n      - name: keel\n", "  # then the big one\n"} {
		if strings.Count(string(data), want) != 1 {
			t.Errorf("the plan lacks %q:\n%s", want, data)
		}
	}
}

func TestKeepOrderAndDropped(t *testing.T) {
	stage := func(id string, names ...string) doc.PlanStage {
		s := doc.PlanStage{ID: id, Kind: "after", Title: doc.InWords(id), Status: doc.Pending}
		for _, n := range names {
			s.Changes = append(s.Changes, doc.PlanChange{
				Name: n, Group: "g", To: &doc.PlanPoint{Constraint: "1", Version: "1.0.0"}})
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
		return &Plan{Plan: doc.Plan{Stages: []doc.PlanStage{
			stage("a", "x", "y", "new"), stage("b", "z"), stage("c", "w"), stage("d", "v"), stage("e", "u")}}}
	}
	// People dropped y and c, put d before b, and moved x into a stage of their own.
	old := &Plan{Plan: doc.Plan{Made: made, Stages: []doc.PlanStage{stage("d", "v"), stage("b", "z"), stage("a-x", "x")}}}
	p := fresh()
	var kept []fact.Fact
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

// A release that people wrote into a stage is theirs, and one that is only other than it would be today is not.
func TestKeepReleases(t *testing.T) {
	plan := func(x, y string) *Plan {
		at := func(name, v string) doc.PlanChange {
			return doc.PlanChange{Name: name, To: &doc.PlanPoint{Constraint: "^1", Version: v}}
		}
		return &Plan{Plan: doc.Plan{Stages: []doc.PlanStage{
			{ID: "minor", Status: doc.Pending, Changes: []doc.PlanChange{at("@a/x", x), at("y", y), {Name: "z"}}}}}}
	}
	old := plan("1.2.0", "1.4.0")
	old.Made = &doc.PlanMade{Offered: map[string][]string{"minor": OfferOf(&plan("1.3.0", "1.4.0").Stages[0])}}
	if got := strings.Join(old.Made.Offered["minor"], " "); got != "@a/x@1.3.0 y@1.4.0 z@removed" {
		t.Errorf("a plan keeps %s", got)
	}
	old.Text = &Text{Text: &yamlfile.Text{}}
	if !old.Decided() {
		t.Error("a written release is no decision")
	}
	fresh := plan("1.3.1", "1.5.0")
	before := fresh.Stages[0].Changes[0]
	kept := KeepReleases("minor", old, fresh)
	if got := strings.Join(OfferOf(&fresh.Stages[0]), " "); got != "@a/x@1.2.0 y@1.5.0 z@removed" ||
		len(kept) != 1 || !kept[0].Equal(fact.New(doc.WrittenRelease, "@a/x", "1.2.0", "minor")) {
		t.Errorf("the renewed plan moves %s, and keeps %q", got, kept)
	}
	if before.To.Version != "1.3.1" {
		t.Error("a change that was handed out was written to")
	}
	old.Made.Offered["minor"] = []string{"@a/x", "y"} // as plans of before kept it
	if kept := KeepReleases("minor", old, plan("1.3.1", "1.5.0")); kept != nil || old.Decided() {
		t.Errorf("without the releases that it was made with, %q is kept", kept)
	}
}

// TestDecided tells a plan as Molt wrote it, also after some of its stages, from one that people wrote into.
func TestDecided(t *testing.T) {
	made := func() *Plan {
		change := doc.PlanChange{Name: "x", Group: "dependencies", From: &doc.PlanPoint{Version: "1.0.0"},
			To: &doc.PlanPoint{Version: "1.1.0"}}
		return &Plan{Plan: doc.Plan{Format: format, Goal: "y@2",
			Made: &doc.PlanMade{On: "2026-01-01", Offered: map[string][]string{"minor": {"x"}, "goal-2": {}}},
			Stages: []doc.PlanStage{{ID: "minor", Kind: "minor", Status: doc.Pending, Changes: []doc.PlanChange{change}},
				{ID: "goal-2", Kind: "goal", Status: doc.Pending}}}}
	}
	for name, c := range map[string]struct {
		edit func(p *Plan)
		text [2]string // replaced
		want bool
	}{
		"as it was made":       {},
		"a stage is done":      {edit: func(p *Plan) { p.Stages[0].Status = doc.Done }},
		"a note":               {edit: func(p *Plan) { p.Note = "mine" }, want: true},
		"a note on a stage":    {edit: func(p *Plan) { p.Stages[1].Note = "mine" }, want: true},
		"a note on a change":   {edit: func(p *Plan) { p.Stages[0].Changes[0].Note = "mine" }, want: true},
		"a stage dropped":      {edit: func(p *Plan) { p.Stages = p.Stages[:1] }, want: true},
		"a stage of one's own": {edit: func(p *Plan) { p.Stages[1].ID = "later" }, want: true},
		"a change dropped":     {edit: func(p *Plan) { p.Stages[0].Changes = []doc.PlanChange{} }, want: true},
		"a comment":            {text: [2]string{"stages:", "# mine\nstages:"}, want: true},
		"nothing of Molt":      {edit: func(p *Plan) { p.Made = nil }, want: true},
	} {
		p := made()
		if c.edit != nil {
			c.edit(p)
		}
		data, err := p.Encode()
		if err != nil {
			t.Fatal(err)
		}
		read, err := Read(File, []byte(strings.Replace(string(data), c.text[0], c.text[1], 1)))
		if err != nil {
			t.Fatalf("%s: %v\n%s", name, err, data)
		}
		if got := read.Decided(); got != c.want {
			t.Errorf("%s: %v, want %v\n%s", name, got, c.want, data)
		}
	}
}
