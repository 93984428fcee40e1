package txn

import (
	"errors"
	"fmt"
	"io/fs"
	"path/filepath"

	"github.com/gofrs/flock"

	"molt/input"
)

// StateDir holds what Molt needs to know about an application besides the committed files.
const StateDir = ".molt"

const (
	journalFile = StateDir + "/journal.json"
	inUseFile   = StateDir + "/in-use"
	backupDir   = StateDir + "/backup"
)

// Seals tells what Molt wrote itself from what came with a folder from elsewhere.
type Seals interface {
	// Seal returns a code for data of a kind; only those who may write for this user can make it.
	Seal(kind string, data []byte) (string, error)
	// Sealed reports whether a code is that which Seal returns.
	Sealed(kind string, data []byte, seal string) bool
}

// A Workspace is a folder that changes in transactions, by one process at a time.
type Workspace struct {
	Folder
	Seals
	// Run identifies the latest transaction; processes that work for it have it in their environment.
	Run string
	// Within is the span that the transactions are part of; nil for none.
	Within *Span
}

// OpenWorkspace opens a folder. One that does not exist is an *input.UsageError.
func OpenWorkspace(dir string, seals Seals) (*Workspace, error) {
	folder, err := open(dir)
	return &Workspace{Folder: folder, Seals: seals}, err
}

// A BusyError reports that another Molt works in the folder.
type BusyError struct{ Dir string }

func (e *BusyError) Error() string {
	return fmt.Sprintf("another Molt is at work in %s; try again when it is done", e.Dir)
}

// Take takes the folder for changing it, so that no other Molt does the same; the error is a
// *BusyError when another has it. The caller releases it. A transaction that was ended in the
// middle is still to be repaired.
func (w *Workspace) Take() (release func(), err error) {
	if err := w.ownState(); err != nil {
		return nil, err
	}
	if err := w.Mkdir(StateDir); err != nil {
		return nil, fmt.Errorf("cannot write in %s: %w", w.Dir, err)
	}
	if _, err := w.Find(inUseFile); err != nil {
		return nil, err
	}
	guard := flock.New(w.path(inUseFile))
	taken, err := guard.TryLock()
	switch {
	case err != nil:
		return nil, fmt.Errorf("cannot write in %s: %w", w.Dir, err)
	case !taken:
		return nil, &BusyError{w.Dir}
	}
	if w.Within == nil && w.spanned() {
		_ = guard.Unlock()
		return nil, &BusyError{w.Dir}
	}
	if err := w.makeReady(); err != nil {
		_ = guard.Unlock()
		return nil, fmt.Errorf("cannot write in %s: %w", w.Dir, err)
	}
	return func() { _ = guard.Unlock() }, nil
}

// makeReady takes away what was being written, and has the state ignore itself in version control.
func (w *Workspace) makeReady() error {
	if err := w.Tidy(); err != nil {
		return err
	}
	ignore := StateDir + "/.gitignore"
	if w.Exists(ignore) {
		return nil
	}
	return w.Put(ignore, []byte("*\n"))
}

// ownState makes sure that what is at StateDir is a folder of the application's own.
func (w *Workspace) ownState() error {
	info, err := w.Root.Lstat(StateDir)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil
	case err != nil:
		return err
	case !info.IsDir():
		return &input.UsageError{Reason: fmt.Sprintf(
			"%s is no folder; Molt keeps its own files there and follows no link: take it away", w.path(StateDir))}
	}
	return nil
}

// inUse reports whether another Molt has taken the folder.
func (w *Workspace) inUse() bool {
	if _, err := w.Find(inUseFile); err != nil || !w.Exists(inUseFile) {
		return false
	}
	guard := flock.New(w.path(inUseFile))
	free, err := guard.TryRLock()
	if free {
		_ = guard.Unlock()
	}
	return err == nil && !free
}

func (w *Workspace) path(name string) string { return filepath.Join(w.Dir, name) }
