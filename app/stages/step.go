// Package stages makes a plan for an application and carries it out: each stage is solved, written
// and checked as one transaction, so that the application is before it or after it, whenever the
// process ends; and what was carried out can be taken back.
package stages

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"molt/app/change"
	"molt/app/config"
	"molt/app/layout"
	"molt/app/ledger"
	"molt/app/locking"
	"molt/app/open"
	"molt/app/planfile"
	"molt/app/run"
	"molt/core/solve"
	"molt/doc"
	"molt/input"
	"molt/txn"
)

// A Step is a stage that was carried out, or tried.
type Step struct {
	Stage    doc.PlanStage
	Verdicts []run.Verdict // tasks, then checks
	Before   []run.Verdict // the checks on the state before, when they were run for this step
	Changed  []string      // files besides manifest and lock that tasks changed
	Passed   bool
	// Unchecked says why the checks were not run, "" where they were: what is installed is not what the stage's lock says.
	Unchecked  string
	Left       int         // stages still to do
	ToGoal     int         // of these, the ones that lead to the goal
	Notes      []string    // what asks for attention besides
	Named      []LaterMove // where it failed: what later stages move and the output names
	Own        *change.OwnVersion
	Deprecated []Deprecation // what the checks on the state before warn of, when they were run for this step
}

// An StepOrder says how a stage is to be carried out.
type StepOrder struct {
	ID         string // the stage, which must be the next; "" for the next
	Commit     bool   // it is going to be committed
	OwnVersion bool   // after the last stage, write the application's own version
}

// Step carries out the next stage of the plan: manifest, lock, tasks, checks, verdict. A stage of which a task or a
// check fails is taken back, unless the check failed before it too. The folder must be in use.
func (a *Execution) Step(ctx context.Context, order StepOrder) (*Step, error) {
	file, err := a.ReadPlan()
	if err != nil {
		return nil, err
	}
	if err := onBranch(ctx, a.View, file); err != nil {
		return nil, err
	}
	stage := file.Next()
	switch {
	case order.ID != "" && file.Stage(order.ID) == nil:
		return nil, &input.UsageError{Reason: file.Missing(order.ID)}
	case stage == nil:
		return nil, &input.UsageError{Reason: fmt.Sprintf("every stage of %s is done", planfile.File)}
	case order.ID != "" && order.ID != stage.ID:
		return nil, &input.UsageError{
			Reason: fmt.Sprintf("the next stage is %q; to do %q first, move it up in %s", stage.ID, order.ID, planfile.File)}
	}
	if len(stage.Raise) > 0 {
		return stepByHand(a.View, file, stage)
	}
	if len(a.Config.Checks) > 0 || len(tasksOf(a.View, stage.Changes)) > 0 || order.Commit {
		if err := open.Consent(ctx, a.View, order.Commit); err != nil {
			return nil, err
		}
	}
	files, err := locking.Rehearse(ctx, a.Question, stage)
	if err != nil {
		return nil, locking.AtStage(a.View, file, stage, err)
	}
	step := &Step{}
	if a.Repo.Detached(ctx) {
		step.Notes = append(step.Notes, "no branch of git is checked out here (detached HEAD); what is committed is on none")
	}
	if sum, err := lockSum(a.View); err != nil {
		return nil, err
	} else if file.Made != nil && file.Made.Lock != sum && file.Made.Lock != "" {
		step.Notes = append(step.Notes, fmt.Sprintf("%s is not the one that the plan goes on from; the stage was solved "+
			"again, and molt plan --renew looks at the others", a.LockFile()))
	}
	if err := lookAhead(ctx, a.Question, file, step); err != nil {
		return nil, err
	}
	var removed []string
	for _, c := range stage.Changes {
		if c.To == nil {
			removed = append(removed, c.Name)
		}
	}
	importers, err := change.Importers(a.View, removed)
	if err != nil {
		return nil, err
	}
	for _, name := range removed {
		for _, at := range importers[name] {
			step.Notes = append(step.Notes, fmt.Sprintf("%s still imports %s, which the stage removes", at, name))
		}
	}
	c := &carrying{Step: step, file: file, stage: stage, order: order, files: files}
	if c.before, step.Before, err = a.checkedBefore(ctx); err != nil {
		return nil, err
	}
	step.Deprecated = deprecations(a.View, step.Before)
	return step, a.carryOut(ctx, c)
}

