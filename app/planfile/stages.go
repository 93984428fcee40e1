package planfile

import (
	"fmt"
	"slices"
	"strings"

	"molt/core/project"
	"molt/doc"
	"molt/input"
)

// FreeID returns an ID that no stage has yet.
func (p *Plan) FreeID(id string) string {
	unique := id
	for n := 2; p.Stage(unique) != nil; n++ {
		unique = fmt.Sprintf("%s-%d", id, n)
	}
	return unique
}

// NamesOf lists the packages that a stage changes, each once.
func NamesOf(s *doc.PlanStage) []string {
	var names []string
	for _, c := range s.Changes {
		if !slices.Contains(names, c.Name) {
			names = append(names, c.Name)
		}
	}
	return names
}

// removed stands in the place of a release in what a plan keeps of a stage.
const removed = "removed"

// OfferOf lists what a stage would move, as a plan keeps it: NAME@RELEASE, and NAME@removed.
func OfferOf(s *doc.PlanStage) (all []string) {
	for _, c := range s.Changes {
		one := c.Name + "@" + removed
		if c.To != nil && c.To.Version != "" {
			one = c.Name + "@" + c.To.Version
		}
		if !slices.Contains(all, one) {
			all = append(all, one)
		}
	}
	return all
}

// offered returns what a stage would have moved, as it was made, and to which releases; "" where that was not kept.
func (p *Plan) offered(id string) (names []string, releases map[string]string, found bool) {
	if p.Made == nil {
		return nil, nil, false
	}
	all, found := p.Made.Offered[id]
	releases = map[string]string{}
	for _, one := range all {
		name, release := one, ""
		if at := strings.LastIndexByte(one, '@'); at > 0 {
			name, release = one[:at], one[at+1:]
		}
		if !slices.Contains(names, name) {
			names = append(names, name)
		}
		if release != removed {
			releases[name] = release
		}
	}
	return names, releases, found
}

// Goals reads the goals of a plan.
func (p *Plan) Goals() []project.Goal { return parseGoals(strings.Fields(p.Goal)) }

// parseGoals reads several goals.
func parseGoals(texts []string) []project.Goal {
	var goals []project.Goal
	for _, text := range texts {
		goals = append(goals, project.ParseGoal(text))
	}
	return goals
}

// Moves reports whether a plan moves a package in a stage, or in one that was split off it or made
// by people, or into which people put it.
func (p *Plan) Moves(name, id string) bool {
	for _, s := range p.Stages {
		offered, _, _ := p.offered(s.ID)
		if (s.ID == id || !slices.Contains(offered, name) && s.Status == doc.Pending) && slices.Contains(NamesOf(&s), name) {
			return true
		}
	}
	return false
}

// Insert puts lines above the first stage or change that is meant; stages are asked for with the position -1.
func (p *Plan) Insert(lines []string, meant func(s *doc.PlanStage, change int) bool) {
	for i := range p.Stages {
		for k := -1; k < len(p.Stages[i].Changes); k++ {
			if !meant(&p.Stages[i], k) {
				continue
			}
			at := p.Text.Stages[i].From
			if k >= 0 {
				at = p.Text.Stages[i].Changes[k].From
			}
			p.Text.Lines = slices.Insert(p.Text.Lines, at, lines...)
			if p.Text.Reread() == nil { // lines with comments alone are read as before
				p.Text.cut()
			}
			return
		}
	}
}

// ToGoal counts the stages that are still to do and lead to the goal.
func (p *Plan) ToGoal() (n int) {
	for _, s := range p.Stages {
		if s.Status == doc.Pending && !s.After {
			n++
		}
	}
	return n
}

// Until returns the pending stages up to a named one, or only the next one.
func (p *Plan) Until(id string) ([]doc.PlanStage, error) {
	var some []doc.PlanStage
	for _, s := range p.Stages {
		if s.Status != doc.Pending {
			continue
		}
		some = append(some, s)
		if id == "" || s.ID == id {
			return some, nil
		}
	}
	if id == "" {
		return nil, &input.UsageError{Reason: fmt.Sprintf("every stage of %s is done", File)}
	}
	if s := p.Stage(id); s != nil {
		return nil, &input.UsageError{Reason: fmt.Sprintf("stage %s is done", id)}
	}
	return nil, &input.UsageError{Reason: p.Missing(id)}
}

// Part returns a stage with the changes of some packages only.
func Part(stage *doc.PlanStage, names []string) doc.PlanStage {
	part := *stage
	part.Changes = nil
	for _, c := range stage.Changes {
		if slices.Contains(names, c.Name) {
			part.Changes = append(part.Changes, c)
		}
	}
	return part
}

// Missing says that a plan has no stage of an ID, and which one may have been meant.
func (p *Plan) Missing(id string) string {
	var ids []string
	for _, s := range p.Stages {
		ids = append(ids, s.ID)
	}
	return project.NotAmong(fmt.Sprintf("%s has no stage %q", File, id), id, ids)
}
