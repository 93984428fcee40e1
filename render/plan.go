package render

import (
	"fmt"
	"strings"
	"time"

	"charm.land/lipgloss/v2"

	"molt/app"
	"molt/core/upgrade"
)

// PlanDoc is "molt/plan/1".
type PlanDoc struct {
	Schema    string       `json:"schema"`
	Goal      string       `json:"goal"`
	Reachable bool         `json:"reachable"`
	Stages    []PlanStage  `json:"stages"`
	Wall      []string     `json:"wall"`
	Untangle  *UntangleDoc `json:"untangle,omitempty"` // when it is out of reach
}

// A PlanStage is one stage of a plan.
type PlanStage struct {
	ID      string       `json:"id"`
	Kind    string       `json:"kind"`
	Title   string       `json:"title"`
	Changes []PlanChange `json:"changes"`
	Raise   []RuntimeDoc `json:"raise,omitempty"`
	Locked  PlanLocked   `json:"locked"`
	Aims    []PlanAim    `json:"aims,omitempty"`
	Status  string       `json:"status"`
}

// A PlanChange is a change to one declaration; From or To is null for one that is added or removed.
type PlanChange struct {
	Name     string     `json:"name"`
	Group    string     `json:"group"`
	From     *PlanPoint `json:"from"`
	To       *PlanPoint `json:"to"`
	Jump     string     `json:"jump"`
	Standing string     `json:"standing"`
	Reason   string     `json:"reason"`
}

// A PlanPoint is a constraint and the release it leads to.
type PlanPoint struct {
	Constraint string `json:"constraint"`
	Version    string `json:"version"`
}

// PlanLocked counts what a stage does to the lock.
type PlanLocked struct {
	Added   int `json:"added"`
	Removed int `json:"removed"`
	Moved   int `json:"moved"`
}

// A PlanAim is something that a stage has as little of as can be: how much, and the least that is proven to be needed
// given the aims before it.
type PlanAim struct {
	Aim   string `json:"aim"`
	Cost  int    `json:"cost"`
	Least int    `json:"least"`
}

// NewPlanDoc makes the document of a plan as it stands in the plan's file.
func NewPlanDoc(file *app.PlanDoc) PlanDoc {
	doc := PlanDoc{Schema: "molt/plan/1", Goal: file.Goal, Reachable: file.Reachable, Stages: []PlanStage{}, Wall: append([]string{}, file.Wall...)}
	for _, s := range file.Stages {
		doc.Stages = append(doc.Stages, newPlanStage(s))
	}
	return doc
}

func newPlanStage(s app.StageDoc) PlanStage {
	st := PlanStage{ID: s.ID, Kind: s.Kind, Title: s.Title, Changes: []PlanChange{}, Status: s.Status}
	for _, c := range s.Changes {
		st.Changes = append(st.Changes, PlanChange{c.Name, c.Group, (*PlanPoint)(c.From), (*PlanPoint)(c.To), c.Jump, c.Standing, c.Reason})
	}
	for _, r := range s.Raise {
		st.Raise = append(st.Raise, RuntimeDoc{Name: r.Runtime, Needs: r.Needs, By: r.By, Deployed: r.Deployed})
	}
	for _, a := range s.Aims {
		st.Aims = append(st.Aims, PlanAim(a))
	}
	if s.Lock != nil {
		st.Locked = PlanLocked(*s.Lock)
	}
	return st
}

// Plan prints a plan: the verdict, then every stage with its changes.
func (p *Page) Plan(doc PlanDoc) {
	switch {
	case len(doc.Stages) == 0 && doc.Reachable:
		p.verdict(good, doc.Goal+" is reached already; there is nothing to do.")
	case doc.Reachable:
		p.verdict(good, fmt.Sprintf("%s in %s, each of them solved to a lock.", doc.Goal, count(len(doc.Stages), "stage")))
	default:
		p.verdict(bad, fmt.Sprintf("%s is out of reach today; %s can be done already.", doc.Goal, count(len(doc.Stages), "stage")))
	}
	for n, s := range doc.Stages {
		p.line("")
		p.stageHead(n+1, s)
		p.changes(s)
	}
	if doc.Untangle == nil {
		return
	}
	p.line("")
	p.heading("Then there is a wall")
	for _, w := range doc.Wall {
		p.wrapped("  ", w)
	}
	for _, c := range doc.Untangle.Contested {
		p.contest(c)
	}
	p.ways(doc.Untangle.Ways)
}

func (p *Page) stageHead(n int, s PlanStage) {
	mark := "  "
	if s.Status == app.Done {
		mark = "x "
	}
	tail := fmt.Sprintf("lock: %d moved, %d added, %d removed", s.Locked.Moved, s.Locked.Added, s.Locked.Removed)
	if s.Raise != nil {
		tail = "by hand"
	}
	head := fmt.Sprintf("%s%-2d %s", mark, n, s.ID)
	if lipgloss.Width(head)+2+lipgloss.Width(s.Title) <= p.Width {
		p.line("%s  %s", p.styled(bold, head), p.styled(faint, s.Title))
	} else {
		p.line("%s", p.styled(bold, head))
		p.wrapped("     ", s.Title)
	}
	p.line("     %s", p.styled(faint, tail))
}

