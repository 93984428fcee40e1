package bench

import (
	"context"
	"errors"
	"fmt"
	"os"
	"slices"
	"strconv"
	"testing"
	"time"

	"molt/core/solve"
	"molt/samples/instances"
)

// perFamily is how many instances of each family are compared; the variable MOLT_BENCH_INSTANCES changes it.
func perFamily() int {
	if n, err := strconv.Atoi(os.Getenv("MOLT_BENCH_INSTANCES")); err == nil {
		return n
	}
	return 3000
}

// TestAgreement compares the verdicts, and reports how the times compare at the median.
func TestAgreement(t *testing.T) {
	for _, family := range instances.Families {
		t.Run(family.Name, func(t *testing.T) {
			n, solvable := perFamily(), 0
			ratios := make([]float64, 0, n)
			for seed := range n {
				in := family.Make(uint64(seed))
				began := time.Now()
				ok, err := solve.Possible(context.Background(), in.Source, in.Problem)
				ours := time.Since(began)
				if err != nil {
					t.Fatalf("%s: %v", in.Name, err)
				}
				// of its own: reading versions and constraints is part of the work, and packages remember them
				other := family.Make(uint64(seed))
				began = time.Now()
				theirs := Encode(other).Solve() == 1
				sat := time.Since(began)
				if ok != theirs {
					t.Fatalf("%s: Molt says solvable %v, the SAT solver %v", in.Name, ok, theirs)
				}
				if ok {
					solvable++
				}
				ratios = append(ratios, float64(sat)/float64(ours))
			}
			slices.Sort(ratios)
			t.Logf("%d instances, %d solvable; SAT time over Molt's: median %.2f, lowest %.2f, tenth %.2f, highest %.0f",
				n, solvable, ratios[n/2], ratios[0], ratios[n/10], ratios[n-1])
		})
	}
}

// BenchmarkFamilies times both solvers on the same instances, encoding included.
func BenchmarkFamilies(b *testing.B) {
	for _, family := range instances.Families {
		all := make([]instances.Instance, 50)
		for seed := range all {
			all[seed] = family.Make(uint64(seed))
		}
		b.Run(fmt.Sprintf("%s/molt", family.Name), func(b *testing.B) {
			for i := 0; b.Loop(); i++ {
				in := all[i%len(all)]
				if _, err := solve.Possible(context.Background(), in.Source, in.Problem); err != nil &&
					!errors.Is(err, solve.ErrEndless) {
					b.Fatal(err)
				}
			}
		})
		b.Run(fmt.Sprintf("%s/sat", family.Name), func(b *testing.B) {
			for i := 0; b.Loop(); i++ {
				Encode(all[i%len(all)]).Solve()
			}
		})
	}
}
