package ask

import (
	"time"

	"molt/app"
	"molt/doc"
)

// NewPlan makes the document of a plan as it stands in the plan's file. Times say how long the checks of stages took.
func NewPlan(file *app.PlanDoc, times map[string]time.Duration) doc.Plan {
	answer := doc.Plan{Schema: "molt/plan/1", Goal: file.Goal, Note: file.Note, Branch: file.Branch, Reachable: file.Reachable,
		Stages: []doc.PlanStage{}, Wall: append([]string{}, file.Wall...), Costs: file.Costs}
	for _, s := range file.Stages {
		st := newPlanStage(s)
		if st.Effort != nil {
			st.Effort.Seconds = times[s.ID].Round(time.Millisecond).Seconds()
		}
		answer.Stages = append(answer.Stages, st)
	}
	for _, s := range file.Beyond {
		answer.Beyond = append(answer.Beyond, newPlanStage(s))
	}
	return answer
}

func newPlanStage(s app.StageDoc) doc.PlanStage {
	st := doc.PlanStage{ID: s.ID, Kind: s.Kind, Title: s.Title, Note: s.Note, Family: s.Family, Changes: []doc.PlanChange{}, Status: s.Status}
	for _, c := range s.Changes {
		st.Changes = append(st.Changes, doc.PlanChange{Name: c.Name, Group: c.Group, From: (*doc.PlanPoint)(c.From), To: (*doc.PlanPoint)(c.To), Jump: c.Jump, Standing: c.Standing, Reason: c.Reason, Note: c.Note, Notes: c.Notes})
	}
	for _, r := range s.Raise {
		st.Raise = append(st.Raise, doc.Runtime{Name: r.Runtime, Needs: r.Needs, By: r.By, Deployed: r.Deployed})
	}
	for _, a := range s.Advice {
		st.Advice = append(st.Advice, doc.Guidance(a))
	}
	for _, a := range s.Aims {
		st.Aims = append(st.Aims, doc.PlanAim(a))
	}
	if s.Lock != nil {
		st.Locked = doc.PlanLocked(*s.Lock)
	}
	if e := s.Effort; e != nil {
		st.Effort = &doc.Effort{Jump: e.Jump, Files: e.Files, Evidence: e.Evidence}
	}
	return st
}
