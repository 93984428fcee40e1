package ask

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"molt/app/layout"
	"molt/app/planfile"
	"molt/app/stages"
	"molt/core/solve"
	"molt/doc"
	"molt/ecosystem"
	"molt/input"
)

// A FetchRequest says what is to be at hand.
type FetchRequest struct {
	Goals    []string // without any, that of the plan, else that of the configuration, else none
	Lock     bool     // what the lock needs only, and no goal
	Snapshot string   // a file that gets all of it, "" for none
	Archives bool     // the snapshot has archives too
	Watch    func(done, of int)
}

// Fetch brings what survey, assess, plan, all stages and install of the application need, so that they work offline.
func (s *Session) Fetch(ctx context.Context, r FetchRequest) (doc.Fetch, error) {
	began := time.Now()
	d := doc.Fetch{Schema: "molt/fetch/1", Goals: []string{}, Notes: []string{}}
	if s.App.Settings.Offline {
		return d, &input.UsageError{Reason: "--offline: fetch asks the registry for what is not at hand"}
	}
	if _, err := s.Survey(ctx, SurveyFilter{}); err != nil {
		return d, err
	}
	made, err := s.fetchPlan(ctx, r, &d)
	if err != nil {
		return d, err
	}
	locks, err := s.fetchLocks(ctx, made, &d)
	if err != nil {
		return d, err
	}
	s.Still()
	stocked, err := layout.FetchArchives(ctx, s.App, locks, r.Watch)
	if err != nil {
		return d, err
	}
	d.Releases, d.Fetched = stocked.Releases, stocked.Fetched
	if r.Snapshot != "" {
		about, err := layout.Snapshot(ctx, s.App, r.Snapshot, locks, r.Archives)
		if err != nil {
			return d, err
		}
		d.Snapshot, d.Archives = r.Snapshot, about.Archives
	}
	p := s.App.Progress()
	d.Documents, d.Bytes = layout.Documents(s.App), p.Bytes
	d.Seconds = time.Since(began).Seconds()
	return d, nil
}

// fetchPlan looks at everything that a goal and the way to it need. The plan is nil where there is none.
func (s *Session) fetchPlan(ctx context.Context, r FetchRequest, d *doc.Fetch) (*planfile.Plan, error) {
	if r.Lock {
		return nil, nil
	}
	goals := r.Goals
	if len(goals) == 0 {
		goals = strings.Fields(s.App.GoalText())
	}
	if len(goals) == 0 {
		return nil, nil
	}
	if err := s.advice(ctx, nil); err != nil {
		return nil, err
	}
	meant, err := stages.Goals(s.App.View, goals)
	if err != nil {
		return nil, err
	}
	for _, g := range meant {
		d.Goals = append(d.Goals, g.String())
	}
	if _, err := s.Assess(ctx, goals, nil, false); err != nil {
		return nil, s.tangled(ctx, err, d)
	}
	made, _, err := stages.MakePlan(ctx, s.App, meant, s.App.Config.Stages.Cut())
	if err != nil {
		return nil, s.tangled(ctx, err, d)
	}
	written, err := s.App.ReadPlan() // which people may have changed
	var none *input.UsageError
	switch {
	case errors.As(err, &none):
		return made, nil
	case err != nil:
		return nil, err
	case len(r.Goals) > 0 && written.Goal != made.Goal:
		return made, nil
	}
	return written, nil
}

// fetchLocks solves the lock as it is and after each stage.
func (s *Session) fetchLocks(ctx context.Context, made *planfile.Plan, d *doc.Fetch) ([]*ecosystem.Lock, error) {
	locks, err := layout.Locks(ctx, s.App, made)
	if err == nil {
		d.Stages = len(locks) - 1
		return locks, nil
	}
	if made != nil && solve.AsTangle(err) != nil {
		d.Notes = append(d.Notes, fmt.Sprintf(
			"the stages of %s do not resolve from where things stand, so only the archives of the lock were fetched; molt "+
				"plan --renew makes it anew", planfile.File))
		locks, err = layout.Locks(ctx, s.App, nil)
	}
	if err != nil {
		return nil, s.tangled(ctx, err, d)
	}
	return locks, nil
}

// tangled has what untangle needs looked at, where there is a tangle, and goes on without what
// could not be solved; other errors stay.
func (s *Session) tangled(ctx context.Context, err error, d *doc.Fetch) error {
	if solve.AsTangle(err) == nil {
		return err
	}
	var tangle *TangleError
	if explained := s.explain(ctx, err); !errors.As(explained, &tangle) {
		return explained
	}
	note := "the manifest does not resolve, so there is no lock of which the archives could be fetched; molt untangle " +
		"shows the ways out"
	if len(d.Notes) == 0 {
		d.Notes = append(d.Notes, note)
	}
	return nil
}
