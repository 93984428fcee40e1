package planfile

import (
	"slices"
	"strings"

	"molt/core/fact"
	"molt/core/plan"
	"molt/doc"
)

// KeepDropped takes out of a stage of a fresh plan what people took out of it in the old one.
func KeepDropped(id string, old, fresh *Plan) (kept []fact.Fact) {
	names, _, _ := old.offered(id)
	i := fresh.Index(id)
	if i < 0 {
		return nil
	}
	if old.Stage(id) == nil && !slices.ContainsFunc(names, func(n string) bool { return old.Moves(n, id) }) {
		fresh.Stages = slices.Delete(slices.Clone(fresh.Stages), i, i+1)
		return []fact.Fact{fact.New(doc.DroppedStage, id)}
	}
	dropped := func(c doc.PlanChange) bool { return slices.Contains(names, c.Name) && !old.Moves(c.Name, id) }
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
	return []fact.Fact{fact.New(doc.DroppedMoves, id, strings.Join(gone, ", "))}
}

// KeepBrought moves what people put into a stage of a plan, and a later one had, into that stage again.
func KeepBrought(old, fresh *Plan) (kept []fact.Fact) {
	for _, own := range old.Stages {
		offered, _, made := old.offered(own.ID)
		to := fresh.Index(own.ID)
		if !made || to < 0 || own.Status == doc.Done {
			continue
		}
		for _, name := range NamesOf(&own) {
			from := slices.IndexFunc(fresh.Stages, func(s doc.PlanStage) bool { return slices.Contains(NamesOf(&s), name) })
			if slices.Contains(offered, name) || from <= to {
				continue
			}
			stages := slices.Clone(fresh.Stages)
			into, rest := stages[to], stages[from]
			moves := func(c doc.PlanChange) bool { return c.Name == name }
			into.Changes = slices.Concat(into.Changes,
				slices.DeleteFunc(slices.Clone(rest.Changes), func(c doc.PlanChange) bool { return !moves(c) }))
			rest.Changes = slices.DeleteFunc(slices.Clone(rest.Changes), moves)
			if stages[to], stages[from] = into, rest; len(rest.Changes) == 0 {
				stages = slices.Delete(stages, from, from+1)
			}
			fresh.Stages = stages
			kept = append(kept, fact.New(doc.BroughtMove, own.ID, name))
		}
	}
	return kept
}

// written returns the releases that people wrote into a stage in the place of those that it, or the
// one that it was split off, was made with, by package.
func (p *Plan) written(s *doc.PlanStage) map[string]string {
	from := s.ID
	for _, other := range p.Stages {
		if _, _, made := p.offered(from); !made && strings.HasPrefix(s.ID, other.ID+"-") {
			from = other.ID
		}
	}
	_, releases, _ := p.offered(from)
	own := map[string]string{}
	for _, c := range s.Changes {
		if made := releases[c.Name]; c.To != nil && made != "" && c.To.Version != made {
			own[c.Name] = c.To.Version
		}
	}
	return own
}

// KeepReleases has a stage of a fresh plan move a package to the release that people wrote into that stage.
func KeepReleases(id string, old, fresh *Plan) (kept []fact.Fact) {
	was, i := old.Stage(id), fresh.Index(id)
	if was == nil || i < 0 || was.Status == doc.Done {
		return nil
	}
	own := old.written(was)
	stage := fresh.Stages[i]
	stage.Changes = slices.Clone(stage.Changes)
	for k, c := range stage.Changes {
		if v := own[c.Name]; v != "" && c.To != nil && c.To.Version != v {
			stage.Changes[k].To = &doc.PlanPoint{Constraint: c.To.Constraint, Version: v}
			kept = append(kept, fact.New(doc.WrittenRelease, c.Name, v, id))
		}
	}
	fresh.Stages = slices.Clone(fresh.Stages)
	fresh.Stages[i] = stage
	return kept
}

// KeepSplits makes the stages of people's own again, out of the changes that a fresh plan has elsewhere.
func KeepSplits(old, fresh *Plan) (kept []fact.Fact) {
	for _, own := range old.Stages {
		if old.Made == nil || own.Status == doc.Done || fresh.Index(own.ID) >= 0 {
			continue
		}
		if _, _, offered := old.offered(own.ID); offered {
			continue
		}
		names := NamesOf(&own)
		for i := range fresh.Stages {
			from := fresh.Stages[i]
			if !strings.HasPrefix(own.ID, from.ID) && own.Kind != from.Kind {
				continue
			}
			part := Part(&from, names)
			if len(part.Changes) == 0 || len(part.Changes) == len(from.Changes) {
				continue
			}
			part.ID, part.Title, part.Note, part.Kind = own.ID, own.Title, own.Note, own.Kind
			rest := Part(&from, slices.DeleteFunc(NamesOf(&from), func(n string) bool { return slices.Contains(names, n) }))
			fresh.Stages = slices.Concat(fresh.Stages[:i], []doc.PlanStage{rest, part}, fresh.Stages[i+1:])
			kept = append(kept, fact.New(doc.OwnStage, own.ID))
			break
		}
	}
	return kept
}

