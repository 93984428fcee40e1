package solve

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"math/rand/v2"
	"runtime"
	"slices"
	"strings"
	"testing"

	"golang.org/x/sync/errgroup"

	"molt/core/universe"
)

// brute decides by definition whether a problem has a resolution, with none of the solver's ideas: it tries every
// release, or none, for every name at the application's level, and then asks of each package there whether it can
// stand, given what it sees. A package can stand when its peers fit and its needs can be given releases that can
// stand; on a cycle it can unless something says no (the greatest fixed point).
type brute struct {
	source universe.Table
	p      Problem
	states map[string]*state
	list   []*state
}

// A state is a release and what its dependent sees, name by name.
type state struct {
	pkg     string
	w       int
	choices [][]*state // the alternatives, each a list of what must stand
	bad     bool
}

// A sight is a release under a name; w is -1 for none.
type sight struct {
	pkg string
	w   int
}

func possible(source universe.Table, p Problem) bool {
	b := &brute{source: source, p: p, states: map[string]*state{}}
	names := map[string]string{}
	for name, pkg := range source {
		for r := range pkg.All() {
			for _, d := range r.Peers {
				names[d.As] = d.Package
			}
		}
		if b.global(name) {
			names[name] = name
		}
	}
	for _, r := range p.Roots {
		names[r.As] = r.Package
	}
	order := slices.Sorted(maps.Keys(names))
	env := map[string]sight{}
	var try func(k int) bool
	try = func(k int) bool {
		if k == len(order) {
			return b.top(env)
		}
		name := order[k]
		for w := -1; w < b.count(names[name]); w++ {
			env[name] = sight{names[name], w}
			if b.rootsAllow(name, env[name]) && try(k+1) {
				return true
			}
		}
		return false
	}
	return try(0)
}

func (b *brute) count(pkg string) int {
	if p := b.source[pkg]; p != nil {
		return p.Len()
	}
	return 0
}

func (b *brute) global(name string) bool {
	return b.p.Strategy.Single || slices.Contains(b.p.Single, name)
}

func (b *brute) admits(s sight, text string) bool {
	set, err := b.source[s.pkg].Admit(text)
	return err == nil && set.Has(s.w)
}

func (b *brute) rootsAllow(name string, s sight) bool {
	for _, r := range b.p.Roots {
		if r.As == name && (s.w < 0 && !r.Optional || s.w >= 0 && !b.admits(s, r.Text)) {
			return false
		}
	}
	return true
}

func (b *brute) top(env map[string]sight) bool {
	var all []*state
	for _, s := range env {
		if s.w >= 0 {
			all = append(all, b.state(s, env))
		}
	}
	for changed := true; changed; {
		changed = false
		for _, s := range b.list {
			if !s.bad && !slices.ContainsFunc(s.choices, func(c []*state) bool { return !slices.ContainsFunc(c, isBad) }) {
				s.bad, changed = true, true
			}
		}
	}
	return !slices.ContainsFunc(all, isBad)
}

func isBad(s *state) bool { return s.bad }

// state returns the state of a release whose dependent sees env, with all states below it.
func (b *brute) state(at sight, env map[string]sight) *state {
	key := strings.Builder{}
	fmt.Fprint(&key, at)
	for _, name := range slices.Sorted(maps.Keys(env)) {
		if s := env[name]; s.w >= 0 {
			fmt.Fprint(&key, name, s)
		}
	}
	if s, ok := b.states[key.String()]; ok {
		return s
	}
	s := &state{pkg: at.pkg, w: at.w}
	b.states[key.String()] = s
	b.list = append(b.list, s)
	r := b.source[at.pkg].At(at.w)
	for _, peer := range r.Peers {
		seen, ok := env[peer.As]
		if there := ok && seen.w >= 0; there && !b.admits(seen, peer.Text) || !there && !peer.Optional {
			s.bad = true
			return s
		}
	}
	chosen := map[string]sight{}
	var choose func(k int)
	choose = func(k int) {
		if k == len(r.Needs) {
			below := maps.Clone(env)
			var all []*state
			for name, c := range chosen {
				if c.w >= 0 && !b.global(name) {
					below[name] = c
				}
			}
			for name, c := range chosen {
				if c.w >= 0 && !b.global(name) {
					all = append(all, b.state(c, below))
				}
			}
			s.choices = append(s.choices, all)
			return
		}
		d := r.Needs[k]
		from, to := -1, b.count(d.Package)
		if b.global(d.As) {
			from, to = env[d.As].w, env[d.As].w+1
		}
		for w := from; w < to; w++ {
			c := sight{d.Package, w}
			if w < 0 && d.Optional || w >= 0 && b.admits(c, d.Text) {
				chosen[d.As] = c
				choose(k + 1)
			}
		}
	}
	choose(0)
	return s
}

// randomUniverse is small enough for brute force, and dense in peers, cycles, several majors and optional demands.
func randomUniverse(random *rand.Rand) string {
	names := []string{"a", "b", "c", "d", "e"}[:3+random.IntN(3)]
	constraints := []string{"*", "*", "^1", "^2", ">=2", "1||3", "<3", "2", "^3", "9"}
	demands := 4
	if random.IntN(2) == 0 { // many copies, each in its own surroundings
		constraints, demands = []string{"1", "2", "1||2", "*", "1", "2"}, 6
	}
	demand := func(self string) string {
		name := names[random.IntN(len(names))]
		if name == self {
			return ""
		}
		return name + "@" + constraints[random.IntN(len(constraints))]
	}
	text := strings.Builder{}
	text.WriteString("app:")
	for _, name := range names[:1+random.IntN(3)] {
		fmt.Fprintf(&text, " %s@%s", name, constraints[random.IntN(6)])
	}
	for _, name := range names {
		for v := range 1 + random.IntN(3) {
			fmt.Fprintf(&text, "\n%s@%d: ", name, v+1)
			said := map[string]bool{}
			for range random.IntN(demands) {
				d := demand(name)
				if as, _, _ := strings.Cut(d, "@"); d == "" || said[as] {
					continue
				} else {
					said[as] = true
				}
				fmt.Fprintf(&text, " %s%s", []string{"", "", "peer:", "peer:", "peer?:", "opt:"}[random.IntN(6)], d)
			}
		}
	}
	return text.String()
}

