package open

import (
	"context"
	"path"
	"slices"
	"strings"

	"molt/app/run"
	"molt/core/project"
	"molt/ecosystem"
	"molt/txn"
)

// BareRunner runs jobs in a folder, without the packages of the application.
func BareRunner(a *View, files *txn.Workspace) run.Runner {
	r := run.Runner{Files: files, Repo: a.Repo, Permit: func(ctx context.Context, j run.Job) error {
		return Permit(ctx, a, j)
	}, Variables: slices.Clone(a.Config.Pass)}
	for _, e := range a.Ecosystems() {
		for _, runtime := range ecosystem.Runtimes(e) {
			r.Variables = append(r.Variables, runtime.Variables...)
		}
	}
	return r
}

// Runner runs checks and tasks of the application.
func (a *View) Runner() run.Runner {
	r := BareRunner(a, a.Files)
	for _, e := range a.Ecosystems() {
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
			kept, _ := Programs(a, dir)
			return kept
		}
	}
	return r
}

// countRaised has runtimes count as deployed at a version that meets a requirement, where a trial
// that this process works for says so.
func countRaised(a *View, env func(string) string) {
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

// Programs lists what checks find before the programs of the system, of the packages that all sides
// declare, with what is to be said of it.
func Programs(a *View, dir string) ([]run.Program, []string) {
	var all []run.Program
	var reserved []string
	for _, e := range a.Ecosystems() {
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
		for _, s := range a.OtherSides() {
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
