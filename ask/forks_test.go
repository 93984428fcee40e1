package ask_test

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"molt/app/locking"
	"molt/app/open"
	"molt/ask"
	"molt/core/solve"
	"molt/ecosystem/python"
	"molt/ecosystem/python/specifiers"
	"molt/ecosystem/standin"
	"molt/input"
)

// A forkWorld is a small universe of conditional demands, for two environments.
type forkWorld struct {
	names    []string
	releases map[string]int          // majors from 1
	needs    map[string][]forkDemand // by name@major
	roots    []forkDemand
}

type forkDemand struct {
	name, op string
	major    int
	when     string // "", "old" or "new"
}

const (
	oldPython = `python_version < "3.10"`
	newPython = `python_version >= "3.10"`
)

func (d forkDemand) holds(old bool) bool { return d.when == "" || (d.when == "old") == old }

func (d forkDemand) admits(major int) bool {
	switch d.op {
	case ">=":
		return major >= d.major
	case "<":
		return major < d.major
	}
	return major == d.major
}

func (d forkDemand) marker() string {
	return map[string]string{"old": oldPython, "new": newPython}[d.when]
}

func randomForkWorld(random *rand.Rand) *forkWorld {
	w := &forkWorld{names: []string{"keel", "mast", "oar", "rope", "sail"}, releases: map[string]int{},
		needs: map[string][]forkDemand{}}
	demand := func(but string) forkDemand {
		d := forkDemand{name: w.names[random.IntN(len(w.names))], op: []string{">=", "<", "=="}[random.IntN(3)],
			when: []string{"", "old", "new", "old", "new"}[random.IntN(5)]}
		if d.major = 1 + random.IntN(3); d.op == "<" {
			d.major++
		}
		if d.name == but {
			d.name = ""
		}
		return d
	}
	for _, name := range w.names {
		w.releases[name] = 1 + random.IntN(3)
		for v := range w.releases[name] {
			key := fmt.Sprintf("%s@%d", name, v+1)
			for range random.IntN(3) {
				if d := demand(name); d.name != "" && !named(w.needs[key], d.name) {
					w.needs[key] = append(w.needs[key], d)
				}
			}
		}
	}
	if random.IntN(3) == 0 { // the same package in two lines, as people write it
		w.releases["keel"] = 3
		w.roots = append(w.roots, forkDemand{"keel", "==", 1, "old"}, forkDemand{"keel", "==", 2 + random.IntN(2), "new"})
	}
	for range 1 + random.IntN(3) {
		if d := demand(""); !named(w.roots, d.name) {
			w.roots = append(w.roots, d)
		}
	}
	return w
}

func named(all []forkDemand, name string) bool {
	for _, d := range all {
		if d.name == name {
			return true
		}
	}
	return false
}

// solvable tries everything for one environment.
func (w *forkWorld) solvable(old bool) bool {
	chosen := map[string]int{}
	var try func(i int) bool
	try = func(i int) bool {
		if i == len(w.names) {
			return w.complete(chosen, old)
		}
		for v := 0; v <= w.releases[w.names[i]]; v++ {
			if chosen[w.names[i]] = v; try(i + 1) {
				return true
			}
		}
		return false
	}
	return try(0)
}

// complete reports whether the chosen releases, 0 for none, serve each other and the roots in an environment.
func (w *forkWorld) complete(chosen map[string]int, old bool) bool {
	served := func(all []forkDemand) bool {
		for _, d := range all {
			if d.holds(old) && (chosen[d.name] == 0 || !d.admits(chosen[d.name])) {
				return false
			}
		}
		return true
	}
	for name, v := range chosen {
		if v > 0 && !served(w.needs[fmt.Sprintf("%s@%d", name, v)]) {
			return false
		}
	}
	return served(w.roots)
}

func (w *forkWorld) texts() (universe, manifest string) {
	var b, lines strings.Builder
	for _, name := range w.names {
		fmt.Fprintf(&b, "package %s\n", name)
		for v := range w.releases[name] {
			fmt.Fprintf(&b, "  %d.0 2024-01-01\n", v+1)
		}
		for v := range w.releases[name] {
			for _, d := range w.needs[fmt.Sprintf("%s@%d", name, v+1)] {
				fmt.Fprintf(&b, "  needs %d.0 %s@%s%d", v+1, d.name, d.op, d.major)
				if d.when != "" {
					b.WriteString(" when " + d.marker())
				}
				b.WriteString("\n")
			}
		}
	}
	for _, d := range w.roots {
		text := fmt.Sprintf("%s%s%d", d.name, d.op, d.major)
		if d.when != "" {
			text += " ; " + d.marker()
		}
		fmt.Fprintf(&lines, "    '%s',\n", text)
	}
	return b.String(), "[project]\nname = \"dory\"\nversion = \"1\"\ndependencies = [\n" + lines.String() + "]\n"
}

