package stages

import (
	"context"
	"time"

	"molt/app/locking"
	"molt/app/planfile"
	"molt/core/plan"
	"molt/core/solve"
	"molt/doc"
)

// TryEach carries out each stage that goes ahead of the framework by itself, from the application
// as it stands, in a copy of its own: whether it passes does not hang on the others. The
// application itself is not touched.
func (a *Execution) TryEach(ctx context.Context) (*Trial, error) {
	file, err := a.ReadPlan()
	if err != nil {
		return nil, err
	}
	all := &Trial{Passed: true}
	for i := range file.Stages {
		stage := file.Stages[i]
		if stage.Kind != string(plan.BridgeStage) || stage.Status != doc.Pending {
			continue
		}
		all.Stages = append(all.Stages, stage.ID)
		began := time.Now()
		one, err := a.tryAlone(ctx, file, stage)
		if solve.AsTangle(err) != nil {
			all.Each = append(all.Each, StageTrial{
				Stage: stage.ID, Says: "does not resolve from here without the stages before it"})
			all.Passed = false
			continue
		}
		if err != nil {
			return nil, err
		}
		all.Each = append(all.Each, StageTrial{
			Stage: stage.ID, Verdicts: one.Verdicts, Passed: one.Passed, Took: time.Since(began)})
		all.Passed = all.Passed && one.Passed
		all.Verdicts, all.Unchecked, all.Before, all.Notes = one.Verdicts, one.Unchecked, one.Before, one.Notes
	}
	return all, nil
}

// tryAlone tries a stage as if it were the next.
func (a *Execution) tryAlone(ctx context.Context, file *planfile.Plan, stage doc.PlanStage) (*Trial, error) {
	one := *file
	one.Stages = []doc.PlanStage{stage}
	rebase(a.View, &one)
	stage = one.Stages[0]
	w, err := locking.Walk(a.Question)
	if err != nil {
		return nil, err
	}
	if err := w.Stage(ctx, &stage); err != nil {
		return nil, err
	}
	lock, err := locking.NewLock(ctx, a.Question, w.Locked, w.Manifest, a.Lock)
	if err != nil {
		return nil, err
	}
	b := &Trial{Stages: []string{stage.ID}}
	a.Watch.Announce(stage.ID)
	files, err := locking.Contents(a.View, w.Manifest, lock)
	if err != nil {
		return nil, err
	}
	step := &rehearsed{stage.ID, files, tasksOf(a.View, stage.Changes), checksOf(a.View, stage.Kind), ""}
	return b, a.tryIn(ctx, &attempt{result: b, steps: []*rehearsed{step}})
}
