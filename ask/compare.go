package ask

import (
	"context"

	"molt/app/open"
	"molt/core/inspect"
	"molt/doc"
)

// newCompare makes the document of a comparison.
func newCompare(before, after string, all []inspect.Difference) doc.Compare {
	answer := doc.Compare{Schema: "molt/compare/1", Before: before, After: after, Counts: map[inspect.DifferenceKind]int{},
		Differences: []doc.Difference{}}
	for _, k := range inspect.DifferenceKinds {
		answer.Counts[k] = 0
	}
	for _, d := range all {
		answer.Counts[d.Kind]++
		answer.Differences = append(answer.Differences,
			doc.Difference{Name: d.Name, Declared: d.Declared, Kind: d.Kind, From: append([]string{}, d.From...),
				To: append([]string{}, d.To...)})
	}
	return answer
}

// Compare shows what differs between two states of an application, which State reads.
func Compare(ctx context.Context, a *open.View, before, after string) (doc.Compare, error) {
	from, err := open.State(ctx, a, before)
	if err != nil {
		return doc.Compare{}, err
	}
	to, err := open.State(ctx, a, after)
	if err != nil {
		return doc.Compare{}, err
	}
	return newCompare(before, after, inspect.Compare(a.Eco.Scheme(), from, to)), nil
}
