package ask

import (
	"context"
	"slices"
	"strings"

	"molt/core/conflict"
	"molt/core/fact"
	"molt/core/plan"
	"molt/core/version"
	"molt/doc"
)

// A PlanChoice is what there is to choose about a plan.
type PlanChoice struct {
	Fresh int       // of plan.Freshness, as the configuration has it
	Leap  bool      // likewise
	Ways  []doc.Way // out of a tangle; none where the goal is in reach
}

// PlanChoices says what there is to choose about a plan for some goals.
func (s *Session) PlanChoices(ctx context.Context, goals []string) (PlanChoice, error) {
	c := PlanChoice{Fresh: slices.Index(plan.Freshness, plan.Fresh(s.App.Config.Stages.Fresh)),
		Leap: s.App.Config.Stages.Leap}
	if c.Fresh < 0 {
		c.Fresh = len(plan.Freshness) - 1
	}
	assessed, err := s.Assess(ctx, goals, nil, false)
	if err != nil {
		return c, err
	}
	if assessed.Untangle != nil {
		for _, way := range assessed.Untangle.Ways {
			if way.Command != "" {
				c.Ways = append(c.Ways, way)
			}
		}
	}
	return c, nil
}

// Sketch says what a plan would be, and writes nothing. Previews are allowed for this question only.
func (s *Session) Sketch(ctx context.Context, r PlanRequest) ([]fact.Fact, error) {
	r.Dry = true
	d, err := s.MakePlan(ctx, r)
	if err != nil {
		return nil, err
	}
	toGoal, after, packages, majors, locked := 0, 0, map[string]bool{}, 0, 0
	for _, st := range d.Stages {
		if st.After {
			after++
		} else {
			toGoal++
		}
		for _, c := range st.Changes {
			packages[c.Name] = true
			if c.Jump == version.Major.String() {
				majors++
			}
		}
		if st.Locked != nil {
			locked += st.Locked.Moved + st.Locked.Added + st.Locked.Removed
		}
	}
	stages := func(n int) fact.Counted { return fact.Counted{N: n, Of: "stage"} }
	lines := []fact.Fact{fact.New(doc.SketchReached, d.Goal, stages(toGoal), stages(after))}
	if !d.Reachable {
		lines[0] = fact.New(doc.SketchOut, d.Goal, stages(len(d.Stages)))
	}
	lines = append(lines, fact.New(doc.SketchMoves, fact.Counted{N: len(packages), Of: "package"}, majors,
		fact.Counted{N: locked, Of: "change"}))
	for _, st := range d.Stages {
		if !st.After {
			lines = append(lines, fact.New(doc.SketchStage, st.ID, st.Title.Fact))
		}
	}
	return lines, nil
}

// Takes reports whether a way out has to be taken, as an edit of its own, before the goal itself
// can be planned; else the goal is another one.
func Takes(way doc.Way) bool { return way.Kind != conflict.LessWay }

// NearerGoal is the goal of a way out that goes less far.
func NearerGoal(way doc.Way) []string {
	return strings.Fields(strings.TrimPrefix(way.Command, "molt plan"))
}

// WantChoices lists the releases of a package that resolve here, the newest first, at most so many;
// the error says that there are none.
func (s *Session) WantChoices(ctx context.Context, name string, most int) ([]string, error) {
	fit, err := s.Fit(ctx, name, most)
	if err != nil {
		return nil, err
	}
	var all []string
	for _, r := range fit.Releases {
		if r.Fits {
			all = append(all, r.Version)
		}
	}
	return all, nil
}

// Styled writes a constraint for a release in a style; as the most lines are, where the style is none.
func (s *Session) Styled(style version.Style, release string) (string, error) {
	v, err := s.App.Eco.Scheme().Parse(release)
	if err != nil {
		return "", err
	}
	if style == version.OtherStyle {
		style = s.UsualStyle()
	}
	return s.App.Eco.Scheme().Styled(style, v), nil
}

// UsualStyle is the style that the most lines of the manifest have.
func (s *Session) UsualStyle() version.Style {
	count := map[version.Style]int{}
	best := version.NextMinor
	for _, d := range s.App.Declared() {
		style := s.App.Eco.Scheme().StyleOf(d.Text)
		if style == version.OtherStyle {
			continue
		}
		if count[style]++; count[style] > count[best] {
			best = style
		}
	}
	return best
}
