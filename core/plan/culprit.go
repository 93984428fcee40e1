package plan

import (
	"fmt"
	"slices"
)

// An Outcome is what a trial with some of a stage's changes came to.
type Outcome string

// The outcomes of a trial.
const (
	Passes Outcome = "passes"
	Fails  Outcome = "fails"
	Unsure Outcome = "unsure" // it does not resolve, or it fails in another way
)

// Culprit looks for a minimal set among n changes that fails: with any one of them taken away it does not fail. All n
// together are known to fail, and none to pass. The trial is asked for sets of indices, ascending, each at most once. A
// single culprit whose company does not matter is found in at most 2·log2(n) trials. An error of the trial ends the
// search.
//
// This is the minimizing form of delta debugging: Zeller and Hildebrandt, "Simplifying and Isolating Failure-Inducing
// Input", IEEE Transactions on Software Engineering 28(2), 2002. As there, what fails is cut into ever more parts; each
// part is tried by itself, and then, when there are more than two, the rest without it.
func Culprit(n int, trial func(some []int) (Outcome, error)) ([]int, error) {
	known := map[string]Outcome{}
	try := func(some []int) (Outcome, error) {
		key := fmt.Sprint(some)
		if o, seen := known[key]; seen {
			return o, nil
		}
		o, err := trial(some)
		known[key] = o
		return o, err
	}
	failing := make([]int, n)
	for i := range failing {
		failing[i] = i
	}
	for parts := 2; len(failing) > 1; {
		parts = min(parts, len(failing))
		smaller, alone, err := reduce(failing, parts, try)
		switch {
		case err != nil:
			return nil, err
		case smaller != nil && alone:
			failing, parts = smaller, 2
		case smaller != nil:
			failing, parts = smaller, max(parts-1, 2)
		case parts == len(failing):
			return failing, nil
		default:
			parts *= 2
		}
	}
	return failing, nil
}

// reduce looks for one part of a failing set that fails by itself, or for a part without which the rest fails; nil when
// there is none.
func reduce(failing []int, parts int, try func([]int) (Outcome, error)) (smaller []int, alone bool, err error) {
	bounds := make([]int, parts+1)
	for i := range bounds {
		bounds[i] = i * len(failing) / parts
	}
	for i := range parts {
		part := failing[bounds[i]:bounds[i+1]]
		o, err := try(part)
		if err != nil || o == Fails {
			return part, true, err
		}
	}
	if parts == 2 {
		return nil, false, nil // the rest without a half is the other half
	}
	for i := range parts {
		rest := slices.Concat(failing[:bounds[i]], failing[bounds[i+1]:])
		o, err := try(rest)
		if err != nil || o == Fails {
			return rest, false, err
		}
	}
	return nil, false, nil
}
