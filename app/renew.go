package app

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"molt/core/plan"
	"molt/core/project"
	"molt/core/universe"
)

// A Renewal is a plan made anew from where the application stands now.
type Renewal struct {
	Plan    *PlanDoc
	Made    *plan.Plan
	Kept    []string // what people had decided, and still holds
	Lost    []string // what of it no longer does, with the reason
	Changed []string // what is different from before
	text    []byte
}

// Renew makes the plan anew: the stages that are done stay, what people decided is kept where it still resolves, and what
// has changed is told. Nothing is written.
func (a *App) Renew(ctx context.Context, source universe.Source) (*Renewal, error) {
	old, err := a.ReadPlan()
	if err != nil {
		return nil, err
	}
	cut := plan.Cut{}
	if old.Made != nil {
		cut = plan.Cut{Fresh: plan.Fresh(old.Made.Fresh), Leap: old.Made.Leap}
	}
	fresh, made, err := a.MakePlan(ctx, source, old.Goals(), cut)
	if err != nil {
		return nil, err
	}
	r := &Renewal{Plan: fresh, Made: made}
	if err := a.news(ctx, source, old, fresh, r); err != nil {
		return nil, err
	}
	fresh.Note, fresh.Branch = old.Note, old.Branch
	plain := slices.Clone(fresh.Stages)
	type decision struct {
		apply func(old, fresh *PlanDoc) []string
		what  string
	}
	var decisions []decision
	if old.Made != nil {
		for _, id := range slices.Sorted(maps.Keys(old.Made.Offered)) {
			decisions = append(decisions, decision{func(old, fresh *PlanDoc) []string { return keepDropped(id, old, fresh) }, "what was dropped of " + id})
		}
	}
	decisions = append(decisions, decision{keepSplits, "what was split"}, decision{keepOrder, "the order"})
	for _, d := range decisions {
		before := slices.Clone(fresh.Stages)
		kept := d.apply(old, fresh)
		if kept == nil {
			continue
		}
		a.rebase(fresh)
		if err := a.checkStages(ctx, source, fresh); err != nil {
			fresh.Stages = before
			r.Lost = append(r.Lost, fmt.Sprintf("%s: %s", d.what, brief(err)))
			continue
		}
		r.Kept = append(r.Kept, kept...)
	}
	r.Kept = append(r.Kept, keepNotes(old, fresh)...)
	if err := a.recount(ctx, source, fresh); err != nil {
		fresh.Stages = plain
	}
	var done []StageDoc
	for _, s := range old.Stages {
		if s.Status != Done {
			continue
		}
		done = append(done, s)
		for i := range fresh.Stages { // the same kind of stage once more
			if fresh.Stages[i].ID == s.ID {
				fresh.Stages[i].ID = fresh.freeID(s.ID + "-again")
			}
		}
	}
	fresh.Stages = append(done, fresh.Stages...)
	r.compare(old, fresh)
	data, err := fresh.Encode()
	if err != nil {
		return nil, err
	}
	r.text, err = keepComments(old, data)
	return r, err
}

// WriteRenewal puts a renewed plan on disk. The folder must be in use.
func (a *App) WriteRenewal(r *Renewal) error {
	return a.writePlanText("plan", r.text)
}

// news tells in what the lock and the registry have moved on.
func (a *App) news(ctx context.Context, source universe.Source, old, fresh *PlanDoc, r *Renewal) error {
	if old.Made == nil {
		return nil
	}
	if old.Made.Lock != fresh.Made.Lock {
		r.Changed = append(r.Changed, a.Eco.Lock()+" is not the one that the plan went on from")
	}
	since, err := time.Parse(time.DateOnly, old.Made.On)
	if err != nil || old.Made.Registry == fresh.Made.Registry {
		return nil
	}
	told := 0
	for _, name := range a.DeclaredPackages() {
		p, err := source.Package(ctx, name)
		if err != nil {
			return err
		}
		for i := range p.Releases {
			if rel := &p.Releases[i]; !rel.Published.Before(since) {
				r.Changed = append(r.Changed, fmt.Sprintf("%s %s was published on %s", name, rel.Version, rel.Published.Format(time.DateOnly)))
				told++
			}
		}
	}
	if told == 0 {
		r.Changed = append(r.Changed, "the registry no longer has of the declared packages what it had on "+old.Made.On)
	}
	return nil
}

