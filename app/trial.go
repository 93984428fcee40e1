package app

import (
	"context"
	"fmt"
	"os"
	"path/filepath"

	"molt/app/config"
	"molt/app/run"
	"molt/core/universe"
	"molt/ecosystem"
)

// A Beside is some stages carried out in a second copy of the application, beside the real one.
type Beside struct {
	Stages   []string
	Dir      string // of the application in the copy, "" when it was taken away
	Verdicts []run.Verdict
	Before   []run.Verdict // the checks in the copy, before anything moved in it
	Passed   bool
	// Unchecked says why no checks were run, "" where they were.
	Unchecked string
	Notes     []string
}

// Try carries out the stages that are to do, up to a named one or, when that is "", the next, in a copy of the application: a
// temporary one, or one in a folder that stays. The application itself is not touched.
func (a *App) Try(ctx context.Context, source universe.Source, upTo, into string, watch run.Watcher) (*Beside, error) {
	doc, err := a.ReadPlan()
	if err != nil {
		return nil, err
	}
	stages, err := doc.Until(upTo)
	if err != nil {
		return nil, err
	}
	w, err := a.walk()
	if err != nil {
		return nil, err
	}
	b := &Beside{}
	last := ""
	var tasks []config.Task
	for i := range stages {
		s := &stages[i]
		if err := w.stage(ctx, source, s); err != nil {
			return nil, a.atStage(doc, s, err)
		}
		b.Stages = append(b.Stages, s.ID)
		last = s.Kind
		tasks = append(tasks, a.tasksOf(s.Changes)...)
		for _, r := range s.Raise {
			b.Notes = append(b.Notes, fmt.Sprintf("%s is taken to be raised to what %s needs, %s", r.Name, r.By, r.Needs))
		}
	}
	lock, err := a.newLock(ctx, source, w.locked, w.manifest, a.Lock)
	if err != nil {
		return nil, err
	}
	return b, a.tryIn(ctx, b, a.contents(w.manifest, lock), distinctTasks(tasks), a.checksOf(last), into, watch)
}

// tryIn makes the copy, checks it as it is, puts the files in, and checks it again.
func (a *App) tryIn(ctx context.Context, b *Beside, files map[string][]byte, tasks []config.Task, checks []config.Check, into string, watch run.Watcher) (err error) {
	c, err := a.besideCopy(ctx, into)
	if err != nil {
		return err
	}
	defer func() {
		if into == "" || err != nil {
			c.Done()
		}
	}()
	if into != "" {
		b.Dir = c.Dir
	}
	lock := files[a.Eco.Lock()]
	if now, err := a.files.Content(a.Eco.Lock()); err != nil {
		return err
	} else if a.laidOut() {
		if now != nil && len(checks) > 0 {
			if err := a.layOutText(ctx, c.Dir, now, nil); err != nil {
				return err
			}
		}
	} else if installed, err := ecosystem.Installed(a.Eco, a.Dir); err != nil {
		return err
	} else if installed != nil && len(checks) > 0 {
		b.Unchecked = fmt.Sprintf("the copy has no packages; have Molt lay them out (\"install: molt\" in %s), and they are checked in it", config.File)
		checks = nil
	}
	before := map[string]bool{}
	for _, check := range checks {
		watch.Announce(check.Name + " (on the state before)")
		v, err := a.runner().One(ctx, c.Dir, "trial-before", check, watch.Output)
		if err != nil {
			return err
		}
		b.Before = append(b.Before, v)
		before[v.Name] = v.Passed
	}
	for name, data := range files {
		if err := os.WriteFile(filepath.Join(c.Dir, name), data, 0o644); err != nil {
			return err
		}
	}
	if a.laidOut() && lock != nil {
		if err := a.layOutText(ctx, c.Dir, lock, nil); err != nil {
			return err
		}
	}
	if b.Verdicts, b.Passed, err = a.runner().Tasks(ctx, c.Dir, "trial", tasks, watch); err != nil {
		return err
	}
	if len(tasks) > 0 && !b.Passed {
		return nil
	}
	verdicts, passed, err := a.runner().Check(ctx, c.Dir, "trial", checks, before, watch)
	b.Verdicts, b.Passed = append(b.Verdicts, verdicts...), passed
	return err
}

func (a *App) besideCopy(ctx context.Context, into string) (*run.Copy, error) {
	if into == "" {
		return a.runner().Separate(ctx)
	}
	top, err := filepath.Abs(into)
	if err != nil {
		return nil, err
	}
	return a.runner().CopyTo(ctx, top)
}

// distinctTasks keeps the first of each name.
func distinctTasks(all []config.Task) []config.Task {
	seen := map[string]bool{}
	var some []config.Task
	for _, t := range all {
		if !seen[t.Name] {
			seen[t.Name] = true
			some = append(some, t)
		}
	}
	return some
}
