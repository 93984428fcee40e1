// Package planfile is molt-plan.yaml: a plan as it is committed, reviewed and edited. Edits keep what people wrote.
package planfile

import (
	"fmt"
	"regexp"
	"slices"

	"github.com/goccy/go-yaml"

	"molt/app/yamlfile"
	"molt/core/assess"
	"molt/core/fact"
	"molt/core/plan"
	"molt/core/project"
	"molt/doc"
	"molt/input"
)

// File is the name of the plan. It is committed, reviewed, and may be edited.
const File = "molt-plan.yaml"

// Aside is the name of the copy of a plan that another one replaced, of the nth that is there from the second on.
func Aside(n int) string {
	if n < 2 {
		return "molt-plan.before.yaml"
	}
	return fmt.Sprintf("molt-plan.before-%d.yaml", n)
}

// format is the version of the plan's format that this Molt writes, and the newest that it reads.
const format = 1

// A Plan is a plan as it stands in the file.
type Plan struct {
	doc.Plan `yaml:",inline"`

	Text *Text `yaml:"-"` // of the file that it was read from
}

// A Say puts a fact into words.
type Say = func(fact.Fact) doc.Sentence

// New makes the document of a plan.
func New(p *plan.Plan, say Say) *Plan {
	file := &Plan{Plan: doc.Plan{Format: format, Goal: p.Goal.String(), Reachable: p.Reachable, Stages: []doc.PlanStage{}}}
	for _, f := range p.Wall {
		file.Wall = append(file.Wall, say(f))
	}
	for _, g := range p.Also {
		file.Goal += " " + g.String()
	}
	for i, s := range p.Stages {
		st := NewStageDoc(s, say)
		st.After = p.Reachable && i >= p.AtGoal
		file.Stages = append(file.Stages, st)
	}
	for _, b := range p.Behind {
		file.Behind = append(file.Behind, doc.PlanBehind{Name: b.Name, At: b.At, Newest: b.Newest, Why: say(b.Why)})
	}
	return file
}

// NewStageDoc returns a stage as the file has it.
func NewStageDoc(s plan.Stage, say Say) doc.PlanStage {
	st := doc.PlanStage{ID: s.ID, Kind: string(s.Kind), Title: say(s.Title), Status: doc.Pending,
		Family: say(s.Family)}
	for _, n := range s.Raise {
		st.Raise = append(st.Raise, doc.Runtime{
			Name: n.Name, Needs: n.Needs, By: n.By, Deployed: n.Deployed.String(), To: n.To()})
	}
	for _, c := range s.Changes {
		change := doc.PlanChange{Name: c.Name, Group: c.Group, From: PointOf(c.From), To: PointOf(c.To),
			Standing: string(c.Standing), Reason: say(c.Reason)}
		if change.From != nil && change.To != nil {
			change.Jump = c.Jump.String()
		}
		st.Changes = append(st.Changes, change)
	}
	for _, c := range s.Companions {
		want := doc.Call{Command: "want", Args: []string{c.Name + "@" + c.Constraint}}
		st.Advice = append(st.Advice, doc.Guidance{
			Says: say(fact.New(doc.PeerUndeclared, c.By, c.Version, c.Name, c.Constraint, c.At, want)), Run: want.String(),
			Source: say(fact.New(assess.AtDemands, c.By, c.Version, "peers"))})
	}
	if s.After != nil {
		st.Locked = &doc.PlanLocked{Added: s.Locked.Added, Removed: s.Locked.Removed, Moved: s.Locked.Moved}
	}
	if s.Optimum != nil {
		for i, aim := range s.Optimum.Aims {
			st.Aims = append(st.Aims, doc.PlanAim{Aim: aim, Cost: s.Optimum.Cost[i], Least: s.Optimum.Bound[i]})
		}
	}
	return st
}

// PointOf returns a point as the file has it, nil for the zero Point.
func PointOf(p project.Point) *doc.PlanPoint {
	if p == (project.Point{}) {
		return nil
	}
	return &doc.PlanPoint{Constraint: p.Constraint, Version: p.Version}
}

const planHead = `# How to get to the goal, stage by stage. Molt made it and solved every stage; review it, commit it.
# Stages may be renamed, dropped, reordered and split, and notes added ("note:", for the plan, a stage or a change). Molt
# solves what you made of them before it obeys, and leaves your words and your order as they are.
`

