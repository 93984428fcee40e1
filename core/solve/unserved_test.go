package solve

import (
	"context"
	"errors"
	"fmt"
	"testing"

	"molt/core/universe"
	"molt/ecosystem/js/ranges"
)

// TestUnserved: a package of very many releases, each of which needs what nobody publishes, is not
// tried release by release where some make the same demand, and its tangle is not taken apart
// demand by demand where none do.
func TestUnserved(t *testing.T) {
	const n = 2000
	for _, test := range []struct{ names, most int }{{7, 9}, {n, 20}} {
		var releases []universe.Release
		for i := range n {
			v, err := ranges.Scheme.Parse(fmt.Sprintf("1.%d.%d", i/100, i%100))
			if err != nil {
				t.Fatal(err)
			}
			r := universe.Release{Version: v}
			for k, part := range []string{"a", "b", "c"} {
				name := fmt.Sprintf("gone%d%s", i%(test.names+4*k), part)
				r.Needs = append(r.Needs, universe.Demand{As: name, Package: name, Text: "^1"})
			}
			releases = append(releases, r)
		}
		table := universe.Table{"hull": universe.NewPackage("hull", ranges.Scheme, releases)}
		for _, tenancy := range []Strategy{Nested, Single} {
			p := Problem{Strategy: tenancy,
				Roots: []Root{{Demand: universe.Demand{As: "hull", Package: "hull", Text: "^1"}, Group: "dependencies"}}}.sharing()
			_, err := Resolve(context.Background(), table, p)
			var tangle *Tangle
			if !errors.As(err, &tangle) || len(tangle.Demands) > test.most {
				t.Fatalf("%d names, strategy %v: %.200v", test.names, tenancy, err)
			}
			if p.shared.steps > 50*n {
				t.Errorf("%d names, strategy %v: %d steps", test.names, tenancy, p.shared.steps)
			}
		}
	}
}
