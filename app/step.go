package app

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"molt/app/config"
	"molt/app/ledger"
	"molt/app/planfile"
	"molt/app/run"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
	"molt/doc"
	"molt/ecosystem"
	"molt/input"
	"molt/registry"
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
	Own        *OwnVersion
	Deprecated []Deprecation // what the checks on the state before warn of, when they were run for this step
}

// An Order says how a stage is to be carried out.
type Order struct {
	ID         string // the stage, which must be the next; "" for the next
	Commit     bool   // it is going to be committed
	OwnVersion bool   // after the last stage, write the application's own version
}

// A StaleError reports that the application is no longer what a plan was made for.
type StaleError struct{ Reason string }

func (e *StaleError) Error() string { return e.Reason }

// Step carries out the next stage of the plan: manifest, lock, tasks, checks, verdict. A stage of which a task or a
// check fails is taken back, unless the check failed before it too. The folder must be in use.
func (a *App) Step(ctx context.Context, source universe.Source, order Order, watch run.Watcher) (*Step, error) {
	file, err := a.ReadPlan()
	if err != nil {
		return nil, err
	}
	if err := a.onBranch(ctx, file); err != nil {
		return nil, err
	}
	stage := file.Next()
	switch {
	case order.ID != "" && file.Stage(order.ID) == nil:
		return nil, &input.UsageError{Reason: file.Missing(order.ID)}
	case stage == nil:
		return nil, &input.UsageError{Reason: fmt.Sprintf("every stage of %s is done", planfile.File)}
	case order.ID != "" && order.ID != stage.ID:
		return nil, &input.UsageError{Reason: fmt.Sprintf("the next stage is %q; to do %q first, move it up in %s", stage.ID, order.ID, planfile.File)}
	}
	if len(stage.Raise) > 0 {
		return a.stepByHand(file, stage)
	}
	if len(a.Config.Checks) > 0 || len(a.tasksOf(stage.Changes)) > 0 || order.Commit {
		if err := a.Consent(ctx, order.Commit); err != nil {
			return nil, err
		}
	}
	files, err := a.rehearse(ctx, source, stage)
	if err != nil {
		return nil, a.atStage(file, stage, err)
	}
	step := &Step{}
	if a.repo.Detached(ctx) {
		step.Notes = append(step.Notes, "no branch of git is checked out here (detached HEAD); what is committed is on none")
	}
	if sum, err := a.lockSum(); err != nil {
		return nil, err
	} else if file.Made != nil && file.Made.Lock != sum && file.Made.Lock != "" {
		step.Notes = append(step.Notes, fmt.Sprintf("%s is not the one that the plan goes on from; the stage was solved again, and molt plan --renew looks at the others", a.LockFile()))
	}
	if err := a.lookAhead(ctx, source, file, step); err != nil {
		return nil, err
	}
	var removed []string
	for _, c := range stage.Changes {
		if c.To == nil {
			removed = append(removed, c.Name)
		}
	}
	importers, err := a.Importers(removed)
	if err != nil {
		return nil, err
	}
	for _, name := range removed {
		for _, at := range importers[name] {
			step.Notes = append(step.Notes, fmt.Sprintf("%s still imports %s, which the stage removes", at, name))
		}
	}
	var before map[string]bool
	if before, step.Before, err = a.checkedBefore(ctx, watch); err != nil {
		return nil, err
	}
	step.Deprecated = a.deprecations(step.Before)
	return step, a.carryOut(ctx, step, file, stage, order, files, before, watch)
}

// lookAhead solves the whole plan again when people edited it, and notes what of it no longer holds. The stage that is
// due is solved in any case.
func (a *App) lookAhead(ctx context.Context, source universe.Source, file *planfile.Plan, step *Step) error {
	edited, err := a.runner().PlanEdited(file.Text.Bytes())
	if err != nil || !edited {
		return err
	}
	if err := a.checkStages(ctx, source, file); err != nil {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		step.Notes = append(step.Notes, fmt.Sprintf("the plan was edited, and later on it does not hold: %s; molt plan --check tells more", brief(err)))
	}
	return nil
}

