package run

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"testing"
	"time"

	"molt/app/config"
	"molt/app/vcs"
	"molt/core/plan"
	"molt/core/project"
	"molt/core/solve"
	"molt/input"
	"molt/txn"
)

// ownSeals are those of one person.
type ownSeals struct{}

func (ownSeals) Seal(kind string, data []byte) (string, error) { return kind + txn.Sum(data), nil }

func (s ownSeals) Sealed(kind string, data []byte, seal string) bool {
	own, _ := s.Seal(kind, data)
	return seal == own
}

// desk returns a runner in a folder with files, in which everything may run.
func desk(t *testing.T, files map[string]string) Runner {
	t.Helper()
	if runtime.GOOS == "windows" {
		t.Skip("the commands are those of a Unix shell")
	}
	dir := t.TempDir()
	for name, text := range files {
		at := filepath.Join(dir, name)
		if err := errors.Join(os.MkdirAll(filepath.Dir(at), 0o755), os.WriteFile(at, []byte(text), 0o644)); err != nil {
			t.Fatal(err)
		}
	}
	w, err := txn.OpenWorkspace(dir, ownSeals{})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = w.Root.Close() })
	if err := errors.Join(w.Mkdir(txn.StateDir), w.Mkdir(txn.PartDir)); err != nil {
		t.Fatal(err)
	}
	return Runner{Files: w, Repo: vcs.At(dir), Packages: []string{"node_modules"},
		Permit: func(context.Context, Job) error { return nil }}
}

// Checks run in their order, and what failed before a stage does not end it.
func TestChecks(t *testing.T) {
	r := desk(t, map[string]string{"sub/x": ""})
	ctx := context.Background()
	checks := []config.Check{{Name: "flaky", Run: "echo gone; exit 3"}, {Name: "fine", Run: "test -f x", Folder: "sub"},
		{Name: "bad", Run: "echo 'Error: no rudder' >&2; exit 1"}, {Name: "never", Run: "touch never"}}
	var began []string
	watch := Watcher{Begin: func(name string) { began = append(began, name) }}
	got, passed, err := r.Check(ctx, r.Files.Dir, "goal-5", checks, map[string]bool{"flaky": false}, watch)
	if err != nil || passed || len(got) != 3 || !slices.Equal(began, []string{"flaky", "fine", "bad"}) {
		t.Fatalf("%+v, %v, %v, begun %q", got, passed, err, began)
	}
	if !got[0].Before || got[0].Says != "exit status 3: gone" || !got[1].Passed || got[2].Before ||
		got[2].Says != "exit status 1: Error: no rudder" || r.Files.Exists("never") {
		t.Errorf("the verdicts are %+v", got)
	}
	if data, err := os.ReadFile(filepath.Join(r.Files.Dir, got[2].Log)); err != nil || string(data) != "Error: no rudder\n" {
		t.Errorf("the log %s is %q, %v", got[2].Log, data, err)
	}
	if says := Unjudged(got[:1]); says == "" {
		t.Error("a check that failed before judged something")
	}
	if says := Unjudged(got); says != "" || Unjudged(nil) != "" {
		t.Errorf("nothing judged: %s", says)
	}
}

// What does not end is ended, what is interrupted has no verdict, and nothing runs without leave.
func TestJobsThatDoNotEnd(t *testing.T) {
	r := desk(t, nil)
	v, err := r.One(context.Background(), Job{Check: config.Check{Name: "slow", Run: "sleep 60", Limit: "50ms"}, Dir: r.Files.Dir},
		nil)
	if err != nil || v.Passed || v.Says != "not done after 50ms" || v.Took > 30*time.Second {
		t.Errorf("%+v, %v", v, err)
	}
	ctx, cancel := context.WithCancel(context.Background())
	r.Permit = func(context.Context, Job) error { cancel(); return nil }
	if _, err := r.One(ctx, Job{Check: config.Check{Name: "any", Run: "sleep 60"}, Dir: r.Files.Dir}, nil); !errors.Is(
		err, context.Canceled) {
		t.Errorf("an interrupted job: %v", err)
	}
	refused := errors.New("nobody said yes")
	r.Permit = func(context.Context, Job) error { return refused }
	if _, _, err := r.Tasks(context.Background(), r.Files.Dir, "s", []config.Task{{Name: "any", Run: "touch ran"}},
		Watcher{}); !errors.Is(err, refused) || r.Files.Exists("ran") {
		t.Errorf("a task without leave: %v", err)
	}
	r.Permit = nil
	if _, err := r.One(context.Background(), Job{Check: config.Check{Name: "any", Run: "touch ran"}}, nil); err == nil ||
		r.Files.Exists("ran") {
		t.Error("a job ran without anybody who permits it")
	}
	r.Permit = func(context.Context, Job) error { return nil }
	if _, err := r.One(context.Background(), Job{Check: config.Check{Name: "any", Limit: "soon"}}, nil); err == nil {
		t.Error("a limit that is none was taken")
	}
}