func TestAgainstBruteForce(t *testing.T) {
	againstBruteForce(t, seeds(1000))
}

// againstBruteForce deals the universes out to as many shards as there are processors.
func againstBruteForce(t *testing.T, count int) {
	t.Helper()
	shards := runtime.GOMAXPROCS(0)
	founds := make([]map[string]int, shards)
	var g errgroup.Group
	for shard := range shards {
		founds[shard] = map[string]int{}
		g.Go(func() error {
			for seed := shard; seed < count; seed += shards {
				if err := oneAgainstBruteForce(uint64(seed), founds[shard]); err != nil {
					return err
				}
			}
			return nil
		})
	}
	if err := g.Wait(); err != nil {
		t.Fatal(err)
	}
	found := map[string]int{}
	for _, some := range founds {
		for what, n := range some {
			found[what] += n
		}
	}
	for _, what := range []string{
		"nested solved", "nested refuted", "single solved", "single refuted", "single b solved", "single b refuted",
		"several contexts"} {
		if found[what] < count/200 {
			t.Errorf("only %d cases of %q: the universes are too tame", found[what], what)
		}
	}
	if found["endless"] > count/500 {
		t.Errorf("%d cases without a finite graph", found["endless"])
	}
	t.Log(found)
}

// oneAgainstBruteForce compares the answers on one universe, in every mode.
func oneAgainstBruteForce(seed uint64, found map[string]int) error {
	text := randomUniverse(rand.New(rand.NewPCG(seed, 7)))
	for _, mode := range []string{"nested", "single", "single b"} {
		source, p, err := sketched(text)
		if err != nil {
			return err
		}
		switch mode {
		case "single":
			p.Strategy = Single
		case "single b":
			p.Single = []string{"b"}
			if !slices.ContainsFunc(p.Roots, func(r Root) bool { return r.As == "b" }) {
				continue // a goal is declared
			}
		}
		if err := compare(source, p, found, mode); err != nil {
			return fmt.Errorf("seed %d, %s: %w\n%s", seed, mode, err, text)
		}
	}
	return nil
}

func compare(source universe.Table, p Problem, found map[string]int, mode string) error {
	ctx := context.Background()
	want := possible(source, p)
	r, err := Resolve(ctx, source, p)
	var tangle *Tangle
	switch {
	case errors.As(err, &tangle):
		found[mode+" refuted"]++
		if want {
			return fmt.Errorf("brute force finds a resolution; %w", err)
		}
		return checkMinimal(ctx, source, p, tangle)
	case errors.Is(err, ErrEndless): // brute force, too, answers for the endless graph
		found["endless"]++
		return nil
	case err != nil:
		return err
	case !want:
		return fmt.Errorf("brute force finds no resolution; the solver found %v", r.Packages)
	}
	found[mode+" solved"]++
	if slices.ContainsFunc(r.Packages, func(n Node) bool { return strings.Contains(n.ID, " ") }) {
		found["several contexts"]++
	}
	return Verify(ctx, source, p, r)
}

// checkMinimal takes every demand of a tangle away in turn, in a universe that holds nothing else.
func checkMinimal(ctx context.Context, source universe.Table, p Problem, tangle *Tangle) error {
	for k := -1; k < len(tangle.Demands); k++ {
		kept := slices.Clone(tangle.Demands)
		if k >= 0 {
			kept = slices.Delete(kept, k, k+1)
		}
		only, reduced := restrict(source, p, kept)
		if got := possible(only, reduced); got != (k >= 0) {
			return fmt.Errorf("%w\nwithout number %d it resolves: %v", tangle, k, got)
		}
	}
	return nil
}

// restrict leaves of a universe only the given demands.
func restrict(source universe.Table, p Problem, kept []Demand) (universe.Table, Problem) {
	has := func(by string, kind Kind, d universe.Demand) bool {
		return slices.ContainsFunc(kept, func(k Demand) bool {
			return k.By == by && k.Kind == kind && k.As == d.As && k.Package == d.Package && k.Constraint == d.Text &&
				(k.Optional == d.Optional || kind == Declared)
		})
	}
	only := universe.Table{}
	for name, pkg := range source {
		var releases []universe.Release
		for _, r := range pkg.Copies() {
			r.Needs = slices.DeleteFunc(slices.Clone(r.Needs), func(d universe.Demand) bool { return !has(name, Need, d) })
			r.Peers = slices.DeleteFunc(slices.Clone(r.Peers), func(d universe.Demand) bool { return !has(name, Peer, d) })
			releases = append(releases, r)
		}
		only[name] = universe.NewPackage(name, pkg.Scheme, releases)
	}
	reduced := p
	reduced.Roots = slices.DeleteFunc(slices.Clone(p.Roots), func(r Root) bool { return !has("", Declared, r.Demand) })
	return only, reduced
}
