package solve

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"strconv"
	"strings"
	"testing"

	"molt/core/universe"
	"molt/ecosystem/js/ranges"
)

// planted makes a universe with cycles and peers in which one release of every package, chosen before, fits everything
// that it meets: a resolution exists. The application declares some of the packages.
func planted(r *rand.Rand, n int) (universe.Table, Problem) {
	dense := 2 + r.IntN(5)
	table := universe.Table{}
	versions := make([][]string, n)
	chosen := make([]int, n)
	for i := range n {
		for k := range 1 + r.IntN(9) {
			versions[i] = append(versions[i], fmt.Sprintf("%d.%d.0", 1+k/2, k%2))
		}
		chosen[i] = r.IntN(len(versions[i]))
	}
	name := func(i int) string { return "p" + strconv.Itoa(i) }
	constraint := func(i int, fits bool) string {
		v := versions[i][r.IntN(len(versions[i]))]
		if fits {
			v = versions[i][chosen[i]]
		}
		major := strings.SplitN(v, ".", 2)[0]
		return []string{"^" + v, "~" + v, v, ">=" + v, "<=" + v, major + ".x", "*", "^" + v + " || ^9.0.0"}[r.IntN(8)]
	}
	for i := range n {
		var releases []universe.Release
		for k, text := range versions[i] {
			v, err := ranges.Scheme.Parse(text)
			if err != nil {
				panic(err)
			}
			release := universe.Release{Version: v}
			for range r.IntN(dense) {
				other := r.IntN(n)
				d := universe.Demand{As: name(other), Package: name(other), Text: constraint(other, k == chosen[i])}
				switch r.IntN(8) {
				case 0, 1, 2:
					release.Peers = append(release.Peers, d)
				case 3:
					d.Optional = true
					release.Peers = append(release.Peers, d)
				case 4:
					d.Optional = true
					release.Needs = append(release.Needs, d)
				default:
					release.Needs = append(release.Needs, d)
				}
			}
			releases = append(releases, release)
		}
		table[name(i)] = universe.NewPackage(name(i), ranges.Scheme, releases)
	}
	p := Problem{}
	for i := range n {
		if r.IntN(4) == 0 || i == 0 {
			p.Roots = append(p.Roots, Root{Demand: universe.Demand{As: name(i), Package: name(i), Text: constraint(i, true)}})
		}
	}
	return table, p
}

// Universes in which packages need each other in many cycles, with peers, resolve, within the steps that a call may take.
// MOLT_SEEDS asks for more of them than the few that every test run tries.
func TestPlantedUniverses(t *testing.T) {
	count, most := seeds(12), 0
	for seed := range count {
		r := rand.New(rand.NewPCG(uint64(seed), 7))
		table, p := planted(r, 8+r.IntN(53))
		p = p.sharing()
		got, err := Resolve(context.Background(), table, p)
		most = max(most, p.shared.steps)
		if err != nil {
			t.Errorf("universe %d, %d packages, after %d steps: %v", seed, len(table), p.shared.steps, err)
			continue
		}
		if err := Verify(context.Background(), table, p, got); err != nil {
			t.Errorf("universe %d: %v", seed, err)
		}
	}
	t.Logf("at most %d steps", most)
}

// seeds is how many universes a test tries, unless the variable MOLT_SEEDS says how many.
func seeds(usual int) int {
	if n, err := strconv.Atoi(os.Getenv("MOLT_SEEDS")); err == nil {
		return n
	}
	return usual
}

// BenchmarkCycles resolves universes in which packages need each other in many cycles and look
// peers up through them, so that contexts have to be grouped.
func BenchmarkCycles(b *testing.B) {
	for _, seed := range []uint64{14, 77, 240} {
		b.Run(fmt.Sprint(seed), func(b *testing.B) {
			r := rand.New(rand.NewPCG(seed, 7))
			table, p := planted(r, 8+r.IntN(53))
			for b.Loop() {
				if _, err := Resolve(context.Background(), table, p); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