var lockedPackage = regexp.MustCompile(
	`(?s)\[\[packages\]\]\nname = "([^"]+)"\nversion = "(\d)\.0"\n(?:marker = '([^']*)'\n|marker = "([^\n]*)"\n)?`)

// chosenIn reads what a lock has for an environment, by the markers alone, as an installer would.
func chosenIn(lock string, old bool) (map[string]int, error) {
	chosen := map[string]int{}
	for _, m := range lockedPackage.FindAllStringSubmatch(lock, -1) {
		marker := m[3] + m[4]
		here := `python_version == "3.12"`
		if old {
			here = `python_version == "3.9"`
		}
		if marker != "" && !strings.Contains(marker, here) {
			continue
		}
		if chosen[m[1]] != 0 {
			return nil, fmt.Errorf("%s is there twice", m[1])
		}
		chosen[m[1]], _ = strconv.Atoi(m[2])
	}
	return chosen, nil
}

// Whatever is asked for under conditions: there is a lock where each environment has a resolution
// and none where one has none; and by its markers each environment gets releases that serve each
// other. Brute force knows no forks.
func TestRandomForks(t *testing.T) {
	count := 16
	if n, err := strconv.Atoi(os.Getenv("MOLT_SEEDS")); err == nil {
		count = n
	}
	found := map[string]int{}
	for seed := range uint64(count) {
		w := randomForkWorld(rand.New(rand.NewPCG(seed, 15)))
		if err := oneForkWorld(t, w, found); err != nil {
			universe, manifest := w.texts()
			t.Fatalf("seed %d: %v\n%s%s", seed, err, universe, manifest)
		}
	}
	t.Log(found)
	if found["locked"] < count/5 || found["tangled"] < count/10 || found["forked"] < count/20 {
		t.Errorf("%v: too tame", found)
	}
}

func oneForkWorld(t *testing.T, w *forkWorld, found map[string]int) error {
	universe, manifest := w.texts()
	table, err := standin.ReadUniverse("random", []byte(universe), specifiers.Scheme)
	if err != nil {
		return err
	}
	server := httptest.NewServer(python.Python{}.StandIn(table))
	defer server.Close()
	dir := t.TempDir()
	for name, text := range map[string]string{
		"pyproject.toml": manifest, "molt.yaml": "install: none\nruntime:\n  a: {python: \"3.9\"}\n  b: {python: \"3.12\"}\n"} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
			return err
		}
	}
	env := map[string]string{"MOLT_REGISTRY_PYTHON": server.URL, "MOLT_CACHE": t.TempDir(), "MOLT_STATE": t.TempDir()}
	set := ask.Settings{Settings: open.Settings{Dir: dir, Jobs: 4, Env: func(k string) string { return env[k] }},
		Say: func(string, ...any) {}}
	relock := func() (string, error) {
		s, err := ask.Open(context.Background(), set, ask.Needs{Write: true, Declared: true})
		if err != nil {
			return "", err
		}
		defer s.Close()
		if _, err := s.Relock(context.Background(), false, nil); err != nil {
			return "", err
		}
		found, err := locking.Verify(context.Background(), s.App.View)
		if err == nil {
			data, err := os.ReadFile(filepath.Join(dir, "pylock.toml"))
			return string(data), err
		}
		return "", fmt.Errorf("%v, %w", found, err)
	}
	lock, err := relock()
	var usage *input.UsageError
	can := w.solvable(true) && w.solvable(false)
	switch tangled := solve.AsTangle(err) != nil || errors.As(err, &usage); {
	case tangled && can:
		return fmt.Errorf("each environment has a resolution, and there is no lock: %w", err)
	case tangled:
		found["tangled"]++
		return nil
	case err != nil:
		return err
	case !can:
		return fmt.Errorf("an environment has no resolution, and there is a lock\n%s", lock)
	}
	found["locked"]++
	if strings.Contains(lock, "[tool.molt.by-environment]") {
		found["forked"]++
	}
	for _, old := range []bool{true, false} {
		chosen, err := chosenIn(lock, old)
		if err != nil {
			return fmt.Errorf("%w in\n%s", err, lock)
		}
		if !w.complete(chosen, old) {
			return fmt.Errorf("with the old interpreter %v: %v does not serve itself, in\n%s", old, chosen, lock)
		}
	}
	again, err := relock()
	if err == nil && again != lock {
		err = fmt.Errorf("relocking is not at rest:\n%s\nand then\n%s", lock, again)
	}
	return err
}
