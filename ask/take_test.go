package ask_test

import (
	"context"
	"net/http/httptest"
	"os"
	"path/filepath"
	"testing"

	"molt/app/open"
	"molt/ask"
	"molt/core/conflict"
	"molt/ecosystem/js"
	"molt/ecosystem/js/ranges"
	"molt/ecosystem/standin"
)

// A plan that is made in the session in which a way out was taken goes on from what that wrote.
func TestPlanAfterTaking(t *testing.T) {
	table, err := standin.ReadUniverse("harbour", []byte(`package hulk
  3.0.0  2023-01-01
  4.0.0  2025-01-01
package deck
  1.0.0  2023-01-01  peer:hulk@^3
package keel
  1.0.0  2023-01-01
`), ranges.Scheme)
	if err != nil {
		t.Fatal(err)
	}
	server := httptest.NewServer(js.JS{}.StandIn(table))
	defer server.Close()
	dir, ctx := t.TempDir(), context.Background()
	manifest := `{"dependencies": {"hulk": "^3.0.0", "deck": "^1.0.0", "keel": "^1.0.0"}}`
	if err := os.WriteFile(filepath.Join(dir, "package.json"), []byte(manifest), 0o644); err != nil {
		t.Fatal(err)
	}
	env := map[string]string{"MOLT_REGISTRY_JS": server.URL, "MOLT_CACHE": t.TempDir(), "MOLT_STATE": t.TempDir()}
	set := ask.Settings{Settings: open.Settings{Dir: dir, Jobs: 4, Env: func(k string) string { return env[k] }},
		Say: func(string, ...any) {}}
	s, err := ask.Open(ctx, set, ask.Needs{Write: true, Dated: true, Declared: true})
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	if _, err := s.Relock(ctx, false, nil); err != nil {
		t.Fatal(err)
	}
	goal := []string{"hulk@4"}
	answer, err := s.Untangle(ctx, goal...)
	if err != nil {
		t.Fatal(err)
	}
	for i, way := range answer.Ways {
		if way.Kind != conflict.DropWay {
			continue
		}
		if _, err := s.Take(ctx, goal, i+1); err != nil {
			t.Fatal(err)
		}
		plan, err := s.MakePlan(ctx, ask.PlanRequest{Goals: goal})
		if err != nil || !plan.Reachable {
			t.Fatalf("after %q the plan is %+v, %v", way.Title, plan, err)
		}
		for _, stage := range plan.Stages {
			for _, c := range stage.Changes {
				if c.Name == "deck" {
					t.Errorf("deck is gone, and stage %s moves it", stage.ID)
				}
			}
		}
		return
	}
	t.Fatalf("no way out takes something out: %+v", answer.Ways)
}
