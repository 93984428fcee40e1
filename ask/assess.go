// Package ask answers the questions of the job: one function a question, which turns what the core
// found into a document.
package ask

import (
	"context"

	"molt/app/change"
	"molt/app/stages"
	"molt/core/assess"
	"molt/core/project"
	"molt/doc"
)

// newAssess makes the document of an assessment. Here gives the versions of the runtimes on this machine.
func newAssess(a *assess.Assessment, here map[string]string) doc.Assess {
	answer := doc.Assess{Schema: "molt/assess/1",
		Goal: doc.Goal{Name: a.Goal.Name, Constraint: a.Goal.Constraint, Release: a.Release}, Reachable: a.Reachable,
		Runtime: []doc.Runtime{}, Packages: []doc.Assessed{}}
	for _, n := range a.Runtimes {
		answer.Runtime = append(answer.Runtime, newRuntime(a, n, here[n.Name]))
	}
	for _, g := range a.Also {
		answer.Also = append(answer.Also, g.String())
	}
	for _, w := range a.Waits {
		answer.Waits = append(answer.Waits, doc.Wait{Package: w.Package, For: doc.SentenceOf(w.For)})
	}
	for _, d := range a.Against {
		answer.Against = append(answer.Against, doc.Doubtful{Package: d.Name, Says: doc.SentenceOf(d.Says)})
	}
	answer.Enough, answer.Reached, answer.Alone = a.Enough, a.Reached, a.Alone
	answer.Remarks = append([]doc.Sentence{}, doc.Sentences(a.Remarks)...)
	answer.Opens = a.Opens
	for _, t := range a.Touches {
		f := t.Advice
		answer.Advice = append(answer.Advice,
			doc.Touch{Kind: string(f.Kind), About: t.About, To: t.To, Says: doc.SentenceOf(f.Said()), Found: f.Found, Link: f.Link,
				Source: doc.InWords(f.Source), Confidence: string(f.Confidence)})
	}
	for _, got := range a.Packages {
		d := doc.Assessed{Name: got.Name, Group: got.Group, Declared: got.Declared, Locked: got.Locked,
			Standing: got.Standing, To: got.To, Held: got.Held,
			Older: got.Older, First: got.First, Newest: got.Newest, By: got.By, Preview: got.Preview, Evidence: []doc.Evidence{}}
		if got.Retires != nil {
			d.Retires, d.Successor = string(got.Retires.Kind), got.Retires.Successor
		}
		for _, e := range got.Evidence {
			d.Evidence = append(d.Evidence,
				doc.Evidence{Grade: e.Grade, Says: doc.SentenceOf(e.Says), Where: doc.SentenceOf(e.Where)})
		}
		answer.Packages = append(answer.Packages, d)
	}
	return answer
}

func newRuntime(a *assess.Assessment, n assess.RuntimeNeed, here string) doc.Runtime {
	answer := doc.Runtime{Name: n.Name, Needs: n.Needs, By: n.By, Deployed: n.Deployed.String(), Here: here, Met: n.Met}
	for _, e := range n.Environments() {
		answer.Where = append(answer.Where, doc.RuntimePlace{Place: e.Where, Version: e.Version, Met: e.Met})
	}
	for _, p := range n.Pins {
		answer.Where = append(answer.Where, doc.RuntimePlace{Place: p.Where, Version: p.Version, Met: p.Met})
	}
	return answer
}

// Assess says what goals mean for every declared package; without goals, the one of the
// configuration. Where the goal is out of reach, the answer has the ways out, unless it is for a
// gate.
func (s *Session) Assess(ctx context.Context, goals, previews []string, gate bool) (doc.Assess, error) {
	if err := s.advice(ctx, previews); err != nil {
		return doc.Assess{}, err
	}
	meant, err := stages.Goals(s.App.View, goals)
	if err != nil {
		return doc.Assess{}, err
	}
	got, err := assess.Assess(ctx, s.App.Source, s.App.Application(), meant...)
	if err != nil {
		return doc.Assess{}, s.explain(ctx, err)
	}
	here := map[string]string{}
	if name, v := s.App.RuntimeHere(ctx); v != "" {
		here[name] = v
	}
	answer := newAssess(got, here)
	var each []*assess.Assessment
	if !gate { // which asks whether all can be reached
		if each, err = assess.EachGoal(ctx, s.App.Source, s.App.Application(), meant); err != nil {
			return doc.Assess{}, s.explain(ctx, err)
		}
	}
	for i, one := range each {
		apart := newAssess(one, here)
		if i == 0 {
			answer.Packages = apart.Packages
			continue
		}
		answer.Apart = append(answer.Apart, doc.Towards{Goal: apart.Goal, Packages: apart.Packages})
	}
	answer.Ecosystem = s.App.SideName()
	if err := s.importers(&answer); err != nil {
		return doc.Assess{}, err
	}
	answer.Remarks = append(answer.Remarks, doc.Sentences(s.App.InferredNotes())...)
	if !got.Reachable && !gate {
		explained, _, err := s.untangledFrom(ctx, got)
		if err != nil {
			return doc.Assess{}, err
		}
		answer.Untangle = &explained
	}
	if !gate {
		answer.Next = nextOfAssess(answer, goals)
	}
	return answer, nil
}

// importers says of the blocked packages where the source imports them: what it would take to do without.
func (s *Session) importers(answer *doc.Assess) error {
	var blocked []*doc.Assessed
	var names []string
	for i := range answer.Packages {
		if d := &answer.Packages[i]; d.Standing == project.Blocked {
			blocked, names = append(blocked, d), append(names, d.Name)
		}
	}
	at, err := change.Importers(s.App.View, names)
	for _, d := range blocked {
		d.Uses = at[d.Name]
	}
	return err
}
