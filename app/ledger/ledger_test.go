package ledger

import (
	"context"
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"molt/app/userstate"
	"molt/app/vcs"
	"molt/input"
	"molt/txn"
)

// A yard is a folder in which changes are carried out and noted.
type yard struct {
	*testing.T
	Ledger
}

func newYard(t *testing.T) yard {
	state, dir := t.TempDir(), t.TempDir()
	u := userstate.State{Env: func(name string) string { return map[string]string{"MOLT_STATE": state}[name] }}
	files, err := txn.OpenWorkspace(dir, u)
	if err != nil {
		t.Fatal(err)
	}
	release, err := files.Take()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(release)
	return yard{t, Ledger{Files: files, Repo: vcs.At(dir)}}
}

func (y yard) write(name, text string) {
	y.Helper()
	if err := os.WriteFile(filepath.Join(y.Files.Dir, filepath.FromSlash(name)), []byte(text), 0o644); err != nil {
		y.Fatal(err)
	}
}

// stage changes a file as a stage does, and notes it.
func (y yard) stage(id, name, text string) {
	y.Helper()
	t, err := y.Files.Begin("stage "+id, id, name, File)
	if err == nil {
		err = t.Write(name, []byte(text))
	}
	if err == nil {
		err = y.Append(t, Record{Stage: id, Goal: "hulk@4"})
	}
	if err == nil {
		err = t.Commit()
	}
	if err != nil {
		y.Fatal(err)
	}
}

func (y yard) history() []Record {
	y.Helper()
	all, err := y.History(context.Background())
	if err != nil {
		y.Fatal(err)
	}
	return all
}

// What stages changed can be told, and taken back to what was there before the first of them.
func TestRecords(t *testing.T) {
	y := newYard(t)
	if got := y.history(); got != nil {
		t.Errorf("at first there is %v", got)
	}
	y.write("a", "one")
	y.stage("first", "a", "two")
	y.stage("second", "a", "three")
	y.stage("third", "b", "new")
	all := y.history()
	if len(all) != 3 || all[0].Stage != "first" || all[2].Stage != "third" || all[0].Told() || all[0].At.IsZero() {
		t.Fatalf("the records are %+v", all)
	}
	if files := all[2].Files(); len(files) != 1 || files[0] != "b" {
		t.Errorf("the third changed %q", files)
	}
	if before, left, err := y.Contents(all[1], "a"); err != nil || string(before) != "two" || string(left) != "three" {
		t.Errorf("the second: %q became %q, %v", before, left, err)
	}
	back, err := y.Untouched(all)
	if err != nil || string(back["a"]) != "one" || back["b"] != nil {
		t.Errorf("back to %q, %v", back, err)
	}
	if err := y.SetLastCommit(all, "0123"); err != nil {
		t.Fatal(err)
	}
	if now := y.history(); len(now) != 3 || now[2].Commit != "0123" || now[1].Commit != "" {
		t.Errorf("after noting a commit: %+v", now)
	}
	tx, err := y.Files.Begin("back", "back", File)
	if err == nil {
		err = errors.Join(y.Keep(tx, all[:1]), tx.Commit())
	}
	if now := y.history(); err != nil || len(now) != 1 || now[0].Stage != "first" {
		t.Errorf("with one kept: %+v, %v", now, err)
	}
}

// An edit after a stage would be lost by going back, so it is told, with what was edited.
func TestEdited(t *testing.T) {
	y := newYard(t)
	y.stage("first", "a", "one\n")
	y.write("a", "one\nmine\n")
	var edited *EditedError
	if _, err := y.Untouched(y.history()); !errors.As(err, &edited) || edited.File != "a" ||
		!strings.Contains(edited.Edits, "+mine") || !strings.Contains(err.Error(), "edited after stage first") {
		t.Errorf("%v\n%+v", err, edited)
	}
	y.write("a", strings.Repeat("mine\n", 100))
	if _, err := y.Untouched(y.history()); !errors.As(err, &edited) || !strings.Contains(edited.Edits, "lines more") ||
		strings.Count(edited.Edits, "\n") > mostEdits+1 {
		t.Errorf("%v\n%+v", err, edited)
	}
	if err := os.Remove(filepath.Join(y.Files.Dir, "a")); err != nil {
		t.Fatal(err)
	}
	if _, err := y.Untouched(y.history()); !errors.As(err, &edited) {
		t.Errorf("a file that is gone: %v", err)
	}
}

// A line that somebody else wrote, or changed, is an error with its place, and nothing in it counts.
func TestForeignLines(t *testing.T) {
	y := newYard(t)
	y.stage("first", "a", "one")
	data, err := y.Files.Content(File)
	if err != nil {
		t.Fatal(err)
	}
	for text, says := range map[string]string{
		strings.Replace(string(data), `"first"`, `"last"`, 1):         ":1 was not written by Molt for this user",
		string(data) + `{"stage":"x","backup":{"/etc/x":"y"}}` + "\n": ":2 was not written by Molt for this user",
		string(data) + "[]\n": ":2 cannot be read",
	} {
		y.write(File, text)
		var usage *input.UsageError
		if _, err := y.Here(); !errors.As(err, &usage) || !strings.Contains(err.Error(), says) {
			t.Errorf("%s\n%v, want %s", text, err, says)
		}
	}
	y.write(File, "\n"+string(data)+"\n")
	if all, err := y.Here(); err != nil || len(all) != 1 {
		t.Errorf("empty lines: %v, %v", all, err)
	}
}

// Commits tell what was carried out elsewhere; what was taken back since, committed or not, does not count.
func TestCommitsTell(t *testing.T) {
	if _, err := exec.LookPath("git"); err != nil {
		t.Skip("there is no git on this machine")
	}
	t.Setenv("GIT_CONFIG_GLOBAL", os.DevNull)
	t.Setenv("GIT_CONFIG_NOSYSTEM", "1")
	y := newYard(t)
	git := func(args ...string) {
		t.Helper()
		c := exec.Command("git", append([]string{"-c", "user.name=a", "-c", "user.email=a@skerry.example"}, args...)...)
		c.Dir = y.Files.Dir
		if out, err := c.CombinedOutput(); err != nil {
			t.Fatalf("git %q: %v\n%s", args, err, out)
		}
	}
	commit := func(text, message string) {
		t.Helper()
		y.write("a", text)
		git("add", "a")
		git("commit", "-qm", message)
	}
	git("init", "-q", "-b", "main")
	commit("zero", "begin")
	commit("one", "first: x\n\nMolt-Stage: first")
	commit("two", "second: x\n\nMolt-Stage: second")
	all := y.history()
	if len(all) != 2 || all[1].Stage != "second" || !all[1].Told() || all[1].Files()[0] != "a" {
		t.Fatalf("the commits tell %+v", all)
	}
	if before, left, err := y.Contents(all[1], "a"); err != nil || string(before) != "one" || string(left) != "two" {
		t.Errorf("the second: %q became %q, %v", before, left, err)
	}
	y.write("a", "one")
	if all := y.history(); len(all) != 1 || all[0].Stage != "first" {
		t.Errorf("taken back, and not committed: %+v", all)
	}
	commit("one", "back\n\nMolt-Back: second")
	y.stage("local", "a", "three")
	if all := y.history(); len(all) != 2 || all[0].Stage != "first" || all[1].Stage != "local" || all[1].Told() {
		t.Errorf("with one that only the ledger has: %+v", all)
	}
}
