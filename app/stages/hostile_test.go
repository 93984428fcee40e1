package stages

import (
	"context"
	"encoding/json"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"molt/app/ledger"
	"molt/app/open"
	"molt/app/run"
	"molt/input"
	"molt/txn"
)

// outside makes files beside the application of a bench, as a tree, and returns how they are now.
func (b *bench) outside() (victim string, state func() string) {
	b.Helper()
	victim = filepath.Join(b.dir, "..", "victim-"+filepath.Base(b.dir))
	if err := os.MkdirAll(victim, 0o755); err != nil {
		b.Fatal(err)
	}
	b.Cleanup(func() { os.RemoveAll(victim) })
	if err := os.WriteFile(filepath.Join(victim, "file"), []byte("mine"), 0o644); err != nil {
		b.Fatal(err)
	}
	return victim, func() string {
		text := ""
		_ = filepath.WalkDir(victim, func(name string, d os.DirEntry, err error) error {
			if err == nil && !d.IsDir() {
				data, _ := os.ReadFile(name)
				text += filepath.Base(name) + "=" + string(data) + ";"
			}
			return nil
		})
		return text
	}
}

// A ledger that came with the folder leads nowhere, and neither does a forged copy below one that did not.
func TestHostileLedger(t *testing.T) {
	b := newBench(t, map[string]string{"package.json": deskManifest})
	victim, state := b.outside()
	before := state()
	a := b.planned()
	if _, err := takeStep(context.Background(), &a, StepOrder{}, run.Watcher{}); err != nil {
		t.Fatal(err)
	}
	own := b.read(ledger.File)
	up := "../" + filepath.Base(victim)
	line, _ := json.Marshal(ledger.Record{
		Stage: "goal-4", Backup: map[string]string{up + "/file": ""}, Left: map[string]string{up + "/file": up + "/file"}})
	b.write(ledger.File, string(line)+"\n")
	var usage *input.UsageError
	if _, err := Back(context.Background(), a.View, "", false); !errors.As(err, &usage) ||
		!strings.Contains(err.Error(), ".molt/ledger.jsonl:1 was not written by Molt for this user") {
		t.Errorf("a forged ledger: %v", err)
	}
	b.write(ledger.File, own)
	copies, err := filepath.Glob(filepath.Join(b.dir, ".molt/backup/*/package.json"))
	if err != nil || len(copies) != 1 {
		t.Fatalf("copies: %v, %v", copies, err)
	}
	if err := os.WriteFile(copies[0], []byte(`{"name":"evil"}`), 0o644); err != nil {
		t.Fatal(err)
	}
	if _, err := Back(context.Background(), a.View, "", false); !errors.As(err, &usage) ||
		!strings.Contains(err.Error(), "is not what Molt saved") {
		t.Errorf("a forged copy: %v", err)
	}
	if state() != before || strings.Contains(b.read("package.json"), "evil") {
		t.Error("something was done all the same")
	}
}

// Verdicts that came with the folder excuse nothing.
func TestHostileVerdicts(t *testing.T) {
	b := newBench(t, map[string]string{"package.json": deskManifest, "molt.yaml": "checks:\n  - {name: x, run: exit 1}\n"})
	a := b.planned()
	state, err := state(a.View)
	if err != nil {
		t.Fatal(err)
	}
	data, _ := json.Marshal(run.Remembered{State: state, Verdicts: []run.Verdict{{Name: "x", Passed: true}}})
	b.write(run.VerdictsFile, string(data))
	if passed, ran, err := NewExecution(a, run.Watcher{}).checkedBefore(context.Background()); err != nil ||
		len(ran) != 1 || passed["x"] {
		t.Errorf("forged verdicts count: %v, %v, %v", passed, ran, err)
	}
}

// No link at or below .molt is followed, nor one among the application's files that leads out of
// the repository; one that leads to a file within it is: the file is edited, and the link stays.
func TestLinks(t *testing.T) {
	for _, name := range []string{
		".molt", ".molt/in-use", ".molt/backup", ".molt/part", ".molt/journal.json", ".molt/.gitignore"} {
		b := newBench(t, map[string]string{"package.json": deskManifest})
		victim, state := b.outside()
		before := state()
		at := filepath.Join(b.dir, filepath.FromSlash(name))
		if err := os.MkdirAll(filepath.Dir(at), 0o755); err != nil {
			t.Fatal(err)
		}
		target := victim
		if strings.Contains(filepath.Base(name), "in-use") || strings.HasSuffix(name, ".json") ||
			strings.HasSuffix(name, "ignore") {
			target = filepath.Join(victim, "made")
		}
		if err := os.Symlink(target, at); err != nil {
			t.Skip(err)
		}
		a, release, err := b.open().Take()
		if err == nil {
			err = a.Files.WriteFiles("x", map[string][]byte{"package.json": []byte("{}")})
			release()
		}
		if state() != before {
			t.Errorf("%s as a link: outside there is now %s (%v)", name, state(), err)
		}
		if err == nil && name != ".molt/.gitignore" {
			t.Errorf("%s as a link is no error", name)
		}
	}

	b := newBench(t, map[string]string{"real.json": deskManifest})
	if err := os.Symlink("real.json", filepath.Join(b.dir, "package.json")); err != nil {
		t.Skip(err)
	}
	a := b.use()
	if err := a.Files.WriteFiles("x", map[string][]byte{"package.json": []byte("{}\n")}); err != nil {
		t.Fatal(err)
	}
	if info, err := os.Lstat(filepath.Join(b.dir, "package.json")); err != nil || info.Mode()&os.ModeSymlink == 0 {
		t.Errorf("the link is gone: %v, %v", info, err)
	}
	if b.read("real.json") != "{}\n" {
		t.Errorf("behind the link there is %q", b.read("real.json"))
	}

	b = newBench(t, map[string]string{"package.json": deskManifest})
	if err := os.Mkdir(filepath.Join(b.dir, ".git"), 0o755); err != nil {
		t.Fatal(err)
	}
	victim, state := b.outside()
	before := state()
	if err := os.Symlink(filepath.Join(victim, "new.lock"), filepath.Join(b.dir, "molt.lock")); err != nil {
		t.Skip(err)
	}
	var name *txn.NameError
	if _, err := open.Open(open.Settings{Dir: b.dir, Env: func(k string) string { return b.env[k] }}); !errors.As(
		err, &name) || state() != before {
		t.Errorf("a lock that is a link out of the repository: %v", err)
	}
}
