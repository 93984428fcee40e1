package stages

import (
	"context"
	"testing"

	"molt/app/change"
	"molt/ecosystem"
)

// A line with an empty constraint, of which nothing is locked, is changed and dropped like any other.
func TestEmptyConstraint(t *testing.T) {
	b := newBench(t, map[string]string{"package.json": "{\"dependencies\": {\"keel\": \"\", \"hulk\": \"^3.0.0\"}}"})
	a := b.use()
	changes, err := change.Drop(a.View, []string{"keel"}, ecosystem.Part{})
	if err != nil {
		t.Fatal(err)
	}
	e, err := change.Rehearse(context.Background(), a, changes)
	if err != nil {
		t.Fatal(err)
	}
	if err := change.Change(context.Background(), a.View, "drop", e); err != nil {
		t.Fatal(err)
	}
	if got := b.read("package.json"); got != "{\"dependencies\": {\"hulk\": \"^3.0.0\"}}" {
		t.Errorf("the manifest is %s", got)
	}
}
