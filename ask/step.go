package ask

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"molt/app/change"
	"molt/app/open"
	"molt/app/run"
	"molt/app/stages"
	"molt/core/fact"
	"molt/doc"
)

func newChecks(verdicts []run.Verdict) []doc.Check {
	all := []doc.Check{}
	for _, v := range verdicts {
		all = append(all, doc.Check{Name: v.Name, Task: v.Task, Passed: v.Passed, Before: v.Before, Says: v.Says,
			Errors: v.Errors, Log: v.Log, Seconds: v.Took.Round(time.Millisecond).Seconds()})
	}
	return all
}

// newCulprit makes the document of a search for a culprit.
func newCulprit(c *run.Culprit, split []string) *doc.Culprit {
	answer := &doc.Culprit{Check: c.Check, Changes: c.Changes, Rest: append([]string{}, c.Rest...), Passes: c.Passes,
		Trials: []doc.Trial{}, Split: split, Notes: []string{}, Uses: []string{}}
	for _, t := range c.Trials {
		answer.Trials = append(answer.Trials,
			doc.Trial{Changes: t.Changes, Outcome: string(t.Outcome), Says: t.Says, Ran: t.Ran,
				Seconds: t.Took.Round(time.Millisecond).Seconds()})
	}
	return answer
}

// newOwnVersion makes the document of the application's own version; o may be nil, when nothing calls for a move.
func newOwnVersion(o *change.OwnVersion) doc.OwnVersion {
	answer := doc.OwnVersion{Schema: "molt/own-version/1"}
	if o != nil {
		answer = doc.OwnVersion{Schema: answer.Schema, From: o.From, To: o.To, Jump: o.Jump.String(), Why: doc.SentenceOf(o.Why),
			Written: o.Written}
	}
	return answer
}

// newTrial makes the document of stages that were tried in a copy of the application.
func newTrial(b *stages.Trial) doc.TrialRun {
	d := doc.TrialRun{Schema: "molt/trial/1", Stages: b.Stages, Folder: b.Dir, Passed: b.Passed,
		Before: newChecks(b.Before),
		Checks: newChecks(b.Verdicts), Notes: append([]string{}, b.Notes...), Unchecked: b.Unchecked,
		Deprecated: newDeprecations(b.Deprecated)}
	for _, t := range b.Each {
		d.Each = append(d.Each, doc.StageTrial{
			Stage: t.Stage, Passed: t.Passed, Seconds: t.Took.Round(time.Millisecond).Seconds(), Checks: newChecks(t.Verdicts),
			Earlier: t.Earlier, Says: t.Says})
	}
	return d
}

// newStep makes the document of a stage that was carried out or tried.
func newStep(s *stages.Step) doc.Step {
	answer := doc.Step{Schema: "molt/step/1", Stage: newPlanStage(s.Stage), Passed: s.Passed,
		Checks: newChecks(s.Verdicts),
		Before: newChecks(s.Before), Changed: append([]string{}, s.Changed...), Notes: append([]string{}, s.Notes...),
		Left: s.Left, ToGoal: s.ToGoal, Unchecked: s.Unchecked, Deprecated: newDeprecations(s.Deprecated)}
	for i := range answer.Stage.Changes { // they are of when the plan was made; the notes tell of now
		answer.Stage.Changes[i].Uses = nil
	}
	for _, n := range s.Named {
		answer.Named = append(answer.Named, doc.Named{Package: n.Name, Stage: n.Stage})
	}
	if s.Own != nil {
		own := newOwnVersion(s.Own)
		answer.Own = &own
	}
	return answer
}

// A StepRequest says how a stage is carried out.
type StepRequest struct {
	Stage      string // its name, "" for the next
	Commit     bool   // make a commit of it
	Culprit    bool   // when a check fails, find the changes that make it fail
	Split      bool   // and put them into a stage of their own
	OwnVersion bool   // after the last stage, write the application's own version
	Watcher    run.Watcher
	Looking    func(changes int) // is called before the search for a culprit; may be nil
}

// A Stepped is what became of a stage. Exactly one of its documents is there.
type Stepped struct {
	Stage      *doc.Step
	OwnVersion *doc.OwnVersion // there was no stage left but the application's own version to write
	Left       int             // stages
	AtGoal     bool            // the goal is reached, and what is left comes after it

	commit func() error
}

// Commit makes the commit that was asked for. It is called when the answer was shown; it does
// nothing where there is nothing to commit.
func (d *Stepped) Commit() error {
	if d.commit == nil {
		return nil
	}
	return d.commit()
}

// Step carries out a stage of the plan.
func (s *Session) Step(ctx context.Context, r StepRequest) (*Stepped, error) {
	if r.Commit {
		late, err := stages.Committable(ctx, s.App.View)
		if late != "" {
			s.say("committed stage %s, which had been carried out before", late)
		}
		if err != nil {
			return nil, err
		}
	}
	var edits []string
	if r.Commit {
		var err error
		if edits, err = stages.SourceEdits(ctx, s.App.View); err != nil {
			return nil, err
		}
		if len(edits) > 0 {
			s.say("the stage's commit takes what was edited for it: %s", strings.Join(edits, ", "))
		}
	}
	if r.OwnVersion {
		if done, err := s.ownVersionAlone(ctx, r.Commit); done != nil || err != nil {
			return done, err
		}
	}
	before := s.App.Lock
	carrier := s.executing(r.Watcher)
	got, err := carrier.Step(ctx, stages.StepOrder{ID: r.Stage, Commit: r.Commit, OwnVersion: r.OwnVersion})
	if err != nil {
		return nil, s.explain(ctx, err)
	}
	s.App, s.base = carrier.Question, carrier.Question
	answer := newStep(got)
	if got.Passed && s.App.Lock != nil {
		runs, unread, err := open.NewRuns(s.App.View, before, s.App.Lock)
		if err != nil {
			return nil, err
		}
		answer.Runs, answer.Unread = runDocs(runs), unread
	}
	if !got.Passed && got.Stage.Raise == nil && r.Culprit {
		if r.Looking != nil {
			r.Looking(len(got.Stage.Changes))
		}
		if err := s.culprit(ctx, r, got, &answer); err != nil {
			return nil, err
		}
	}
	if beside := open.NextOfOtherSides(s.App.View); beside != nil {
		answer.Elsewhere = beside.ID
	}
	answer.Next = nextOfStep(answer)
	done := &Stepped{Stage: &answer, Left: got.Left, AtGoal: got.ToGoal == 0 && !got.Stage.After && got.Left > 0}
	if got.Passed && r.Commit {
		done.commit = func() error {
			if err := stages.Commit(ctx, s.App.View, got.Stage, edits); err != nil {
				return fmt.Errorf("the stage is done, and not committed: %w; molt step --commit will", err)
			}
			return nil
		}
	}
	return done, nil
}

