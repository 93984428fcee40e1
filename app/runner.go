package app

import (
	"molt/app/run"
	"molt/core/project"
	"molt/ecosystem"
	"molt/txn"
	"path"
	"slices"
	"strings"
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
