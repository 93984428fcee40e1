package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"slices"
	"strings"

	"golang.org/x/term"

	"molt/ask"
	"molt/cli/choose"
	"molt/core/conflict"
	"molt/core/plan"
	"molt/core/solve"
	"molt/core/version"
	"molt/input"
	"molt/render"
	"molt/render/text"
)

// mayChoose makes sure that there is somebody to choose. The rest says by which flags it goes without.
func (c *call) mayChoose(without string) error {
	if c.format != "text" || !term.IsTerminal(int(os.Stdin.Fd())) || !term.IsTerminal(int(os.Stderr.Fd())) {
		return &input.UsageError{Reason: "--choose asks on a terminal, and there is none; without it: " + without}
	}
	return nil
}

// choosePlan lets a person choose how far to freshen, by which hops, and which way out, and makes that plan.
func (c *call) choosePlan(s *ask.Session, o planning, goals []string) error {
	choices, err := s.PlanChoices(c.ctx, goals)
	if err != nil {
		return err
	}
	s.Still()
	var fresh []string
	for _, f := range plan.Freshness {
		fresh = append(fresh, string(f))
	}
	questions := []choose.Question{
		{Name: "freshen what the goal does not need", Answers: fresh, At: choices.Fresh},
		{Name: "hops", Answers: []string{"one major at a time", "one leap"}}}
	if choices.Leap {
		questions[1].At = 1
	}
	if choices.Ways != nil {
		q := choose.Question{Name: "way out", Answers: []string{"none, as far as it goes"}}
		for _, way := range choices.Ways {
			q.Answers = append(q.Answers, way.Title)
		}
		questions = append(questions, q)
	}
	request := func(at []int) (ask.PlanRequest, int) {
		r := ask.PlanRequest{Goals: goals, Previews: o.previews, Fresh: plan.Freshness[at[0]], Leap: at[1] == 1,
			Notes: o.notes, Branch: o.branch, Dry: o.dry}
		if len(at) < 3 || at[2] == 0 {
			return r, 0
		}
		way := choices.Ways[at[2]-1]
		r.Previews = append(slices.Clone(r.Previews), way.Previews...)
		if !ask.Takes(way) {
			r.Goals = ask.NearerGoal(way)
			return r, 0
		}
		return r, at[2]
	}
	all := goals
	if len(all) == 0 {
		all = strings.Fields(s.App.GoalText())
	}
	at, err := choose.Run(c.ctx, choose.Choice{
		Title: "A plan for " + strings.Join(all, " "), Questions: questions,
		Effect: func(_ context.Context, at []int) (choose.Effect, error) {
			r, take := request(at)
			command := "molt plan" + words(r.Goals) + flagsOf(r, o.previews)
			if take > 0 {
				command = choices.Ways[take-1].Command + "; " + command
			}
			if take > 0 && choices.Ways[take-1].Kind != conflict.PreviewWay { // what is planned depends on the edit
				way := choices.Ways[take-1]
				return choose.Effect{Command: command,
					Lines: []string{way.Title, fmt.Sprintf(
						"changes %s; %s follow; then the plan is made", render.Count(way.Lines, "manifest line"),
						render.Count(way.Majors, "major upgrade"))}}, nil
			}
			lines, err := s.Sketch(c.ctx, r)
			return choose.Effect{Lines: lines, Command: command}, err
		}}, os.Stdin, c.errout)
	if err != nil {
		return c.unchosen(err)
	}
	r, take := request(at)
	if take > 0 && !o.dry {
		if d, err := s.Take(c.ctx, all, take); err != nil {
			return err
		} else if err := c.show(d, func(p *text.Page) { p.Taken(d) }); err != nil {
			return err
		}
	}
	d, err := s.MakePlan(c.ctx, r)
	if r.Dry && d.Next != nil {
		d.Next.Run += flagsOf(r, o.previews)
	}
	return answer(c, s, d, err, (*text.Page).Plan)
}

// flagsOf writes what was chosen, and the previews that the call allows, as flags.
func flagsOf(r ask.PlanRequest, previews []string) string {
	flags := " --fresh " + string(r.Fresh)
	for _, name := range previews {
		flags += " --preview " + name
	}
	if r.Leap {
		flags += " --leap"
	}
	return flags
}

// words writes arguments, with a space before each.
func words(all []string) (text string) {
	for _, a := range all {
		text += " " + a
	}
	return text
}

// unchosen makes of a choice that was cancelled an end without a word of blame.
func (c *call) unchosen(err error) error {
	if errors.Is(err, choose.ErrCancelled) {
		c.say("%v", err)
		return errAttention
	}
	return err
}

// mostChoices is how many releases there are to choose from.
const mostChoices = 12

// chooseWant lets a person choose which release of a package to ask for, and how.
func (c *call) chooseWant(s *ask.Session, name, member, group string, dry bool) error {
	releases, err := s.WantChoices(c.ctx, name, mostChoices)
	if err != nil {
		return err
	}
	s.Still()
	if len(releases) == 0 {
		return &input.UsageError{Reason: fmt.Sprintf(
			"no release of %s resolves with the application as it stands; molt fit %s says why", name, name)}
	}
	styles := []string{}
	for _, style := range version.Styles {
		styles = append(styles, string(style))
	}
	questions := []choose.Question{
		{Name: "release", Answers: releases},
		{Name: "style", Answers: styles, At: max(0, slices.Index(version.Styles, s.UsualStyle()))}}
	asked := func(at []int) (string, error) {
		constraint, err := s.Styled(version.Styles[at[1]], releases[at[0]])
		return name + "@" + constraint, err
	}
	at, err := choose.Run(c.ctx, choose.Choice{
		Title: "A release of " + name, Questions: questions,
		Effect: func(_ context.Context, at []int) (choose.Effect, error) {
			arg, err := asked(at)
			if err != nil {
				return choose.Effect{}, err
			}
			effect := choose.Effect{Command: "molt want '" + arg + "'"}
			p, err := s.Want(c.ctx, []string{arg}, member, group, version.OtherStyle, true)
			var tangle *solve.Tangle
			switch {
			case errors.As(err, &tangle):
				effect.Lines, effect.Bad = []string{"does not resolve with the rest"}, true
				return effect, nil
			case err != nil:
				return effect, err
			}
			for _, change := range p.Answer.Changes {
				if change.To != nil {
					effect.Lines = append(effect.Lines,
						fmt.Sprintf("%s %s, at %s", change.Name, change.To.Constraint, change.To.Version))
				}
			}
			effect.Lines = append(effect.Lines, render.Count(len(p.Answer.Lock), "package")+" would change in the lock")
			if len(p.Answer.Changes) == 0 {
				effect.Lines = []string{"as it is already"}
			}
			return effect, nil
		}}, os.Stdin, c.errout)
	if err != nil {
		return c.unchosen(err)
	}
	arg, err := asked(at)
	if err != nil {
		return err
	}
	p, err := s.Want(c.ctx, []string{arg}, member, group, version.OtherStyle, dry)
	return c.change(s, p, err, dry)
}
