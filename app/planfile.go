package app

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"slices"
	"strings"

	"github.com/goccy/go-yaml"

	"molt/core/upgrade"
	"molt/ecosystem"
)

// PlanFile is the name of the plan. It is committed, reviewed, and may be edited.
const PlanFile = "molt-plan.yaml"

// PlanFormat is the version of the plan's format that this Molt writes, and the newest that it reads.
const PlanFormat = 1

// A PlanDoc is a plan as it stands in the file.
type PlanDoc struct {
	Format    int        `yaml:"molt-plan"`
	Goal      string     `yaml:"goal"`
	Reachable bool       `yaml:"reachable"`
	Wall      []string   `yaml:"wall,omitempty"`
	Stages    []StageDoc `yaml:"stages"`
}

// A StageDoc is one stage of it.
type StageDoc struct {
	ID      string      `yaml:"id"`
	Kind    string      `yaml:"kind"`
	Title   string      `yaml:"title"`
	Status  string      `yaml:"status"` // one of the Status constants
	Raise   []RaiseDoc  `yaml:"raise,omitempty"`
	Changes []ChangeDoc `yaml:"changes,omitempty"`
	Lock    *LockDoc    `yaml:"lock,omitempty"`
	Aims    []AimDoc    `yaml:"aims,omitempty"`
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
func NewPlanDoc(p *upgrade.Plan) *PlanDoc {
	doc := &PlanDoc{Format: PlanFormat, Goal: p.Goal.String(), Reachable: p.Reachable, Wall: p.Wall, Stages: []StageDoc{}}
	for _, s := range p.Stages {
		st := StageDoc{ID: s.ID, Kind: string(s.Kind), Title: s.Title, Status: Pending}
		for _, n := range s.Raise {
			st.Raise = append(st.Raise, RaiseDoc{n.Name, n.Needs, n.By, n.Deployed})
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
		doc.Stages = append(doc.Stages, st)
	}
	return doc
}

func point(p upgrade.Point) *PointDoc {
	if p == (upgrade.Point{}) {
		return nil
	}
	return &PointDoc{p.Constraint, p.Version}
}

const planHead = `# How to get to the goal, stage by stage. Molt made it and solved every stage; review it, commit it.
# Stages may be dropped, reordered and split: Molt solves what you made of them before it obeys.
`

// Encode writes the file.
func (p *PlanDoc) Encode() ([]byte, error) {
	data, err := yaml.MarshalWithOptions(p, yaml.IndentSequence(true))
	return append([]byte(planHead), data...), err
}

// ReadPlan reads the plan of the application.
func (a *App) ReadPlan() (*PlanDoc, error) {
	data, err := os.ReadFile(a.path(PlanFile))
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil, &UsageError{fmt.Sprintf("there is no %s; molt plan makes one", PlanFile)}
	case err != nil:
		return nil, err
	}
	return decodePlan(PlanFile, data)
}

// decodePlan reads the text of a plan.
func decodePlan(file string, data []byte) (*PlanDoc, error) {
	doc := &PlanDoc{}
	if err := yaml.UnmarshalWithOptions(data, doc, yaml.Strict()); err != nil {
		return nil, yamlError(file, err)
	}
	fail := func(about, reason string) (*PlanDoc, error) {
		line := 1
		if at := strings.Index(string(data), about); at >= 0 && about != "" {
			line = strings.Count(string(data[:at]), "\n") + 1
		}
		return nil, &ecosystem.PositionError{File: file, Line: line, Column: 1, Reason: reason}
	}
	if doc.Format != PlanFormat {
		return fail("molt-plan", fmt.Sprintf("this is format %d; this Molt reads format %d", doc.Format, PlanFormat))
	}
	seen := map[string]bool{}
	for _, s := range doc.Stages {
		switch {
		case s.ID == "" || seen[s.ID]:
			return fail("id: "+s.ID, "every stage needs an id of its own")
		case s.Status != Pending && s.Status != Done:
			return fail("status: "+s.Status, fmt.Sprintf("stage %s: a status is %q or %q, not %q", s.ID, Pending, Done, s.Status))
		}
		seen[s.ID] = true
		for _, c := range s.Changes {
			if c.Name == "" || c.Group == "" || c.From == nil && c.To == nil {
				return fail("name: "+c.Name, fmt.Sprintf("stage %s: a change needs a name, a group, and from or to", s.ID))
			}
		}
	}
	return doc, nil
}

// WritePlan puts a plan on disk.
func (a *App) WritePlan(doc *PlanDoc) error {
	data, err := doc.Encode()
	if err != nil {
		return err
	}
	return writeFile(a.path(PlanFile), data)
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
	if i := slices.IndexFunc(p.Stages, func(s StageDoc) bool { return s.ID == id }); i >= 0 {
		return &p.Stages[i]
	}
	return nil
}