// A command sees what every program needs and what it is given, and no tokens; it finds declared programs first.
func TestEnvironmentOfJobs(t *testing.T) {
	r := desk(t, map[string]string{"bin/chart": "#!/bin/sh\necho a chart\n", "venv/bin/pump": "#!/bin/sh\necho a pump\n"})
	for _, name := range []string{"bin/chart", "venv/bin/pump"} {
		if err := os.Chmod(filepath.Join(r.Files.Dir, name), 0o755); err != nil {
			t.Fatal(err)
		}
	}
	t.Setenv("HARBOUR_KEY", "secret")
	t.Setenv("MOLT_TOKEN_JS", "secret")
	t.Setenv("MOLT_ALLOW_REGISTRY", "x")
	t.Setenv("MOLT_CACHE", "here")
	t.Setenv("TIDE", "high")
	r.Variables, r.Executables, r.Environment, r.Raised = []string{"TIDE"}, []string{"venv/bin"}, "venv", "node>=20"
	r.Programs = func(string) []Program {
		return []Program{{"chart", "bin/chart", "charts"}, {"../up", "bin/chart", "x"}}
	}
	job := Job{Dir: r.Files.Dir, Stage: "goal-5", Check: config.Check{Name: "env", Env: map[string]string{"WIND": "west"},
		Run: "chart && pump && echo $TIDE $WIND $MOLT_CACHE $MOLT_STAGE $VIRTUAL_ENV $" + RaisedVariable +
			" k:$HARBOUR_KEY$MOLT_TOKEN_JS$MOLT_ALLOW_REGISTRY"}}
	var out strings.Builder
	v, err := r.One(context.Background(), job, &out)
	want := fmt.Sprintf("a chart\na pump\nhigh west here goal-5 %s/venv node>=20 k:\n", r.Files.Dir)
	if err != nil || !v.Passed || out.String() != want {
		t.Errorf("%+v, %v\n%s\nwant\n%s", v, err, out.String(), want)
	}
	job.Pass, job.Run = []string{"HARBOUR_KEY"}, "test $HARBOUR_KEY = secret"
	if v, err := r.One(context.Background(), job, nil); err != nil || !v.Passed {
		t.Errorf("a variable that is passed: %+v, %v", v, err)
	}
}

// Names that are the system's are not a package's; what comes before a program of the system is said.
func TestHiddenPrograms(t *testing.T) {
	kept, says := Hiding([]Program{{"git", "x", "sneak"}, {"node", "x", "sneak"}, {"ls", "x", "lists"},
		{"chart", "x", "charts"}, {"python", "x", ""}}, []string{"node"})
	var names []string
	for _, p := range kept {
		names = append(names, p.Name)
	}
	if !slices.Equal(names, []string{"ls", "chart", "python"}) || len(says) != 3 ||
		!strings.Contains(says[2], "commands find the program ls of lists before ") {
		t.Errorf("kept %q, and says %q", names, says)
	}
}

// What is remembered is read again, unless somebody else wrote it.
func TestRemembered(t *testing.T) {
	r := desk(t, nil)
	verdicts := []Verdict{{Name: "gen", Task: true, Passed: true, Took: time.Second},
		{Name: "tests", Passed: true, Took: time.Second}}
	for i := range mostTried + 5 {
		if err := r.RememberTried(Tried{Key: fmt.Sprint(i)}); err != nil {
			t.Fatal(err)
		}
	}
	ran := project.Passed{Lock: "l"}
	if err := errors.Join(r.Remember("state", "sources", "goal-5", verdicts), r.Remember("state", "sources", "goal-5",
		verdicts), r.RememberRan(ran), r.RememberRan(ran), r.RememberBegun("goal-5"), r.RememberPlan([]byte("plan"))); err != nil {
		t.Fatal(err)
	}
	c, err := r.Remembered()
	if err != nil || c.State != "state" || len(c.Verdicts) != 1 || c.Took["goal-5"] != 2*time.Second || len(c.Ran) != 1 ||
		c.Begun != "goal-5" || len(c.Tried) != mostTried || c.Tried[0].Key != "5" {
		t.Errorf("%+v, %v", c, err)
	}
	if edited, err := r.PlanEdited([]byte("plan")); err != nil || edited {
		t.Errorf("the plan is edited: %v, %v", edited, err)
	}
	data, err := r.Files.Read(VerdictsFile, input.State)
	if err != nil {
		t.Fatal(err)
	}
	forged := strings.Replace(string(data), `"passed":true`, `"passed":false`, 1)
	if err := r.Files.Put(VerdictsFile, []byte(forged)); err != nil {
		t.Fatal(err)
	}
	if c, err := r.Remembered(); err != nil || c.State != "" || c.Took == nil {
		t.Errorf("what was forged counts: %+v, %v", c, err)
	}
}

