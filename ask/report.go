package ask

import (
	"context"
	"errors"
	"strings"
	"time"

	"molt/app/locking"
	"molt/app/stages"
	"molt/core/fact"
	"molt/core/project"
	"molt/core/version"
	"molt/doc"
	"molt/input"
)

// Report says everything about the application: where it stands, what the goal means, the plan,
// what was carried out. Without a goal, it has neither an assessment nor a plan.
func (s *Session) Report(ctx context.Context, goals []string) (doc.Report, error) {
	answer := doc.Report{Schema: "molt/report/1", Ecosystem: s.App.SideName(), On: day(time.Now()),
		Carried: []doc.CarriedOut{}, Lag: []doc.LagPoint{}}
	var err error
	if answer.Survey, err = s.Survey(ctx, SurveyFilter{}); err != nil {
		return answer, err
	}
	answer.Survey.Next = nil
	text := goals
	if len(text) == 0 {
		text = strings.Fields(s.App.GoalText())
	}
	if len(text) > 0 {
		assessed, err := s.Assess(ctx, text, nil, false)
		if err != nil {
			return answer, err
		}
		answer.Assess = &assessed
		if answer.Plan, answer.Planned, err = s.reportedPlan(ctx, goals, text); err != nil {
			return answer, err
		}
	}
	if err := s.past(ctx, &answer); err != nil {
		return answer, err
	}
	answer.Sentence = sentence(answer)
	return answer, nil
}

// reportedPlan is the plan's file, where it has one and no other goals are asked about, else what a plan would be.
func (s *Session) reportedPlan(ctx context.Context, asked, goals []string) (*doc.Plan, bool, error) {
	if file, err := s.App.ReadPlan(); err == nil && len(asked) == 0 {
		times, err := stages.CheckTimes(s.App.View)
		if err != nil {
			return nil, false, err
		}
		d := newPlan(file, times)
		return &d, true, nil
	} else if none := (*input.UsageError)(nil); err != nil && !errors.As(err, &none) {
		return nil, false, err
	}
	d, err := s.MakePlan(ctx, PlanRequest{Goals: goals, Dry: true})
	if err != nil {
		return nil, false, err
	}
	d.Next = nil
	return &d, false, nil
}

// past tells what was carried out, and how far behind the application was before the first of it,
// after each, and is now.
func (s *Session) past(ctx context.Context, answer *doc.Report) error {
	all, err := locking.ReadPast(ctx, s.App.View)
	if err != nil {
		return err
	}
	for i, p := range all {
		one := doc.CarriedOut{Stage: p.Stage, At: p.At, Commit: p.Commit, Moved: []doc.Difference{}}
		for _, d := range p.Moved(s.App.Eco.Scheme()) {
			one.Moved = append(one.Moved, doc.Difference{
				Name: d.Name, Declared: d.Declared, Kind: d.Kind, From: append([]string{}, d.From...),
				To: append([]string{}, d.To...)})
		}
		answer.Carried = append(answer.Carried, one)
		if i == 0 && p.Before != nil {
			lag, err := locking.LagOf(ctx, s.App, p.Before, p.At)
			if err != nil {
				return err
			}
			answer.Lag = append(answer.Lag, doc.LagPoint(lag))
		}
		if p.After != nil {
			lag, err := locking.LagOf(ctx, s.App, p.After, p.At)
			if err != nil {
				return err
			}
			answer.Lag = append(answer.Lag, doc.LagPoint(lag))
		}
	}
	if s.App.Lock != nil {
		lag, err := locking.LagOf(ctx, s.App, s.App.Lock, time.Now().UTC().Truncate(time.Second))
		if err != nil {
			return err
		}
		answer.Lag = append(answer.Lag, doc.LagPoint(lag))
	}
	return nil
}

// sentence says where the application stands, in one.
func sentence(d doc.Report) doc.Sentence {
	behind, majors := 0, 0
	for _, r := range d.Survey.Packages {
		if r.Jump > version.Same {
			behind++
		}
		if r.Jump == version.Major {
			majors++
		}
	}
	name := d.Survey.Application
	if name == "" {
		name = "The application"
	}
	says := fact.New(doc.Declares, name, fact.Counted{N: d.Survey.Declared, Of: "package"}, behind, majors)
	if d.Assess == nil {
		return doc.Said(doc.DeclaresSome, says)
	}
	goal := d.Assess.Goal.Name + " " + d.Assess.Goal.Constraint
	var blocked []string
	for _, p := range d.Assess.Packages {
		if p.Standing == project.Blocked {
			blocked = append(blocked, p.Name)
		}
	}
	switch {
	case d.Assess.Reached && d.Assess.Reachable:
		return doc.Said(doc.StandsOn, says, goal)
	case d.Assess.Reachable && d.Plan != nil:
		left := 0
		for _, s := range d.Plan.Stages {
			if s.Status != doc.Done && !s.After {
				left++
			}
		}
		return doc.Said(doc.ReachedIn, says, goal, fact.Counted{N: left, Of: "stage"})
	case d.Assess.Reachable:
		return doc.Said(doc.Reached, says, goal)
	case d.Assess.Alone:
		return doc.Said(doc.OutAlone, says, goal)
	case len(blocked) > 3:
		return doc.Said(doc.OutForMany, says, goal, fact.Counted{N: len(blocked), Of: "package"})
	case len(blocked) > 0:
		return doc.Said(doc.OutForWant, says, goal, blocked)
	}
	return doc.Said(doc.OutOfReach, says, goal)
}