// keepDropped takes out of a stage of a fresh plan what people took out of it in the old one.
func keepDropped(id string, old, fresh *PlanDoc) (kept []string) {
	names := old.Made.Offered[id]
	i := fresh.index(id)
	if i < 0 {
		return nil
	}
	if old.Stage(id) == nil && !slices.ContainsFunc(names, func(n string) bool { return old.moves(n, id) }) {
		fresh.Stages = slices.Delete(slices.Clone(fresh.Stages), i, i+1)
		return []string{"without stage " + id}
	}
	dropped := func(c ChangeDoc) bool { return slices.Contains(names, c.Name) && !old.moves(c.Name, id) }
	stage := fresh.Stages[i]
	var gone []string
	for _, c := range stage.Changes {
		if dropped(c) && !slices.Contains(gone, c.Name) {
			gone = append(gone, c.Name)
		}
	}
	stage.Changes = slices.DeleteFunc(slices.Clone(stage.Changes), dropped)
	if gone == nil || len(stage.Changes) == 0 {
		return nil
	}
	fresh.Stages = slices.Clone(fresh.Stages)
	fresh.Stages[i] = stage
	return []string{fmt.Sprintf("stage %s without %s", id, strings.Join(gone, ", "))}
}

// moves reports whether a plan moves a package in a stage, or in one that was split off it or made by people.
func (p *PlanDoc) moves(name, id string) bool {
	for _, s := range p.Stages {
		_, offered := p.Made.Offered[s.ID]
		if (s.ID == id || !offered && s.Status == Pending) && slices.Contains(namesOf(&s), name) {
			return true
		}
	}
	return false
}

// keepSplits makes the stages of people's own again, out of the changes that a fresh plan has elsewhere.
func keepSplits(old, fresh *PlanDoc) (kept []string) {
	for _, own := range old.Stages {
		if old.Made == nil || own.Status == Done || fresh.index(own.ID) >= 0 {
			continue
		}
		if _, offered := old.Made.Offered[own.ID]; offered {
			continue
		}
		names := namesOf(&own)
		for i := range fresh.Stages {
			from := fresh.Stages[i]
			if !strings.HasPrefix(own.ID, from.ID) && own.Kind != from.Kind {
				continue
			}
			part := partOf(&from, names)
			if len(part.Changes) == 0 || len(part.Changes) == len(from.Changes) {
				continue
			}
			part.ID, part.Title, part.Note, part.Kind = own.ID, own.Title, own.Note, own.Kind
			rest := partOf(&from, slices.DeleteFunc(namesOf(&from), func(n string) bool { return slices.Contains(names, n) }))
			fresh.Stages = slices.Concat(fresh.Stages[:i], []StageDoc{rest, part}, fresh.Stages[i+1:])
			kept = append(kept, "stage "+own.ID+" of your own")
			break
		}
	}
	return kept
}

// keepOrder puts the stages that both plans have into the order of the old one.
func keepOrder(old, fresh *PlanDoc) []string {
	var places []int
	var both []StageDoc
	for i, s := range fresh.Stages {
		if o := old.Stage(s.ID); o != nil && o.Status == Pending {
			places = append(places, i)
			both = append(both, s)
		}
	}
	sorted := slices.Clone(both)
	slices.SortStableFunc(sorted, func(a, b StageDoc) int { return old.index(a.ID) - old.index(b.ID) })
	if slices.EqualFunc(both, sorted, func(a, b StageDoc) bool { return a.ID == b.ID }) {
		return nil
	}
	stages := slices.Clone(fresh.Stages)
	for k, i := range places {
		stages[i] = sorted[k]
	}
	fresh.Stages = stages
	return []string{"the order of the stages"}
}

// titled are the kinds of stage to which Molt gives the same title whatever they move.
var titled = map[string]bool{string(plan.BaselineStage): true, string(plan.PatchStage): true, string(plan.MinorStage): true,
	string(plan.RuntimeStage): true, string(plan.GoalStage): true}

// keepNotes keeps titles and notes.
func keepNotes(old, fresh *PlanDoc) (kept []string) {
	for i := range fresh.Stages {
		s := &fresh.Stages[i]
		was := old.Stage(s.ID)
		if was == nil {
			continue
		}
		if was.Note != "" {
			s.Note = was.Note
			kept = append(kept, "the note on stage "+s.ID)
		}
		if was.Title != s.Title && (titled[s.Kind] || slices.Equal(namesOf(was), namesOf(s))) {
			s.Title = was.Title
			kept = append(kept, "the title of stage "+s.ID)
		}
		for j := range s.Changes {
			for _, c := range was.Changes {
				if c.Name == s.Changes[j].Name && c.Group == s.Changes[j].Group && c.Note != "" {
					s.Changes[j].Note = c.Note
					kept = append(kept, "the note on "+c.Name)
				}
			}
		}
	}
	return kept
}

