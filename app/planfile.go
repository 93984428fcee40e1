package app

import (
	"errors"
	"fmt"
	"io/fs"
	"regexp"
	"slices"

	"github.com/goccy/go-yaml"

	"molt/core/plan"
	"molt/core/project"
	"molt/input"
)

// PlanFile is the name of the plan. It is committed, reviewed, and may be edited.
const PlanFile = "molt-plan.yaml"

// PlanFormat is the version of the plan's format that this Molt writes, and the newest that it reads.
const PlanFormat = 1

// A PlanDoc is a plan as it stands in the file.
type PlanDoc struct {
	Format    int        `yaml:"molt-plan"`
	Goal      string     `yaml:"goal"`
	Note      string     `yaml:"note,omitempty"` // what people have to say
	Branch    string     `yaml:"branch,omitempty"`
	Reachable bool       `yaml:"reachable"`
	Made      *MadeDoc   `yaml:"made,omitempty"`
	Costs     []string   `yaml:"costs,omitempty"` // what decisions of people cost
	Wall      []string   `yaml:"wall,omitempty"`
	Stages    []StageDoc `yaml:"stages"`
	Beyond    []StageDoc `yaml:"beyond,omitempty"` // a sketch of what comes after the wall

	text *planText // of the file that it was read from
}

// A MadeDoc is the state that a plan was made on, and how.
type MadeDoc struct {
	On       string              `yaml:"on"`       // a day; releases that are younger are news
	Lock     string              `yaml:"lock"`     // SHA-256 of the lock that the next stage goes on from
	Registry string              `yaml:"registry"` // SHA-256 of what the registry had of the declared packages
	Fresh    string              `yaml:"fresh,omitempty"`
	Leap     bool                `yaml:"leap,omitempty"`
	Offered  map[string][]string `yaml:"offered,omitempty"` // what each stage would move, to tell what people dropped
}

// A StageDoc is one stage of it.
type StageDoc struct {
	ID      string      `yaml:"id"`
	Kind    string      `yaml:"kind"`
	Title   string      `yaml:"title"`
	Note    string      `yaml:"note,omitempty"`   // what people have to say
	Status  string      `yaml:"status"`           // one of the Status constants
	Family  string      `yaml:"family,omitempty"` // why its packages move in step
	Raise   []RaiseDoc  `yaml:"raise,omitempty"`
	Changes []ChangeDoc `yaml:"changes,omitempty"`
	Advice  []AdviceDoc `yaml:"advice,omitempty"`
	Lock    *LockDoc    `yaml:"lock,omitempty"`
	Effort  *EffortDoc  `yaml:"effort,omitempty"`
	Aims    []AimDoc    `yaml:"aims,omitempty"`
}

// An AdviceDoc is something to do or to know that a framework's guide has for a stage.
type AdviceDoc struct {
	Says   string   `yaml:"says"`
	Run    string   `yaml:"run,omitempty"`   // a command; it is for people to run
	Found  []string `yaml:"found,omitempty"` // where in the source it matters, FILE:LINE
	Link   string   `yaml:"link,omitempty"`
	Source string   `yaml:"source"`
}

// An EffortDoc says at a glance what a stage means for people.
type EffortDoc struct {
	Jump     string `yaml:"jump"`     // the greatest
	Files    int    `yaml:"files"`    // of the source that import what moves
	Evidence string `yaml:"evidence"` // the weakest grade, "" where no change has evidence
}

// An AimDoc is something that a stage has as little of as can be: how much, and a proven least.
type AimDoc struct {
	Aim   string `yaml:"aim"`
	Cost  int    `yaml:"cost"`
	Least int    `yaml:"least"`
}

// What became of a stage.
const (
	Pending = "pending"
	Done    = "done"
)

// A RaiseDoc is a runtime to raise by hand.
type RaiseDoc struct {
	Runtime  string `yaml:"runtime"`
	Needs    string `yaml:"needs"`
	By       string `yaml:"by"`
	Deployed string `yaml:"deployed"`
}

// A ChangeDoc is a change to one declaration. Without From it is added, without To it is removed.
type ChangeDoc struct {
	Name     string    `yaml:"name"`
	Group    string    `yaml:"group"`
	From     *PointDoc `yaml:"from,omitempty"`
	To       *PointDoc `yaml:"to,omitempty"`
	Jump     string    `yaml:"jump,omitempty"`
	Standing string    `yaml:"standing,omitempty"`
	Reason   string    `yaml:"reason,omitempty"`
	Note     string    `yaml:"note,omitempty"`  // what people have to say
	Notes    []string  `yaml:"notes,omitempty"` // what the package's change log calls breaking on the way
}

// A PointDoc is a constraint with the release it leads to.
type PointDoc struct {
	Constraint string `yaml:"constraint"`
	Version    string `yaml:"version"`
}

// A LockDoc counts what a stage does to the lock.
type LockDoc struct {
	Added   int `yaml:"added"`
	Removed int `yaml:"removed"`
	Moved   int `yaml:"moved"`
}

// NewPlanDoc makes the document of a plan.
func NewPlanDoc(p *plan.Plan) *PlanDoc {
	doc := &PlanDoc{Format: PlanFormat, Goal: p.Goal.String(), Reachable: p.Reachable, Wall: p.Wall, Stages: []StageDoc{}}
	for _, g := range p.Also {
		doc.Goal += " " + g.String()
	}
	for _, s := range p.Stages {
		doc.Stages = append(doc.Stages, newStageDoc(s))
	}
	return doc
}

