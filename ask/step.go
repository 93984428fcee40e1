package ask

import (
	"time"

	"molt/app"
	"molt/doc"
)

func newChecks(verdicts []app.Verdict) []doc.Check {
	all := []doc.Check{}
	for _, v := range verdicts {
		all = append(all, doc.Check{Name: v.Name, Task: v.Task, Passed: v.Passed, Before: v.Before, Says: v.Says, Log: v.Log, Seconds: v.Took.Round(time.Millisecond).Seconds()})
	}
	return all
}

// NewCulprit makes the document of a search for a culprit.
func NewCulprit(c *app.Culprit, split []string) *doc.Culprit {
	answer := &doc.Culprit{Check: c.Check, Changes: c.Changes, Rest: append([]string{}, c.Rest...), Passes: c.Passes, Trials: []doc.Trial{}, Split: split}
	for _, t := range c.Trials {
		answer.Trials = append(answer.Trials, doc.Trial{Changes: t.Changes, Outcome: string(t.Outcome), Says: t.Says, Ran: t.Ran, Seconds: t.Took.Round(time.Millisecond).Seconds()})
	}
	return answer
}

// NewOwnVersion makes the document of the application's own version; o may be nil, when nothing calls for a move.
func NewOwnVersion(o *app.OwnVersion) doc.OwnVersion {
	answer := doc.OwnVersion{Schema: "molt/own-version/1"}
	if o != nil {
		answer = doc.OwnVersion{Schema: answer.Schema, From: o.From, To: o.To, Jump: o.Jump.String(), Why: o.Why, Written: o.Written}
	}
	return answer
}

// NewTrial makes the document of stages that were tried beside the application.
func NewTrial(b *app.Beside) doc.Beside {
	return doc.Beside{Schema: "molt/trial/1", Stages: b.Stages, Folder: b.Dir, Passed: b.Passed, Before: newChecks(b.Before), Checks: newChecks(b.Verdicts), Notes: append([]string{}, b.Notes...)}
}

// NewStep makes the document of a stage that was carried out or tried.
func NewStep(s *app.Step) doc.Step {
	answer := doc.Step{Schema: "molt/step/1", Stage: newPlanStage(s.Stage), Passed: s.Passed, Checks: newChecks(s.Verdicts),
		Before: newChecks(s.Before), Changed: append([]string{}, s.Changed...), Notes: append([]string{}, s.Notes...), Left: s.Left}
	if s.Own != nil {
		own := NewOwnVersion(s.Own)
		answer.Own = &own
	}
	return answer
}
