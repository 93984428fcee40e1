package solve

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"molt/core/universe"
	"molt/ecosystem/js/ranges"
)

// Every package is found by its name and by no other, however many there are, and after the table
// was emptied there are none.
func TestPackagesByName(t *testing.T) {
	s := &solver{source: universe.Table{}}
	for _, count := range []int{1, 31, 32, 33, 5000, 3} {
		name := func(i int) string { return strings.Repeat("x", i%40) + fmt.Sprint(i) }
		for i := range count {
			if s.named(name(i)) != nil {
				t.Fatalf("%q is there before it was added", name(i))
			}
			s.adopt(universe.NewPackage(name(i), ranges.Scheme, nil))
		}
		for i := range 2 * count {
			p := s.named(name(i))
			if i >= count && p != nil || i < count && (p == nil || p.Name != name(i) || int(p.id) != i) {
				t.Fatalf("of %d, %q leads to %v", count, name(i), p)
			}
		}
		s.loaded.n = 0
		s.byName.clear()
	}
}

// Two packages with the same part of the hash, next to each other or round the end of the table, are told apart.
func TestNamesWithOneHash(t *testing.T) {
	s := &solver{}
	s.byName.entries = make([]nameEntry, fewNames)
	for i := range 5 {
		p, id := s.loaded.add()
		p.Package, p.id = universe.NewPackage(fmt.Sprint("p", i), ranges.Scheme, nil), id
		s.byName.add(p)
	}
	hash := func(name string) (at int, e nameEntry) {
		for at, e := range s.byName.entries {
			if e.number != 0 && s.loaded.at(e.number-1).Name == name {
				return at, e
			}
		}
		t.Fatalf("%s is not there", name)
		return 0, nameEntry{}
	}
	_, wanted := hash("p3")
	crowded := make([]nameEntry, fewNames)
	at := s.byName.place(wanted.hash)
	for i := range int32(5) { // all with one hash, p3 as the fourth of them
		crowded[(at+int(i))%fewNames] = nameEntry{wanted.hash, i + 1}
	}
	s.byName.entries = crowded
	if p := s.named("p3"); p == nil || p.Name != "p3" {
		t.Errorf("p3 leads to %v", p)
	}
}

// IDs come out in the order of their bytes, whether their first bytes tell or not.
func TestSortedByID(t *testing.T) {
	random := rand.New(rand.NewPCG(3, 4))
	for range 200 {
		var all []label
		var classes []int32
		for i := range 1 + random.IntN(60) {
			id := strings.Repeat("abc", random.IntN(8)) + []string{"", "\x00", "@1.0.0", "\xff", "é"}[random.IntN(5)] +
				fmt.Sprint(random.IntN(30))
			all = append(all, label{id: id})
			classes = append(classes, int32(i))
		}
		var want, got []string
		for _, l := range all {
			want = append(want, l.id)
		}
		slices.Sort(want)
		for _, class := range sorted(classes, all) {
			got = append(got, all[class].id)
		}
		if !slices.Equal(got, want) {
			t.Fatalf("sorted to %q, not %q", got, want)
		}
	}
}

// A number only helps: demands that carry those of another source, or each other's, get the packages that they name.
func TestNumbersAreNotReliedUpon(t *testing.T) {
	for seed := range 300 {
		random := rand.New(rand.NewPCG(uint64(seed), 7))
		text := randomUniverse(random)
		plain, p := sketch(t, text)
		odd, q := sketch(t, text)
		q.Strategy = Strategy{Single: seed%2 == 1}
		p.Strategy = q.Strategy
		for _, pkg := range odd {
			for i := range pkg.Len() {
				r := pkg.At(i)
				for _, all := range [][]universe.Demand{r.Needs, r.Peers} {
					for k := range all {
						all[k].Number = random.Int32N(4)
					}
				}
			}
		}
		want, wantErr := Resolve(context.Background(), plain, p)
		got, gotErr := Resolve(context.Background(), odd, q)
		if fmt.Sprint(wantErr) != fmt.Sprint(gotErr) || wantErr == nil && !sameGraph(got, want) {
			t.Fatalf("seed %d: %v, %v; without numbers %v, %v\n%s", seed, got, gotErr, want, wantErr, text)
		}
	}
}
