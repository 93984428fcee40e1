package ask

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"molt/app/change"
	"molt/app/locking"
	"molt/app/stages"
	"molt/core/assess"
	"molt/core/conflict"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/doc"
	"molt/input"
)

// newUntangle makes the document of a tangle with its ways out. The explanation may be nil; link writes a demand.
func newUntangle(goal string, k *conflict.Explanation, blocked []string, ways []conflict.WayOut,
	link func(solve.Demand) doc.Link) doc.Untangle {
	answer := doc.Untangle{Schema: "molt/untangle/1", Goal: goal, Contested: []doc.Contest{},
		Blocked: append([]string{}, blocked...), Ways: []doc.Way{}}
	if k != nil {
		answer.Tangles, answer.More = k.Tangles, k.More
		for _, c := range k.Contested {
			answer.Contested = append(answer.Contested, newContest(c, link))
		}
	}
	for i, w := range ways {
		answer.Ways = append(answer.Ways, newWay(goal, i+1, w))
	}
	return answer
}

func newContest(c conflict.Contest, link func(solve.Demand) doc.Link) doc.Contest {
	answer := doc.Contest{Name: c.Name}
	if says, hinders := universe.Hinders(c.Name); hinders {
		answer.Name, answer.Says = c.Sides[0].Demand.By, says
	}
	for _, s := range c.Sides {
		side := doc.Party{By: s.Demand.By, Releases: s.Releases, Constraint: s.Demand.Constraint,
			Peer: s.Demand.Kind == solve.Peer, Admits: s.Admits, Chain: []doc.Link{}}
		for i, d := range s.Chain {
			l := link(d)
			if i < len(s.Chain)-1 && l.Written != "" { // it only leads to the demand, and the line does that as it stands
				l.Constraint, l.Because, l.Written = l.Written, "", ""
			}
			side.Chain = append(side.Chain, l)
		}
		if answer.Says != "" { // the last is what the sentence says
			side.Chain = side.Chain[:len(side.Chain)-1]
		}
		answer.Sides = append(answer.Sides, side)
	}
	return answer
}

// link returns how a demand is written in a document, where the question is about goals, or none.
func (s *Session) link(goals ...project.Goal) func(solve.Demand) doc.Link {
	app := s.App.Application()
	return func(d solve.Demand) doc.Link {
		l := doc.Link{By: d.By, Name: d.As, Constraint: d.Constraint, Peer: d.Kind == solve.Peer}
		if d.Kind != solve.Declared {
			return l
		}
		l.Where = change.Place(s.App, d)
		if written := change.Written(s.App.View, d); written != "" && written != d.Constraint {
			l.Written = written
			switch {
			case slices.ContainsFunc(goals, func(g project.Goal) bool { return g.Name == project.OwnName(d.As) }):
				l.Because = "goal"
			case slices.Contains(app.Held, d.As):
				l.Because = "hold"
			default:
				l.Because = "lock"
			}
		}
		return l
	}
}

func waiverKeys(all []project.Waiver) (keys []string) {
	for _, w := range all {
		keys = append(keys, w.Key())
	}
	return keys
}