// brief says in one line why a plan does not hold.
func brief(err error) string {
	var stage *StageError
	var tangle *solve.Tangle
	if errors.As(err, &stage) && errors.As(err, &tangle) {
		return stage.place() + "stage " + stage.Stage + " does not resolve"
	}
	says, _, _ := strings.Cut(err.Error(), "\n")
	return says
}

// carryOut puts a stage on disk and judges it.
func (a *App) carryOut(ctx context.Context, step *Step, file *planfile.Plan, stage *doc.PlanStage, order Order, files map[string][]byte, before map[string]bool, watch run.Watcher) error {
	staged := slices.Sorted(maps.Keys(files))
	own := append(slices.Clone(staged), planfile.File, ledger.File)
	t, err := a.files.Begin("stage "+stage.ID, stage.ID, own...)
	if err != nil {
		return err
	}
	err = func() error {
		tasks := a.tasksOf(stage.Changes)
		var covered []string
		if tasks != nil {
			if covered, err = a.runner().Cover(ctx, t); err != nil {
				return err
			}
		}
		for _, name := range staged {
			if err := t.Write(name, files[name]); err != nil {
				return err
			}
		}
		checks := a.checksOf(stage.Kind)
		if a.laysOut() {
			if err := a.layOutText(ctx, a.Dir, files[a.LockFile()], t); err != nil {
				return err
			}
		} else if len(checks) > 0 {
			if step.Unchecked, err = a.unlike(files[a.LockFile()]); err != nil {
				return err
			}
		}
		if a.unlaid != "" && !a.unlaidTold { // once a call is enough
			step.Notes, a.unlaidTold = append(step.Notes, a.unlaid), true
		}
		if len(checks)+len(tasks) > 0 && !a.hidingTold && a.Config.Install.By != "none" {
			_, says := a.programs(a.Dir)
			step.Notes, a.hidingTold = append(step.Notes, says...), true
		}
		if tasks != nil {
			if step.Changed, err = a.perform(ctx, t, step, stage, tasks, covered, own, order, watch); err != nil || !step.Passed {
				return err
			}
		}
		if step.Unchecked != "" {
			checks = nil
		}
		verdicts, passed, err := a.runner().Check(ctx, a.Dir, stage.ID, checks, before, watch)
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
			step.Own = a.ownVersion(file)
			if order.OwnVersion && step.Own != nil {
				if err := a.writeOwn(t, step.Own); err != nil {
					return err
				}
			}
		}
		whole, err := a.wholePlan(file.Text.Bytes())
		if err != nil {
			return err
		}
		if err := t.Write(planfile.File, whole); err != nil {
			return err
		}
		r := ledger.Record{Stage: stage.ID, Goal: file.Goal}
		if order.Commit {
			r.Commit = ledger.Wanted
		}
		return a.ledger.Append(t, r)
	}()
	step.Stage = *stage
	if err == nil && !step.Passed {
		step.Named = a.named(file, stage, step.Verdicts)
	}
	if err != nil || !step.Passed {
		return errors.Join(err, t.Undo())
	}
	if err := t.Commit(); err != nil {
		return err
	}
	if err := a.reread(); err != nil {
		return err
	}
	if err := a.runner().RememberPlan(file.Text.Bytes()); err != nil {
		return err
	}
	state, err := a.state()
	if err != nil || step.Unchecked != "" {
		return err
	}
	sources, err := a.sourcesAfter(ctx, step.Verdicts)
	if err != nil {
		return err
	}
	if err := a.runner().Remember(state, sources, stage.ID, step.Verdicts); err != nil {
		return err
	}
	return a.ran(files[a.LockFile()], step.Verdicts)
}

