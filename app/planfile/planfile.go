// Package planfile is molt-plan.yaml: a plan as it is committed, reviewed and edited. Edits keep what people wrote.
package planfile

import (
	"fmt"
	"regexp"
	"slices"

	"github.com/goccy/go-yaml"

	"molt/app/yamlfile"
	"molt/core/plan"
	"molt/core/project"
)

// File is the name of the plan. It is committed, reviewed, and may be edited.
const File = "molt-plan.yaml"

// Format is the version of the plan's format that this Molt writes, and the newest that it reads.
const Format = 1

// A Plan is a plan as it stands in the file.
type Plan struct {
	Format    int      `yaml:"molt-plan"`
	Goal      string   `yaml:"goal"`
	Note      string   `yaml:"note,omitempty"` // what people have to say
	Branch    string   `yaml:"branch,omitempty"`
	Reachable bool     `yaml:"reachable"`
	Made      *Made    `yaml:"made,omitempty"`
	Costs     []string `yaml:"costs,omitempty"` // what decisions of people cost
	Wall      []string `yaml:"wall,omitempty"`
	Stages    []Stage  `yaml:"stages"`
	Beyond    []Stage  `yaml:"beyond,omitempty"` // a sketch of what comes after the wall

	Text *Text `yaml:"-"` // of the file that it was read from
}

// A Made is the state that a plan was made on, and how.
type Made struct {
	On       string              `yaml:"on"`       // a day; releases that are younger are news
	Lock     string              `yaml:"lock"`     // SHA-256 of the lock that the next stage goes on from
	Registry string              `yaml:"registry"` // SHA-256 of what the registry had of the declared packages
	Fresh    string              `yaml:"fresh,omitempty"`
	Leap     bool                `yaml:"leap,omitempty"`
	Offered  map[string][]string `yaml:"offered,omitempty"` // what each stage would move, to tell what people dropped
}

// A Stage is one stage of it.
type Stage struct {
	ID      string   `yaml:"id"`
	Kind    string   `yaml:"kind"`
	Title   string   `yaml:"title"`
	Note    string   `yaml:"note,omitempty"`   // what people have to say
	Status  string   `yaml:"status"`           // one of the Status constants
	Family  string   `yaml:"family,omitempty"` // why its packages move in step
	Raise   []Raise  `yaml:"raise,omitempty"`
	Changes []Change `yaml:"changes,omitempty"`
	Advice  []Advice `yaml:"advice,omitempty"`
	Lock    *Lock    `yaml:"lock,omitempty"`
	Effort  *Effort  `yaml:"effort,omitempty"`
	Aims    []Aim    `yaml:"aims,omitempty"`
}

// An Advice is something to do or to know that a framework's guide has for a stage.
type Advice struct {
	Says   string   `yaml:"says"`
	Run    string   `yaml:"run,omitempty"`   // a command; it is for people to run
	Found  []string `yaml:"found,omitempty"` // where in the source it matters, FILE:LINE
	Link   string   `yaml:"link,omitempty"`
	Source string   `yaml:"source"`
}

// An Effort says at a glance what a stage means for people.
type Effort struct {
	Jump     string `yaml:"jump"`     // the greatest
	Files    int    `yaml:"files"`    // of the source that import what moves
	Evidence string `yaml:"evidence"` // the weakest grade, "" where no change has evidence
}

// An Aim is something that a stage has as little of as can be: how much, and a proven least.
type Aim struct {
	Aim   string `yaml:"aim"`
	Cost  int    `yaml:"cost"`
	Least int    `yaml:"least"`
}

// What became of a stage.
const (
	Pending = "pending"
	Done    = "done"
)

// A Raise is a runtime to raise by hand.
type Raise struct {
	Runtime  string `yaml:"runtime"`
	Needs    string `yaml:"needs"`
	By       string `yaml:"by"`
	Deployed string `yaml:"deployed"`
}

// A Change is a change to one declaration. Without From it is added, without To it is removed.
type Change struct {
	Name     string   `yaml:"name"`
	Group    string   `yaml:"group"`
	From     *Point   `yaml:"from,omitempty"`
	To       *Point   `yaml:"to,omitempty"`
	Jump     string   `yaml:"jump,omitempty"`
	Standing string   `yaml:"standing,omitempty"`
	Reason   string   `yaml:"reason,omitempty"`
	Note     string   `yaml:"note,omitempty"`  // what people have to say
	Notes    []string `yaml:"notes,omitempty"` // what the package's change log calls breaking on the way
}

// A Point is a constraint with the release it leads to.
type Point struct {
	Constraint string `yaml:"constraint"`
	Version    string `yaml:"version"`
}

// A Lock counts what a stage does to the lock.
type Lock struct {
	Added   int `yaml:"added"`
	Removed int `yaml:"removed"`
	Moved   int `yaml:"moved"`
}

// New makes the document of a plan.
func New(p *plan.Plan) *Plan {
	doc := &Plan{Format: Format, Goal: p.Goal.String(), Reachable: p.Reachable, Wall: p.Wall, Stages: []Stage{}}
	for _, g := range p.Also {
		doc.Goal += " " + g.String()
	}
	for _, s := range p.Stages {
		doc.Stages = append(doc.Stages, NewStageDoc(s))
	}
	return doc
}

