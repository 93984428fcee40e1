package txn

import (
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"molt/txn/txntest"

	"molt/input"
)

func TestMain(m *testing.M) {
	remove := txntest.InMemory()
	code := m.Run()
	remove()
	os.Exit(code)
}

// plainSeals seals with a word that a stranger does not know.
type plainSeals struct{}

func (plainSeals) Seal(kind string, data []byte) (string, error) {
	return "mine " + kind + Sum(data), nil
}

func (s plainSeals) Sealed(kind string, data []byte, seal string) bool {
	own, _ := s.Seal(kind, data)
	return seal == own
}

// desk makes a workspace with files.
func desk(t *testing.T, files map[string]string) *Workspace {
	t.Helper()
	dir := filepath.Join(t.TempDir(), "desk")
	for name, text := range files {
		put(t, dir, name, text)
	}
	return reopen(t, dir)
}

func reopen(t *testing.T, dir string) *Workspace {
	t.Helper()
	w, err := OpenWorkspace(dir, plainSeals{})
	if err != nil {
		t.Fatal(err)
	}
	return w
}

func put(t *testing.T, dir, name, text string) {
	t.Helper()
	at := filepath.Join(dir, filepath.FromSlash(name))
	if err := os.MkdirAll(filepath.Dir(at), 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(at, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
}

// tree tells all files below a folder as one text, but for the state.
func tree(dir string) string {
	var b strings.Builder
	_ = filepath.WalkDir(dir, func(at string, d fs.DirEntry, err error) error {
		if err != nil {
			return nil
		}
		if d.Name() == StateDir {
			return filepath.SkipDir
		}
		if d.Type().IsRegular() {
			data, _ := os.ReadFile(at)
			name, _ := filepath.Rel(dir, at)
			fmt.Fprintf(&b, "%s=%s;", filepath.ToSlash(name), data)
		}
		return nil
	})
	return b.String()
}

// A journal that came with the folder is neither obeyed nor, by a command that only reads, even tried.
func TestHostileJournal(t *testing.T) {
	w := desk(t, map[string]string{"manifest": "m", StateDir + "/backup/x/evil": "evil"})
	victim := filepath.Join(filepath.Dir(w.Dir), "victim")
	put(t, victim, "file", "mine")
	if err := os.Symlink(victim, filepath.Join(w.Dir, "link")); err != nil {
		t.Skip(err)
	}
	before := tree(victim)
	for name, j := range map[string]journal{
		"overwrite":     {What: "x", Files: map[string]string{"../victim/file": "backup/x/evil"}},
		"create":        {What: "x", Files: map[string]string{"../victim/new": "backup/x/evil"}},
		"delete":        {What: "x", Files: map[string]string{"../victim/file": ""}},
		"folder":        {What: "x", Folders: map[string]string{"../victim": ""}},
		"folder from":   {What: "x", Folders: map[string]string{"stolen": "../victim"}},
		"folder behind": {What: "x", Folders: map[string]string{"link/sub": ".molt/backup/x"}},
		"discard":       {What: "x", Backup: ".molt/backup/../../../victim"},
		"through links": {What: "x", Files: map[string]string{"link/file": "backup/x/evil"}},
		"hooks":         {What: "x", Files: map[string]string{".git/hooks/post-commit": "backup/x/evil"}},
		"steal":         {What: "x", Files: map[string]string{"stolen": "../../victim/file"}},
	} {
		for _, seal := range []string{"", strings.Repeat("0", 64)} {
			data, err := json.Marshal(sealedJournal{j, seal})
			if err != nil {
				t.Fatal(err)
			}
			put(t, w.Dir, journalFile, string(data))
			if says := w.Unfinished(); !strings.Contains(says, "was not written by Molt for this user") {
				t.Errorf("%s: a command that reads says %q", name, says)
			}
			var usage *input.UsageError
			if _, err := w.Repair(func(string) {}); !errors.As(err, &usage) {
				t.Errorf("%s: a command that writes: %v", name, err)
			}
		}
		// Not even with the right seal.
		plain, _ := json.Marshal(j)
		seal, _ := w.Seal(journalKind, plain)
		data, _ := json.Marshal(sealedJournal{j, seal})
		put(t, w.Dir, journalFile, string(data))
		_, _ = w.Repair(func(string) {}) // it may fail, as long as it does no harm
		if now := tree(victim); now != before {
			t.Fatalf("%s: outside there is now %s", name, now)
		}
		for _, made := range []string{".git", "stolen"} {
			if w.Exists(made) {
				t.Errorf("%s made %s", name, made)
			}
		}
	}
}

// A folder is replaced whole: whenever the process ends, or the disk fills, after whichever file
// operation, the old one or the new one is there afterwards, with the file that changed beside it.
func TestFolderReplacedOrNot(t *testing.T) {
	const staged = PartDir + "/tree"
	change := func(w *Workspace) error {
		for _, name := range []string{"tree/new/x", "tree/y"} {
			if err := w.Mkdir(PartDir + "/" + filepath.ToSlash(filepath.Dir(name))); err != nil {
				return err
			}
			if err := w.Copy(PartDir+"/"+name, []byte("fresh")); err != nil {
				return err
			}
		}
		if err := w.Flush(); err != nil {
			return err
		}
		c, err := w.Begin("lay out", "lay", "lock")
		if err != nil {
			return err
		}
		err = c.Write("lock", []byte("2"))
		if err == nil {
			err = c.ReplaceFolder("packages", staged)
		}
		if err != nil {
			return errors.Join(err, c.Undo())
		}
		return c.Commit()
	}
	for name, files := range map[string]map[string]string{
		"over an old one":   {"lock": "1", "packages/old/x": "stale", "packages/y": "stale"},
		"where there is no": {"lock": "1"},
	} {
		for _, once := range []bool{false, true} { // the process ends; the disk is full for one operation
			t.Run(fmt.Sprintf("%s, once %v", name, once), func(t *testing.T) {
				t.Parallel()
				befores, afters := 0, 0
				for due := 1; ; due++ {
					w := desk(t, files)
					before := tree(w.Dir)
					count, last := 0, ""
					w.BeforeEach = func(op, name string) error {
						count++
						if count == due || count > due && !once {
							last = op + " " + name
							return errors.New("no more")
						}
						return nil
					}
					release, err := w.Take()
					if err == nil {
						err = change(w)
						release()
					}
					if count < due {
						if err != nil {
							t.Fatal(err)
						}
						break
					}
					if err == nil {
						t.Errorf("%s fails and nobody says so", last)
					}
					again := reopen(t, w.Dir)
					release, err = again.Take()
					if err != nil {
						t.Fatalf("after %s: %v", last, err)
					}
					if _, err := again.Repair(func(string) {}); err != nil {
						t.Fatalf("after %s: %v", last, err)
					}
					release()
					switch tree(w.Dir) {
					case before:
						befores++
					case "lock=2;packages/new/x=fresh;packages/y=fresh;":
						afters++
					default:
						t.Errorf("after %s there is %s", last, tree(w.Dir))
					}
					if left, _ := filepath.Glob(filepath.Join(w.Dir, PartDir, "*")); len(left) > 0 {
						t.Errorf("after %s there is left %v", last, left)
					}
				}
				if befores < 10 || afters < 1 {
					t.Errorf("%d lead to before, %d to after", befores, afters)
				}
			})
		}
	}
}

// What is no folder is not replaced, and neither is anything outside.
func TestFolderOnly(t *testing.T) {
	w := desk(t, map[string]string{"file": "x", PartDir + "/tree/x": "x"})
	put(t, filepath.Dir(w.Dir), "outside/x", "x")
	if err := os.Symlink(filepath.Join(filepath.Dir(w.Dir), "outside"), filepath.Join(w.Dir, "link")); err != nil {
		t.Skip(err)
	}
	for _, name := range []string{"file", "link", "../outside", ".git"} {
		c, err := w.Begin("x", "x")
		if err != nil {
			t.Fatal(err)
		}
		if err := c.ReplaceFolder(name, PartDir+"/tree"); err == nil {
			t.Errorf("%s was replaced", name)
		}
		if err := c.Undo(); err != nil && name != "../outside" && name != ".git" {
			t.Error(err)
		}
		_ = w.Remove(journalFile)
	}
	if now := tree(filepath.Dir(w.Dir)); now != "desk/file=x;outside/x=x;" || !w.Exists(PartDir+"/tree/x") {
		t.Errorf("now there is %s", now)
	}
}

// Backups of folders that nobody took away after a commit are taken away by the next Molt, and no others.
func TestFoldersLeftBehind(t *testing.T) {
	w, err := OpenWorkspace(t.TempDir(), plainSeals{})
	if err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{"/old/folders/x", "/old/kept"} {
		if err := w.Mkdir(backupDir + name); err != nil {
			t.Fatal(err)
		}
	}
	if says, err := w.Repair(func(string) {}); says != "" || err != nil {
		t.Errorf("%q, %v", says, err)
	}
	if w.Exists(backupDir+"/old/folders") || !w.Exists(backupDir+"/old/kept") {
		t.Error("the wrong backups are left")
	}
}
