package render

import (
	"fmt"
	"strings"
	"time"

	"molt/app"
)

// StepDoc is "molt/step/1".
type StepDoc struct {
	Schema  string         `json:"schema"`
	Stage   PlanStage      `json:"stage"`
	Passed  bool           `json:"passed"`
	Checks  []CheckDoc     `json:"checks"`
	Before  []CheckDoc     `json:"before"`  // the checks on the state before the first stage, when they were run now
	Changed []string       `json:"changed"` // files that tasks changed
	Notes   []string       `json:"notes"`
	Culprit *CulpritDoc    `json:"culprit,omitempty"`
	Own     *OwnVersionDoc `json:"own,omitempty"` // after the last stage
	Left    int            `json:"left"`
}

// A CheckDoc is the verdict of one check, or of one task that belongs to a change.
type CheckDoc struct {
	Name    string  `json:"name"`
	Task    bool    `json:"task"`
	Passed  bool    `json:"passed"`
	Before  bool    `json:"failedBefore"`
	Says    string  `json:"says"`
	Log     string  `json:"log"`
	Seconds float64 `json:"seconds"`
}

func newCheckDocs(verdicts []app.Verdict) []CheckDoc {
	all := []CheckDoc{}
	for _, v := range verdicts {
		all = append(all, CheckDoc{v.Name, v.Task, v.Passed, v.Before, v.Says, v.Log, v.Took.Round(time.Millisecond).Seconds()})
	}
	return all
}

// A CulpritDoc is a minimal set of a stage's changes that fails.
type CulpritDoc struct {
	Check   string     `json:"check"`
	Changes []string   `json:"changes"`
	Rest    []string   `json:"rest"`
	Passes  bool       `json:"restPasses"`
	Trials  []TrialDoc `json:"trials"`
	Split   []string   `json:"split"` // the stages that it was split into, when it was
}

// A TrialDoc is one look at some of the changes.
type TrialDoc struct {
	Changes []string `json:"changes"`
	Outcome string   `json:"outcome"`
	Says    string   `json:"says"`
	Ran     bool     `json:"ran"`
	Seconds float64  `json:"seconds"`
}

// NewCulpritDoc makes the document of a search for a culprit.
func NewCulpritDoc(c *app.Culprit, split []string) *CulpritDoc {
	doc := &CulpritDoc{c.Check, c.Changes, append([]string{}, c.Rest...), c.Passes, []TrialDoc{}, split}
	for _, t := range c.Trials {
		doc.Trials = append(doc.Trials, TrialDoc{t.Changes, string(t.Outcome), t.Says, t.Ran, t.Took.Round(time.Millisecond).Seconds()})
	}
	return doc
}

// OwnVersionDoc is "molt/own-version/1", and a part of "molt/step/1".
type OwnVersionDoc struct {
	Schema  string `json:"schema"`
	From    string `json:"from"`
	To      string `json:"to"`
	Jump    string `json:"jump"`
	Why     string `json:"why"`
	Written bool   `json:"written"`
}

// NewOwnVersionDoc makes the document of the application's own version; o may be nil, when nothing calls for a move.
func NewOwnVersionDoc(o *app.OwnVersion) OwnVersionDoc {
	doc := OwnVersionDoc{Schema: "molt/own-version/1"}
	if o != nil {
		doc = OwnVersionDoc{doc.Schema, o.From, o.To, o.Jump.String(), o.Why, o.Written}
	}
	return doc
}

// OwnVersion prints what becomes of the application's own version.
func (p *Page) OwnVersion(doc OwnVersionDoc) {
	switch {
	case doc.To == "":
		p.Line("Nothing calls for another version of the application itself.")
	case doc.Written:
		p.wrapped("", fmt.Sprintf("The application's own version went from %s to %s: %s.", doc.From, doc.To, doc.Why))
	default:
		p.wrapped("", fmt.Sprintf("The application's own version should go from %s to %s (%s): %s. molt step --own-version writes it.", doc.From, doc.To, doc.Jump, doc.Why))
	}
}

// BesideDoc is "molt/trial/1".
type BesideDoc struct {
	Schema string     `json:"schema"`
	Stages []string   `json:"stages"`
	Folder string     `json:"folder"` // of the copy, "" when it was taken away
	Passed bool       `json:"passed"`
	Before []CheckDoc `json:"before"`
	Checks []CheckDoc `json:"checks"`
	Notes  []string   `json:"notes"`
}

// NewTrialDoc makes the document of stages that were tried beside the application.
func NewTrialDoc(b *app.Beside) BesideDoc {
	return BesideDoc{"molt/trial/1", b.Stages, b.Dir, b.Passed, newCheckDocs(b.Before), newCheckDocs(b.Verdicts), append([]string{}, b.Notes...)}
}

// Trial prints what came of stages in a copy.
func (p *Page) Trial(doc BesideDoc) {
	p.before(doc.Before)
	what := count(len(doc.Stages), "stage") + " up to " + doc.Stages[len(doc.Stages)-1]
	if len(doc.Stages) == 1 {
		what = doc.Stages[0]
	}
	switch {
	case doc.Passed && len(doc.Checks) == 0:
		p.verdict(notice, what+" resolves in a copy; molt.yaml names no checks that would judge it.")
	case doc.Passed:
		p.verdict(good, what+" passes in a copy; the application itself is as it was.")
	default:
		p.verdict(bad, what+" fails in a copy; the application itself is as it was.")
	}
	for _, c := range doc.Checks {
		p.check(c, false)
	}
	for _, n := range doc.Notes {
		p.wrapped("  ", n)
	}
	if doc.Folder != "" {
		p.wrapped("", "The copy is in "+doc.Folder+".")
	}
}

