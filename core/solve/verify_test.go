package solve

import (
	"context"
	"strings"
	"testing"

	"molt/core/universe"
)

// A name that the application declares and that nothing serves is never provided besides: looking
// for what is provided ends.
func TestVerifyEnds(t *testing.T) {
	source, p := sketch(t, `
		app: deck@*
		deck@1: peer:flag@1
		flag@1`)
	for _, absent := range []universe.Demand{
		{As: "flag", Package: "flag", Text: "file:../flag", Foreign: true},
		{As: "flag", Package: "flag", Text: "^9", Optional: true},
	} {
		p := p
		p.Roots = append([]Root{{Demand: absent}}, p.Roots...)
		r := &Resolution{
			Roots: []Edge{
				{Name: "flag", Package: "flag", Constraint: absent.Text, Optional: absent.Optional, Foreign: absent.Foreign},
				{Name: "deck", Package: "deck", Constraint: "*", To: "deck@1.0.0"},
			},
			Packages: []Node{
				{ID: "deck@1.0.0", Name: "deck", Version: "1.0.0",
					Peers: []Edge{{Name: "flag", Package: "flag", Constraint: "1", To: "flag@1.0.0"}}},
				{ID: "flag@1.0.0", Name: "flag", Version: "1.0.0"},
			},
		}
		err := Verify(context.Background(), source, p, r)
		if absent.Optional && (err == nil || !strings.Contains(err.Error(), "has the peer flag")) {
			t.Errorf("the application has no flag, and deck has one: %v", err)
		}
		if absent.Foreign && err != nil {
			t.Errorf("what a foreign flag is cannot be judged: %v", err)
		}
	}
}
