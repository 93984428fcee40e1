package solve

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"molt/core/universe"
	"molt/ecosystem/js/ranges"
)

// Universes too large for brute force, dense in peers, cycles, copies and aliases: what is found verifies.
func TestDenseUniverses(t *testing.T) {
	count := 400
	if testing.Short() {
		count = 60
	}
	found := map[string]int{}
	for seed := range count {
		random := rand.New(rand.NewPCG(uint64(seed), 13))
		text := denseUniverse(random)
		source, p := sketch(t, text)
		r, err := Resolve(context.Background(), source, p)
		var tangle *Tangle
		switch {
		case errors.As(err, &tangle):
			found["refuted"]++
			continue
		case errors.Is(err, ErrEndless):
			found["endless"]++
			continue
		case err != nil:
			t.Fatal(err)
		case r.Folded:
			found["folded"]++
		default:
			found["solved"]++
		}
		if err := Verify(context.Background(), source, p, r); err != nil {
			t.Fatalf("seed %d: %v\n%s", seed, err, text)
		}
	}
	if found["solved"] < count/3 || found["refuted"] < count/20 || found["endless"]+found["folded"] > count/50 {
		t.Errorf("found %v", found)
	}
	t.Log(found)
}

func denseUniverse(random *rand.Rand) string {
	n := 6 + random.IntN(9)
	name := func() string { return fmt.Sprintf("p%d", random.IntN(n)) }
	constraint := func() string {
		return []string{"*", "*", "^1", "^2", "^3", ">=2", "1||3", "<3", "2"}[random.IntN(9)]
	}
	var b strings.Builder
	b.WriteString("app:")
	for i := range 1 + random.IntN(4) {
		fmt.Fprintf(&b, " p%d@%s", i, constraint())
	}
	for i := range n {
		for v := range 1 + random.IntN(4) {
			fmt.Fprintf(&b, "\np%d@%d: ", i, v+1)
			said := map[string]bool{fmt.Sprintf("p%d", i): true}
			for range random.IntN(5) {
				d := name()
				if said[d] {
					continue
				}
				said[d] = true
				kind := []string{"", "", "", "peer:", "peer:", "peer?:", "opt:", "a" + d + "="}[random.IntN(8)]
				fmt.Fprintf(&b, " %s%s@%s", kind, d, constraint())
			}
		}
	}
	return b.String()
}

// Absurd metadata ends in a tangle or an error that names it, never in a panic or without an end.
func TestAbsurdUniverses(t *testing.T) {
	tests := []struct{ name, universe, says string }{
		{"a package that needs itself at another release", "app: a@1\na@1: a@2\na@2: a@1", ""},
		{"a package that needs itself at a release that is not there", "app: a@1\na@1: a@9", "a needs a 9"},
		{"a package that peers on itself", "app: a@1\na@1: peer:a@1", ""},
		{"a package that peers on another release of itself", "app: a@1\na@1: peer:a@2\na@2", "a has the peer a 2"},
		{"a release listed twice", "app: a@1\na@1: b@1\na@1: b@2\nb@1", ""},
		{"a need on an unknown package", "app: a@*\na@1: ghost@*", "a needs ghost *"},
		{"a root on an unknown package", "app: ghost@*\na@1", "the application needs ghost *"},
		{"a constraint that cannot be read", "app: a@*\na@1: b@nonsense!\nb@1", "a needs b nonsense!"},
		{"two that only have each other", "app: a@*\na@1: peer:b@*\nb@1: peer:a@*", ""},
		{"everything optional and nothing there", "app: a@*\na@1: opt:x@* peer?:y@*", ""},
	}
	for _, test := range tests {
		source, p := sketch(t, test.universe)
		r, err := Resolve(context.Background(), source, p)
		switch {
		case test.says == "" && err != nil:
			t.Errorf("%s: %v", test.name, err)
		case test.says == "":
			if err := Verify(context.Background(), source, p, r); err != nil {
				t.Errorf("%s: %v", test.name, err)
			}
		case err == nil || !strings.Contains(err.Error(), test.says):
			t.Errorf("%s: %v, want an error that says %q", test.name, err, test.says)
		}
	}
	empty := universe.Table{"a": universe.NewPackage("a", ranges.Scheme, nil)}
	p := Problem{Roots: []Root{{Demand: universe.Demand{As: "a", Package: "a", Text: "*"}}}}
	if _, err := Resolve(context.Background(), empty, p); err == nil {
		t.Error("a package without releases was resolved")
	}
}

// Whatever the universe, the solver ends, and what it finds verifies.
func FuzzResolve(f *testing.F) {
	f.Add("app: a@* b@1\na@1: peer:b@1 opt:c@*\na@2: b@2\nb@1: a@* peer?:c@1\nb@2\nc@1: x=a@1")
	f.Add("app: a@1\na@1: a@2\na@2: a@1")
	for seed := range 5 {
		f.Add(denseUniverse(rand.New(rand.NewPCG(uint64(seed), 17))))
	}
	f.Fuzz(func(t *testing.T, text string) {
		if len(text) > 2000 {
			return
		}
		var p Problem
		var rest []string
		for _, line := range strings.Split(text, "\n") {
			app, found := strings.CutPrefix(line, "app:")
			if !found {
				rest = append(rest, line)
				continue
			}
			for _, word := range strings.Fields(app) {
				d, kind, err := universe.SketchDemand(word)
				if err != nil || kind != "need" {
					return
				}
				p.Roots = append(p.Roots, Root{Demand: d, Group: "dependencies"})
			}
		}
		source, err := universe.Sketch(ranges.Scheme, strings.Join(rest, "\n"))
		if err != nil {
			return
		}
		for _, tenancy := range []Strategy{Nested, Single} {
			p.Strategy = tenancy
			ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
			defer cancel()
			r, err := Resolve(ctx, source, p)
			var tangle *Tangle
			if errors.As(err, &tangle) || errors.Is(err, ErrEndless) {
				continue
			}
			if err != nil {
				t.Fatal(err)
			}
			if err := Verify(context.Background(), source, p, r); err != nil {
				t.Fatalf("%v\n%s", err, text)
			}
		}
	})
}
