package ask

import (
	"fmt"

	"molt/core/conflict"
	"molt/core/project"
	"molt/core/solve"
	"molt/doc"
)

// NewUntangle makes the document of a tangle with its ways out. The knot may be nil; place tells where the manifest
// declares a demand.
func NewUntangle(goal string, k *conflict.Explanation, blocked []string, ways []conflict.WayOut, place func(solve.Demand) string) doc.Untangle {
	answer := doc.Untangle{Schema: "molt/untangle/1", Goal: goal, Contested: []doc.Contest{}, Blocked: append([]string{}, blocked...), Ways: []doc.Way{}}
	if k != nil {
		answer.Tangles = k.Tangles
		for _, c := range k.Contested {
			answer.Contested = append(answer.Contested, newContest(c, place))
		}
	}
	for i, w := range ways {
		answer.Ways = append(answer.Ways, newWay(goal, i+1, w))
	}
	return answer
}

func newContest(c conflict.Contest, place func(solve.Demand) string) doc.Contest {
	answer := doc.Contest{Name: c.Name}
	for _, s := range c.Sides {
		side := doc.Side{By: s.Demand.By, Releases: s.Releases, Constraint: s.Demand.Constraint, Peer: s.Demand.Kind == solve.Peer, Admits: s.Admits, Chain: []doc.Link{}}
		for _, d := range s.Chain {
			link := doc.Link{By: d.By, Name: d.As, Constraint: d.Constraint, Peer: d.Kind == solve.Peer}
			if d.Kind == solve.Declared {
				link.Where = place(d)
			}
			side.Chain = append(side.Chain, link)
		}
		answer.Sides = append(answer.Sides, side)
	}
	return answer
}

func newWay(goal string, number int, w conflict.WayOut) doc.Way {
	answer := doc.Way{Kind: w.Kind, Title: w.Title, Changes: []doc.PlanChange{}, Previews: append([]string{}, w.Preview...), Unhold: append([]string{}, w.Unhold...),
		Lines: w.Cost.Lines, Majors: w.Cost.Majors, Locked: w.Cost.Locked}
	for _, c := range w.Changes {
		answer.Changes = append(answer.Changes, doc.PlanChange{Name: c.Name, Group: c.Group, From: planPoint(c.From), To: planPoint(c.To), Jump: c.Jump.String(), Reason: c.Reason})
	}
	switch {
	case w.Kind == conflict.WaitWay:
	case w.Kind == conflict.RaiseWay:
	case w.Goal != nil:
		answer.Command = "molt plan " + w.Goal.String()
	case goal != "":
		answer.Command = fmt.Sprintf("molt untangle %s --take %d", goal, number)
	default:
		answer.Command = fmt.Sprintf("molt untangle --take %d", number)
	}
	return answer
}

func planPoint(p project.Point) *doc.PlanPoint {
	if p == (project.Point{}) {
		return nil
	}
	return &doc.PlanPoint{Constraint: p.Constraint, Version: p.Version}
}