// perform runs the tasks of a stage and takes what they changed into it. With a commit to come they must leave files
// alone that hold something uncommitted.
func (a *App) perform(ctx context.Context, t *txn.Transaction, step *Step, stage *doc.PlanStage, tasks []config.Task, covered, own []string, order Order, watch run.Watcher) ([]string, error) {
	var open []string
	var err error
	if order.Commit {
		if open, err = a.repo.Uncommitted(ctx); err != nil {
			return nil, err
		}
	}
	if step.Verdicts, step.Passed, err = a.runner().Tasks(ctx, a.Dir, stage.ID, tasks, watch); err != nil {
		return nil, errors.Join(err, a.keepFresh(t, covered, own))
	}
	changed, err := a.runner().KeepChanged(ctx, t, covered, own)
	if err != nil {
		return nil, err
	}
	for _, name := range changed {
		if slices.Contains(open, name) {
			return nil, &input.UsageError{Reason: fmt.Sprintf("--commit: a task of stage %s changes %s, which is not committed as it stood; commit or undo that first", stage.ID, name)}
		}
	}
	return changed, nil
}

// keepFresh takes the files into a transaction that interrupted tasks have made, so that undoing it removes them.
func (a *App) keepFresh(t *txn.Transaction, covered, own []string) error {
	_, err := a.runner().KeepChanged(context.Background(), t, covered, own) // the call's own context has ended
	return err
}

// atStage says at which line of the plan a stage stands that cannot be carried out.
func (a *App) atStage(file *planfile.Plan, stage *doc.PlanStage, err error) error {
	if file.Text == nil { // a plan that is still being made has no lines
		return &StageError{Stage: stage.ID, Err: err}
	}
	path := fmt.Sprintf("$.stages[%d]", file.Index(stage.ID))
	var change *changeError
	var tangle *solve.Tangle
	var unreachable *registry.UnreachableError
	if errors.As(err, &change) && !errors.As(err, &tangle) && !errors.As(err, &unreachable) {
		return file.Text.ErrorAt(fmt.Sprintf("%s.changes[%d]", path, change.index), fmt.Sprintf("stage %s: %v", stage.ID, change.err))
	}
	var place *input.PositionError
	e := &StageError{Stage: stage.ID, Err: err}
	if errors.As(file.Text.ErrorAt(path, ""), &place) {
		e.Place = *place
	}
	return e
}

// A StageError says which stage of the plan cannot be carried out.
type StageError struct {
	Place input.PositionError // of the stage, in the plan; zero where it stands in no file
	Stage string
	Err   error
}

func (e *StageError) Error() string {
	return fmt.Sprintf("%sstage %s: %v", e.place(), e.Stage, e.Err)
}

func (e *StageError) place() string {
	if e.Place.File == "" {
		return ""
	}
	return fmt.Sprintf("%s:%d: ", e.Place.File, e.Place.Line)
}

func (e *StageError) Unwrap() error { return e.Err }

// A changeError is about one change of a stage.
type changeError struct {
	index int
	err   error
}

func (e *changeError) Error() string { return e.err.Error() }

func (e *changeError) Unwrap() error { return e.err }

