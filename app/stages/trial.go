package stages

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"molt/app/config"
	"molt/app/layout"
	"molt/app/locking"
	"molt/app/open"
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
	Unchecked  string
	Each       []StageTrial // when the stages were tried one after the other
	Notes      []string
	Deprecated []Deprecation // what the checks on the state before warn of
}

// A StageTrial is one stage of several that were tried one after the other.
type StageTrial struct {
	Stage    string
	Verdicts []run.Verdict
	Passed   bool
	Took     time.Duration
	Earlier  bool   // it passed in an earlier trial of the same files
	Says     string // why it was not tried, "" where it was
}

// Try carries out the stages that are to do, up to a named one or, when that is "", the next, in a copy of the application: a
// temporary one, or one in a folder that stays; one after the other, each judged on its own, or all together. One after the other, those that passed in an
// earlier trial of the same files are not judged again, unless that is asked for. The application itself is not touched.
func Try(ctx context.Context, a *open.App, source universe.Source, upTo string, each, anew bool, into string, watch run.Watcher) (*Beside, error) {
	doc, err := a.ReadPlan()
	if err != nil {
		return nil, err
	}
	stages, err := doc.Until(upTo)
	if err != nil {
		return nil, err
	}
	if len(a.Config.Checks)+len(a.Config.Stages.Tasks) > 0 {
		if err := a.Consent(ctx, false); err != nil {
			return nil, err
		}
	}
	w, err := locking.Walk(a)
	if err != nil {
		return nil, err
	}
	b := &Beside{}
	last := &rehearsed{}
	var tasks []config.Task
	var steps []*rehearsed
	raised := map[string]string{} // stages of people, by what is taken for granted of them
	var runtimes []string         // the same, for those whom a check asks
	for i := range stages {
		s := &stages[i]
		if err := w.Stage(ctx, source, s); err != nil {
			return nil, locking.AtStage(a, doc, s, err)
		}
		b.Stages = append(b.Stages, s.ID)
		tasks = append(tasks, tasksOf(a, s.Changes)...)
		for _, r := range s.Raise {
			b.Notes = append(b.Notes, fmt.Sprintf("%s is taken to be raised to what %s needs, %s", r.Name, r.By, r.Needs))
			raised[b.Notes[len(b.Notes)-1]] = s.ID
			runtimes = append(runtimes, r.Name+strings.Join(strings.Fields(r.Needs), ","))
		}
		if s.Raise != nil && i < len(stages)-1 {
			continue // nothing of it is in the files
		}
		lock, err := locking.NewLock(ctx, a, source, w.Locked, w.Manifest, a.Lock)
		if err != nil {
			return nil, err
		}
		files, err := locking.Contents(a, w.Manifest, lock)
		if err != nil {
			return nil, err
		}
		last = &rehearsed{s.ID, files, tasksOf(a, s.Changes), checksOf(a, s.Kind), strings.Join(runtimes, " ")}
		steps = append(steps, last)
	}
	if !each {
		last.tasks = distinctTasks(tasks)
		steps = []*rehearsed{last}
	}
	if !each {
		return b, tryIn(ctx, a, b, steps, nil, into, watch)
	}
	keys, err := trialKeys(ctx, a, steps)
	if err != nil {
		return nil, err
	}
	if !anew {
		done, err := passedEarlier(a, b, steps, keys)
		if err != nil || done == len(steps) && into == "" {
			return b, err
		}
	}
	if err := tryIn(ctx, a, b, steps, keys, into, watch); err != nil {
		return nil, err
	}
	b.Notes = slices.DeleteFunc(b.Notes, func(says string) bool { // it did not come to that
		stage := raised[says]
		return stage != "" && !b.Passed && slices.Index(b.Stages, b.Each[len(b.Each)-1].Stage) < slices.Index(b.Stages, stage)
	})
	return b, nil
}

// A rehearsed stage is what a copy is to hold for it, and what judges that.
type rehearsed struct {
	id     string
	files  map[string][]byte
	tasks  []config.Task
	checks []config.Check
	raised string // see run.Runner
}

