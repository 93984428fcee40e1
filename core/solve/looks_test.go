package solve

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"molt/core/universe"
)

// A costly package counts the releases of which the needs were read.
type costly struct {
	*universe.Package
	read map[string]bool
}

func (c costly) Version(i int) string           { return c.Package.Version(i).String() }
func (c costly) Dear(int) bool                  { return false }
func (c costly) LookAhead([]int)                {}
func (c costly) About(i int) universe.Release   { return *c.At(i) }
func (c costly) Release(i int) universe.Release { return *c.At(i) }
func (c costly) Needs(i int) []universe.Demand {
	c.read[c.Name+"@"+c.Version(i)] = true
	return c.Package.Needs(i)
}

func costlyTable(table universe.Table) (_ universe.Table, read map[string]bool) {
	made, read := universe.Table{}, map[string]bool{}
	for name, p := range table {
		made[name] = universe.Keep(&universe.Package{Name: name, Scheme: p.Scheme}, costly{p, read})
	}
	return made, read
}

// TestLooks: where it costs a request to see what a release needs, a search ends its looks, and its answer is then a
// resolution that stands, a tangle that stands, or one that says what was not looked at.
func TestLooks(t *testing.T) {
	most, each := mostLooks, looksPerPackage
	defer func() { mostLooks, looksPerPackage = most, each }()
	mostLooks, looksPerPackage = 3, 0
	found := map[string]int{}
	for seed := range seeds(1500) {
		table, p, err := sketched(randomUniverse(rand.New(rand.NewPCG(uint64(seed), 11))))
		if err != nil {
			t.Fatal(err)
		}
		p.Strategy = Single
		possible, err := Possible(context.Background(), table, p)
		if err != nil {
			t.Fatal(err)
		}
		source, _ := costlyTable(table)
		r, err := Resolve(context.Background(), source, p)
		var tangle *Tangle
		switch {
		case err == nil:
			found["resolved"]++
			if err := Verify(context.Background(), table, p, r); err != nil {
				t.Errorf("seed %d: %v", seed, err)
			}
		case !errors.As(err, &tangle):
			t.Errorf("seed %d: %v", seed, err)
		case tangle.Unseen != nil:
			found["not decided"]++
		case possible:
			t.Errorf("seed %d has a resolution, and yet %v", seed, err)
		default:
			found["refuted"]++
		}
	}
	for _, what := range []string{"resolved", "not decided", "refuted"} {
		if found[what] < 30 {
			t.Errorf("only %d are %s", found[what], what)
		}
	}
}

// TestLooksAtSisters: of two packages whose releases each ask for the equal one of the other, and
// of which none will do, not all are read.
func TestLooksAtSisters(t *testing.T) {
	var text strings.Builder
	text.WriteString("app: kit@1\nkit@1: sister@*\n")
	for i := range 3000 {
		fmt.Fprintf(&text, "sister@1.%d.0: core@1.%d.0\ncore@1.%d.0: gone@1\n", i, i, i)
	}
	table, p := sketch(t, text.String())
	p.Strategy = Single
	source, read := costlyTable(table)
	_, err := Resolve(context.Background(), source, p)
	var tangle *Tangle
	if !errors.As(err, &tangle) || tangle.Unseen["sister"] == "" || len(tangle.Demands) > mostShown {
		t.Fatalf("%.300v", err)
	}
	if len(read) > mostLooks+10*looksPerPackage {
		t.Errorf("%d releases were read", len(read))
	}
}
