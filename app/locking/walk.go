package locking

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"

	"molt/app/open"
	"molt/app/planfile"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
	"molt/doc"
	"molt/ecosystem"
	"molt/input"
	"molt/registry"
)

// A StaleError reports that the application is no longer what a plan was made for.
type StaleError struct{ Reason string }

func (e *StaleError) Error() string { return e.Reason }

// AtStage says at which line of the plan a stage stands that cannot be carried out.
func AtStage(a *open.View, file *planfile.Plan, stage *doc.PlanStage, err error) error {
	if file.Text == nil { // a plan that is still being made has no lines
		return &StageError{Stage: stage.ID, Err: err}
	}
	path := fmt.Sprintf("$.stages[%d]", file.Index(stage.ID))
	var change *changeError
	var tangle *solve.Tangle
	var unreachable *registry.UnreachableError
	if errors.As(err, &change) && !errors.As(err, &tangle) && !errors.As(err, &unreachable) {
		return file.Text.ErrorAt(fmt.Sprintf("%s.changes[%d]", path, change.index),
			fmt.Sprintf("stage %s: %v", stage.ID, change.err))
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
	return fmt.Sprintf("%sstage %s: %v", e.Where(), e.Stage, e.Err)
}

// Where is the place as it stands in front of a message, "" for none.
func (e *StageError) Where() string {
	if e.Place.File == "" {
		return ""
	}
	return fmt.Sprintf("%s:%d: ", e.Place.File, e.Place.Line)
}

func (e *StageError) Unwrap() error { return e.Err }

// Rehearse works out the manifests and the lock of a stage in memory.
func Rehearse(ctx context.Context, a *open.Question, stage *doc.PlanStage) (map[string][]byte, error) {
	w, err := Walk(a)
	if err != nil {
		return nil, err
	}
	if err := w.Stage(ctx, stage); err != nil {
		return nil, err
	}
	m, r := w.Manifest, w.Locked
	if !awaited(a.View, stage) {
		if m, r, err = a.Rejoined(ctx, m, r); err != nil {
			return nil, err
		}
	}
	l, err := NewLock(ctx, a, r, m, a.Lock)
	if err != nil {
		return nil, err
	}
	return Contents(a.View, m, l)
}

// A walker goes through stages in memory.
type walker struct {
	a        *open.Question
	app      project.Application
	Manifest *ecosystem.Manifests
	Locked   *solve.Resolution // nil for none
	raised   universe.Source   // what the registry has once a stage has raised runtimes, nil before
}

// Walk begins with the application as it stands.
func Walk(a *open.Question) (*walker, error) {
	m, err := a.Manifest.Clone()
	w := &walker{a: a, app: a.Application(), Manifest: m}
	w.Locked = w.app.Locked
	return w, err
}

// Stage applies a stage and solves what the manifest then says. A runtime that people raise counts as raised.
func (w *walker) Stage(ctx context.Context, stage *doc.PlanStage) error {
	if stage.Raise != nil {
		w.raise(stage.Raise)
		return nil
	}
	source := w.a.Source
	if w.raised != nil {
		source = w.raised
	}
	to := map[string]string{}
	for i, c := range stage.Changes {
		if err := edit(w.a.View, w.Manifest, c); err != nil {
			return &changeError{i, err}
		}
		if c.To != nil {
			if c.Name == project.OwnName(c.Name) || declares(w.Manifest, c.Name) {
				// else what stood apart meets the rest now, which keeps its release
				to[c.Name] = c.To.Version
			}
			if err := w.published(ctx, source, c); err != nil {
				return &changeError{i, err}
			}
		}
	}
	r, err := project.LockStage(ctx, source, w.app,
		project.StageDemand{Declared: w.a.DeclaredIn(w.Manifest), To: to, Before: w.Locked})
	if err != nil {
		return err
	}
	w.Locked = r
	return open.SetApartAs(w.Manifest, r)
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
					if was, err := version.Complete(known.Scheme, v); err != nil || was.Compare(to) < 0 {
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

// published makes sure that the release that a change leads to exists.
func (w *walker) published(ctx context.Context, source universe.Source, c doc.PlanChange) error {
	for _, e := range w.Manifest.Entries() {
		if open.KeyOf(e.Group, e.As) != open.KeyOf(c.Group, c.Name) || e.Foreign {
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
			return &StaleError{fmt.Sprintf("%s has no release %s; nearest are %s", c.Name, c.To.Version,
				nearestReleases(p, c.To.Version))}
		}
	}
	return nil
}

// A changeError is about one change of a stage.
type changeError struct {
	index int
	err   error
}

func (e *changeError) Error() string { return e.err.Error() }

func (e *changeError) Unwrap() error { return e.err }

// awaited reports whether the plan has stages to do besides one. They name what members of a
// workspace have apart as it is.
func awaited(a *open.View, stage *doc.PlanStage) bool {
	file, err := a.ReadPlan()
	if err != nil { // there is none, or it says nothing
		return false
	}
	return slices.ContainsFunc(file.Stages,
		func(s doc.PlanStage) bool { return s.Status == doc.Pending && s.ID != stage.ID })
}

// declares reports whether a manifest declares a name.
func declares(m *ecosystem.Manifests, name string) bool {
	return slices.ContainsFunc(m.Entries(), func(e ecosystem.Entry) bool { return e.As == name })
}

// edit applies one change to a manifest, which must say what the plan expects.
func edit(a *open.View, m *ecosystem.Manifests, c doc.PlanChange) error {
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
			if open.KeyOf(e.Group, e.As) == open.KeyOf(c.Group, c.Name) {
				found = true
				if e.Text != c.From.Constraint {
					return &StaleError{fmt.Sprintf("%s asks for %s (%s:%d), the plan expects %s; molt plan --renew makes it anew",
						c.Name, e.Text, e.File, e.Line, c.From.Constraint)}
				}
			}
		}
		if !found {
			return &StaleError{fmt.Sprintf("the plan expects %s in %q of %s; molt plan --renew makes it anew", c.Name,
				c.Group, m.FileOf(c.Group))}
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

// Contents returns the texts of manifests and of a lock, by file.
func Contents(a *open.View, m *ecosystem.Manifests, l *ecosystem.Lock) (map[string][]byte, error) {
	if err := m.Rehash(l); err != nil {
		return nil, err
	}
	files := m.Contents()
	files[a.LockFile()] = ecosystem.EncodeLock(a.Eco, l)
	return files, nil
}