func newStageDoc(s plan.Stage) StageDoc {
	st := StageDoc{ID: s.ID, Kind: string(s.Kind), Title: s.Title, Status: Pending, Family: s.Family}
	for _, n := range s.Raise {
		st.Raise = append(st.Raise, RaiseDoc{n.Name, n.Needs, n.By, n.Deployed.String()})
	}
	for _, c := range s.Changes {
		change := ChangeDoc{Name: c.Name, Group: c.Group, From: point(c.From), To: point(c.To), Standing: string(c.Standing), Reason: c.Reason}
		if change.From != nil && change.To != nil {
			change.Jump = c.Jump.String()
		}
		st.Changes = append(st.Changes, change)
	}
	if s.After != nil {
		st.Lock = &LockDoc{s.Locked.Added, s.Locked.Removed, s.Locked.Moved}
	}
	if s.Optimum != nil {
		for i, aim := range s.Optimum.Aims {
			st.Aims = append(st.Aims, AimDoc{aim, s.Optimum.Cost[i], s.Optimum.Bound[i]})
		}
	}
	return st
}

func point(p project.Point) *PointDoc {
	if p == (project.Point{}) {
		return nil
	}
	return &PointDoc{p.Constraint, p.Version}
}

const planHead = `# How to get to the goal, stage by stage. Molt made it and solved every stage; review it, commit it.
# Stages may be renamed, dropped, reordered and split, and notes added ("note:", for the plan, a stage or a change). Molt
# solves what you made of them before it obeys, and leaves your words and your order as they are.
`

// why says above the first stage of each kind what it is for.
var why = map[string]string{
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
func (p *PlanDoc) Encode() ([]byte, error) {
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

// ReadPlan reads the plan of the application.
func (a *App) ReadPlan() (*PlanDoc, error) {
	data, err := a.disk.read(PlanFile, input.Plan)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil, &UsageError{fmt.Sprintf("there is no %s; molt plan makes one", PlanFile)}
	case err != nil:
		return nil, err
	}
	return decodePlan(PlanFile, data)
}

var stageID = regexp.MustCompile(`^[A-Za-z0-9][A-Za-z0-9._-]*$`)

// decodePlan reads the text of a plan. What does not make sense is an error that points at its line.
func decodePlan(file string, data []byte) (*PlanDoc, error) {
	doc := &PlanDoc{}
	if err := readYAML(file, data, doc, yaml.Strict()); err != nil {
		return nil, err
	}
	text, err := readPlanText(file, data)
	if err != nil {
		return nil, err
	}
	doc.text = text
	if doc.Format != PlanFormat {
		return nil, text.errorAt("$.molt-plan", fmt.Sprintf("this is format %d; this Molt reads format %d", doc.Format, PlanFormat))
	}
	seen := map[string]bool{}
	for i, s := range doc.Stages {
		at := fmt.Sprintf("$.stages[%d]", i)
		switch {
		case s.ID == "" || seen[s.ID]:
			return nil, text.errorAt(at+".id", "every stage needs an id of its own")
		case !stageID.MatchString(s.ID):
			return nil, text.errorAt(at+".id", fmt.Sprintf("the id %q: expected letters, digits, dots and hyphens", s.ID))
		case s.Status == "":
			doc.Stages[i].Status = Pending
		case s.Status != Pending && s.Status != Done:
			return nil, text.errorAt(at+".status", fmt.Sprintf("stage %s: a status is %q or %q, not %q", s.ID, Pending, Done, s.Status))
		}
		seen[s.ID] = true
		for j, c := range s.Changes {
			if c.Name == "" || c.Group == "" || c.From == nil && c.To == nil {
				return nil, text.errorAt(fmt.Sprintf("%s.changes[%d]", at, j), fmt.Sprintf("stage %s: a change needs a name, a group, and from or to", s.ID))
			}
		}
	}
	return doc, nil
}

// WritePlan puts a plan on disk. The folder must be in use.
func (a *App) WritePlan(doc *PlanDoc) error {
	data, err := doc.Encode()
	if err != nil {
		return err
	}
	return a.writePlanText("plan", data)
}

// writePlanText puts a text of the plan on disk that was solved.
func (a *App) writePlanText(what string, data []byte) error {
	if err := a.WriteFiles(what, map[string][]byte{PlanFile: data}); err != nil {
		return err
	}
	return a.rememberPlan(data)
}

// Next returns the first stage that is not done, or nil.
func (p *PlanDoc) Next() *StageDoc {
	if i := slices.IndexFunc(p.Stages, func(s StageDoc) bool { return s.Status == Pending }); i >= 0 {
		return &p.Stages[i]
	}
	return nil
}

// Stage returns the stage of an ID, or nil.
func (p *PlanDoc) Stage(id string) *StageDoc {
	if i := p.index(id); i >= 0 {
		return &p.Stages[i]
	}
	return nil
}

func (p *PlanDoc) index(id string) int {
	return slices.IndexFunc(p.Stages, func(s StageDoc) bool { return s.ID == id })
}

// left counts the stages that are still to do.
func (p *PlanDoc) left() (n int) {
	for _, s := range p.Stages {
		if s.Status == Pending {
			n++
		}
	}
	return n
}