// NewStageDoc returns a stage as the file has it.
func NewStageDoc(s plan.Stage) Stage {
	st := Stage{ID: s.ID, Kind: string(s.Kind), Title: s.Title, Status: Pending, Family: s.Family}
	for _, n := range s.Raise {
		st.Raise = append(st.Raise, Raise{n.Name, n.Needs, n.By, n.Deployed.String()})
	}
	for _, c := range s.Changes {
		change := Change{Name: c.Name, Group: c.Group, From: PointOf(c.From), To: PointOf(c.To), Standing: string(c.Standing), Reason: c.Reason}
		if change.From != nil && change.To != nil {
			change.Jump = c.Jump.String()
		}
		st.Changes = append(st.Changes, change)
	}
	if s.After != nil {
		st.Lock = &Lock{s.Locked.Added, s.Locked.Removed, s.Locked.Moved}
	}
	if s.Optimum != nil {
		for i, aim := range s.Optimum.Aims {
			st.Aims = append(st.Aims, Aim{aim, s.Optimum.Cost[i], s.Optimum.Bound[i]})
		}
	}
	return st
}

// PointOf returns a point as the file has it, nil for the zero Point.
func PointOf(p project.Point) *Point {
	if p == (project.Point{}) {
		return nil
	}
	return &Point{p.Constraint, p.Version}
}

const planHead = `# How to get to the goal, stage by stage. Molt made it and solved every stage; review it, commit it.
# Stages may be renamed, dropped, reordered and split, and notes added ("note:", for the plan, a stage or a change). Molt
# solves what you made of them before it obeys, and leaves your words and your order as they are.
`

// Why says above the first stage of each kind what it is for.
var Why = map[string]string{
	string(plan.BaselineStage): "Everything starts from a lock of what is there.",
	string(plan.PatchStage):    "What is safe goes first and together, so that later failures have one suspect.",
	string(plan.MinorStage):    "Minor releases promise not to break; they go together too.",
	string(plan.BridgeStage):   "What goes with both majors moves ahead of the framework, a family at a time.",
	string(plan.RuntimeStage):  "This is work for people; Molt checks that it was done.",
	string(plan.GoalStage):     "The framework, with exactly what can neither go before nor wait.",
	string(plan.AfterStage):    "What the goal opened. It can wait, and each breaking move stands alone.",
	string(plan.RetireStage):   "What the goal makes superfluous.",
}

// Encode writes the file.
func (p *Plan) Encode() ([]byte, error) {
	comments := yaml.CommentMap{}
	said := map[string]bool{}
	for i, s := range p.Stages {
		if text := Why[s.Kind]; text != "" && !said[s.Kind] {
			said[s.Kind] = true
			comments[fmt.Sprintf("$.stages[%d]", i)] = []*yaml.Comment{yaml.HeadComment(" " + text)}
		}
	}
	data, err := yaml.MarshalWithOptions(p, yaml.IndentSequence(true), yaml.WithComment(comments))
	return append([]byte(planHead), data...), err
}

var stageID = regexp.MustCompile(`^[A-Za-z0-9][A-Za-z0-9._-]*$`)

// Read reads the text of a plan. What does not make sense is an error that points at its line.
func Read(file string, data []byte) (*Plan, error) {
	doc := &Plan{}
	if err := yamlfile.Read(file, data, doc, yaml.Strict()); err != nil {
		return nil, err
	}
	text, err := readPlanText(file, data)
	if err != nil {
		return nil, err
	}
	doc.Text = text
	if doc.Format != Format {
		return nil, text.ErrorAt("$.molt-plan", fmt.Sprintf("this is format %d; this Molt reads format %d", doc.Format, Format))
	}
	seen := map[string]bool{}
	for i, s := range doc.Stages {
		at := fmt.Sprintf("$.stages[%d]", i)
		switch {
		case s.ID == "" || seen[s.ID]:
			return nil, text.ErrorAt(at+".id", "every stage needs an id of its own")
		case !stageID.MatchString(s.ID):
			return nil, text.ErrorAt(at+".id", fmt.Sprintf("the id %q: expected letters, digits, dots and hyphens", s.ID))
		case s.Status == "":
			doc.Stages[i].Status = Pending
		case s.Status != Pending && s.Status != Done:
			return nil, text.ErrorAt(at+".status", fmt.Sprintf("stage %s: a status is %q or %q, not %q", s.ID, Pending, Done, s.Status))
		}
		seen[s.ID] = true
		for j, c := range s.Changes {
			if c.Name == "" || c.Group == "" || c.From == nil && c.To == nil {
				return nil, text.ErrorAt(fmt.Sprintf("%s.changes[%d]", at, j), fmt.Sprintf("stage %s: a change needs a name, a group, and from or to", s.ID))
			}
		}
	}
	return doc, nil
}

// Next returns the first stage that is not done, or nil.
func (p *Plan) Next() *Stage {
	if i := slices.IndexFunc(p.Stages, func(s Stage) bool { return s.Status == Pending }); i >= 0 {
		return &p.Stages[i]
	}
	return nil
}

// Stage returns the stage of an ID, or nil.
func (p *Plan) Stage(id string) *Stage {
	if i := p.Index(id); i >= 0 {
		return &p.Stages[i]
	}
	return nil
}

// Index returns the position of a stage, -1 when the plan has none of that name.
func (p *Plan) Index(id string) int {
	return slices.IndexFunc(p.Stages, func(s Stage) bool { return s.ID == id })
}

// Left counts the stages that are still to do.
func (p *Plan) Left() (n int) {
	for _, s := range p.Stages {
		if s.Status == Pending {
			n++
		}
	}
	return n
}
