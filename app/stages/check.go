package stages

import (
	"context"
	"slices"

	"molt/app/run"
)

// beforeStage is the name under which the state before the first stage is checked.
const beforeStage = "before"

// checkedBefore returns which checks pass on the state as it stands. It runs them when that is not known: before the
// first stage, after somebody changed manifest, lock or checks, and those that failed after somebody changed anything.
func (a *Execution) checkedBefore(ctx context.Context) (map[string]bool, []run.Verdict, error) {
	if len(a.Config.Checks) == 0 {
		return nil, nil, nil
	}
	state, err := state(a.View)
	if err != nil {
		return nil, nil, err
	}
	c, err := a.Runner().Remembered()
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
	if err := a.site.LayOutSides(ctx, a.Dir); err != nil {
		return nil, nil, err
	}
	if says, err := a.site.Ready(ctx); err != nil || says != "" {
		return nil, nil, err // nothing can be said of the state before
	}
	var verdicts []run.Verdict
	for _, check := range a.Config.Checks {
		if passed[check.Name] { // that is known; people worked on what failed
			continue
		}
		a.Watch.Announce(check.Name + " (on the state before)")
		v, err := a.Runner().One(ctx, run.Job{Check: check, Kind: run.CheckJob, Dir: a.Dir, Stage: beforeStage},
			a.Watch.Output)
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
	return passed, verdicts, a.Runner().Remember(state, sources, beforeStage, verdicts)
}

// sourcesAfter identifies the files that people keep, where some verdicts are of failures: these
// count as long as nobody works on them. It is "" where all passed.
func (a *Execution) sourcesAfter(ctx context.Context, verdicts []run.Verdict) (string, error) {
	if !slices.ContainsFunc(verdicts, func(v run.Verdict) bool { return !v.Passed }) {
		return "", nil
	}
	keys, err := a.trialKeys(ctx, []*rehearsed{{}})
	if err != nil {
		return "", err
	}
	return keys[0], nil
}
