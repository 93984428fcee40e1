package stages

import (
	"context"
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"molt/app/ledger"
	"molt/app/locking"
	"molt/app/open"
	"molt/app/run"
	"molt/core/solve"
	"molt/ecosystem"
	"molt/input"
)

// git runs git in the folder, as somebody and without anybody's settings.
func (b *bench) git(args ...string) string {
	b.Helper()
	c := exec.Command("git", append([]string{"-c", "user.name=a", "-c", "user.email=a@b.example"}, args...)...)
	c.Dir = b.dir
	c.Env = append(os.Environ(), "GIT_CONFIG_GLOBAL="+os.DevNull, "GIT_CONFIG_NOSYSTEM=1")
	out, err := c.CombinedOutput()
	if err != nil {
		b.Fatalf("git %v: %v\n%s", args, err, out)
	}
	return string(out)
}

// mayFail runs git where a failure is what a test wants.
func (b *bench) mayFail(args ...string) error {
	c := exec.Command("git", args...)
	c.Dir = b.dir
	return c.Run()
}

// repository is a planned bench under git, with everything committed.
func repository(t *testing.T) (*bench, *open.View) {
	t.Helper()
	t.Setenv("GIT_CONFIG_GLOBAL", os.DevNull)
	t.Setenv("GIT_CONFIG_NOSYSTEM", "1")
	b := newBench(t, map[string]string{"package.json": deskManifest, ".gitignore": "built/\n"})
	b.git("init", "-q", "-b", "main")
	b.git("config", "user.name", "a")
	b.git("config", "user.email", "a@b.example")
	a := b.planned()
	b.git("add", "-A")
	b.git("commit", "-qm", "plan")
	for range 2 {
		step, err := takeStep(context.Background(), &a, StepOrder{Commit: true}, run.Watcher{})
		if err != nil || !step.Passed {
			t.Fatalf("%+v, %v", step, err)
		}
		if err := Commit(context.Background(), a.View, step.Stage, nil); err != nil {
			t.Fatal(err)
		}
	}
	return b, a.View
}

func stagesOf(records []ledger.Record) string {
	var all []string
	for _, r := range records {
		word := r.Stage
		if r.Seal != "" {
			word += "*" // the ledger knows it
		}
		all = append(all, word)
	}
	return strings.Join(all, " ")
}

// History is what commits and ledger tell together, each stage once, and commits alone where the ledger is elsewhere or
// was overtaken by a rebase.
func TestHistory(t *testing.T) {
	b, a := repository(t)
	check := func(what, want string) {
		t.Helper()
		records, err := a.Ledger.History(context.Background())
		if err != nil || stagesOf(records) != want {
			t.Errorf("%s: %s, %v; want %s", what, stagesOf(records), err, want)
		}
	}
	check("after two stages", "bridge-deck* goal-4*")
	b.git("commit", "-q", "--amend", "-m", "goal-4: said otherwise\n\nMolt-Stage: goal-4")
	check("after a commit was written anew", "bridge-deck* goal-4")
	written := b.read(ledger.File)
	b.write(ledger.File, "")
	check("without a ledger", "bridge-deck goal-4")
	b.git("commit", "-q", "--allow-empty", "-m", "back\n\nMolt-Back: goal-4")
	check("after a way back", "bridge-deck")
	b.write(ledger.File, "{\n")
	if _, err := a.Ledger.History(context.Background()); err == nil ||
		!strings.Contains(err.Error(), ".molt/ledger.jsonl:1 cannot be read") {
		t.Errorf("a broken ledger: %v", err)
	}
	b.write(ledger.File, written)
}

