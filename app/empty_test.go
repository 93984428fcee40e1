package app

import (
	"context"
	"testing"

	"molt/ecosystem"
)

// A line with an empty constraint, of which nothing is locked, is changed and dropped like any other.
func TestEmptyConstraint(t *testing.T) {
	b := newBench(t, map[string]string{"package.json": "{\"dependencies\": {\"keel\": \"\", \"hulk\": \"^3.0.0\"}}"})
	a, source := b.use()
	changes, err := a.Drop([]string{"keel"}, ecosystem.Part{})
	if err != nil {
		t.Fatal(err)
	}
	e, err := a.Rehearse(context.Background(), source, changes)
	if err != nil {
		t.Fatal(err)
	}
	if err := a.Change(context.Background(), "drop", e); err != nil {
		t.Fatal(err)
	}
	if got := b.read("package.json"); got != "{\"dependencies\": {\"hulk\": \"^3.0.0\"}}" {
		t.Errorf("the manifest is %s", got)
	}
}
