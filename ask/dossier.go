package ask

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"molt/app/change"
	"molt/app/open"
	"molt/core/assess"
	"molt/core/inspect"
	"molt/core/project"
	"molt/core/universe"
	"molt/core/version"
	"molt/doc"
	"molt/input"
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
	NoLog    doc.Sentence
}

// newDossier makes the document of a package.
func newDossier(f DossierFacts) doc.Dossier {
	p := f.Package
	answer := doc.Dossier{Schema: "molt/dossier/1", Name: p.Name, About: p.Notes.About, Homepage: p.Notes.Homepage,
		Repository: p.Notes.Repository,
		Declared:   []doc.DossierLine{}, Keeping: f.Keeping, Locked: traceReleases(f.Traces), Tags: map[string]string{},
		Framework: f.Goal, Releases: []doc.DossierRelease{},
		Needs: []doc.DossierNeed{}, Log: []doc.Log{}, NoLog: f.NoLog}
	if f.Goal == p.Name {
		answer.Framework = ""
	}
	for tag, v := range p.Tags {
		if !strings.Contains(tag, ":") { // the address of an archive is none of the registry's
			answer.Tags[tag] = v
		}
	}
	for _, d := range f.App.Declared {
		if d.As == f.Name {
			answer.Declared = append(answer.Declared, doc.DossierLine{Group: d.Group, Constraint: d.Text})
		}
	}
	if gone := assess.RetirementOf(p, f.Goal); gone != nil {
		answer.Deprecated, answer.Successor = universe.NewestStable(p).Deprecated, gone.Successor
	}
	var locked *universe.Release
	if len(f.Traces) > 0 {
		locked = p.Release(f.Traces[0].Version)
	}
	for i := p.Len() - 1; i >= 0; i-- {
		r := p.At(i)
		here := slices.ContainsFunc(f.Traces, func(t inspect.Trace) bool { return t.Version == r.Version.String() })
		if !here && (r.Version.Prerelease() && !f.Previews || f.Most > 0 && len(answer.Releases) >= f.Most) {
			answer.Hidden++
			continue
		}
		line := doc.DossierRelease{Version: r.Version.String(), Published: day(r.Published), Needs: len(r.Needs),
			Peers:    len(r.Peers),
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
			answer.Needs = append(answer.Needs,
				doc.DossierNeed{Name: d.As, Constraint: d.Text, Peer: false, Optional: d.Optional})
		}
		for _, d := range f.To.Peers {
			answer.Needs = append(answer.Needs,
				doc.DossierNeed{Name: d.As, Constraint: d.Text, Peer: true, Optional: d.Optional})
		}
	}
	for _, e := range f.Log {
		answer.Log = append(answer.Log,
			doc.Log{Release: e.Release, Breaking: append([]string{}, e.Breaking...), Rest: append([]string{}, e.Rest...)})
	}
	return answer
}

// A DossierRequest says what of a package is wanted.
type DossierRequest struct {
	Name     string
	Previews bool   // prereleases too
	Most     int    // how many releases, 0 for all
	To       string // the release up to which the change log is wanted, "" for the newest
}

// Dossier shows one package in detail.
func (s *Session) Dossier(ctx context.Context, r DossierRequest) (doc.Dossier, error) {
	r.Name = s.name(r.Name)
	var names []string
	name := r.Name
	for _, d := range s.App.Declared() {
		names = append(names, d.As)
		if d.As == r.Name {
			name = d.Package
			if d.Foreign {
				return doc.Dossier{}, &input.UsageError{
					Reason: fmt.Sprintf("%s does not come from the registry but from %s; Molt knows nothing more of it", d.As, d.Text)}
			}
		}
	}
	p, err := s.App.Source.Package(ctx, name)
	if err != nil {
		return doc.Dossier{}, project.UnknownName(err, r.Name, names)
	}
	facts := DossierFacts{Name: r.Name, Keeping: s.keeping(r.Name), Package: p, App: s.App.Application(),
		Goal: project.ParseGoal(s.App.Config.Goal).Name, Previews: r.Previews, Most: r.Most}
	if s.App.Lock != nil {
		s.App = s.App.WithRuntimes(ctx)
		facts.App = s.App.Application()
		if facts.Traces, err = inspect.TraceLocked(ctx, s.App.Source, s.App.Application(), name); err != nil {
			return doc.Dossier{}, err
		}
	}
	settling, err := s.settling(ctx, name)
	if err != nil {
		return doc.Dossier{}, err
	}
	if err := s.changeLog(ctx, &facts, r.To); err != nil {
		return doc.Dossier{}, err
	}
	answer := newDossier(facts)
	answer.Settling = settling
	if err := s.runs(name, &answer); err != nil {
		return doc.Dossier{}, err
	}
	return answer, nil
}

// changeLog adds the part of the change log between the locked and the chosen release. That it
// could not be read is a remark.
func (s *Session) changeLog(ctx context.Context, facts *DossierFacts, to string) error {
	p := facts.Package
	chosen := p.Newest()
	if to != "" {
		if chosen = p.Release(to); chosen == nil {
			return &input.UsageError{Reason: fmt.Sprintf("--to %s: %s has no such release", to, p.Name)}
		}
	}
	if chosen == nil {
		return nil
	}
	var after version.Version
	if len(facts.Traces) > 0 {
		if r := p.Release(facts.Traces[0].Version); r != nil {
			after = r.Version
		}
	}
	facts.To = chosen
	if after != nil && after.Compare(chosen.Version) >= 0 {
		return nil
	}
	text, err := change.ChangeLog(ctx, s.App, p.Name, chosen)
	switch {
	case errors.Is(err, context.Canceled):
		return err
	case err != nil:
		facts.NoLog = doc.Said(doc.LogUnread, chosen.Version, err.Error())
	case text == "":
		facts.NoLog = doc.Said(doc.NoLog, chosen.Version)
	default:
		facts.Log = inspect.ReadLog(p.Scheme, text, after, chosen.Version)
		if facts.Log == nil {
			facts.NoLog = doc.Said(doc.LogSilent, chosen.Version)
		}
	}
	return nil
}

// runs adds what runs of the locked releases of a package.
func (s *Session) runs(name string, answer *doc.Dossier) error {
	if s.App.Lock == nil {
		return nil
	}
	seen := map[string]bool{}
	for i := range s.App.Lock.Packages {
		p := &s.App.Lock.Packages[i]
		if release := p.Name + "@" + p.Version; p.Name == name && !seen[release] {
			seen[release] = true
			runs, known, err := open.Runs(s.App.View, p)
			if err != nil {
				return err
			}
			if !known {
				answer.Unread++
			}
			for _, r := range runs {
				answer.Runs = append(answer.Runs, doc.Run{Release: release, When: string(r.When), What: r.What})
			}
		}
	}
	return nil
}
