package assess

import (
	"slices"

	"molt/core/project"
	"molt/core/solve"
)

// mostSetAside is how many tangles of the goal by itself are set aside, one after the other.
const mostSetAside = 4

// alone finds out why the goal does not resolve even by itself, without anything else that is declared; nil where it
// does. Then nothing else is to blame, and the question with what packages ask of each other there set aside tells of
// the rest as if that were not in the way.
func (a *Judgement) alone(target []string) (*Judgement, *solve.Tangle, error) {
	seen := *a
	var first *solve.Tangle
	var aside []solve.Demand
	for range mostSetAside {
		t, err := solve.Refute(a.Ctx, seen.Source, seen.Problem(Choice{a.Goal.Name: target}, nil))
		if err != nil || t == nil {
			return &seen, first, err
		}
		if first == nil {
			first = t
		}
		before := len(aside)
		for _, d := range t.Demands {
			if _, runtime := project.RuntimeOf(d.Package); d.By != "" && !runtime && !slices.Contains(aside, d) {
				aside = append(aside, d)
			}
		}
		if len(aside) == before {
			break
		}
		seen.Source = solve.Without(a.Source, aside)
	}
	return nil, nil, nil // what is in the way is not what packages ask of each other
}
