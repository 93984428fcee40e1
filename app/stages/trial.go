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
	"molt/app/locking"
	"molt/app/open"
	"molt/app/run"
	"molt/ecosystem"
)

// A TrialOrder says which stages are tried, and how.
type TrialOrder struct {
	UpTo  string // the last stage, "" for the next
	Each  bool   // each is judged by itself after those before it, and not all together
	Again bool   // with Each: those too that passed in an earlier trial of the same files
	Into  string // the folder of the copy, which stays; "" for a temporary one
}

// Try carries out stages that are to do in a copy of the application, which itself is not touched.
func (a *Execution) Try(ctx context.Context, order TrialOrder) (*Trial, error) {
	doc, err := a.ReadPlan()
	if err != nil {
		return nil, err
	}
	stages, err := doc.Until(order.UpTo)
	if err != nil {
		return nil, err
	}
	if len(a.Config.Checks)+len(a.Config.Stages.Tasks) > 0 {
		if err := open.Consent(ctx, a.View, false); err != nil {
			return nil, err
		}
	}
	w, err := locking.Walk(a.Question)
	if err != nil {
		return nil, err
	}
	b := &Trial{}
	last := &rehearsed{}
	var tasks []config.Task
	var steps []*rehearsed
	raised := map[string]string{} // stages of people, by what is taken for granted of them
	var runtimes []string         // the same, for those whom a check asks
	for i := range stages {
		s := &stages[i]
		if err := w.Stage(ctx, s); err != nil {
			return nil, locking.AtStage(a.View, doc, s, err)
		}
		b.Stages = append(b.Stages, s.ID)
		tasks = append(tasks, tasksOf(a.View, s.Changes)...)
		for _, r := range s.Raise {
			b.Notes = append(b.Notes, fmt.Sprintf("%s is taken to be raised to what %s needs, %s", r.Name, r.By, r.Needs))
			raised[b.Notes[len(b.Notes)-1]] = s.ID
			runtimes = append(runtimes, r.Name+strings.Join(strings.Fields(r.Needs), ","))
		}
		if s.Raise != nil && i < len(stages)-1 {
			continue // nothing of it is in the files
		}
		lock, err := locking.NewLock(ctx, a.Question, w.Locked, w.Manifest, a.Lock)
		if err != nil {
			return nil, err
		}
		files, err := locking.Contents(a.View, w.Manifest, lock)
		if err != nil {
			return nil, err
		}
		last = &rehearsed{s.ID, files, tasksOf(a.View, s.Changes), checksOf(a.View, s.Kind), strings.Join(runtimes, " ")}
		steps = append(steps, last)
	}
	if !order.Each {
		last.tasks = distinctTasks(tasks)
		return b, a.tryIn(ctx, &attempt{result: b, steps: []*rehearsed{last}, into: order.Into})
	}
	keys, err := a.trialKeys(ctx, steps)
	if err != nil {
		return nil, err
	}
	if !order.Again {
		done, err := passedEarlier(a.View, b, steps, keys)
		if err != nil || done == len(steps) && order.Into == "" {
			return b, err
		}
	}
	if err := a.tryIn(ctx, &attempt{b, steps, keys, order.Into}); err != nil {
		return nil, err
	}
	b.Notes = slices.DeleteFunc(b.Notes, func(says string) bool { // it did not come to that
		stage := raised[says]
		return stage != "" && !b.Passed && slices.Index(b.Stages, b.Each[len(b.Each)-1].Stage) < slices.Index(b.Stages, stage)
	})
	return b, nil
}

// An attempt is what a copy of the application is for.
type attempt struct {
	result *Trial
	steps  []*rehearsed
	keys   []string // of what passes, by which it is remembered; nil for none
	into   string   // see TrialOrder
}