// rebase makes every change of a plan begin where the one before it ends.
func (a *App) rebase(doc *PlanDoc) {
	now := map[spot]PointDoc{}
	for _, e := range a.Manifest.Entries() {
		now[spot{e.Group, e.As}] = PointDoc{Constraint: e.Text}
		if a.Lock != nil {
			now[spot{e.Group, e.As}] = PointDoc{e.Text, rootVersion(a.Lock, e.As)}
		}
	}
	scheme := a.Eco.Scheme()
	for i := range doc.Stages {
		s := &doc.Stages[i]
		s.Changes = slices.Clone(s.Changes)
		for j := range s.Changes {
			c := &s.Changes[j]
			at := spot{c.Group, c.Name}
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
				to.Constraint = scheme.Restyle(c.From.Constraint, v)
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
func (a *App) recount(ctx context.Context, source universe.Source, doc *PlanDoc) error {
	w, err := a.walk()
	if err != nil {
		return err
	}
	files, err := a.importers()
	if err != nil {
		return err
	}
	for i := range doc.Stages {
		s := &doc.Stages[i]
		if again := a.effortOf(s, files); again != nil && s.Effort != nil {
			again.Evidence = s.Effort.Evidence
			s.Effort = again
		}
		before := w.locked
		if err := w.stage(ctx, source, s); err != nil {
			return err
		}
		if s.Raise == nil {
			m := project.MovesBetween(before, w.locked)
			s.Lock = &LockDoc{m.Added, m.Removed, m.Moved}
		}
	}
	return nil
}

// compare tells in what the stages that are to do have changed.
func (r *Renewal) compare(old, fresh *PlanDoc) {
	for i := range fresh.Stages {
		s := &fresh.Stages[i]
		was := old.Stage(s.ID)
		switch {
		case s.Status == Done:
		case was == nil:
			r.Changed = append(r.Changed, "stage "+s.ID+" is new: "+s.Title)
		default:
			r.Changed = append(r.Changed, changesBetween(was, s)...)
		}
	}
	for _, s := range old.Stages {
		if fresh.Stage(s.ID) == nil {
			r.Changed = append(r.Changed, "stage "+s.ID+" is gone")
		}
	}
	if old.Reachable != fresh.Reachable {
		says := "the goal is out of reach now"
		if fresh.Reachable {
			says = "the goal can be reached now"
		}
		r.Changed = append(r.Changed, says)
	}
}

func changesBetween(was, is *StageDoc) (all []string) {
	end := func(s *StageDoc, name string) string {
		for _, c := range s.Changes {
			if c.Name == name && c.To != nil {
				return c.To.Version
			}
		}
		return ""
	}
	for _, name := range namesOf(is) {
		switch before, now := end(was, name), end(is, name); {
		case before == now:
		case before == "":
			all = append(all, fmt.Sprintf("stage %s moves %s too, to %s", is.ID, name, now))
		default:
			all = append(all, fmt.Sprintf("stage %s moves %s to %s, not to %s", is.ID, name, now, before))
		}
	}
	for _, name := range namesOf(was) {
		if !slices.Contains(namesOf(is), name) {
			all = append(all, fmt.Sprintf("stage %s no longer moves %s", is.ID, name))
		}
	}
	return all
}

// keepComments puts the comments that people wrote above stages and changes of the old plan into the text of the new.
func keepComments(old *PlanDoc, data []byte) ([]byte, error) {
	fresh, err := decodePlan(PlanFile, data)
	if err != nil || old.text == nil || len(old.text.stages) != len(old.Stages) {
		return data, err
	}
	said := map[string]bool{}
	for _, text := range why {
		said["# "+text] = true
	}
	comments := func(b block) (lines []string) {
		for _, l := range old.text.lines[b.from:b.to] {
			text := strings.TrimSpace(l)
			if !strings.HasPrefix(text, "#") {
				break
			}
			if !said[text] {
				lines = append(lines, l)
			}
		}
		return lines
	}
	for i, s := range old.Stages {
		for j, c := range s.Changes {
			if j >= len(old.text.stages[i].changes) {
				break
			}
			if lines := comments(old.text.stages[i].changes[j]); lines != nil {
				fresh.insert(lines, func(f *StageDoc, k int) bool { return f.ID == s.ID && k >= 0 && f.Changes[k].Name == c.Name })
			}
		}
		if lines := comments(old.text.stages[i]); lines != nil {
			fresh.insert(lines, func(f *StageDoc, k int) bool { return f.ID == s.ID && k < 0 })
		}
	}
	return fresh.text.bytes(), nil
}

// insert puts lines above the first stage or change that is meant; stages are asked for with the position -1.
func (p *PlanDoc) insert(lines []string, meant func(s *StageDoc, change int) bool) {
	for i := range p.Stages {
		for k := -1; k < len(p.Stages[i].Changes); k++ {
			if !meant(&p.Stages[i], k) {
				continue
			}
			at := p.text.stages[i].from
			if k >= 0 {
				at = p.text.stages[i].changes[k].from
			}
			p.text.lines = slices.Insert(p.text.lines, at, lines...)
			_ = p.text.again() // lines with comments alone are read as before
			return
		}
	}
}
