package stages

import (
	"context"
	"time"

	"molt/app/locking"
	"molt/app/open"
	"molt/app/planfile"
	"molt/app/run"
	"molt/core/plan"
	"molt/core/solve"
	"molt/core/universe"
	"molt/doc"
)

// TryEach carries out each stage that goes ahead of the framework by itself, from the application as it stands, in a copy of its own: whether
// it passes does not hang on the others. The application itself is not touched.
func TryEach(ctx context.Context, a *open.App, source universe.Source, watch run.Watcher) (*Beside, error) {
	file, err := a.ReadPlan()
	if err != nil {
		return nil, err
	}
	all := &Beside{Passed: true}
	for i := range file.Stages {
		stage := file.Stages[i]
		if stage.Kind != string(plan.BridgeStage) || stage.Status != doc.Pending {
			continue
		}
		all.Stages = append(all.Stages, stage.ID)
		began := time.Now()
		one, err := tryAlone(ctx, a, source, file, stage, watch)
		if solve.AsTangle(err) != nil {
			all.Each = append(all.Each, StageTrial{Stage: stage.ID, Says: "does not resolve from here without the stages before it"})
			all.Passed = false
			continue
		}
		if err != nil {
			return nil, err
		}
		all.Each = append(all.Each, StageTrial{Stage: stage.ID, Verdicts: one.Verdicts, Passed: one.Passed, Took: time.Since(began)})
		all.Passed = all.Passed && one.Passed
		all.Verdicts, all.Unchecked, all.Before, all.Notes = one.Verdicts, one.Unchecked, one.Before, one.Notes
	}
	return all, nil
}

// tryAlone tries a stage as if it were the next.
func tryAlone(ctx context.Context, a *open.App, source universe.Source, file *planfile.Plan, stage doc.PlanStage, watch run.Watcher) (*Beside, error) {
	one := *file
	one.Stages = []doc.PlanStage{stage}
	rebase(a, &one)
	stage = one.Stages[0]
	w, err := locking.Walk(a)
	if err != nil {
		return nil, err
	}
	if err := w.Stage(ctx, source, &stage); err != nil {
		return nil, err
	}
	lock, err := locking.NewLock(ctx, a, source, w.Locked, w.Manifest, a.Lock)
	if err != nil {
		return nil, err
	}
	b := &Beside{Stages: []string{stage.ID}}
	watch.Announce(stage.ID)
	files, err := locking.Contents(a, w.Manifest, lock)
	if err != nil {
		return nil, err
	}
	return b, tryIn(ctx, a, b, []*rehearsed{{stage.ID, files, tasksOf(a, stage.Changes), checksOf(a, stage.Kind), ""}}, nil, "", watch)
}
