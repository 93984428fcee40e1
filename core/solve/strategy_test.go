package solve

import (
	"context"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"molt/core/universe"
)

// Where demands are lower bounds that never fall from one release to the next, the strategy Lowest finds the least solution,
// in which each package has the highest release that somebody names. The least solution is found here by raising releases until nothing asks for more.
func TestLowestIsLeast(t *testing.T) {
	for seed := range uint64(300) {
		random := rand.New(rand.NewPCG(seed, 7))
		b := &strings.Builder{}
		names := []string{"bow", "hull", "keel", "mast", "rib", "stern"}
		raised := func(bounds map[string]int, not string) string {
			text := ""
			for _, name := range names {
				if name != not && random.IntN(4) == 0 {
					bounds[name] = min(bounds[name]+1+random.IntN(2), 4)
				}
				if bounds[name] > 0 {
					text += fmt.Sprintf(" %s@>=%d", name, bounds[name])
				}
			}
			return text
		}
		fmt.Fprintf(b, "app: hull@>=1%s\n", raised(map[string]int{}, "hull"))
		for _, name := range names {
			bounds := map[string]int{}
			for version := range 4 {
				fmt.Fprintf(b, "%s@%d:%s\n", name, version+1, raised(bounds, name))
			}
		}
		source, p := sketch(t, b.String())
		want := leastSolution(source, p)
		for _, copies := range []bool{false, true} {
			p.Strategy = Strategy{Single: !copies, Takes: Lowest}
			p.Single = names // lower bounds never need a copy
			r, err := Resolve(context.Background(), source, p)
			if err != nil {
				t.Fatalf("seed %d: %v\n%s", seed, err, b)
			}
			got := map[string]string{}
			for _, n := range r.Packages {
				got[n.Name] = n.Version
			}
			if !maps.Equal(got, want) {
				t.Fatalf("seed %d, copies %v: %v, want %v\n%s", seed, copies, got, want, b)
			}
		}
	}
}

// leastSolution raises releases to what is asked for, until nothing asks for more, and keeps what is reached.
func leastSolution(source universe.Table, p Problem) map[string]string {
	at := map[string]int{}
	raise := func(d universe.Demand) (more bool) {
		pkg := source[d.Package]
		set, _ := pkg.Admit(d.Text)
		for i := range pkg.Len() {
			if set.Has(i) {
				if was, there := at[d.Package]; !there || was < i {
					at[d.Package], more = i, true
				}
				return more
			}
		}
		return false
	}
	for _, r := range p.Roots {
		raise(r.Demand)
	}
	reached := map[string]string{}
	for more := true; more; {
		more = false
		clear(reached)
		queue := []string{}
		for _, r := range p.Roots {
			queue = append(queue, r.Package)
		}
		for len(queue) > 0 {
			name := queue[0]
			queue = queue[1:]
			if reached[name] != "" {
				continue
			}
			reached[name] = source[name].Version(at[name]).String()
			for _, d := range source[name].Needs(at[name]) {
				more = raise(d) || more
				queue = append(queue, d.Package)
			}
		}
	}
	return reached
}

// What is deprecated, or a preview, is taken only where there is nothing else.
func TestLowestLeavesOut(t *testing.T) {
	source, p := sketch(t, `
		app: keel@>=1.0.0-beta mast@>=1.0.0-alpha
		keel@1.0.0-beta
		keel@1.1
		keel@2.0
		mast@1.0.0-alpha
		mast@1.0.0-beta`)
	p.Strategy = Strategy{Single: true, Takes: Lowest}
	r, err := Resolve(context.Background(), source, p)
	if err != nil {
		t.Fatal(err)
	}
	if got := []string{r.Root("keel").Version, r.Root("mast").Version}; !slices.Equal(got, []string{"1.1.0", "1.0.0-alpha"}) {
		t.Errorf("took %v", got)
	}
}