// tryIn makes the copy, checks it as it is, and then, for one stage after the other as long as they pass, puts the files in and checks it again. Of the first
// stages, which b.Each has already, only the tasks are carried out. What passes is remembered by its key, where there are keys.
func tryIn(ctx context.Context, a *open.App, b *Beside, steps []*rehearsed, keys []string, into string, watch run.Watcher) (err error) {
	c, err := besideCopy(ctx, a, into)
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
	var checks []config.Check // every one that is going to be run
	for _, step := range steps {
		for _, check := range step.checks {
			if !slices.ContainsFunc(checks, func(c config.Check) bool { return c.Name == check.Name }) {
				checks = append(checks, check)
			}
		}
	}
	if len(checks) > 0 {
		if err := layout.LayOutBeside(ctx, a, c.Dir); err != nil {
			return err
		}
	}
	if now, err := a.Files.Content(a.LockFile()); err != nil {
		return err
	} else if layout.LaysOut(a) {
		if now != nil && len(checks) > 0 && len(b.Each) == 0 {
			if err := layout.LayOutText(ctx, a, c.Dir, now, nil); err != nil {
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
	earlier := len(b.Each)
	for _, v := range b.Verdicts { // of the last of them
		before[v.Name] = v.Passed
	}
	for k, step := range steps[:earlier] {
		step.checks = nil
		if len(step.tasks) == 0 && k < len(steps)-1 {
			continue // the next stage puts in more
		}
		verdicts := b.Verdicts
		if err := tryStage(ctx, a, b, step, c.Dir, before, watch); err != nil || !b.Passed {
			b.Each = b.Each[:k]
			return err
		}
		b.Verdicts = verdicts
	}
	if steps = steps[earlier:]; earlier > 0 { // the state before passed then
		checks = nil
	}
	for _, check := range checks {
		watch.Announce(check.Name + " (on the state before)")
		v, err := a.Runner().One(ctx, run.Job{Check: check, Kind: run.CheckJob, Dir: c.Dir, Stage: "trial-before"}, watch.Output)
		if err != nil {
			return err
		}
		b.Before = append(b.Before, v)
		before[v.Name] = v.Passed
	}
	b.Deprecated = deprecations(a, b.Before)
	defer func() {
		if a.Unlaid != "" {
			b.Notes = append(b.Notes, a.Unlaid)
		}
	}()
	if len(checks) > 0 && a.Config.Install.By != "none" {
		_, says := a.Programs(c.Dir)
		b.Notes = append(b.Notes, says...)
	}
	for k, step := range steps {
		began := time.Now()
		if err := tryStage(ctx, a, b, step, c.Dir, before, watch); err != nil {
			return err
		}
		t := StageTrial{Stage: step.id, Verdicts: b.Verdicts, Passed: b.Passed, Took: time.Since(began)}
		if keys != nil {
			b.Each = append(b.Each, t)
		}
		if !b.Passed {
			return nil
		}
		if keys != nil && b.Unchecked == "" {
			if err := a.Runner().RememberTried(run.Tried{Key: keys[earlier+k], Verdicts: t.Verdicts, Took: t.Took}); err != nil {
				return err
			}
		}
		if lock := step.files[a.LockFile()]; lock != nil && b.Unchecked == "" {
			if err := layout.Ran(a, lock, b.Verdicts); err != nil {
				return err
			}
		}
		for _, v := range b.Verdicts { // what fails from here on is the next stage's
			before[v.Name] = v.Passed
		}
	}
	return nil
}

// tryStage puts the files of a stage into a copy and judges it.
func tryStage(ctx context.Context, a *open.App, b *Beside, step *rehearsed, dir string, before map[string]bool, watch run.Watcher) error {
	for name, data := range step.files {
		if err := os.WriteFile(filepath.Join(dir, name), data, 0o644); err != nil {
			return err
		}
	}
	if lock := step.files[a.LockFile()]; lock != nil && layout.LaysOut(a) {
		if err := layout.LayOutText(ctx, a, dir, lock, nil); err != nil {
			return err
		}
	}
	var err error
	r := a.Runner()
	r.Raised = step.raised
	if b.Verdicts, b.Passed, err = r.Tasks(ctx, dir, "trial", step.tasks, watch); err != nil {
		return err
	}
	if len(step.tasks) > 0 && !b.Passed {
		return nil
	}
	checks := step.checks
	if b.Unchecked != "" {
		checks = nil
	}
	verdicts, passed, err := r.Check(ctx, dir, "trial", checks, before, watch)
	b.Verdicts, b.Passed = append(b.Verdicts, verdicts...), passed
	if err == nil && b.Unchecked == "" {
		b.Unchecked = run.Unjudged(verdicts)
	}
	return err
}

func besideCopy(ctx context.Context, a *open.App, into string) (*run.Copy, error) {
	if into == "" {
		return a.Runner().Separate(ctx)
	}
	top, err := filepath.Abs(into)
	if err != nil {
		return nil, err
	}
	return a.Runner().CopyTo(ctx, top)
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