// lookAhead solves the whole plan again when people edited it, and notes what of it no longer holds. The stage that is
// due is solved in any case.
func lookAhead(ctx context.Context, a *open.Question, file *planfile.Plan, step *Step) error {
	edited, err := a.Runner().PlanEdited(file.Text.Bytes())
	if err != nil || !edited {
		return err
	}
	if err := checkStages(ctx, a, file); err != nil {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		step.Notes = append(step.Notes,
			fmt.Sprintf("the plan was edited, and later on it does not hold: %s; molt plan --check tells more", brief(err)))
	}
	return nil
}

// brief says in one line why a plan does not hold.
func brief(err error) string {
	var stage *locking.StageError
	var tangle *solve.Tangle
	if errors.As(err, &stage) && errors.As(err, &tangle) {
		return stage.Where() + "stage " + stage.Stage + " does not resolve"
	}
	says, _, _ := strings.Cut(err.Error(), "\n")
	return says
}

// A carrying is a stage that is being carried out.
type carrying struct {
	*Step
	file   *planfile.Plan
	stage  *doc.PlanStage
	order  StepOrder
	files  map[string][]byte // manifests and lock, as the stage has them
	before map[string]bool   // which checks pass on the state before
	// own are the files that Molt writes itself; covered are those of which what they hold is kept,
	// since tasks may change them.
	own, covered []string
}

// carryOut puts a stage on disk and judges it.
func (a *Execution) carryOut(ctx context.Context, c *carrying) error {
	step, file, stage, files := c.Step, c.file, c.stage, c.files
	staged := slices.Sorted(maps.Keys(files))
	c.own = append(slices.Clone(staged), planfile.File, ledger.File)
	t, err := a.Files.Begin("stage "+stage.ID, stage.ID, c.own...)
	if err != nil {
		return err
	}
	err = func() error {
		tasks := tasksOf(a.View, stage.Changes)
		if tasks != nil {
			if c.covered, err = a.Runner().Cover(ctx, t); err != nil {
				return err
			}
		}
		for _, name := range staged {
			if err := t.Write(name, files[name]); err != nil {
				return err
			}
		}
		checks := checksOf(a.View, stage.Kind)
		if a.site.LaysOut() {
			if err := a.site.LayOut(ctx, a.Dir, files[a.LockFile()], t); err != nil {
				return err
			}
		} else if len(checks) > 0 {
			if step.Unchecked, err = layout.InstalledDiffers(a.View, files[a.LockFile()]); err != nil {
				return err
			}
		}
		if a.site.NotLaidOut != "" && !a.toldNotLaidOut {
			step.Notes, a.toldNotLaidOut = append(step.Notes, a.site.NotLaidOut), true
		}
		if len(checks)+len(tasks) > 0 && !a.toldHiding && a.Config.Install.By != "none" {
			_, says := open.Programs(a.View, a.Dir)
			step.Notes, a.toldHiding = append(step.Notes, says...), true
		}
		if tasks != nil {
			if step.Changed, err = a.perform(ctx, t, c, tasks); err != nil || !step.Passed {
				return err
			}
		}
		if step.Unchecked != "" {
			checks = nil
		}
		verdicts, passed, err := a.Runner().Check(ctx, a.Dir, stage.ID, checks, c.before, a.Watch)
		step.Verdicts, step.Passed = append(step.Verdicts, verdicts...), passed
		if err != nil || !passed {
			return err
		}
		if step.Unchecked == "" {
			step.Unchecked = run.Unjudged(verdicts)
		}
		if err := file.Mark(stage.ID, doc.Done, txn.Sum(files[a.LockFile()])); err != nil {
			return err
		}
		stage = file.Stage(stage.ID)
		step.Left, step.ToGoal = file.Left(), file.ToGoal()
		if step.Left == 0 {
			step.Own = change.FindOwnVersion(a.View, file)
			if c.order.OwnVersion && step.Own != nil {
				if err := change.WriteOwn(a.View, t, step.Own); err != nil {
					return err
				}
			}
		}
		whole, err := open.WholePlan(a.View, file.Text.Bytes())
		if err != nil {
			return err
		}
		if err := t.Write(planfile.File, whole); err != nil {
			return err
		}
		r := ledger.Record{Stage: stage.ID, Goal: file.Goal}
		if c.order.Commit {
			r.Commit = ledger.Wanted
		}
		return a.Ledger.Append(t, r)
	}()
	step.Stage = *stage
	if err == nil && !step.Passed {
		step.Named = named(a.View, file, stage, step.Verdicts)
	}
	if err != nil || !step.Passed {
		return errors.Join(err, t.Undo())
	}
	if err := t.Commit(); err != nil {
		return err
	}
	if err := a.reread(ctx); err != nil {
		return err
	}
	if err := a.Runner().RememberPlan(file.Text.Bytes()); err != nil {
		return err
	}
	state, err := state(a.View)
	if err != nil || step.Unchecked != "" {
		return err
	}
	sources, err := a.sourcesAfter(ctx, step.Verdicts)
	if err != nil {
		return err
	}
	if err := a.Runner().Remember(state, sources, stage.ID, step.Verdicts); err != nil {
		return err
	}
	return a.site.Ran(files[a.LockFile()], step.Verdicts)
}