func (p *Page) changes(s PlanStage) {
	for _, r := range s.Raise {
		p.wrapped("     ", fmt.Sprintf("%s %s is deployed; %s needs %s. Raise it, then say so under \"runtime:\" in %s.", r.Name, r.Deployed, r.By, r.Needs, app.ConfigFile))
	}
	var rows [][]cell
	for _, c := range s.Changes {
		rows = append(rows, changeCells(s, c))
	}
	if rows != nil {
		p.table("     ", rows)
	}
	if s.Aims != nil {
		p.aims(s.Aims)
	}
}

// aims says what a stage costs at the least, and how far that is proven.
func (p *Page) aims(all []PlanAim) {
	var proven, open []string
	for _, a := range all {
		if len(open) == 0 && a.Cost == a.Least {
			proven = append(proven, fmt.Sprintf("%s %d", a.Aim, a.Cost))
		} else {
			open = append(open, fmt.Sprintf("%s %d, at least %d needed", a.Aim, a.Cost, a.Least))
		}
	}
	text := "proven fewest: " + strings.Join(proven, ", ")
	if open != nil {
		text += "; not proven: " + strings.Join(open, ", ")
	}
	for _, l := range wrap(text, p.Width-5) {
		p.line("     %s", p.styled(faint, l))
	}
}

func changeCells(s PlanStage, c PlanChange) []cell {
	name := cell{c.Name, &bold}
	why := c.Reason
	if s.Kind == string(upgrade.PatchStage) || s.Kind == string(upgrade.MinorStage) {
		why = "" // the stage's title says it
	}
	switch {
	case c.To == nil:
		return []cell{name, plain(c.From.Version + " goes"), plain(""), {why, &faint}}
	case c.From == nil:
		return []cell{name, plain("comes at " + c.To.Version), plain("as " + c.To.Constraint), {why, &faint}}
	}
	line := "line stays " + c.To.Constraint
	if c.From.Constraint != c.To.Constraint {
		line = c.From.Constraint + " becomes " + c.To.Constraint
	}
	return []cell{name, plain(c.From.Version + " to " + c.To.Version), plain(line), {why, &faint}}
}

// StepDoc is "molt/step/1".
type StepDoc struct {
	Schema string     `json:"schema"`
	Stage  PlanStage  `json:"stage"`
	Passed bool       `json:"passed"`
	Checks []CheckDoc `json:"checks"`
	Left   int        `json:"left"`
}

// A CheckDoc is the verdict of one check.
type CheckDoc struct {
	Name    string  `json:"name"`
	Passed  bool    `json:"passed"`
	Says    string  `json:"says"`
	Log     string  `json:"log"`
	Seconds float64 `json:"seconds"`
}

// NewStepDoc makes the document of a stage that was carried out or tried.
func NewStepDoc(s *app.Step) StepDoc {
	doc := StepDoc{"molt/step/1", newPlanStage(s.Stage), s.Passed, []CheckDoc{}, s.Left}
	for _, v := range s.Verdicts {
		doc.Checks = append(doc.Checks, CheckDoc{v.Name, v.Passed, v.Says, v.Log, v.Took.Round(time.Millisecond).Seconds()})
	}
	return doc
}

// Step prints what became of a stage.
func (p *Page) Step(doc StepDoc) {
	switch {
	case doc.Passed:
		p.verdict(good, fmt.Sprintf("%s is done: %s.", doc.Stage.ID, doc.Stage.Title))
	case doc.Stage.Raise != nil:
		p.verdict(notice, doc.Stage.ID+" waits for people.")
	default:
		p.verdict(bad, doc.Stage.ID+" failed a check; the files are as they were before it.")
	}
	if doc.Passed {
		p.changes(PlanStage{Kind: doc.Stage.Kind, Changes: doc.Stage.Changes})
	}
	for _, c := range doc.Checks {
		word, style := "passed", good
		switch {
		case !c.Passed && doc.Stage.Raise != nil:
			word, style = "to do ", notice
		case !c.Passed:
			word, style = "failed", bad
		}
		text := fmt.Sprintf("  %s  %s", p.styled(style, word), c.Name)
		if c.Seconds > 0 {
			text += p.styled(faint, fmt.Sprintf("  %.1f s", c.Seconds))
		}
		p.line("%s", text)
		if c.Says != "" {
			p.wrapped("          ", c.Says)
		}
		if !c.Passed && c.Log != "" {
			p.line("          whole output: %s", c.Log)
		}
	}
	if doc.Passed {
		if doc.Left == 0 {
			p.line("That was the last stage.")
		} else {
			p.line("%s left.", count(doc.Left, "stage"))
		}
	}
}