// stepByHand ticks off a stage that only people can carry out, when they have.
func (a *App) stepByHand(file *planfile.Plan, stage *doc.PlanStage) (*Step, error) {
	step := &Step{Passed: true}
	for _, r := range stage.Raise {
		if _, err := a.runtime(r.Name).Scheme.Constrain(r.Needs); err != nil {
			return nil, a.atStage(file, stage, &input.UsageError{Reason: err.Error()})
		}
		for _, d := range a.Config.Runtime.Of(r.Name) {
			ok := a.runtime(r.Name).Suits(r.Needs, d.Version)
			step.Passed = step.Passed && ok
			says := fmt.Sprintf("%s %s is deployed%s, %s needs %s", r.Name, d.Version, d.Where(), r.By, r.Needs)
			if !ok {
				says += fmt.Sprintf("; raise it, then say so under \"runtime:\" in %s", config.File)
			}
			step.Verdicts = append(step.Verdicts, run.Verdict{Name: r.Name, Passed: ok, Says: says})
		}
	}
	for _, pin := range a.pins() {
		for _, r := range stage.Raise {
			if pin.Name == r.Name && !a.runtime(r.Name).Suits(r.Needs, pin.Version) {
				step.Passed = false
				step.Verdicts = append(step.Verdicts, run.Verdict{Name: r.Name, Says: fmt.Sprintf("%s says %s, %s needs %s; raise it there too", pin.Where, pin.Version, r.By, r.Needs)})
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
		step.Own = a.ownVersion(file)
	}
	return step, a.writePlanText("stage "+stage.ID, file.Text.Bytes(), nil)
}

// rehearse works out the manifests and the lock of a stage in memory.
func (a *App) rehearse(ctx context.Context, source universe.Source, stage *doc.PlanStage) (map[string][]byte, error) {
	w, err := a.walk()
	if err != nil {
		return nil, err
	}
	if err := w.stage(ctx, source, stage); err != nil {
		return nil, err
	}
	m, r := w.manifest, w.locked
	if !a.awaited(stage) {
		if m, r, err = a.rejoined(ctx, source, m, r); err != nil {
			return nil, err
		}
	}
	l, err := a.newLock(ctx, source, r, m, a.Lock)
	if err != nil {
		return nil, err
	}
	return a.contents(m, l)
}

// awaited reports whether the plan has stages to do besides one. They name what members of a workspace have apart as it is.
func (a *App) awaited(stage *doc.PlanStage) bool {
	file, err := a.ReadPlan()
	if err != nil { // there is none, or it says nothing
		return false
	}
	return slices.ContainsFunc(file.Stages, func(s doc.PlanStage) bool { return s.Status == doc.Pending && s.ID != stage.ID })
}

// contents returns the texts of manifests and of a lock, by file.
func (a *App) contents(m *ecosystem.Manifests, l *ecosystem.Lock) (map[string][]byte, error) {
	if err := m.Rehash(l); err != nil {
		return nil, err
	}
	files := m.Contents()
	files[a.LockFile()] = a.Eco.EncodeLock(l)
	return files, nil
}

// A walker goes through stages in memory.
type walker struct {
	a        *App
	app      project.Application
	manifest *ecosystem.Manifests
	locked   *solve.Resolution // nil for none
	raised   universe.Source   // what the registry has once a stage has raised runtimes, nil before
}

// walk begins with the application as it stands.
func (a *App) walk() (*walker, error) {
	m, err := a.Manifest.Clone()
	w := &walker{a: a, app: a.Application(), manifest: m}
	w.locked = w.app.Locked
	return w, err
}

// stage applies a stage and solves what the manifest then says. A runtime that people raise counts as raised.
func (w *walker) stage(ctx context.Context, source universe.Source, stage *doc.PlanStage) error {
	if stage.Raise != nil {
		w.raise(stage.Raise)
		return nil
	}
	if w.raised != nil {
		source = w.raised
	}
	to := map[string]string{}
	for i, c := range stage.Changes {
		if err := w.a.edit(w.manifest, c); err != nil {
			return &changeError{i, err}
		}
		if c.To != nil {
			if c.Name == project.OwnName(c.Name) || declares(w.manifest, c.Name) { // else what stood apart meets the rest now, which keeps its release
				to[c.Name] = c.To.Version
			}
			if err := w.published(ctx, source, c); err != nil {
				return &changeError{i, err}
			}
		}
	}
	r, err := project.LockStage(ctx, source, w.app, w.a.declaredIn(w.manifest), w.locked, to)
	if err != nil {
		return err
	}
	w.locked = r
	return secluded(w.manifest, r)
}

// raise takes runtimes to be raised: from now on they suit everything, and conditions see versions that will do.
func (w *walker) raise(all []doc.Runtime) {
	w.app.Runtimes = maps.Clone(w.app.Runtimes)
	at := project.Runtimes{}
	maps.Copy(at, w.app.Assumed())
	for _, r := range all {
		delete(w.app.Runtimes, r.Name)
		for _, known := range ecosystem.Runtimes(w.a.Eco) {
			if known.Name != r.Name {
				continue
			}
			if least := known.Least(r.Needs); least >= 0 {
				to := known.Known[least]
				raised := project.Deployed{}
				for environment, v := range at[r.Name] {
					raised[environment] = v
					if was, err := known.Scheme.Complete(v); err != nil || was.Compare(to) < 0 {
						raised[environment] = known.Deployable(to)
					}
				}
				at[r.Name] = raised
			}
		}
	}
	if w.app.Seen != nil {
		w.raised = w.app.Seen(at)
	}
}

// declares reports whether a manifest declares a name.
func declares(m *ecosystem.Manifests, name string) bool {
	return slices.ContainsFunc(m.Entries(), func(e ecosystem.Entry) bool { return e.As == name })
}

// published makes sure that the release that a change leads to exists.
func (w *walker) published(ctx context.Context, source universe.Source, c doc.PlanChange) error {
	for _, e := range w.manifest.Entries() {
		if spotOf(e.Group, e.As) != spotOf(c.Group, c.Name) || e.Foreign {
			continue
		}
		p, err := source.Package(ctx, e.Package)
		var unknown *universe.UnknownError
		switch {
		case errors.As(err, &unknown):
			return &StaleError{err.Error()}
		case err != nil:
			return err
		case p.Index(c.To.Version) < 0:
			return &StaleError{fmt.Sprintf("%s has no release %s; nearest are %s", c.Name, c.To.Version, nearestReleases(p, c.To.Version))}
		}
	}
	return nil
}

// CheckPlan goes through the stages of the plan that are still to do, in their order, and solves each. The error says
// which no longer holds, with its line, and why.
func (a *App) CheckPlan(ctx context.Context, source universe.Source) (*planfile.Plan, error) {
	file, err := a.ReadPlan()
	if err != nil {
		return nil, err
	}
	if err := a.checkStages(ctx, source, file); err != nil {
		return nil, err
	}
	return file, nil
}

func (a *App) checkStages(ctx context.Context, source universe.Source, file *planfile.Plan) error {
	w, err := a.walk()
	if err != nil {
		return err
	}
	for i := range file.Stages {
		if s := &file.Stages[i]; s.Status == doc.Pending {
			if err := w.stage(ctx, source, s); err != nil {
				return a.atStage(file, s, err)
			}
		}
	}
	return nil
}

// edit applies one change to a manifest, which must say what the plan expects.
func (a *App) edit(m *ecosystem.Manifests, c doc.PlanChange) error {
	if c.To != nil {
		if _, err := a.Eco.Scheme().Parse(c.To.Version); err != nil {
			return &StaleError{fmt.Sprintf("%s: %v", c.Name, err)}
		}
		set, err := a.Eco.Scheme().Constrain(c.To.Constraint)
		if err != nil {
			return &StaleError{fmt.Sprintf("%s: %v", c.Name, err)}
		}
		if v, _ := a.Eco.Scheme().Parse(c.To.Version); !version.Admits(set, v) && !v.Prerelease() {
			return &StaleError{fmt.Sprintf("%s: the constraint %s does not admit %s", c.Name, c.To.Constraint, c.To.Version)}
		}
	}
	if c.From != nil {
		found := false
		for _, e := range m.Entries() {
			if spotOf(e.Group, e.As) == spotOf(c.Group, c.Name) {
				found = true
				if e.Text != c.From.Constraint {
					return &StaleError{fmt.Sprintf("%s asks for %s (%s:%d), the plan expects %s; molt plan --renew makes it anew",
						c.Name, e.Text, e.File, e.Line, c.From.Constraint)}
				}
			}
		}
		if !found {
			return &StaleError{fmt.Sprintf("the plan expects %s in %q of %s; molt plan --renew makes it anew", c.Name, c.Group, m.FileOf(c.Group))}
		}
	}
	switch {
	case c.From == nil:
		return m.Add(c.Group, c.Name, c.To.Constraint)
	case c.To == nil:
		return m.Remove(c.Group, c.Name)
	case c.From.Constraint == c.To.Constraint:
		return nil
	}
	return m.Set(c.Group, c.Name, c.To.Constraint)
}
