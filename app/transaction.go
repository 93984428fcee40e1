package app

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"time"

	"github.com/gofrs/flock"
)

// stateDir holds what Molt needs to know about an application beside the committed files.
const stateDir = ".molt"

const (
	journalFile = stateDir + "/journal.json"
	ledgerFile  = stateDir + "/ledger.jsonl"
	lockFile    = stateDir + "/in-use"
)

// A BusyError reports that another Molt works in the folder.
type BusyError struct{ Dir string }

func (e *BusyError) Error() string {
	return fmt.Sprintf("another Molt is at work in %s; try again when it is done", e.Dir)
}

// Use takes the folder for changing it, so that no other Molt does the same, and repairs what a Molt left that was
// ended in the middle. The caller releases it.
func (a *App) Use() (release func(), err error) {
	if err := os.MkdirAll(a.path(stateDir), 0o755); err != nil {
		return nil, fmt.Errorf("cannot write in %s: %w", a.Dir, err)
	}
	ignore := a.path(stateDir + "/.gitignore")
	if _, err := os.Stat(ignore); errors.Is(err, fs.ErrNotExist) {
		if err := writeFile(ignore, []byte("*\n")); err != nil {
			return nil, fmt.Errorf("cannot write in %s: %w", a.Dir, err)
		}
	}
	guard := flock.New(a.path(lockFile))
	taken, err := guard.TryLock()
	switch {
	case err != nil:
		return nil, fmt.Errorf("cannot write in %s: %w", a.Dir, err)
	case !taken:
		return nil, &BusyError{a.Dir}
	}
	if err := a.repair(); err != nil {
		_ = guard.Unlock()
		return nil, err
	}
	return func() { _ = guard.Unlock() }, nil
}

// A journal says how to get back to before a transaction. While it is on disk the transaction is under way; taking it
// away is what completes the transaction.
type journal struct {
	What  string            `json:"what"`
	Began time.Time         `json:"began"`
	Files map[string]string `json:"files"` // name to backup below stateDir, "" for a file that did not exist
}

// A transaction changes several files or none.
type transaction struct {
	a       *App
	journal journal
}

// begin saves the present content of the files that are going to change.
func (a *App) begin(what, backup string, names ...string) (*transaction, error) {
	t := &transaction{a, journal{what, time.Now().UTC(), map[string]string{}}}
	for _, name := range names {
		data, err := os.ReadFile(a.path(name))
		switch {
		case errors.Is(err, fs.ErrNotExist):
			t.journal.Files[name] = ""
			continue
		case err != nil:
			return nil, err
		}
		saved := filepath.Join("backup", backup, filepath.FromSlash(name))
		if err := os.MkdirAll(filepath.Dir(a.path(filepath.Join(stateDir, saved))), 0o755); err != nil {
			return nil, err
		}
		if err := writeFile(a.path(filepath.Join(stateDir, saved)), data); err != nil {
			return nil, err
		}
		t.journal.Files[name] = filepath.ToSlash(saved)
	}
	data, err := json.MarshalIndent(t.journal, "", "  ")
	if err != nil {
		return nil, err
	}
	return t, writeFile(a.path(journalFile), append(data, '\n'))
}

// write replaces one of the files, whole.
func (t *transaction) write(name string, data []byte) error {
	if _, ok := t.journal.Files[name]; !ok {
		return fmt.Errorf("%s is not part of the transaction", name)
	}
	return writeFile(t.a.path(name), data)
}

// commit completes the transaction.
func (t *transaction) commit() error { return os.Remove(t.a.path(journalFile)) }

// undo puts all files back.
func (t *transaction) undo() error { return t.a.restore(t.journal) }

func (a *App) restore(j journal) error {
	for name, saved := range j.Files {
		if err := a.putBack(name, saved); err != nil {
			return err
		}
	}
	return os.Remove(a.path(journalFile))
}

// putBack gives a file the content of its backup, or removes it when there is none.
func (a *App) putBack(name, saved string) error {
	if saved == "" {
		if err := os.Remove(a.path(name)); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
		return nil
	}
	data, err := os.ReadFile(a.path(stateDir + "/" + saved))
	if err != nil {
		return err
	}
	return writeFile(a.path(name), data)
}

// repair takes back a transaction that was never completed.
func (a *App) repair() error {
	data, err := os.ReadFile(a.path(journalFile))
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	var j journal
	if err := json.Unmarshal(data, &j); err != nil {
		return fmt.Errorf("%s cannot be read: %w", journalFile, err)
	}
	if err := a.restore(j); err != nil {
		return err
	}
	a.Repaired = fmt.Sprintf("%s, begun %s, was not finished; the files are as they were before it", j.What, j.Began.Local().Format(time.DateTime))
	return a.read()
}

// WriteLock puts a lock on disk.
func (a *App) WriteLock(_ context.Context, data []byte) error {
	t, err := a.begin("relock", "relock", a.Eco.Lock())
	if err != nil {
		return err
	}
	if err := t.write(a.Eco.Lock(), data); err != nil {
		return errors.Join(err, t.undo())
	}
	return t.commit()
}
