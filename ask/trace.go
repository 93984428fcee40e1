package ask

import (
	"context"
	"fmt"

	"molt/app/locking"
	"molt/core/conflict"
	"molt/core/inspect"
	"molt/core/project"
	"molt/doc"
	"molt/input"
)

// newTrace makes the document of a trace.
func newTrace(name string, keeping doc.Keeping, all []inspect.Trace) doc.Trace {
	return doc.Trace{Schema: "molt/trace/1", Name: name, Keeping: keeping, Releases: traceReleases(all)}
}

func traceReleases(traces []inspect.Trace) []doc.TraceRelease {
	all := []doc.TraceRelease{}
	for _, t := range traces {
		r := doc.TraceRelease{ID: t.ID, Version: t.Version, Chains: [][]doc.TraceLink{}, More: t.More, Askers: t.Askers,
			Next: t.Next, Keepers: traceLinks(t.Keepers)}
		if t.Obstacle != nil {
			r.Why = doc.SentenceOf(t.Obstacle.Says)
		}
		if t.Unsure != nil {
			r.Unknown = t.Unsure.Error()
		}
		for _, chain := range t.Chains {
			r.Chains = append(r.Chains, traceLinks(chain))
		}
		all = append(all, r)
	}
	return all
}

func traceLinks(links []inspect.Link) []doc.TraceLink {
	all := []doc.TraceLink{}
	for _, l := range links {
		all = append(all, doc.TraceLink(l))
	}
	return all
}

// newFit makes the document of what fits.
func newFit(name string, app project.Application, fits []inspect.Fit) doc.Fit {
	answer := doc.Fit{Schema: "molt/fit/1", Name: name, Fixed: len(app.Fixed), Releases: []doc.FitRelease{},
		Contested: []doc.Contest{}}
	for _, d := range app.Declared {
		if d.As == name {
			answer.Declared = d.Text
		}
	}
	if app.Locked != nil {
		if n := app.Locked.Root(name); n != nil {
			answer.Locked = n.Version
		}
	}
	for _, f := range fits {
		answer.Releases = append(answer.Releases,
			doc.FitRelease{Version: f.Release.Version.String(), Published: day(f.Release.Published), Fits: f.Fits})
	}
	return answer
}

// hinder adds to the document of what fits what is in the way of the others.
func (s *Session) hinder(ctx context.Context, answer *doc.Fit, o *conflict.Obstacle) error {
	answer.Why, answer.Apart = doc.SentenceOf(o.Says), o.Apart
	k, err := o.Explain()
	if err != nil || k == nil {
		return err
	}
	for _, c := range k.Contested {
		answer.Contested = append(answer.Contested, newContest(c, s.link()))
	}
	answer.Remarks, err = s.hidden(ctx, k)
	return err
}

// Trace says why a package is in the lock, at each of its releases.
func (s *Session) Trace(ctx context.Context, name string) (doc.Trace, error) {
	name = s.name(name)
	if s.App.Lock == nil {
		return doc.Trace{}, &input.UsageError{
			Reason: fmt.Sprintf("there is no %s to trace in; molt relock writes one", s.App.LockFile())}
	}
	s.App = s.App.WithRuntimes(ctx)
	all, err := inspect.TraceLocked(ctx, s.App.Source, s.App.Application(), name)
	if err != nil {
		return doc.Trace{}, err
	}
	if len(all) == 0 {
		var names []string
		for _, p := range s.App.Lock.Packages {
			names = append(names, p.Name)
		}
		for _, p := range s.App.Lock.Whole().Packages {
			if p.Name == name {
				return doc.Trace{}, &input.UsageError{
					Reason: fmt.Sprintf("%s %s is in the lock for other machines than the deployed one, where nothing needs it",
						name, p.Version)}
			}
		}
		return doc.Trace{}, &input.UsageError{Reason: project.NotAmong(name+" is not in the lock", name, names)}
	}
	answer := newTrace(name, s.keeping(name), all)
	answer.Unknown = locking.Unknown(s.App.View)
	return answer, nil
}

// Fit says which releases of a package resolve with the application, the newest first, at most so many; 0 for all.
func (s *Session) Fit(ctx context.Context, name string, most int) (doc.Fit, error) {
	name = s.name(name)
	s.App = s.App.WithRuntimes(ctx)
	u := s.App.Application()
	fits, obstacle, err := inspect.Fits(ctx, s.App.Source, u, name, most)
	if err != nil {
		return doc.Fit{}, err
	}
	answer := newFit(name, u, fits)
	if obstacle != nil {
		err = s.hinder(ctx, &answer, obstacle)
	}
	return answer, err
}
