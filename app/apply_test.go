package app

import (
	"context"
	"errors"
	"strings"
	"testing"

	"molt/core/conflict"
	"molt/core/project"
	"molt/core/solve"
)

func TestEditConfig(t *testing.T) {
	tests := []struct{ name, text, want string }{
		{"no file", "", "previews: [deck]\n"},
		{"no key", "goal: hulk@4 # soon\n", "goal: hulk@4 # soon\npreviews: [deck]\n"},
		{"no final newline", "goal: hulk@4", "goal: hulk@4\npreviews: [deck]\n"},
		{"a flow list", "previews: [keel]   # tried\n", "previews: [keel, deck]   # tried\n"},
		{"an empty flow list", "previews: []\n", "previews: [deck]\n"},
		{"a block list", "previews:\n  - keel # tried\ngoal: hulk@4\n", "previews:\n  - deck\n  - keel # tried\ngoal: hulk@4\n"},
	}
	for _, test := range tests {
		if got, err := editConfig(test.text, []string{"deck"}, nil); err != nil || got != test.want {
			t.Errorf("%s: %q, %v, want %q", test.name, got, err, test.want)
		}
	}
	if got, err := editConfig("goal: x\n", []string{"@quay/rope"}, nil); err != nil || !strings.Contains(got, "[\"@quay/rope\"]") {
		t.Errorf("a scoped name: %q, %v", got, err)
	}
	var usage *UsageError
	if _, err := editConfig("previews: \n    [keel,\n     mast]\n", []string{"deck"}, nil); !errors.As(err, &usage) || !strings.Contains(err.Error(), "add deck under") {
		t.Errorf("a list in a form that is not edited: %v", err)
	}
	for _, text := range []string{
		"hold:\n  keel: {reason: slow}\n  deck: {reason: not yet}\ngoal: hulk@4\n",
		"hold:\n  keel: {reason: slow}\n  deck:\n    reason: not yet\n    until: 2027-01-01\ngoal: hulk@4\n",
		"hold:\n  deck:\n    until: 2027-01-01\n    reason: not yet\n  keel: {reason: slow}\ngoal: hulk@4\n",
	} {
		got, err := editConfig(text, nil, []string{"deck"})
		if err != nil || strings.Contains(got, "deck") || !strings.Contains(got, "keel: {reason: slow}") || !strings.Contains(got, "goal: hulk@4") {
			t.Errorf("without the hold %q became %q, %v", text, got, err)
		}
	}
}

func TestTake(t *testing.T) {
	b := newBench(t, map[string]string{"package.json": strings.Replace(deskManifest, `"hulk": "^3.0.0"`, `"hulk": "^4.0.0"`, 1), "molt.yaml": "goal: hulk@4\n"})
	a, source := b.use()
	before := b.read("package.json")
	_, err := solve.Resolve(context.Background(), source, a.Application().Problem())
	var tangle *solve.Tangle
	if !errors.As(err, &tangle) {
		t.Fatalf("the manifest resolves: %v", err)
	}
	ways, err := conflict.WaysOut(context.Background(), source, a.Application(), tangle)
	if err != nil || len(ways) < 3 {
		t.Fatalf("ways out: %+v, %v", ways, err)
	}
	for _, way := range ways {
		if err := a.Take(context.Background(), source, way); err != nil {
			t.Fatalf("%s: %v", way.Title, err)
		}
		if found, err := a.Verify(context.Background()); err != nil || len(found) > 0 {
			t.Errorf("%s: %v, %v", way.Title, found, err)
		}
		if back, err := a.Back(context.Background(), ""); err != nil || len(back.Stages) != 1 || back.Stages[0] != "untangle" {
			t.Fatalf("back from %s: %v, %v", way.Title, back, err)
		}
		if b.read("package.json") != before || b.read("molt.lock") != "" || b.read("molt.yaml") != "goal: hulk@4\n" {
			t.Errorf("%s was not taken back", way.Title)
		}
	}
	if err := a.Take(context.Background(), source, conflict.WayOut{Preview: []string{"deck"}}); err != nil || b.read("molt.yaml") != "goal: hulk@4\npreviews: [deck]\n" {
		t.Errorf("previews: %v, %q", err, b.read("molt.yaml"))
	}
	var usage *UsageError
	for _, way := range []conflict.WayOut{{Kind: conflict.WaitWay}, {Goal: &project.Goal{Name: "hulk", Constraint: "3"}}} {
		if err := a.Take(context.Background(), source, way); !errors.As(err, &usage) {
			t.Errorf("what cannot be taken: %v", err)
		}
	}
}

// Going back over several things restores what each changed, and refuses to lose an edit of any of the files.
func TestBackOverWaysAndStages(t *testing.T) {
	b := newBench(t, map[string]string{"package.json": deskManifest, "molt.yaml": "goal: hulk@4\n"})
	a, source := b.planned()
	before := b.read("package.json") + b.read("molt.lock")
	if step, err := a.Step(context.Background(), source, Order{}, Watcher{}); err != nil || !step.Passed {
		t.Fatalf("%+v, %v", step, err)
	}
	if err := a.Take(context.Background(), source, conflict.WayOut{Preview: []string{"deck"}}); err != nil {
		t.Fatal(err)
	}
	if step, err := a.Step(context.Background(), source, Order{}, Watcher{}); err != nil || !step.Passed {
		t.Fatalf("%+v, %v", step, err)
	}
	taken := b.read("molt.yaml")
	b.write("molt.yaml", taken+"runtime: {node: 22.0.0}\n")
	var stale *EditedError
	for _, id := range []string{"untangle", "bridge-deck"} {
		if _, err := a.Back(context.Background(), id); !errors.As(err, &stale) || !strings.Contains(err.Error(), "molt.yaml was edited after stage untangle") {
			t.Errorf("back to %s over an edit of molt.yaml: %v", id, err)
		}
	}
	b.write("molt.yaml", taken)
	if back, err := a.Back(context.Background(), "bridge-deck"); err != nil || len(back.Stages) != 3 {
		t.Fatalf("back: %v, %v", back, err)
	}
	if b.read("package.json")+b.read("molt.lock") != before || b.read("molt.yaml") != "goal: hulk@4\n" {
		t.Errorf("the first state did not come back: %s", b.read("molt.yaml"))
	}
}
