package ask

import (
	"slices"

	"molt/core/assess"
	"molt/core/inspect"
	"molt/core/project"
	"molt/core/universe"
	"molt/doc"
)

// DossierFacts is what a dossier is made of.
type DossierFacts struct {
	Name     string // under which the application knows it
	Keeping  doc.Keeping
	Package  *universe.Package
	App      project.Application
	Goal     string // the framework, "" for none
	Traces   []inspect.Trace
	Previews bool
	Most     int
	To       *universe.Release
	Log      []inspect.LogEntry
	NoLog    string
}

// NewDossier makes the document of a package.
func NewDossier(f DossierFacts) doc.Dossier {
	p := f.Package
	answer := doc.Dossier{Schema: "molt/dossier/1", Name: p.Name, About: p.Notes.About, Homepage: p.Notes.Homepage, Repository: p.Notes.Repository,
		Declared: []doc.DossierLine{}, Keeping: f.Keeping, Locked: traceReleases(f.Traces), Tags: map[string]string{}, Framework: f.Goal, Releases: []doc.DossierRelease{},
		Needs: []doc.DossierNeed{}, Log: []doc.Log{}, NoLog: f.NoLog}
	if f.Goal == p.Name {
		answer.Framework = ""
	}
	for tag, v := range p.Tags {
		answer.Tags[tag] = v
	}
	for _, d := range f.App.Declared {
		if d.As == f.Name {
			answer.Declared = append(answer.Declared, doc.DossierLine{Group: d.Group, Constraint: d.Text})
		}
	}
	if gone := assess.RetirementOf(p, f.Goal); gone != nil {
		answer.Deprecated, answer.Successor = gone.Says, gone.Successor
	}
	var locked *universe.Release
	if len(f.Traces) > 0 {
		locked = p.Release(f.Traces[0].Version)
	}
	for i := len(p.Releases) - 1; i >= 0; i-- {
		r := &p.Releases[i]
		here := slices.ContainsFunc(f.Traces, func(t inspect.Trace) bool { return t.Version == r.Version.String() })
		if !here && (r.Version.Prerelease() && !f.Previews || f.Most > 0 && len(answer.Releases) >= f.Most) {
			answer.Hidden++
			continue
		}
		line := doc.DossierRelease{Version: r.Version.String(), Published: day(r.Published), Needs: len(r.Needs), Peers: len(r.Peers),
			Runtimes: map[string]string{}, Deprecated: r.Deprecated, Locked: here}
		for _, q := range r.Runtimes {
			line.Runtimes[q.Name] = q.Text
		}
		for _, d := range slices.Concat(r.Needs, r.Peers) {
			if d.As == answer.Framework && answer.Framework != "" {
				line.Framework = d.Text
			}
		}
		if locked != nil {
			line.Jump = p.Scheme.Jump(locked.Version, r.Version).String()
		}
		answer.Releases = append(answer.Releases, line)
	}
	if f.To != nil {
		answer.To = f.To.Version.String()
		for _, d := range f.To.Needs {
			answer.Needs = append(answer.Needs, doc.DossierNeed{Name: d.As, Constraint: d.Text, Peer: false, Optional: d.Optional})
		}
		for _, d := range f.To.Peers {
			answer.Needs = append(answer.Needs, doc.DossierNeed{Name: d.As, Constraint: d.Text, Peer: true, Optional: d.Optional})
		}
	}
	for _, e := range f.Log {
		answer.Log = append(answer.Log, doc.Log{Release: e.Release, Breaking: append([]string{}, e.Breaking...), Rest: append([]string{}, e.Rest...)})
	}
	return answer
}