func TestBackByCommits(t *testing.T) {
	b, a := repository(t)
	first := b.git("show", "HEAD~2:package.json") + b.git("show", "HEAD~2:molt.lock")
	b.write(ledger.File, "")
	// What a package was before is known from commits too.
	changes, err := ChangesBack(context.Background(), a, "deck")
	if err != nil || len(changes) != 1 || changes[0].To.Constraint != "^1.0.0" || changes[0].To.Version != "1.0.0" ||
		changes[0].From.Version != "2.0.0" {
		t.Errorf("deck before: %+v, %v", changes, err)
	}
	var usage *input.UsageError
	if _, err := ChangesBack(context.Background(), a, "ghost"); !errors.As(err, &usage) {
		t.Errorf("a package that never moved: %v", err)
	}
	back, err := Back(context.Background(), a, "bridge-deck", false)
	if err != nil || strings.Join(back.Stages, " ") != "goal-4 bridge-deck" ||
		strings.Join(back.Files, " ") != "molt.lock package.json" {
		t.Fatalf("back: %+v, %v", back, err)
	}
	if b.read("package.json")+b.read("molt.lock") != first {
		t.Error("the first state did not come back")
	}
	if doc, err := a.ReadPlan(); err != nil || doc.Next().ID != "bridge-deck" {
		t.Errorf("the plan: %+v, %v", doc, err)
	}
	if err := CommitBack(context.Background(), a, back); err != nil {
		t.Fatal(err)
	}
	if log := b.git("log", "-1", "--format=%s%n%b"); !strings.Contains(log, "back to before bridge-deck") ||
		!strings.Contains(log, "Molt-Back: bridge-deck") {
		t.Errorf("the commit says %s", log)
	}
	if records, err := a.Ledger.History(context.Background()); err != nil || len(records) != 0 {
		t.Errorf("after the way back: %s, %v", stagesOf(records), err)
	}
}

// Another's file in the index, and another's edit, are none of a stage's business.
func TestCommittable(t *testing.T) {
	b, a := repository(t)
	b.write("other.txt", "x")
	b.git("add", "other.txt")
	if _, err := Committable(context.Background(), a); err != nil {
		t.Errorf("another file in the index: %v", err)
	}
	b.write("package.json", b.read("package.json")+" ")
	var usage *input.UsageError
	if _, err := Committable(context.Background(), a); !errors.As(err, &usage) ||
		!strings.Contains(err.Error(), "package.json is not committed as it stands") {
		t.Errorf("an edit of the manifest: %v", err)
	}
	outside := newBench(t, map[string]string{"package.json": deskManifest}).open()
	if _, err := Committable(context.Background(), outside); !errors.As(err, &usage) {
		t.Errorf("without git: %v", err)
	}
}