// why says above the first stage of each kind what it is for.
var why = map[string]string{
	string(plan.BaselineStage): "Everything starts from a lock of what is there.",
	string(plan.PatchStage):    "Patches go first and together, so that later failures have one suspect.",
	string(plan.MinorStage): "Minor releases go together too. Not every package promises that they break nothing; " +
		"the checks tell.",
	string(plan.BridgeStage): "What is compatible with both majors can be upgraded before the framework, a family at a " +
		"time.",
	string(plan.RuntimeStage): "This is work for people; Molt checks that it was done.",
	string(plan.GoalStage):    "The framework, with exactly what can neither go before nor wait.",
	string(plan.AfterStage): "What does not need the goal, or came with it. It can wait; what moves together resolves " +
		"only together.",
	string(plan.RetireStage): "What the goal makes superfluous.",
}

// Encode writes the file.
func (p *Plan) Encode() ([]byte, error) {
	comments := yaml.CommentMap{}
	said := map[string]bool{}
	for i, s := range p.Stages {
		if text := why[s.Kind]; text != "" && !said[s.Kind] {
			said[s.Kind] = true
			comments[fmt.Sprintf("$.stages[%d]", i)] = []*yaml.Comment{yaml.HeadComment(" " + text)}
		}
	}
	data, err := yaml.MarshalWithOptions(p, yaml.IndentSequence(true), yaml.WithComment(comments))
	return append([]byte(planHead), data...), err
}

var stageID = regexp.MustCompile(`^[A-Za-z0-9][A-Za-z0-9._-]*$`)

// Read reads the text of a plan. What does not make sense is an error that points at its line.
func Read(name string, data []byte) (*Plan, error) {
	file := &Plan{}
	if err := yamlfile.Read(name, data, file, yaml.Strict()); err != nil {
		return nil, err
	}
	text, err := readPlanText(name, data)
	if err != nil {
		return nil, err
	}
	file.Text = text
	if file.Format == 0 {
		return nil, &input.PositionError{
			File: name, Line: 1, Column: 1,
			Reason: fmt.Sprintf("expected \"molt-plan: %d\" at the top; molt plan makes a plan", format)}
	}
	if file.Format != format {
		return nil, text.ErrorAt("$.molt-plan",
			fmt.Sprintf("this is format %d; this Molt reads format %d", file.Format, format))
	}
	seen := map[string]bool{}
	for i, s := range file.Stages {
		at := fmt.Sprintf("$.stages[%d]", i)
		switch {
		case s.ID == "" || seen[s.ID]:
			return nil, text.ErrorAt(at+".id", "every stage needs an id of its own")
		case !stageID.MatchString(s.ID):
			return nil, text.ErrorAt(at+".id", fmt.Sprintf("the id %q: expected letters, digits, dots and hyphens", s.ID))
		case s.Status == "":
			file.Stages[i].Status = doc.Pending
		case s.Status != doc.Pending && s.Status != doc.Done:
			return nil, text.ErrorAt(at+".status",
				fmt.Sprintf("stage %s: a status is %q or %q, not %q", s.ID, doc.Pending, doc.Done, s.Status))
		}
		seen[s.ID] = true
		for j, c := range s.Changes {
			if c.Name == "" || c.Group == "" || c.From == nil && c.To == nil {
				return nil, text.ErrorAt(fmt.Sprintf("%s.changes[%d]", at, j),
					fmt.Sprintf("stage %s: a change needs a name, a group, and from or to", s.ID))
			}
		}
	}
	return file, nil
}

// Next returns the first stage that is not done, or nil.
func (p *Plan) Next() *doc.PlanStage {
	if i := slices.IndexFunc(p.Stages, func(s doc.PlanStage) bool { return s.Status == doc.Pending }); i >= 0 {
		return &p.Stages[i]
	}
	return nil
}

// Stage returns the stage of an ID, or nil.
func (p *Plan) Stage(id string) *doc.PlanStage {
	if i := p.Index(id); i >= 0 {
		return &p.Stages[i]
	}
	return nil
}

// Index returns the position of a stage, -1 when the plan has none of that name.
func (p *Plan) Index(id string) int {
	return slices.IndexFunc(p.Stages, func(s doc.PlanStage) bool { return s.ID == id })
}

// Left counts the stages that are still to do.
func (p *Plan) Left() (n int) {
	for _, s := range p.Stages {
		if s.Status == doc.Pending {
			n++
		}
	}
	return n
}