func newWay(goal string, number int, w conflict.WayOut) doc.Way {
	answer := doc.Way{Kind: w.Kind, Title: doc.SentenceOf(w.Title), Changes: []doc.PlanChange{},
		Previews: append([]string{}, w.Preview...), Unhold: append([]string{}, w.Unhold...),
		Build: w.Build, Waive: waiverKeys(w.Waive), Lines: w.Cost.Lines, Majors: w.Cost.Majors, Locked: w.Cost.Locked}
	for _, c := range w.Changes {
		answer.Changes = append(answer.Changes,
			doc.PlanChange{Name: c.Name, Group: c.Group, From: planPoint(c.From), To: planPoint(c.To), Jump: c.Jump.String(),
				Reason: doc.SentenceOf(c.Reason)})
	}
	switch {
	case w.Kind == conflict.WaitWay:
	case w.Kind == conflict.RaiseWay:
	case w.Goals != nil:
		answer.Command = "molt plan " + project.GoalTexts(w.Goals)
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

// Untangle looks for a tangle and its ways out: of the manifest, or, when it is not "", of a goal.
func (s *Session) Untangle(ctx context.Context, goal ...string) (doc.Untangle, error) {
	answer, _, err := s.untangled(ctx, goal)
	if err != nil {
		return doc.Untangle{}, s.explain(ctx, err)
	}
	return answer, nil
}

// Take carries out one of the ways out that Untangle shows, by its number from 1.
func (s *Session) Take(ctx context.Context, goal []string, n int) (doc.Taken, error) {
	_, ways, err := s.untangled(ctx, goal)
	switch {
	case err != nil:
		return doc.Taken{}, s.explain(ctx, err)
	case n > len(ways):
		return doc.Taken{}, &input.UsageError{Reason: fmt.Sprintf("--take %d: there are %d ways out", n, len(ways))}
	}
	if err := change.Take(ctx, s.App, ways[n-1]); err != nil {
		return doc.Taken{}, err
	}
	if err := s.reread(ctx); err != nil {
		return doc.Taken{}, err
	}
	answer := doc.Taken{Schema: "molt/taken/1", Kind: ways[n-1].Kind, Title: doc.SentenceOf(ways[n-1].Title)}
	switch {
	case len(goal) > 0:
		answer.Next = next(call("plan", goal...), doc.CutsStages)
	case len(ways[n-1].Changes) == 0: // molt.yaml alone says what has changed
		answer.Next = next(call("relock"), doc.LocksWay)
	}
	return answer, nil
}

// untangled looks for a tangle and its ways out: of the manifest, or of a goal.
func (s *Session) untangled(ctx context.Context, goal []string) (doc.Untangle, []conflict.WayOut, error) {
	if len(goal) > 0 {
		if err := s.advice(ctx, nil); err != nil {
			return doc.Untangle{}, nil, err
		}
		goals, err := stages.Goals(s.App.View, goal)
		if err != nil {
			return doc.Untangle{}, nil, err
		}
		return s.untangledGoal(ctx, goals...)
	}
	_, err := project.Relock(ctx, s.App.Source, s.App.Application())
	var tangle *solve.Tangle
	if err == nil {
		answer := newUntangle("", nil, nil, nil, s.link())
		answer.Resolves = true
		return answer, nil, nil
	}
	if !errors.As(err, &tangle) {
		return doc.Untangle{}, nil, err
	}
	return s.untangledManifest(ctx, tangle)
}

func (s *Session) untangledManifest(
	ctx context.Context, tangle *solve.Tangle) (doc.Untangle, []conflict.WayOut, error) {
	explained, err := conflict.Explain(ctx, s.App.Source, s.App.Application(), tangle)
	if err != nil {
		return doc.Untangle{}, nil, err
	}
	ways, err := conflict.WaysOut(ctx, s.App.Source, s.App.Application(), tangle)
	var undecided *solve.UndecidedError
	if err != nil && !errors.As(err, &undecided) {
		return doc.Untangle{}, nil, err
	}
	answer := newUntangle("", explained, nil, ways, s.link())
	if undecided != nil {
		answer.Remarks = append(answer.Remarks, "not every way out was tried: "+undecided.Error())
	}
	hidden, err := s.hidden(ctx, explained)
	answer.Remarks = append(answer.Remarks, hidden...)
	return answer, ways, err
}

func (s *Session) untangledGoal(ctx context.Context, goals ...project.Goal) (doc.Untangle, []conflict.WayOut, error) {
	got, err := assess.Assess(ctx, s.App.Source, s.App.Application(), goals...)
	if err != nil {
		return doc.Untangle{}, nil, err
	}
	return s.untangledFrom(ctx, got)
}

// untangledFrom looks for the ways out of what an assessment found.
func (s *Session) untangledFrom(ctx context.Context, got *assess.Assessment) (doc.Untangle, []conflict.WayOut, error) {
	goals := append([]project.Goal{got.Goal}, got.Also...)
	if got.Reachable {
		answer := newUntangle(project.GoalTexts(goals), nil, nil, nil, s.link(goals...))
		answer.Resolves = true
		return answer, nil, nil
	}
	var explained *conflict.Explanation
	var err error
	if got.Tangle != nil {
		if explained, err = conflict.Explain(ctx, s.App.Source, s.App.Application(), got.Tangle); err != nil {
			return doc.Untangle{}, nil, err
		}
	}
	var blocked, held []string
	for _, p := range got.Packages {
		if p.Standing == project.Blocked {
			blocked = append(blocked, p.Name)
			if p.Held {
				held = append(held, p.Name)
			}
		}
	}
	ways, err := conflict.GoalWays(ctx, s.App.Source, s.App.Application(), goals, got.Tangle)
	if err != nil {
		return doc.Untangle{}, nil, err
	}
	answer := newUntangle(project.GoalTexts(goals), explained, blocked, ways, s.link(goals...))
	answer.Held = held
	if explained != nil {
		answer.Remarks, err = s.hidden(ctx, explained)
	}
	return answer, ways, err
}

// explain makes of a tangle of the manifest a *TangleError with ways out; other errors stay what they are.
func (s *Session) explain(ctx context.Context, err error) error {
	var tangle *solve.Tangle
	if !errors.As(err, &tangle) {
		return err
	}
	var stage *locking.StageError
	if errors.As(err, &stage) { // ways out are for the manifest as it stands
		return s.unwanted(ctx, err)
	}
	answer, _, failed := s.untangledManifest(ctx, tangle)
	if failed != nil {
		return err
	}
	return &TangleError{err, answer}
}

// unwanted is explain for a change of the manifest that was asked for: there are no ways out, since
// these are for the manifest as it stands.
func (s *Session) unwanted(ctx context.Context, err error) error {
	var tangle *solve.Tangle
	if !errors.As(err, &tangle) {
		return err
	}
	explained, failed := conflict.Explain(ctx, s.App.Source, s.App.Application(), tangle)
	if failed != nil {
		return err
	}
	answer := newUntangle("", explained, nil, nil, s.link())
	answer.Unwanted = true
	if answer.Remarks, failed = s.hidden(ctx, explained); failed != nil {
		return err
	}
	return &TangleError{err, answer}
}

// hidden says which releases of the packages that a tangle is about are hidden, and why.
func (s *Session) hidden(ctx context.Context, k *conflict.Explanation) (all []string, err error) {
	for _, name := range k.Involved {
		says, err := project.Hidden(ctx, s.App.Source, s.App.Application(), name)
		if err != nil {
			return nil, err
		}
		if says != "" {
			all = append(all, says)
		}
	}
	return all, nil
}
