package cli

import (
	"errors"
	"fmt"

	"github.com/spf13/cobra"

	"molt/app"
	"molt/ask"
	"molt/core/assess"
	"molt/core/conflict"
	"molt/core/project"
	"molt/core/solve"
	"molt/doc"
	"molt/render/text"
)

func (c *call) untangle() *cobra.Command {
	var take int
	cmd := &cobra.Command{
		Use:   "untangle [GOAL]",
		Short: "Show why something does not resolve, and the ways out",
		Long: `Untangle shows which demands exclude each other, side by side, each with the way it comes from the manifest, and
then at most five ways out. Every way out was solved; its cost is counted against the lock. Without GOAL it is about
the manifest as it stands, with GOAL about reaching it. --take N carries out the N-th way: it edits, relocks and
verifies, and molt back takes that back.`,
		Example: "  molt untangle brackwater@5\n  molt untangle --take 1",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			return c.session(occasion{write: take > 0, checked: true}, func(s *session) error {
				goal := ""
				if len(args) > 0 {
					goal = args[0]
				}
				answer, ways, err := s.untangled(goal)
				if err != nil {
					return s.explain(err)
				}
				if take > 0 {
					return s.take(ways, take)
				}
				s.still()
				if err := c.show(answer, func(p *text.Page) { p.Untangle(answer) }); err != nil {
					return err
				}
				if !answer.Resolves {
					return errAttention
				}
				return nil
			})
		},
	}
	cmd.Flags().IntVar(&take, "take", 0, "carry out the way out of this number")
	return cmd
}

func (s *session) take(ways []conflict.WayOut, n int) error {
	if n > len(ways) {
		return &app.UsageError{Reason: fmt.Sprintf("--take %d: there are %d ways out", n, len(ways))}
	}
	if err := s.a.Take(s.ctx, s.source, ways[n-1]); err != nil {
		return err
	}
	s.still()
	answer := doc.Taken{Schema: "molt/taken/1", Kind: ways[n-1].Kind, Title: ways[n-1].Title}
	return s.show(answer, func(p *text.Page) { p.Taken(answer) })
}

// untangled looks for a tangle and its ways out: of the manifest, or of a goal.
func (s *session) untangled(goal string) (doc.Untangle, []conflict.WayOut, error) {
	if goal != "" {
		if err := s.advice(nil); err != nil {
			return doc.Untangle{}, nil, err
		}
		return s.untangledGoal(project.ParseGoal(goal))
	}
	_, err := project.Relock(s.ctx, s.source, s.a.Application())
	var tangle *solve.Tangle
	if err == nil {
		answer := ask.NewUntangle("", nil, nil, nil, s.a.Place)
		answer.Resolves = true
		return answer, nil, nil
	}
	if !errors.As(err, &tangle) {
		return doc.Untangle{}, nil, err
	}
	return s.untangledManifest(tangle)
}

func (s *session) untangledManifest(tangle *solve.Tangle) (doc.Untangle, []conflict.WayOut, error) {
	knot, err := conflict.Explain(s.ctx, s.source, s.a.Application(), tangle)
	if err != nil {
		return doc.Untangle{}, nil, err
	}
	ways, err := conflict.WaysOut(s.ctx, s.source, s.a.Application(), tangle)
	if err != nil {
		return doc.Untangle{}, nil, err
	}
	answer := ask.NewUntangle("", knot, nil, ways, s.a.Place)
	err = s.remark(&answer)
	return answer, ways, err
}

// remark adds which releases of the contested packages rules or a platform keep out of it.
func (s *session) remark(answer *doc.Untangle) error {
	for _, c := range answer.Contested {
		says, err := project.Hidden(s.ctx, s.source, s.a.Application(), c.Name)
		if err != nil {
			return err
		}
		if says != "" {
			answer.Remarks = append(answer.Remarks, says)
		}
	}
	return nil
}

func (s *session) untangledGoal(goals ...project.Goal) (doc.Untangle, []conflict.WayOut, error) {
	got, err := assess.Assess(s.ctx, s.source, s.a.Application(), goals...)
	if err != nil {
		return doc.Untangle{}, nil, err
	}
	return s.untangledFrom(got)
}

// untangledFrom looks for the ways out of what an assessment found.
func (s *session) untangledFrom(got *assess.Assessment) (doc.Untangle, []conflict.WayOut, error) {
	if got.Reachable {
		answer := ask.NewUntangle(got.Goal.String(), nil, nil, nil, s.a.Place)
		answer.Resolves = true
		return answer, nil, nil
	}
	var knot *conflict.Explanation
	var err error
	if got.Tangle != nil {
		if knot, err = conflict.Explain(s.ctx, s.source, s.a.Application(), got.Tangle); err != nil {
			return doc.Untangle{}, nil, err
		}
	}
	var blocked []string
	for _, p := range got.Packages {
		if p.Standing == project.Blocked {
			blocked = append(blocked, p.Name)
		}
	}
	ways, err := conflict.GoalWays(s.ctx, s.source, s.a.Application(), got.Goal, got.Tangle)
	if err != nil {
		return doc.Untangle{}, nil, err
	}
	answer := ask.NewUntangle(got.Goal.String(), knot, blocked, ways, s.a.Place)
	err = s.remark(&answer)
	return answer, ways, err
}

// A knotError is a tangle that is ready to be shown, with its ways out.
type knotError struct {
	error
	answer doc.Untangle
}

func (e *knotError) Unwrap() error { return e.error }

// explain makes a tangle of the manifest ready to be shown; other errors stay what they are.
func (s *session) explain(err error) error {
	var tangle *solve.Tangle
	if !errors.As(err, &tangle) {
		return err
	}
	var stage *app.StageError
	if errors.As(err, &stage) { // ways out are for the manifest as it stands
		return s.unwanted(err)
	}
	answer, _, failed := s.untangledManifest(tangle)
	if failed != nil {
		return err
	}
	return &knotError{err, answer}
}
