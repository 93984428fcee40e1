package cli

import (
	"errors"
	"fmt"

	"github.com/spf13/cobra"

	"molt/app"
	"molt/core/assess"
	"molt/core/conflict"
	"molt/core/project"
	"molt/core/solve"
	"molt/render"
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
				doc, ways, err := s.untangled(goal)
				if err != nil {
					return s.explain(err)
				}
				if take > 0 {
					return s.take(ways, take)
				}
				s.still()
				if err := c.show(doc, func(p *render.Page) { p.Untangle(doc) }); err != nil {
					return err
				}
				if !doc.Resolves {
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
	doc := render.TakenDoc{Schema: "molt/taken/1", Kind: ways[n-1].Kind, Title: ways[n-1].Title}
	return s.show(doc, func(p *render.Page) { p.Taken(doc) })
}

// untangled looks for a tangle and its ways out: of the manifest, or of a goal.
func (s *session) untangled(goal string) (render.UntangleDoc, []conflict.WayOut, error) {
	if goal != "" {
		if err := s.advice(nil); err != nil {
			return render.UntangleDoc{}, nil, err
		}
		return s.untangledGoal(project.ParseGoal(goal))
	}
	_, err := project.Relock(s.ctx, s.source, s.a.Application())
	var tangle *solve.Tangle
	if err == nil {
		doc := render.NewUntangleDoc("", nil, nil, nil, s.a.Place)
		doc.Resolves = true
		return doc, nil, nil
	}
	if !errors.As(err, &tangle) {
		return render.UntangleDoc{}, nil, err
	}
	return s.untangledManifest(tangle)
}

func (s *session) untangledManifest(tangle *solve.Tangle) (render.UntangleDoc, []conflict.WayOut, error) {
	knot, err := conflict.Explain(s.ctx, s.source, s.a.Application(), tangle)
	if err != nil {
		return render.UntangleDoc{}, nil, err
	}
	ways, err := conflict.WaysOut(s.ctx, s.source, s.a.Application(), tangle)
	if err != nil {
		return render.UntangleDoc{}, nil, err
	}
	doc := render.NewUntangleDoc("", knot, nil, ways, s.a.Place)
	err = s.remark(&doc)
	return doc, ways, err
}

// remark adds which releases of the contested packages rules or a platform keep out of it.
func (s *session) remark(doc *render.UntangleDoc) error {
	for _, c := range doc.Contested {
		says, err := project.Hidden(s.ctx, s.source, s.a.Application(), c.Name)
		if err != nil {
			return err
		}
		if says != "" {
			doc.Remarks = append(doc.Remarks, says)
		}
	}
	return nil
}

func (s *session) untangledGoal(goals ...project.Goal) (render.UntangleDoc, []conflict.WayOut, error) {
	got, err := assess.Assess(s.ctx, s.source, s.a.Application(), goals...)
	if err != nil {
		return render.UntangleDoc{}, nil, err
	}
	return s.untangledFrom(got)
}

// untangledFrom looks for the ways out of what an assessment found.
func (s *session) untangledFrom(got *assess.Assessment) (render.UntangleDoc, []conflict.WayOut, error) {
	if got.Reachable {
		doc := render.NewUntangleDoc(got.Goal.String(), nil, nil, nil, s.a.Place)
		doc.Resolves = true
		return doc, nil, nil
	}
	var knot *conflict.Explanation
	var err error
	if got.Tangle != nil {
		if knot, err = conflict.Explain(s.ctx, s.source, s.a.Application(), got.Tangle); err != nil {
			return render.UntangleDoc{}, nil, err
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
		return render.UntangleDoc{}, nil, err
	}
	doc := render.NewUntangleDoc(got.Goal.String(), knot, blocked, ways, s.a.Place)
	err = s.remark(&doc)
	return doc, ways, err
}

// A knotError is a tangle that is ready to be shown, with its ways out.
type knotError struct {
	error
	doc render.UntangleDoc
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
	doc, _, failed := s.untangledManifest(tangle)
	if failed != nil {
		return err
	}
	return &knotError{err, doc}
}
