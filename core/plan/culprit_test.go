package plan

import (
	"math/rand/v2"
	"slices"
	"testing"
)

// A culprit is minimal, and one alone is found in twice the logarithm.
func TestCulprit(t *testing.T) {
	random := rand.New(rand.NewPCG(4, 4))
	for range 500 {
		n := 1 + random.IntN(40)
		guilty := random.Perm(n)[:1+random.IntN(min(n, 3))]
		trials := 0
		fails := func(some []int) bool {
			for _, g := range guilty {
				if !slices.Contains(some, g) {
					return false
				}
			}
			return true
		}
		found, err := Culprit(n, func(some []int) (Outcome, error) {
			trials++
			if !slices.IsSorted(some) || len(some) == 0 {
				t.Fatalf("asked for %v", some)
			}
			if fails(some) {
				return Fails, nil
			}
			return Passes, nil
		})
		slices.Sort(guilty)
		if err != nil || !slices.Equal(found, guilty) {
			t.Fatalf("of %d the culprit is %v, found %v, %v", n, guilty, found, err)
		}
		if bits := 0; len(guilty) == 1 {
			for 1<<bits < n {
				bits++
			}
			if trials > 2*bits {
				t.Errorf("%d trials for one culprit in %d", trials, n)
			}
		}
	}
}

// Where parts do not resolve alone, the search goes around them.
func TestCulpritAmongWhatDoesNotResolve(t *testing.T) {
	// 0 and 5 only resolve together; 5 is guilty.
	found, err := Culprit(8, func(some []int) (Outcome, error) {
		zero, five := slices.Contains(some, 0), slices.Contains(some, 5)
		switch {
		case zero != five:
			return Unsure, nil
		case five:
			return Fails, nil
		}
		return Passes, nil
	})
	if err != nil || !slices.Equal(found, []int{0, 5}) {
		t.Errorf("found %v, %v", found, err)
	}
}