// A copy has what is there, committed or not, and nothing that is built; afterwards it is gone, and
// git knows nothing of it.
func TestSeparateCopy(t *testing.T) {
	b, a := repository(t)
	b.write("package.json", b.read("package.json")+" ")
	b.write("fresh.txt", "not committed")
	if err := os.MkdirAll(filepath.Join(b.dir, "built"), 0o755); err != nil {
		t.Fatal(err)
	}
	b.write("built/x", "ignored")
	c, err := a.Runner().Separate(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	read := func(name string) string {
		data, _ := os.ReadFile(filepath.Join(c.Dir, name)) // a missing file is empty
		return string(data)
	}
	if read("package.json") != b.read("package.json") || read("fresh.txt") != "not committed" || read("built/x") != "" ||
		read(".molt/ledger.jsonl") != "" {
		t.Error("the copy is not what was to be copied")
	}
	if out, err := exec.Command("git", "-C", c.Dir, "status", "--porcelain").Output(); err != nil ||
		string(out) != " M package.json\n?? fresh.txt\n" {
		t.Errorf("git says of the copy %q, %v", out, err)
	}
	c.Done()
	if _, err := os.Stat(c.Dir); err == nil {
		t.Error("the copy is still there")
	}
	if list := b.git("worktree", "list"); strings.Count(list, "\n") != 1 {
		t.Errorf("git still knows of it: %s", list)
	}
	if b.git("status", "--porcelain") != " M package.json\n?? fresh.txt\n" {
		t.Error("making a copy changed the original")
	}
}

// An application below the top of its repository, and one without a repository.
func TestSeparateCopyElsewhere(t *testing.T) {
	t.Setenv("GIT_CONFIG_GLOBAL", os.DevNull)
	b := newBench(t, map[string]string{"top.txt": "above"})
	top := b.dir
	b.dir = filepath.Join(top, "apps", "desk")
	for _, dir := range []string{b.dir, filepath.Join(b.dir, "node_modules", "x"), filepath.Join(b.dir, "src")} {
		if err := os.MkdirAll(dir, 0o755); err != nil {
			t.Fatal(err)
		}
	}
	b.write("package.json", deskManifest)
	b.write("src/a.js", "1")
	b.write("node_modules/x/i.js", "installed")
	a := b.open()
	for _, under := range []bool{false, true} {
		if under {
			(&bench{T: t, dir: top}).git("init", "-q")
		}
		c, err := a.Runner().Separate(context.Background())
		if err != nil {
			t.Fatal(err)
		}
		if data, err := os.ReadFile(filepath.Join(c.Dir, "src", "a.js")); err != nil || string(data) != "1" {
			t.Errorf("under git %v: %v", under, err)
		}
		if _, err := os.Stat(filepath.Join(c.Dir, "node_modules")); err == nil {
			t.Errorf("under git %v: packages were copied", under)
		}
		if data, err := os.ReadFile(filepath.Join(c.Dir, "..", "..", "top.txt")); under &&
			(err != nil || string(data) != "above") {
			t.Errorf("what is above is missing: %v", err)
		}
		c.Done()
	}
}

func TestMergeKeep(t *testing.T) {
	with := func(versions ...string) locking.Branch {
		l := &ecosystem.Lock{}
		for _, v := range versions {
			name, number, _ := strings.Cut(v, "@")
			l.Packages = append(l.Packages, ecosystem.LockedPackage{Node: solve.Node{ID: v, Name: name, Version: number}})
		}
		return locking.Branch{Lock: l}
	}
	keep, contested := locking.MergeKeep([3]locking.Branch{
		with("same@1.0.0", "mine@1.0.0", "theirs@1.0.0", "both@1.0.0", "gone@1.0.0", "alike@1.0.0"),
		with("same@1.0.0", "mine@1.1.0", "theirs@1.0.0", "both@1.1.0", "alike@2.0.0", "new@1.0.0"),
		with("same@1.0.0", "mine@1.0.0", "theirs@1.2.0", "both@1.2.0", "gone@1.0.0", "alike@2.0.0"),
	})
	for name, want := range map[string]string{
		"same": "1.0.0", "mine": "1.1.0", "theirs": "1.2.0", "both": "1.2.0 1.1.0", "gone": "", "alike": "2.0.0",
		"new": "1.0.0"} {
		if got := strings.Join(keep[name], " "); got != want {
			t.Errorf("%s is kept at %q, not %q", name, got, want)
		}
	}
	if got := strings.Join(contested, " "); got != "both gone mine new theirs" {
		t.Errorf("contested are %s", got)
	}
}

// A step says that no branch is checked out, and a hook that refuses without a word is named.
func TestDetachedHeadAndSilentHook(t *testing.T) {
	posix(t)
	b, a := repository(t)
	if _, err := Back(context.Background(), a, "bridge-deck", false); err != nil {
		t.Fatal(err)
	}
	b.git("commit", "-qam", "back\n\nMolt-Back: bridge-deck")
	b.git("checkout", "-q", "--detach")
	q := b.use2()
	step, err := takeStep(context.Background(), &q, StepOrder{Commit: true}, run.Watcher{})
	if err != nil || !strings.Contains(strings.Join(step.Notes, " "), "detached HEAD") {
		t.Fatalf("%+v, %v", step, err)
	}
	hook := filepath.Join(b.dir, ".git/hooks/pre-commit")
	if err := os.MkdirAll(filepath.Dir(hook), 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(hook, []byte("#!/bin/sh\nexit 1\n"), 0o755); err != nil {
		t.Fatal(err)
	}
	if err := Commit(context.Background(), a, step.Stage, nil); err == nil ||
		!strings.Contains(err.Error(), "refused by a hook: ") || !strings.Contains(err.Error(), "pre-commit") {
		t.Errorf("a silent hook: %v", err)
	}
}
