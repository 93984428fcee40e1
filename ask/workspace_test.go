package ask_test

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"molt/app/layout"
	"molt/app/locking"
	"molt/app/open"
	"molt/app/run"
	"molt/ask"
	"molt/core/solve"
	"molt/ecosystem/js"
	"molt/ecosystem/js/ranges"
	"molt/ecosystem/standin"
	"molt/input"
	"molt/txn/txntest"
)

func TestMain(m *testing.M) {
	remove := txntest.InMemory()
	code := m.Run()
	remove()
	os.Exit(code)
}

// randomWorkspace makes a universe around a framework, and the manifests of a workspace that stands on it, by file.
func randomWorkspace(random *rand.Rand) (universe string, files map[string]string) {
	var b strings.Builder
	names := []string{"hulk", "keel", "mast", "oar", "rope"}
	releases := map[string]int{}
	for _, name := range names {
		releases[name] = 2 + random.IntN(2)
	}
	for n, name := range names {
		fmt.Fprintf(&b, "package %s\n", name)
		for v := range releases[name] {
			for minor := range 1 + random.IntN(2) {
				fmt.Fprintf(&b, "  %d.%d.0 2023-0%d-0%d", v+1, minor, v+1, minor+1)
				if name != "hulk" && random.IntN(2) == 0 {
					fmt.Fprintf(&b, " peer:hulk@%s",
						[]string{fmt.Sprintf("^%d", v+1), fmt.Sprintf("^%d||^%d", v+1, v+2), ">=1"}[random.IntN(3)])
				}
				if n > 1 && random.IntN(3) == 0 {
					fmt.Fprintf(&b, " %s%s@%s", []string{"", "peer:"}[random.IntN(2)], names[1+random.IntN(n-1)],
						[]string{"*", "^1", "^2"}[random.IntN(3)])
				}
				b.WriteString("\n")
			}
		}
	}
	files = map[string]string{"molt.yaml": "goal: hulk@2\n"}
	for k, folder := range []string{"", "a/x", "a/y", "a/z"}[:2+random.IntN(3)] {
		var lines []string
		some := random.Perm(len(names))[:random.IntN(4)]
		if k == 1 && !slices.Contains(some, 0) { // somebody stands on the framework
			some = append(some, 0)
		}
		for _, i := range some {
			major := 1 + random.IntN(10)/7
			lines = append(lines, fmt.Sprintf(
				"%q: %q", names[i], []string{"^%d.0.0", "~%d.0.0", ">=%d.0.0"}[min(2, random.IntN(6)/2)]))
			lines[len(lines)-1] = fmt.Sprintf(lines[len(lines)-1], major)
		}
		if k > 1 && random.IntN(2) == 0 {
			lines = append(lines, `"m1": "^1.0.0"`)
		}
		files[filepath.Join(folder, "package.json")] = fmt.Sprintf(
			"{\n  \"name\": \"m%d\",\n  \"version\": \"1.0.0\",\n  \"workspaces\": [\"a/*\"],\n  \"dependencies\": {\n    "+
				"%s\n  }\n}\n", k, strings.Join(lines, ",\n    "))
	}
	return b.String(), files
}

// Whatever members ask for: a lock verifies, what is laid out is what it says, every stage of a
// plan can be carried out and verifies, the goal is then the whole workspace's, and the way back
// ends at the first byte.
func TestRandomWorkspaces(t *testing.T) {
	count := 16
	if n, err := strconv.Atoi(os.Getenv("MOLT_SEEDS")); err == nil {
		count = n
	}
	found := map[string]int{}
	for seed := range uint64(count) {
		random := rand.New(rand.NewPCG(seed, 41))
		universe, files := randomWorkspace(random)
		if err := oneWorkspace(t, universe, files, found); err != nil {
			var all string
			for name, text := range files {
				all += name + "\n" + text
			}
			t.Fatalf("seed %d: %v\n%s%s", seed, err, universe, all)
		}
	}
	t.Log(found)
	if found["locked"] < count/3 || found["apart"] < count/20 || found["at the goal"] < count/10 ||
		found["gone back"] < count/10 {
		t.Errorf("%v: the workspaces are too tame", found)
	}
}