// tryIn makes the copy, checks it as it is, and then, for one stage after the other as long as they
// pass, puts the files in and checks it again. Of the first stages, which the result has already,
// only the tasks are carried out.
func (a *Execution) tryIn(ctx context.Context, of *attempt) (err error) {
	b, steps, into := of.result, of.steps, of.into
	c, err := copyOf(ctx, a.View, into)
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
		if err := a.site.LayOutSides(ctx, c.Dir); err != nil {
			return err
		}
	}
	if now, err := a.Files.Content(a.LockFile()); err != nil {
		return err
	} else if a.site.LaysOut() {
		if now != nil && len(checks) > 0 && len(b.Each) == 0 {
			if err := a.site.LayOut(ctx, c.Dir, now, nil); err != nil {
				return err
			}
		}
	} else if installed, err := ecosystem.Installed(a.Eco, a.Dir); err != nil {
		return err
	} else if installed != nil && len(checks) > 0 {
		b.Unchecked = fmt.Sprintf("the copy has no packages; have Molt lay them out (\"install: molt\" in %s), and they "+
			"are checked in it", config.File)
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
		if err := a.tryStage(ctx, b, step, c.Dir, before); err != nil || !b.Passed {
			b.Each = b.Each[:k]
			return err
		}
		b.Verdicts = verdicts
	}
	if steps = steps[earlier:]; earlier > 0 { // the state before passed then
		checks = nil
	}
	for _, check := range checks {
		a.Watch.Announce(check.Name + " (on the state before)")
		v, err := a.Runner().One(ctx, run.Job{Check: check, Kind: run.CheckJob, Dir: c.Dir, Stage: "trial-before"},
			a.Watch.Output)
		if err != nil {
			return err
		}
		b.Before = append(b.Before, v)
		before[v.Name] = v.Passed
	}
	b.Deprecated = deprecations(a.View, b.Before)
	defer func() {
		if a.site.NotLaidOut != "" {
			b.Notes = append(b.Notes, a.site.NotLaidOut)
		}
	}()
	if len(checks) > 0 && a.Config.Install.By != "none" {
		_, says := open.Programs(a.View, c.Dir)
		b.Notes = append(b.Notes, says...)
	}
	for k, step := range steps {
		began := time.Now()
		if err := a.tryStage(ctx, b, step, c.Dir, before); err != nil {
			return err
		}
		t := StageTrial{Stage: step.id, Verdicts: b.Verdicts, Passed: b.Passed, Took: time.Since(began)}
		if of.keys != nil {
			b.Each = append(b.Each, t)
		}
		if !b.Passed {
			return nil
		}
		if of.keys != nil && b.Unchecked == "" {
			if err := a.Runner().RememberTried(
				run.Tried{Key: of.keys[earlier+k], Verdicts: t.Verdicts, Took: t.Took}); err != nil {
				return err
			}
		}
		if lock := step.files[a.LockFile()]; lock != nil && b.Unchecked == "" {
			if err := a.site.Ran(lock, b.Verdicts); err != nil {
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
func (a *Execution) tryStage(ctx context.Context, b *Trial, step *rehearsed, dir string, before map[string]bool) error {
	for name, data := range step.files {
		if err := os.WriteFile(filepath.Join(dir, name), data, 0o644); err != nil {
			return err
		}
	}
	if lock := step.files[a.LockFile()]; lock != nil && a.site.LaysOut() {
		if err := a.site.LayOut(ctx, dir, lock, nil); err != nil {
			return err
		}
	}
	var err error
	r := a.Runner()
	r.Raised = step.raised
	if b.Verdicts, b.Passed, err = r.Tasks(ctx, dir, "trial", step.tasks, a.Watch); err != nil {
		return err
	}
	if len(step.tasks) > 0 && !b.Passed {
		return nil
	}
	checks := step.checks
	if b.Unchecked != "" {
		checks = nil
	}
	verdicts, passed, err := r.Check(ctx, dir, "trial", checks, before, a.Watch)
	b.Verdicts, b.Passed = append(b.Verdicts, verdicts...), passed
	if err == nil && b.Unchecked == "" {
		b.Unchecked = run.Unjudged(verdicts)
	}
	return err
}

func copyOf(ctx context.Context, a *open.View, into string) (*run.Copy, error) {
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
