package stages

import (
	"context"
	"maps"
	"slices"
	"time"

	"molt/app/layout"
	"molt/app/locking"
	"molt/app/open"
	"molt/app/planfile"
	"molt/core/fact"
	"molt/core/plan"
	"molt/core/project"
	"molt/core/version"
	"molt/doc"
)

// A Renewal is a plan made again from where the application stands now.
type Renewal struct {
	Plan    *planfile.Plan
	Made    *plan.Plan
	Kept    []fact.Fact // what people had decided, and still holds
	Lost    []fact.Fact // what of it no longer does, with the reason
	Changed []fact.Fact // what is different from before
	text    []byte
}

// Renew makes the plan again: the stages that are done stay, what people decided is kept where it
// still resolves, and what has changed is told. Nothing is written.
func Renew(ctx context.Context, a *open.Question) (*Renewal, error) {
	old, err := a.ReadPlan()
	if err != nil {
		return nil, err
	}
	cut := a.Config.Stages.Cut()
	if old.Made != nil {
		cut.Fresh, cut.Leap = plan.Fresh(old.Made.Fresh), old.Made.Leap
	}
	fresh, made, err := MakePlan(ctx, a, old.Goals(), cut)
	if err != nil {
		return nil, err
	}
	r := &Renewal{Plan: fresh, Made: made}
	if err := news(ctx, a, old, fresh, r); err != nil {
		return nil, err
	}
	fresh.Note, fresh.Branch = old.Note, old.Branch
	plain := slices.Clone(fresh.Stages)
	type decision struct {
		apply func(old, fresh *planfile.Plan) []fact.Fact
		what  fact.Fact
	}
	var decisions []decision
	if old.Made != nil {
		for _, id := range slices.Sorted(maps.Keys(old.Made.Offered)) {
			decisions = append(decisions, decision{
				func(old, fresh *planfile.Plan) []fact.Fact { return planfile.KeepDropped(id, old, fresh) },
				fact.New(doc.Dropping, id)})
		}
	}
	decisions = append(decisions, decision{planfile.KeepBrought, fact.New(doc.Bringing)},
		decision{planfile.KeepSplits, fact.New(doc.Splitting)})
	for _, s := range old.Stages {
		decisions = append(decisions, decision{
			func(old, fresh *planfile.Plan) []fact.Fact { return planfile.KeepReleases(s.ID, old, fresh) },
			fact.New(doc.Writing, s.ID)})
	}
	decisions = append(decisions, decision{planfile.KeepOrder, fact.New(doc.Ordering)})
	for _, d := range decisions {
		before := slices.Clone(fresh.Stages)
		kept := d.apply(old, fresh)
		if kept == nil {
			continue
		}
		rebase(a.View, fresh)
		if err := checkStages(ctx, a, fresh); err != nil {
			fresh.Stages = before
			r.Lost = append(r.Lost, fact.New(doc.NoLongerHolds, d.what, brief(err)))
			continue
		}
		r.Kept = append(r.Kept, kept...)
	}
	r.Kept = append(r.Kept, planfile.KeepNotes(old, fresh)...)
	if err := recount(ctx, a, fresh); err != nil {
		fresh.Stages = plain
	}
	var done []doc.PlanStage
	for _, s := range old.Stages {
		if s.Status != doc.Done {
			continue
		}
		done = append(done, s)
		for i := range fresh.Stages { // the same kind of stage once more
			if fresh.Stages[i].ID == s.ID {
				fresh.Stages[i].ID = fresh.FreeID(s.ID + "-again")
			}
		}
	}
	fresh.Stages = append(done, fresh.Stages...)
	r.compare(old, fresh)
	data, err := fresh.Encode()
	if err != nil {
		return nil, err
	}
	r.text, err = planfile.KeepComments(old, data)
	return r, err
}

// WriteRenewal puts a renewed plan on disk. The folder must be in use.
func WriteRenewal(a *open.View, r *Renewal) error {
	return open.WritePlanText(a, "plan", r.text, nil)
}

