package app

import (
	"context"
	"encoding/json"
	"path"
	"slices"
	"strings"

	"molt/app/config"
	"molt/app/run"
	"molt/core/project"
	"molt/doc"
	"molt/ecosystem"
	"molt/txn"
)

// bareRunner runs jobs in a folder, without the packages of the application.
func (a *App) bareRunner(files *txn.Workspace) run.Runner {
	r := run.Runner{Files: files, Repo: a.repo, Permit: a.permit, Variables: slices.Clone(a.Config.Pass)}
	for _, e := range a.ecosystems() {
		for _, runtime := range ecosystem.Runtimes(e) {
			r.Variables = append(r.Variables, runtime.Variables...)
		}
	}
	return r
}

// runner runs checks and tasks of the application.
func (a *App) runner() run.Runner {
	r := a.bareRunner(a.files)
	for _, e := range a.ecosystems() {
		folder := ecosystem.InstallFolder(e)
		if folder != "" {
			r.Packages = append(r.Packages, folder)
		}
		if _, ok := e.(ecosystem.Flat); ok && a.Config.Install.By != "none" {
			r.Environment = folder
		}
	}
	if a.Config.Install.By != "none" {
		r.Programs = func(dir string) []run.Program {
			kept, _ := a.programs(dir)
			return kept
		}
	}
	return r
}

// programs lists what checks find before the programs of the system, of the packages that all sides declare, with what is to be said of it.
func (a *App) programs(dir string) ([]run.Program, []string) {
	var all []run.Program
	var reserved []string
	for _, e := range a.ecosystems() {
		for _, r := range ecosystem.Runtimes(e) {
			reserved = append(append(reserved, r.Name), r.Ask[:min(1, len(r.Ask))]...)
		}
		c, ok := e.(ecosystem.Checker)
		if !ok {
			continue
		}
		var declared []string
		if e.Name() == a.Eco.Name() {
			for _, entry := range a.Manifest.Entries() {
				declared = append(declared, project.OwnName(entry.As))
			}
		}
		for _, s := range a.beside() {
			if s.Ecosystem.Name() == e.Name() {
				declared = append(declared, s.Names...)
			}
		}
		for _, p := range c.Programs(dir, declared) {
			all = append(all, run.Program{Name: p.Name, File: path.Join(c.ScriptFolder(), p.Name), Of: p.Of})
		}
	}
	return run.Hiding(all, reserved)
}

// checksOf returns the checks that are for stages of a kind, in their order.
func (a *App) checksOf(kind string) []config.Check {
	var all []config.Check
	for _, c := range a.Config.Checks {
		if len(c.Kinds) == 0 || slices.Contains(c.Kinds, kind) {
			all = append(all, c)
		}
	}
	return all
}

// tasksOf returns the tasks of the packages that changes move.
func (a *App) tasksOf(changes []doc.PlanChange) []config.Task {
	var all []config.Task
	for _, t := range a.Config.Stages.Tasks {
		if slices.ContainsFunc(changes, func(c doc.PlanChange) bool { return slices.Contains(t.With, c.Name) }) {
			all = append(all, t)
		}
	}
	return all
}

// state identifies manifest, lock and checks.
func (a *App) state() (string, error) {
	checks, err := json.Marshal(a.Config.Checks)
	if err != nil {
		return "", err
	}
	var texts [][]byte
	for _, e := range a.ecosystems() { // each side is to see the same state
		side := a
		if e.Name() != a.Eco.Name() {
			if side, err = a.openBeside(e); err != nil {
				return "", err
			}
		}
		lock, err := side.files.Content(side.LockFile())
		if err != nil {
			return "", err
		}
		for _, f := range side.Manifest.Texts() {
			texts = append(texts, f.Data, []byte{0})
		}
		texts = append(texts, lock, []byte{0})
	}
	return txn.Sum(slices.Concat(append(texts, checks)...)), nil
}

// beforeStage is the name under which the state before the first stage is checked.
const beforeStage = "before"

// checkedBefore returns which checks pass on the state as it stands. It runs them when that is not known: before the
// first stage, after somebody changed manifest, lock or checks, and those that failed after somebody changed anything.
func (a *App) checkedBefore(ctx context.Context, watch run.Watcher) (map[string]bool, []run.Verdict, error) {
	if len(a.Config.Checks) == 0 {
		return nil, nil, nil
	}
	state, err := a.state()
	if err != nil {
		return nil, nil, err
	}
	c, err := a.runner().Remembered()
	if err != nil {
		return nil, nil, err
	}
	passed := map[string]bool{}
	if c.State == state {
		for _, v := range c.Verdicts {
			passed[v.Name] = v.Passed
		}
		if sources, err := a.sourcesAfter(ctx, c.Verdicts); err != nil || sources == c.Sources {
			return passed, nil, err
		}
	}
	if err := a.layOutBeside(ctx, a.Dir); err != nil {
		return nil, nil, err
	}
	if says, err := a.ready(ctx); err != nil || says != "" {
		return nil, nil, err // nothing can be said of the state before
	}
	var verdicts []run.Verdict
	for _, check := range a.Config.Checks {
		if passed[check.Name] { // that is known; people worked on what failed
			continue
		}
		watch.Announce(check.Name + " (on the state before)")
		v, err := a.runner().One(ctx, run.Job{Check: check, Kind: run.CheckJob, Dir: a.Dir, Stage: beforeStage}, watch.Output)
		if err != nil {
			return nil, nil, err
		}
		verdicts = append(verdicts, v)
		passed[v.Name] = v.Passed
	}
	sources, err := a.sourcesAfter(ctx, verdicts)
	if err != nil {
		return nil, nil, err
	}
	return passed, verdicts, a.runner().Remember(state, sources, beforeStage, verdicts)
}

// sourcesAfter identifies the files that people keep, where some verdicts are of failures: these count as long as nobody works on them. It is "" where all
// passed.
func (a *App) sourcesAfter(ctx context.Context, verdicts []run.Verdict) (string, error) {
	if !slices.ContainsFunc(verdicts, func(v run.Verdict) bool { return !v.Passed }) {
		return "", nil
	}
	keys, err := a.trialKeys(ctx, []*rehearsed{{}})
	if err != nil {
		return "", err
	}
	return keys[0], nil
}

// countRaised has runtimes count as deployed at a version that meets a requirement, where a trial that this process works for says so.
func (a *App) countRaised(env func(string) string) {
	if env == nil {
		return
	}
	for word := range strings.FieldsSeq(env(run.RaisedVariable)) {
		for _, r := range ecosystem.Runtimes(a.Eco) {
			needs, about := strings.CutPrefix(word, r.Name)
			needs = strings.ReplaceAll(needs, ",", " ")
			least := -1
			if about {
				least = r.Least(needs)
			}
			for environment, v := range a.Config.Runtime[r.Name] {
				if least >= 0 && !r.Suits(needs, v) {
					a.Config.Runtime[r.Name][environment] = r.Deployable(r.Known[least])
				}
			}
		}
	}
}