// A copy has what people keep, and nothing is left of it; one that a killed Molt left is taken away.
func TestCopies(t *testing.T) {
	r := desk(t, map[string]string{"package.json": "{}", "src/desk.js": "x", "node_modules/a/index.js": "y", ".env": "z"})
	ctx := context.Background()
	c, err := r.Separate(ctx)
	if err != nil {
		t.Fatal(err)
	}
	for name, want := range map[string]bool{"src/desk.js": true, "package.json": true, "node_modules": false, ".env": true} {
		if _, err := os.Lstat(filepath.Join(c.Dir, name)); (err == nil) != want {
			t.Errorf("%s is in the copy: %v", name, err == nil)
		}
	}
	if _, err := r.CopyTo(ctx, c.Dir); err == nil {
		t.Error("a copy was made over another")
	}
	c.Done()
	if _, err := os.Lstat(filepath.Dir(c.Dir)); err == nil {
		t.Error("a copy is left")
	}
	if c, err = r.Separate(ctx); err != nil { // and Molt is killed
		t.Fatal(err)
	}
	other := t.TempDir()
	note := fmt.Sprintf(`{"dir": %q, "run": "x", "seal": "forged"}`, other)
	if err := r.Files.Put(copiesDir+"/forged.json", []byte(note)); err != nil {
		t.Fatal(err)
	}
	r.ClearCopies()
	if _, err := os.Lstat(c.Dir); err == nil {
		t.Error("the copy of a killed Molt is left")
	}
	if _, err := os.Lstat(other); err != nil {
		t.Error("a folder was cleared that Molt did not make")
	}
	if left, err := r.Files.List(copiesDir); err != nil || len(left) > 0 {
		t.Errorf("notes of copies are left: %q, %v", left, err)
	}
}

// A search finds the smallest set of changes with which a check fails, each in a copy of its own.
func TestSearch(t *testing.T) {
	r := desk(t, map[string]string{"moved": ""})
	s := &Search{Runner: r, Stage: "goal-5", Check: "tests", Units: [][]string{{"a"}, {"b", "c"}, {"d"}},
		Checks: []config.Check{{Name: "tests", Run: "! grep -q c moved"}},
		Rehearse: func(_ context.Context, some []string) (map[string][]byte, []config.Task, error) {
			if slices.Contains(some, "d") && len(some) == 1 {
				return nil, nil, &solve.Tangle{}
			}
			return map[string][]byte{"moved": []byte(strings.Join(some, " "))}, nil, nil
		}}
	var tried []string
	s.Tried = func(trial Trial) {
		tried = append(tried, strings.Join(trial.Changes, "+")+" "+string(trial.Outcome))
	}
	got, err := s.Run(context.Background())
	if err != nil || !slices.Equal(got.Changes, []string{"b", "c"}) || !slices.Equal(got.Rest, []string{"a", "d"}) ||
		!got.Passes || len(tried) != len(got.Trials) {
		t.Errorf("%+v, %v; tried %q", got, err, tried)
	}
	if text, err := r.Files.Read("moved", input.State); err != nil || len(text) > 0 {
		t.Errorf("the application was changed: %q, %v", text, err)
	}
	if !slices.ContainsFunc(got.Trials, func(x Trial) bool { return x.Outcome == plan.Fails && x.Ran }) {
		t.Errorf("no trial failed: %+v", got.Trials)
	}
}

// What a task changes, makes and leaves alone is told apart.
func TestTasksOfAChange(t *testing.T) {
	r := desk(t, map[string]string{"kept": "1", "made/code": "old", "own": "1", "node_modules/x": ""})
	ctx := context.Background()
	release, err := r.Files.Take()
	if err != nil {
		t.Fatal(err)
	}
	defer release()
	tx, err := r.Files.Begin("step", "goal-5")
	if err != nil {
		t.Fatal(err)
	}
	covered, err := r.Cover(ctx, tx)
	if err != nil || !slices.Equal(covered, []string{"kept", "made/code", "own"}) {
		t.Fatalf("covered %q, %v", covered, err)
	}
	got, passed, err := r.Tasks(ctx, r.Files.Dir, "goal-5",
		[]config.Task{{Name: "gen", Run: "echo new > made/code; echo 2 > own; echo x > fresh"}, {Name: "no", Run: "false"},
			{Name: "never", Run: "true"}}, Watcher{})
	if err != nil || passed || len(got) != 2 || !got[0].Task || !got[0].Passed {
		t.Errorf("%+v, %v, %v", got, passed, err)
	}
	changed, err := r.KeepChanged(ctx, tx, covered, []string{"own"})
	if err != nil || !slices.Equal(changed, []string{"made/code", "fresh"}) {
		t.Errorf("changed %q, %v", changed, err)
	}
	if err := tx.Undo(); err != nil {
		t.Fatal(err)
	}
	if text, err := r.Files.Read("made/code", input.State); err != nil || string(text) != "old" || r.Files.Exists("fresh") {
		t.Errorf("taken back, it is %q, %v; fresh is there: %v", text, err, r.Files.Exists("fresh"))
	}
}