// perform runs the tasks of a stage and takes what they changed into it. With a commit to come they must leave files
// alone that hold something uncommitted.
func (a *Execution) perform(ctx context.Context, t *txn.Transaction, c *carrying,
	tasks []config.Task) ([]string, error) {
	var opened []string
	var err error
	if c.order.Commit {
		if opened, err = a.Repo.Uncommitted(ctx); err != nil {
			return nil, err
		}
	}
	if c.Verdicts, c.Passed, err = a.Runner().Tasks(ctx, a.Dir, c.stage.ID, tasks, a.Watch); err != nil {
		return nil, errors.Join(err, keepFresh(a.View, t, c))
	}
	changed, err := a.Runner().KeepChanged(ctx, t, c.covered, c.own)
	if err != nil {
		return nil, err
	}
	for _, name := range changed {
		if slices.Contains(opened, name) {
			return nil, &input.UsageError{
				Reason: fmt.Sprintf("--commit: a task of stage %s changes %s, which is not committed as it stood; commit or undo "+
					"that first", c.stage.ID, name)}
		}
	}
	return changed, nil
}

// keepFresh takes the files into a transaction that interrupted tasks have made, so that undoing it removes them.
func keepFresh(a *open.View, t *txn.Transaction, c *carrying) error {
	_, err := a.Runner().KeepChanged(context.Background(), t, c.covered, c.own) // the call's own context has ended
	return err
}

// stepByHand ticks off a stage that only people can carry out, when they have.
func stepByHand(a *open.View, file *planfile.Plan, stage *doc.PlanStage) (*Step, error) {
	step := &Step{Passed: true}
	for _, r := range stage.Raise {
		if _, err := a.Runtime(r.Name).Scheme.Constrain(r.Needs); err != nil {
			return nil, locking.AtStage(a, file, stage, &input.UsageError{Reason: err.Error()})
		}
		for _, d := range a.Config.Runtime.Of(r.Name) {
			ok := a.Runtime(r.Name).Suits(r.Needs, d.Version)
			step.Passed = step.Passed && ok
			says := fmt.Sprintf("%s %s is deployed%s, %s needs %s", r.Name, d.Version, d.Where(), r.By, r.Needs)
			if !ok {
				says += fmt.Sprintf("; raise it, then say so under \"runtime:\" in %s", config.File)
			}
			step.Verdicts = append(step.Verdicts, run.Verdict{Name: r.Name, Passed: ok, Says: says})
		}
	}
	for _, pin := range a.Pins() {
		for _, r := range stage.Raise {
			if pin.Name == r.Name && !a.Runtime(r.Name).Suits(r.Needs, pin.Version) {
				step.Passed = false
				step.Verdicts = append(step.Verdicts,
					run.Verdict{Name: r.Name, Says: fmt.Sprintf("%s says %s, %s needs %s; raise it there too", pin.Where, pin.Version,
						r.By, r.Needs)})
			}
		}
	}
	step.Stage = *stage
	if !step.Passed {
		return step, nil
	}
	if err := file.Mark(stage.ID, doc.Done, ""); err != nil {
		return nil, err
	}
	step.Stage = *file.Stage(stage.ID)
	step.ToGoal = file.ToGoal()
	if step.Left = file.Left(); step.Left == 0 {
		step.Own = change.FindOwnVersion(a, file)
	}
	return step, open.WritePlanText(a, "stage "+stage.ID, file.Text.Bytes(), nil)
}

// CheckPlan goes through the stages of the plan that are still to do, in their order, and solves each. The error says
// which no longer holds, with its line, and why.
func CheckPlan(ctx context.Context, a *open.Question) (*planfile.Plan, error) {
	file, err := a.ReadPlan()
	if err != nil {
		return nil, err
	}
	if err := checkStages(ctx, a, file); err != nil {
		return nil, err
	}
	return file, nil
}

func checkStages(ctx context.Context, a *open.Question, file *planfile.Plan) error {
	w, err := locking.Walk(a)
	if err != nil {
		return err
	}
	for i := range file.Stages {
		if s := &file.Stages[i]; s.Status == doc.Pending {
			if err := w.Stage(ctx, s); err != nil {
				return locking.AtStage(a.View, file, s, err)
			}
		}
	}
	return nil
}
