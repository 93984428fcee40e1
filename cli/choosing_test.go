package cli

import (
	"testing"

	"molt/ask"
	"molt/core/plan"
)

// TestFlagsOf says by flags what was chosen, so that the call shown makes the same plan.
func TestFlagsOf(t *testing.T) {
	for _, c := range []struct {
		request  ask.PlanRequest
		previews []string
		want     string
	}{
		{ask.PlanRequest{Fresh: plan.Freshness[0]}, nil, " --fresh " + string(plan.Freshness[0])},
		{ask.PlanRequest{Fresh: "minor", Leap: true}, nil, " --fresh minor --leap"},
		// oar's are those of a way out
		{ask.PlanRequest{Fresh: "minor", Previews: []string{"keel", "oar"}}, []string{"keel"},
			" --fresh minor --preview keel"},
	} {
		if got := flagsOf(c.request, c.previews); got != c.want {
			t.Errorf("%+v: %q, want %q", c.request, got, c.want)
		}
	}
}