// news tells in what the lock and the registry have moved on.
func news(ctx context.Context, a *open.Question, old, fresh *planfile.Plan, r *Renewal) error {
	if old.Made == nil {
		return nil
	}
	if old.Made.Lock != fresh.Made.Lock {
		r.Changed = append(r.Changed, fact.New(doc.OtherLock, a.LockFile()))
	}
	since, err := time.Parse(time.DateOnly, old.Made.On)
	if err != nil || old.Made.Registry == fresh.Made.Registry {
		return nil
	}
	told := 0
	for _, name := range a.DeclaredPackages() {
		p, err := a.Source.Package(ctx, name)
		if err != nil {
			return err
		}
		for i := range p.Len() {
			if rel := p.About(i); !rel.Published.Before(since) {
				r.Changed = append(r.Changed, fact.New(doc.PublishedSince, name, rel.Version,
					rel.Published.Format(time.DateOnly)))
				told++
			}
		}
	}
	if told == 0 {
		r.Changed = append(r.Changed, fact.New(doc.RegistryLess, old.Made.On))
	}
	return nil
}

// rebase makes every change of a plan begin where the one before it ends.
func rebase(a *open.View, file *planfile.Plan) {
	now := map[open.DeclarationKey]doc.PlanPoint{}
	for _, e := range a.Manifest.Entries() {
		now[open.KeyOf(e.Group, e.As)] = doc.PlanPoint{Constraint: e.Text}
		if a.Lock != nil {
			now[open.KeyOf(e.Group, e.As)] = doc.PlanPoint{Constraint: e.Text, Version: layout.RootVersion(a.Lock, e.As)}
		}
	}
	scheme := a.Eco.Scheme()
	for i := range file.Stages {
		s := &file.Stages[i]
		s.Changes = slices.Clone(s.Changes)
		for j := range s.Changes {
			c := &s.Changes[j]
			at := open.KeyOf(c.Group, c.Name)
			here, there := now[at]
			if c.From != nil && there {
				from := here
				c.From = &from
			}
			if c.To == nil {
				delete(now, at)
				continue
			}
			to := *c.To
			if v, err := scheme.Parse(to.Version); err == nil && c.From != nil {
				to.Constraint = version.Restyled(scheme, c.From.Constraint, v)
				if before, err := scheme.Parse(c.From.Version); err == nil {
					c.Jump = scheme.Jump(before, v).String()
				}
			}
			c.To = &to
			now[at] = to
		}
	}
}

// recount counts again what each pending stage does to the lock.
func recount(ctx context.Context, a *open.Question, file *planfile.Plan) error {
	w, err := locking.Walk(a)
	if err != nil {
		return err
	}
	files, err := importers(a.View)
	if err != nil {
		return err
	}
	for i := range file.Stages {
		s := &file.Stages[i]
		if again := effortOf(a.View, s, files); again != nil && s.Effort != nil {
			again.Evidence = s.Effort.Evidence
			s.Effort = again
		}
		before := w.Locked
		if err := w.Stage(ctx, s); err != nil {
			return err
		}
		if s.Raise == nil {
			m := project.MovesBetween(before, w.Locked)
			s.Locked = &doc.PlanLocked{Added: m.Added, Removed: m.Removed, Moved: m.Moved}
		}
	}
	return nil
}

// compare tells in what the stages that are to do have changed.
func (r *Renewal) compare(old, fresh *planfile.Plan) {
	for i := range fresh.Stages {
		s := &fresh.Stages[i]
		was := old.Stage(s.ID)
		switch {
		case s.Status == doc.Done:
		case was == nil:
			r.Changed = append(r.Changed, fact.New(doc.StageNew, s.ID, s.Title.Fact))
		default:
			r.Changed = append(r.Changed, changesBetween(was, s)...)
		}
	}
	for _, s := range old.Stages {
		if fresh.Stage(s.ID) == nil {
			r.Changed = append(r.Changed, fact.New(doc.StageGone, s.ID))
		}
	}
	if old.Reachable != fresh.Reachable {
		reach := doc.NowOutOfReach
		if fresh.Reachable {
			reach = doc.NowInReach
		}
		r.Changed = append(r.Changed, fact.New(reach))
	}
}

func changesBetween(was, is *doc.PlanStage) (all []fact.Fact) {
	end := func(s *doc.PlanStage, name string) string {
		for _, c := range s.Changes {
			if c.Name == name && c.To != nil {
				return c.To.Version
			}
		}
		return ""
	}
	for _, name := range planfile.NamesOf(is) {
		switch before, now := end(was, name), end(is, name); {
		case before == now:
		case before == "":
			all = append(all, fact.New(doc.MovesToo, is.ID, name, now))
		default:
			all = append(all, fact.New(doc.MovesElsewhere, is.ID, name, now, before))
		}
	}
	for _, name := range planfile.NamesOf(was) {
		if !slices.Contains(planfile.NamesOf(is), name) {
			all = append(all, fact.New(doc.MovesNoLonger, is.ID, name))
		}
	}
	return all
}
