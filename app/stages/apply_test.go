package stages

import (
	"context"
	"errors"
	"strings"
	"testing"

	"molt/app/change"
	"molt/app/ledger"
	"molt/app/locking"
	"molt/app/run"
	"molt/core/conflict"
	"molt/core/project"
	"molt/core/solve"
	"molt/input"
)

func TestTake(t *testing.T) {
	b := newBench(t, map[string]string{
		"package.json": strings.Replace(deskManifest, `"hulk": "^3.0.0"`, `"hulk": "^4.0.0"`, 1),
		"molt.yaml":    "goal: hulk@4\n"})
	a := b.use()
	before := b.read("package.json")
	_, err := solve.Resolve(context.Background(), a.Source, a.Application().Problem())
	var tangle *solve.Tangle
	if !errors.As(err, &tangle) {
		t.Fatalf("the manifest resolves: %v", err)
	}
	ways, err := conflict.WaysOut(context.Background(), a.Source, a.Application(), tangle)
	if err != nil || len(ways) < 3 {
		t.Fatalf("ways out: %+v, %v", ways, err)
	}
	for _, way := range ways {
		if err := change.Take(context.Background(), a, way); err != nil {
			t.Fatalf("%s: %v", way.Title, err)
		}
		// What only molt.yaml says leaves the lock to the next relock.
		if found, err := locking.Verify(context.Background(), b.open()); way.Kind != conflict.WaiveWay &&
			(err != nil || len(found) > 0) {
			t.Errorf("%s: %v, %v", way.Title, found, err)
		}
		if back, err := Back(context.Background(), a.View, "", false); err != nil || len(back.Stages) != 1 ||
			back.Stages[0] != "untangle" {
			t.Fatalf("back from %s: %v, %v", way.Title, back, err)
		}
		if b.read("package.json") != before || b.read("molt.lock") != "" || b.read("molt.yaml") != "goal: hulk@4\n" {
			t.Errorf("%s was not taken back", way.Title)
		}
	}
	if err := change.Take(context.Background(), a, conflict.WayOut{Preview: []string{"deck"}}); err != nil ||
		b.read("molt.yaml") != "goal: hulk@4\npreviews: [deck]\n" {
		t.Errorf("previews: %v, %q", err, b.read("molt.yaml"))
	}
	var usage *input.UsageError
	for _, way := range []conflict.WayOut{
		{Kind: conflict.WaitWay}, {Goals: []project.Goal{{Name: "hulk", Constraint: "3"}}}} {
		if err := change.Take(context.Background(), a, way); !errors.As(err, &usage) {
			t.Errorf("what cannot be taken: %v", err)
		}
	}
}

// Going back over several things restores what each changed, and refuses to lose an edit of any of the files.
func TestBackOverWaysAndStages(t *testing.T) {
	b := newBench(t, map[string]string{"package.json": deskManifest, "molt.yaml": "goal: hulk@4\n"})
	a := b.planned()
	before := b.read("package.json") + b.read("molt.lock")
	if step, err := takeStep(context.Background(), &a, StepOrder{}, run.Watcher{}); err != nil || !step.Passed {
		t.Fatalf("%+v, %v", step, err)
	}
	if err := change.Take(context.Background(), a, conflict.WayOut{Preview: []string{"deck"}}); err != nil {
		t.Fatal(err)
	}
	if step, err := takeStep(context.Background(), &a, StepOrder{}, run.Watcher{}); err != nil || !step.Passed {
		t.Fatalf("%+v, %v", step, err)
	}
	taken := b.read("molt.yaml")
	b.write("molt.yaml", taken+"runtime: {node: 22.0.0}\n")
	var stale *ledger.EditedError
	for _, id := range []string{"untangle", "bridge-deck"} {
		if _, err := Back(context.Background(), a.View, id, false); !errors.As(err, &stale) ||
			!strings.Contains(err.Error(), "molt.yaml was edited after stage untangle") {
			t.Errorf("back to %s over an edit of molt.yaml: %v", id, err)
		}
	}
	b.write("molt.yaml", taken)
	if back, err := Back(context.Background(), a.View, "bridge-deck", false); err != nil || len(back.Stages) != 3 {
		t.Fatalf("back: %v, %v", back, err)
	}
	if b.read("package.json")+b.read("molt.lock") != before || b.read("molt.yaml") != "goal: hulk@4\n" {
		t.Errorf("the first state did not come back: %s", b.read("molt.yaml"))
	}
}