// KeepOrder puts the stages that both plans have into the order of the old one.
func KeepOrder(old, fresh *Plan) []fact.Fact {
	var places []int
	var both []doc.PlanStage
	for i, s := range fresh.Stages {
		if o := old.Stage(s.ID); o != nil && o.Status == doc.Pending {
			places = append(places, i)
			both = append(both, s)
		}
	}
	sorted := slices.Clone(both)
	slices.SortStableFunc(sorted, func(a, b doc.PlanStage) int { return old.Index(a.ID) - old.Index(b.ID) })
	if slices.EqualFunc(both, sorted, func(a, b doc.PlanStage) bool { return a.ID == b.ID }) {
		return nil
	}
	stages := slices.Clone(fresh.Stages)
	for k, i := range places {
		stages[i] = sorted[k]
	}
	fresh.Stages = stages
	return []fact.Fact{fact.New(doc.OwnOrder)}
}

// titled are the kinds of stage to which Molt gives the same title whatever they move.
var titled = map[string]bool{string(plan.BaselineStage): true, string(plan.PatchStage): true,
	string(plan.MinorStage):   true,
	string(plan.RuntimeStage): true, string(plan.GoalStage): true}

// KeepNotes keeps titles and notes.
func KeepNotes(old, fresh *Plan) (kept []fact.Fact) {
	for i := range fresh.Stages {
		s := &fresh.Stages[i]
		was := old.Stage(s.ID)
		if was == nil {
			continue
		}
		if was.Note != "" {
			s.Note = was.Note
			kept = append(kept, fact.New(doc.StageNote, s.ID))
		}
		if was.Title.String() != s.Title.String() && (titled[s.Kind] || slices.Equal(NamesOf(was), NamesOf(s))) {
			s.Title = was.Title
			kept = append(kept, fact.New(doc.StageTitle, s.ID))
		}
		for j := range s.Changes {
			for _, c := range was.Changes {
				if c.Name == s.Changes[j].Name && c.Group == s.Changes[j].Group && c.Note != "" {
					s.Changes[j].Note = c.Note
					kept = append(kept, fact.New(doc.PackageNote, c.Name))
				}
			}
		}
	}
	return kept
}

// ofMolt reports whether a comment is one that Molt writes.
func ofMolt(comment string) bool {
	for _, text := range why {
		if comment == "# "+text {
			return true
		}
	}
	return strings.Contains(planHead, comment+"\n")
}

// Decided reports whether people wrote into a plan: notes, comments, stages of their own, or
// changes and stages that they took out. A title and an order do not show.
func (p *Plan) Decided() bool {
	if slices.ContainsFunc(p.Text.Lines, func(l string) bool {
		l = strings.TrimSpace(l)
		return strings.HasPrefix(l, "#") && !ofMolt(l)
	}) {
		return true
	}
	if p.Note != "" || p.Made == nil {
		return true
	}
	for id := range p.Made.Offered {
		names, _, _ := p.offered(id)
		stage := p.Stage(id)
		if stage == nil || slices.ContainsFunc(names, func(name string) bool { return !p.Moves(name, id) }) {
			return true
		}
	}
	return slices.ContainsFunc(p.Stages, func(s doc.PlanStage) bool {
		_, offered := p.Made.Offered[s.ID]
		return !offered || s.Note != "" || len(p.written(&s)) > 0 ||
			slices.ContainsFunc(s.Changes, func(c doc.PlanChange) bool { return c.Note != "" })
	})
}

// KeepComments puts the comments that people wrote above stages and changes of the old plan into the text of the new.
func KeepComments(old *Plan, data []byte) ([]byte, error) {
	fresh, err := Read(File, data)
	if err != nil || old.Text == nil || len(old.Text.Stages) != len(old.Stages) {
		return data, err
	}
	comments := func(b Block) (lines []string) {
		for _, l := range old.Text.Lines[b.From:b.To] {
			text := strings.TrimSpace(l)
			if !strings.HasPrefix(text, "#") {
				break
			}
			if !ofMolt(text) {
				lines = append(lines, l)
			}
		}
		return lines
	}
	for i, s := range old.Stages {
		for j, c := range s.Changes {
			if j >= len(old.Text.Stages[i].Changes) {
				break
			}
			if lines := comments(old.Text.Stages[i].Changes[j]); lines != nil {
				fresh.Insert(lines, func(f *doc.PlanStage, k int) bool {
					return f.ID == s.ID && k >= 0 && f.Changes[k].Name == c.Name
				})
			}
		}
		if lines := comments(old.Text.Stages[i]); lines != nil {
			fresh.Insert(lines, func(f *doc.PlanStage, k int) bool { return f.ID == s.ID && k < 0 })
		}
	}
	return fresh.Text.Bytes(), nil
}