func oneWorkspace(t *testing.T, universe string, files map[string]string, found map[string]int) error {
	table, err := standin.ReadUniverse("random", []byte(universe), ranges.Scheme)
	if err != nil {
		return err
	}
	server := httptest.NewServer(js.JS{}.StandIn(table))
	defer server.Close()
	dir := t.TempDir()
	for name, text := range files {
		if err := errors.Join(os.MkdirAll(filepath.Join(dir, filepath.Dir(name)), 0o755),
			os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644)); err != nil {
			return err
		}
	}
	env := map[string]string{"MOLT_REGISTRY_JS": server.URL, "MOLT_CACHE": t.TempDir(), "MOLT_STATE": t.TempDir()}
	set := ask.Settings{Settings: open.Settings{Dir: dir, Jobs: 4, Env: func(k string) string { return env[k] }},
		Say: func(string, ...any) {}}
	in := func(do func(s *ask.Session) error) error {
		s, err := ask.Open(context.Background(), set, ask.Needs{Write: true, Declared: true})
		if err != nil {
			return err
		}
		defer s.Close()
		return do(s)
	}
	verifies := func(when string) error {
		return in(func(s *ask.Session) error {
			findings, err := locking.Verify(context.Background(), s.App.View)
			for _, f := range findings {
				if f.About != "runtime" {
					err = errors.Join(err, fmt.Errorf("%s: %s %s", when, f.About, f.Says))
				}
			}
			return err
		})
	}
	var tangled bool
	err = in(func(s *ask.Session) error {
		_, err := s.Relock(context.Background(), false, nil)
		var usage *input.UsageError
		tangled = solve.AsTangle(err) != nil || errors.As(err, &usage)
		return err
	})
	if tangled {
		found["tangled"]++
		return nil
	}
	if err != nil {
		return err
	}
	found["locked"]++
	if lock, err := os.ReadFile(filepath.Join(dir, "molt.lock")); err == nil && strings.Contains(string(lock), "apart ") {
		found["apart"]++
	}
	if err := in(func(s *ask.Session) error {
		_, err := layout.Install(context.Background(), s.App.View, layout.InstallOrder{})
		return err
	}); err != nil {
		return fmt.Errorf("installing: %w", err)
	}
	if err := verifies("after installing"); err != nil {
		return err
	}
	before := treeOf(dir)
	reachable := false
	if err := in(func(s *ask.Session) error {
		d, err := s.MakePlan(context.Background(), ask.PlanRequest{})
		reachable = d.Reachable
		return err
	}); err != nil {
		var usage *input.UsageError
		if errors.As(err, &usage) || strings.Contains(err.Error(), "no declared package has this name") ||
			strings.Contains(err.Error(), "is older than what is in use") {
			found["no framework"]++
			return nil
		}
		return fmt.Errorf("planning: %w", err)
	}
	steps, goal := 0, false
	for left := true; left; {
		if err := in(func(s *ask.Session) error {
			file, err := s.App.ReadPlan()
			if err != nil {
				return err
			}
			next := file.Next()
			if left = next != nil; !left {
				return nil
			}
			done, err := s.Step(context.Background(), ask.StepRequest{Watcher: run.Watcher{}})
			if err == nil && !done.Stage.Passed && done.Stage.Unchecked == "" {
				err = fmt.Errorf("%s did not pass", next.ID)
			}
			goal = goal || strings.HasPrefix(next.ID, "goal-")
			return err
		}); err != nil {
			return fmt.Errorf("after %d steps: %w", steps, err)
		}
		if left {
			if err := verifies(fmt.Sprintf("after step %d", steps)); err != nil {
				return err
			}
			steps++
		}
	}
	if reachable {
		found["at the goal"]++
		if err := in(func(s *ask.Session) error {
			versions := s.App.Lock.Resolution().Versions()["hulk"]
			for _, v := range versions {
				if !strings.HasPrefix(v, "2.") {
					return fmt.Errorf("the goal is reached, and the lock has hulk %v", versions)
				}
			}
			return nil
		}); err != nil {
			return err
		}
	}
	for range steps {
		set, err := open.Open(set.Settings)
		if err != nil {
			return err
		}
		_, release, err := set.Take()
		if err != nil {
			return err
		}
		_, _, err = ask.Back(context.Background(), set, "", false, false)
		release()
		if err != nil {
			return fmt.Errorf("going back: %w", err)
		}
	}
	if steps > 0 {
		found["gone back"]++
	}
	if after := treeOf(dir); after != before {
		return fmt.Errorf("it is not as it was:\n%s\nwas\n%s", after, before)
	}
	return verifies("after going back")
}

// treeOf lists all files and links of an application but Molt's own and the plan, with what they hold.
func treeOf(dir string) string {
	var b strings.Builder
	_ = filepath.WalkDir(dir, func(at string, d os.DirEntry, err error) error {
		rel, _ := filepath.Rel(dir, at)
		switch {
		case err != nil:
			return err
		case rel == ".molt":
			return filepath.SkipDir
		case d.Type()&os.ModeSymlink != 0:
			to, _ := os.Readlink(at)
			fmt.Fprintf(&b, "%s -> %s\n", rel, to)
		case d.Type().IsRegular() && rel != "molt-plan.yaml":
			data, _ := os.ReadFile(at)
			fmt.Fprintf(&b, "%s %q\n", rel, data)
		}
		return nil
	})
	return b.String()
}
