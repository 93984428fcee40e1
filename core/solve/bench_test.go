package solve_test

import (
	"context"
	"fmt"
	"testing"

	"molt/core/solve"
	"molt/core/solve/instances"
)

func BenchmarkLayered(b *testing.B) {
	for _, tenancy := range []struct {
		name string
		t    solve.Tenancy
	}{{"nested", solve.Nested}, {"single", solve.Single}} {
		for _, n := range []int{100, 1000, 10000, 50000} {
			b.Run(fmt.Sprintf("%s/%d", tenancy.name, n), func(b *testing.B) {
				in := instances.Layered(n, tenancy.t)
				size := 0
				b.ReportAllocs()
				for b.Loop() {
					r, err := solve.Resolve(context.Background(), in.Source, in.Problem)
					if err != nil {
						b.Fatal(err)
					}
					size = len(r.Packages)
				}
				b.ReportMetric(float64(size), "packages")
			})
		}
	}
}