func runDocs(runs []open.RunOf) (all []doc.Run) {
	for _, r := range runs {
		all = append(all, doc.Run{Release: r.Release, When: string(r.When), What: r.What})
	}
	return all
}

// culprit looks for what makes the stage fail, and splits the stage when asked to.
func (s *Session) culprit(ctx context.Context, r StepRequest, got *stages.Step, answer *doc.Step) error {
	found, err := s.executing(r.Watcher).FindCulprit(ctx, got)
	if err != nil {
		return err
	}
	split := []string{}
	if r.Split && len(found.Rest) > 0 {
		first, second, err := stages.Split(ctx, s.App, found.Stage, found.Changes)
		if err != nil {
			return fmt.Errorf("the culprit is %s, but: %w", strings.Join(found.Changes, ", "), err)
		}
		split = []string{first.ID, second.ID}
	}
	answer.Culprit = newCulprit(found, split)
	return s.tellOf(ctx, got.Stage, answer.Culprit)
}

// tellOf adds to a culprit what its change logs say, and where the source imports it.
func (s *Session) tellOf(ctx context.Context, stage doc.PlanStage, c *doc.Culprit) error {
	importers, err := change.Importers(s.App.View, c.Changes)
	if err != nil {
		return err
	}
	for _, name := range c.Changes {
		for _, at := range importers[name] {
			c.Uses = append(c.Uses, at+" "+name)
		}
		i := slices.IndexFunc(stage.Changes, func(x doc.PlanChange) bool { return x.Name == name })
		if i < 0 {
			continue
		}
		notes, err := change.Notes(ctx, s.App, stage.Changes[i])
		if err != nil {
			return err
		}
		for _, n := range notes {
			c.Notes = append(c.Notes, name+" "+n)
		}
	}
	return nil
}

// ownVersionAlone writes the application's own version when there is no stage left to write it
// with; else it returns nil.
func (s *Session) ownVersionAlone(ctx context.Context, commit bool) (*Stepped, error) {
	file, err := s.App.ReadPlan()
	if err != nil || file.Next() != nil {
		return nil, err
	}
	own, err := change.SetOwnVersion(s.App.View)
	if err != nil {
		return nil, err
	}
	answer := newOwnVersion(own)
	done := &Stepped{OwnVersion: &answer}
	if own != nil && commit {
		done.commit = func() error {
			return stages.Commit(ctx, s.App.View, doc.PlanStage{ID: change.OwnVersionStage,
				Title: s.App.Say(fact.New(doc.VersionMoves, own.From, own.To))},
				nil)
		}
	}
	return done, nil
}

// A TrialRequest says what is tried.
type TrialRequest struct {
	Stage string // the last stage, "" for the next
	All   bool   // every stage that is to do, one after the other
	Each  bool   // every stage that goes ahead of the framework, by itself
	Anew  bool   // those too that passed in an earlier trial of the same files
	Into  string // where the copy is left, "" for nowhere
}

// Trial tries stages of the plan in copies of the application.
func (s *Session) Trial(ctx context.Context, r TrialRequest, watcher run.Watcher) (doc.TrialRun, error) {
	if r.Each {
		got, err := s.executing(watcher).TryEach(ctx)
		if err != nil {
			return doc.TrialRun{}, s.explain(ctx, err)
		}
		d := newTrial(got)
		d.Alone = true
		return d, nil
	}
	stage := r.Stage
	if r.All {
		file, err := s.App.ReadPlan()
		if err != nil {
			return doc.TrialRun{}, err
		}
		if n := len(file.Stages); n > 0 {
			stage = file.Stages[n-1].ID
		}
	}
	got, err := s.executing(watcher).Try(ctx, stages.TrialOrder{UpTo: stage, Each: r.All, Again: r.Anew, Into: r.Into})
	if err != nil {
		return doc.TrialRun{}, s.explain(ctx, err)
	}
	d := newTrial(got)
	d.Next = nextOfTrial(d)
	return d, nil
}

// Back returns the files of an application to what they were before a stage, or before the last
// one. The second result makes the commit of that; it is nil when none is wanted. With force,
// commits that others call stages are taken back too.
func Back(ctx context.Context, a *open.View, stage string, commit, force bool) (doc.Back, func() error, error) {
	if commit {
		if _, err := stages.Committable(ctx, a); err != nil {
			return doc.Back{}, nil, err
		}
	}
	back, err := stages.Back(ctx, a, stage, force)
	if err != nil {
		return doc.Back{}, nil, err
	}
	var then func() error
	if commit {
		then = func() error { return stages.CommitBack(ctx, a, back) }
	}
	return doc.Back{Schema: "molt/back/1", Stages: back.Stages}, then, nil
}