// NewStepDoc makes the document of a stage that was carried out or tried.
func NewStepDoc(s *app.Step) StepDoc {
	doc := StepDoc{Schema: "molt/step/1", Stage: newPlanStage(s.Stage), Passed: s.Passed, Checks: newCheckDocs(s.Verdicts),
		Before: newCheckDocs(s.Before), Changed: append([]string{}, s.Changed...), Notes: append([]string{}, s.Notes...), Left: s.Left}
	if s.Own != nil {
		own := NewOwnVersionDoc(s.Own)
		doc.Own = &own
	}
	return doc
}

// Step prints what became of a stage.
func (p *Page) Step(doc StepDoc) {
	p.before(doc.Before)
	for _, n := range doc.Notes {
		for _, l := range wrap(n, p.Width) {
			p.Line("%s", p.styled(notice, l))
		}
	}
	switch {
	case doc.Passed:
		p.verdict(good, fmt.Sprintf("%s is done: %s.", doc.Stage.ID, doc.Stage.Title))
	case doc.Stage.Raise != nil:
		p.verdict(notice, doc.Stage.ID+" waits for people.")
	default:
		p.verdict(bad, doc.Stage.ID+" failed; the files are as they were before it.")
	}
	if doc.Passed {
		p.changes(PlanStage{Kind: doc.Stage.Kind, Changes: doc.Stage.Changes})
	}
	for _, c := range doc.Checks {
		p.check(c, doc.Stage.Raise != nil)
	}
	if len(doc.Changed) > 0 {
		p.wrapped("  ", "the tasks changed "+strings.Join(doc.Changed, ", "))
	}
	if doc.Culprit != nil {
		p.culprit(doc.Stage.ID, *doc.Culprit)
	} else if !doc.Passed && doc.Stage.Raise == nil && len(doc.Stage.Changes) > 1 {
		p.Line("molt step --find-culprit finds out which of its %s it is.", count(len(doc.Stage.Changes), "change"))
	}
	if !doc.Passed {
		return
	}
	if doc.Left == 0 {
		p.Line("That was the last stage.")
		if doc.Own != nil {
			p.OwnVersion(*doc.Own)
		}
	} else {
		p.Line("%s left.", count(doc.Left, "stage"))
	}
}

// before prints which checks fail on the state before the first stage.
func (p *Page) before(all []CheckDoc) {
	var failed []string
	for _, c := range all {
		if !c.Passed {
			failed = append(failed, c.Name)
		}
	}
	switch {
	case len(all) == 0:
	case failed == nil:
		p.Line("%s", p.styled(faint, fmt.Sprintf("The state before was checked first: %s passed.", count(len(all), "check"))))
	default:
		for _, l := range wrap(fmt.Sprintf("The state before was checked first: %s failed already; no stage is blamed for that.", strings.Join(failed, ", ")), p.Width) {
			p.Line("%s", p.styled(notice, l))
		}
	}
}

// check prints one verdict.
func (p *Page) check(c CheckDoc, byHand bool) {
	word, style := "passed", good
	switch {
	case c.Passed:
	case byHand:
		word, style = "to do ", notice
	case c.Before:
		word, style = "failed", notice
	default:
		word, style = "failed", bad
	}
	text := ink("  %s  %s", p.styled(style, word), c.Name)
	if c.Task {
		text += p.styled(faint, " (task)")
	}
	if c.Before {
		text += p.styled(notice, ", as before the stage")
	}
	if c.Seconds > 0 {
		text += p.styled(faint, fmt.Sprintf("  %.1f s", c.Seconds))
	}
	p.Line("%s", text)
	if c.Says != "" {
		p.wrapped("          ", c.Says)
	}
	if !c.Passed && c.Log != "" {
		p.Line("          whole output: %s", c.Log)
	}
}

// culprit prints which changes make a stage fail.
func (p *Page) culprit(stage string, c CulpritDoc) {
	ran := 0
	for _, t := range c.Trials {
		if t.Ran {
			ran++
		}
	}
	p.Line("")
	verb := "makes"
	if len(c.Changes) > 1 {
		verb = "together make"
	}
	p.verdict(bad, fmt.Sprintf("%s %s it fail, found in %s.", strings.Join(c.Changes, ", "), verb, count(ran, "run")))
	for _, t := range c.Trials {
		style := notice
		switch t.Outcome {
		case "passes":
			style = good
		case "fails":
			style = bad
		}
		says := strings.Join(t.Changes, ", ")
		if t.Outcome == "unsure" && t.Says != "" {
			says += " (" + t.Says + ")"
		}
		for k, l := range wrap(says, p.Width-10) {
			word := t.Outcome
			if k > 0 {
				word = ""
			}
			p.Line("  %s%s  %s", p.styled(style, word), blanks(6-len(word)), l)
		}
	}
	p.Line("")
	switch {
	case len(c.Split) > 0:
		p.wrapped("", fmt.Sprintf("The plan now has %s with what passes, and behind it %s with the culprit.", c.Split[0], c.Split[1]))
	case len(c.Rest) == 0:
		p.Line("No part of the stage fails on its own.")
	case c.Passes:
		p.wrapped("", "The rest passes without it. To put it into a stage of its own:")
		p.Line("  molt plan --split %s --apart %s", stage, strings.Join(c.Changes, ","))
	default:
		p.wrapped("", "The rest does not pass without it either: there is more than one reason to fail, or it does not resolve. To look on, put it into a stage of its own:")
		p.Line("  molt plan --split %s --apart %s", stage, strings.Join(c.Changes, ","))
	}
}
