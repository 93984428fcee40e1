package ask

import (
	"context"
	"time"

	"molt/app/change"
	"molt/app/planfile"
	"molt/app/stages"
	"molt/core/plan"
	"molt/doc"
)

// newPlan makes the document of a plan as it stands in the plan's file. Times say how long the checks of stages took.
func newPlan(file *planfile.Plan, times map[string]time.Duration) doc.Plan {
	answer := file.Plan
	answer.Schema, answer.Wall = "molt/plan/1", append([]doc.Sentence{}, file.Wall...)
	answer.Stages, answer.Beyond = []doc.PlanStage{}, nil
	for _, s := range file.Stages {
		st := newPlanStage(s)
		if st.Effort != nil {
			effort := *st.Effort
			effort.Seconds = times[s.ID].Round(time.Millisecond).Seconds()
			st.Effort = &effort
		}
		answer.Stages = append(answer.Stages, st)
	}
	for _, s := range file.Beyond {
		answer.Beyond = append(answer.Beyond, newPlanStage(s))
	}
	return answer
}

// newPlanStage fills in what the file leaves out.
func newPlanStage(s doc.PlanStage) doc.PlanStage {
	s.Changes = append([]doc.PlanChange{}, s.Changes...)
	if s.Locked == nil {
		s.Locked = &doc.PlanLocked{}
	}
	return s
}

// A PlanRequest says how a plan is made.
type PlanRequest struct {
	Goals    []string // without any, that of the configuration
	Previews []string
	Fresh    plan.Fresh // "" for what the configuration says
	Leap     bool
	Notes    bool   // read the change logs of breaking moves
	Branch   string // a branch of git to make for it, "" for none
	Dry      bool   // write nothing
}

// MakePlan makes a plan and writes it.
func (s *Session) MakePlan(ctx context.Context, r PlanRequest) (doc.Plan, error) {
	if err := s.advice(ctx, r.Previews); err != nil {
		return doc.Plan{}, err
	}
	goals, err := stages.Goals(s.App.View, r.Goals)
	if err != nil {
		return doc.Plan{}, err
	}
	settling, err := s.settling(ctx)
	if err != nil {
		return doc.Plan{}, err
	}
	cut := s.App.Config.Stages.Cut()
	cut.Leap = cut.Leap || r.Leap
	if r.Fresh != "" {
		cut.Fresh = r.Fresh
	}
	file, made, err := stages.MakePlan(ctx, s.App, goals, cut)
	if err != nil {
		return doc.Plan{}, s.explain(ctx, err)
	}
	if r.Notes {
		if err := change.AddNotes(ctx, s.App, file); err != nil {
			return doc.Plan{}, err
		}
	}
	file.Branch = r.Branch
	answer, err := s.planned(ctx, file, made)
	answer.Settling = settling
	answer.Next = nextOfPlan(answer, r.Dry, r.Goals)
	if err != nil || r.Dry {
		return answer, err
	}
	if r.Branch != "" {
		if err := stages.NewBranch(ctx, s.App.View, r.Branch); err != nil {
			return doc.Plan{}, err
		}
	}
	aside, err := stages.WritePlan(s.App.View, file)
	if aside != "" && err == nil {
		answer.Remarks = append(answer.Remarks, doc.Said(doc.PlanAside, aside, call("plan", "--renew")))
	}
	return answer, err
}

// planned makes the document of a plan, with the tangle where the goal is out of reach; made is nil
// for a plan that was not made now.
func (s *Session) planned(ctx context.Context, file *planfile.Plan, made *plan.Plan) (doc.Plan, error) {
	times, err := stages.CheckTimes(s.App.View)
	if err != nil {
		return doc.Plan{}, err
	}
	answer := newPlan(file, times)
	answer.Remarks = doc.Sentences(s.App.InferredNotes())
	deprecated, err := stages.Deprecations(s.App.View)
	if err != nil {
		return answer, err
	}
	answer.Deprecated = newDeprecations(deprecated)
	if made != nil && !made.Reachable {
		explained, _, err := s.untangledFrom(ctx, made.Assessed)
		if err != nil {
			return answer, err
		}
		answer.Untangle = &explained
	}
	return answer, nil
}

// SplitPlan puts packages of a stage into a stage of their own. It returns the plan, and the names of the two stages.
func (s *Session) SplitPlan(ctx context.Context, stage string,
	apart, previews []string) (answer doc.Plan, first, second string, err error) {
	if err := s.advice(ctx, previews); err != nil {
		return doc.Plan{}, "", "", err
	}
	a, b, err := stages.Split(ctx, s.App, stage, s.names(apart))
	if err != nil {
		return doc.Plan{}, "", "", s.explain(ctx, err)
	}
	file, err := s.App.ReadPlan()
	if err != nil {
		return doc.Plan{}, "", "", err
	}
	answer, err = s.planned(ctx, file, nil)
	return answer, a.ID, b.ID, err
}

// BringIntoPlan moves what later stages change of some packages into a stage. It returns the plan.
func (s *Session) BringIntoPlan(
	ctx context.Context, stage string, names, previews []string) (answer doc.Plan, err error) {
	if err := s.advice(ctx, previews); err != nil {
		return doc.Plan{}, err
	}
	if _, err := stages.Bring(ctx, s.App, stage, s.names(names)); err != nil {
		return doc.Plan{}, s.explain(ctx, err)
	}
	file, err := s.App.ReadPlan()
	if err != nil {
		return doc.Plan{}, err
	}
	return s.planned(ctx, file, nil)
}

// StagesHold is an error where a stage of the plan that is to do no longer resolves, in the order in which they stand.
func (s *Session) StagesHold(ctx context.Context) error {
	_, err := stages.CheckPlan(ctx, s.App)
	return s.explain(ctx, err)
}

// CheckPlan solves the plan again as it stands.
func (s *Session) CheckPlan(ctx context.Context, previews []string) (doc.Plan, error) {
	if err := s.advice(ctx, previews); err != nil {
		return doc.Plan{}, err
	}
	file, err := stages.CheckPlan(ctx, s.App)
	if err != nil {
		return doc.Plan{}, s.explain(ctx, err)
	}
	return s.planned(ctx, file, nil)
}

// RenewPlan makes the plan again, keeps what people decided, and tells what changed; nothing is written when it is dry.
func (s *Session) RenewPlan(ctx context.Context, previews []string, dry bool) (doc.Plan, error) {
	if err := s.advice(ctx, previews); err != nil {
		return doc.Plan{}, err
	}
	r, err := stages.Renew(ctx, s.App)
	if err != nil {
		return doc.Plan{}, s.explain(ctx, err)
	}
	answer, err := s.planned(ctx, r.Plan, r.Made)
	if err != nil {
		return doc.Plan{}, err
	}
	if !dry {
		if err := stages.WriteRenewal(s.App.View, r); err != nil {
			return doc.Plan{}, err
		}
	}
	answer.Next = nextOfPlan(answer, dry, []string{"--renew"})
	answer.Renewal = &doc.Renewal{
		Kept: append([]doc.Sentence{}, doc.Sentences(r.Kept)...), Lost: append([]doc.Sentence{}, doc.Sentences(r.Lost)...),
		Changed: append([]doc.Sentence{}, doc.Sentences(r.Changed)...)}
	return answer, nil
}

func newDeprecations(all []stages.Deprecation) (list []doc.Deprecation) {
	for _, d := range all {
		list = append(list, doc.Deprecation{Package: d.Name, Says: d.Says})
	}
	return list
}
