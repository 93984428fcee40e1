package ask

import (
	"context"

	"molt/app/change"
	"molt/core/plan"
	"molt/doc"
)

// Offer puts what is new on branches, a set of changes on each, and renews those of earlier offers;
// when it is dry it only says what these would be.
func (s *Session) Offer(ctx context.Context, dry bool) (doc.Offers, error) {
	answer := doc.Offers{Schema: "molt/offers/1", Ecosystem: s.App.SideName(), DryRun: dry, Offers: []doc.Offer{},
		Waiting: []doc.PlanBehind{}}
	if err := s.advice(ctx, nil); err != nil {
		return answer, err
	}
	all, waiting, err := change.Offer(ctx, s.App, dry)
	if err != nil {
		return answer, s.explain(ctx, err)
	}
	var sets []plan.Offer
	for _, o := range all {
		sets = append(sets, o.Offer)
	}
	changes := change.ChangeDocs(s.App.View, sets)
	open := false
	for i, o := range all {
		one := doc.Offer{ID: o.ID, Title: doc.SentenceOf(o.Title), Branch: o.Branch, Commit: o.Commit, State: o.State,
			Changes: append([]doc.PlanChange{}, changes[i]...), Notes: append([]string{}, o.Notes...), Runs: runDocs(o.Runs),
			Unread: o.Unread}
		if o.Effect != nil {
			one.Lock, open = len(o.Effect.Differences), true
		}
		answer.Offers = append(answer.Offers, one)
	}
	for _, w := range waiting {
		answer.Waiting = append(answer.Waiting,
			doc.PlanBehind{Name: w.Name, At: w.At, Newest: w.Newest, Why: doc.SentenceOf(w.Why)})
	}
	switch {
	case dry && open:
		answer.Next = next(call("offer"), doc.MakesBranches)
	case open:
		answer.Next = next(call("offer"), doc.RenewsBranches)
	}
	return answer, nil
}
