package txn

import (
	"crypto/rand"
	"errors"
	"io/fs"
	"maps"
	"path"
	"time"

	"github.com/gofrs/flock"
)

const (
	spanFile  = StateDir + "/span.json"
	spanInUse = StateDir + "/span-in-use"
)

// A Span makes several transactions of a folder one: what one of them completes is taken back with
// the others where a later one fails, or where the process ends before all of them are done. It has
// a journal of its own, into which a transaction puts its backups as it is completed. A nil Span is
// none.
type Span struct {
	w       *Workspace
	journal journal
	guard   *flock.Flock
	spent   []string // folders of backups that nothing needs afterwards
}

// BeginSpan begins one. The folder must have been taken, and may be released while the span lasts:
// workspaces with the span are the only ones that can take it. The caller ends it with Commit or
// Undo.
func (w *Workspace) BeginSpan(what string) (*Span, error) {
	s := &Span{w: w, journal: journal{
		What: what, Began: time.Now().UTC(), Files: map[string]string{}, Folders: map[string]string{},
		Sums: map[string]string{}, Run: rand.Text()}}
	if _, err := w.Find(spanInUse); err != nil {
		return nil, err
	}
	s.guard = flock.New(w.path(spanInUse))
	if taken, err := s.guard.TryLock(); err != nil || !taken {
		return nil, errors.Join(err, &BusyError{w.Dir})
	}
	if err := w.note(spanFile, s.journal); err != nil {
		return nil, errors.Join(err, s.guard.Unlock())
	}
	return s, nil
}

// adopt takes over the backups of a transaction that is about to be completed. What was changed
// before is known already.
func (s *Span) adopt(t *Transaction) error {
	files, sums, folders := maps.Clone(s.journal.Files), maps.Clone(s.journal.Sums), maps.Clone(s.journal.Folders)
	for name, saved := range t.journal.Files {
		if _, known := files[name]; !known {
			files[name] = saved
			if saved != "" {
				sums[saved] = t.journal.Sums[saved]
			}
		}
	}
	for name, saved := range t.journal.Folders {
		if _, known := folders[name]; !known {
			folders[name] = saved
		}
	}
	s.journal.Files, s.journal.Sums, s.journal.Folders = files, sums, folders
	if t.recorded {
		s.spent = append(s.spent, path.Join(t.journal.Backup, "folders"))
	} else {
		s.spent = append(s.spent, t.journal.Backup)
	}
	return s.w.note(spanFile, s.journal)
}

// Commit completes the transactions of the span.
func (s *Span) Commit() error {
	err := s.w.Remove(spanFile)
	if err == nil {
		for _, folder := range s.spent {
			s.w.DiscardBackup(folder)
		}
	}
	return errors.Join(err, s.guard.Unlock())
}

// Undo takes all of them back.
func (s *Span) Undo() error {
	err := s.w.restore(spanFile, s.journal)
	if err == nil {
		for _, folder := range s.spent {
			s.w.DiscardBackup(folder)
		}
	}
	return errors.Join(err, s.guard.Unlock())
}

// spanned reports whether a span of another process is under way.
func (w *Workspace) spanned() bool {
	if _, err := w.Find(spanInUse); err != nil || !w.Exists(spanInUse) {
		return false
	}
	guard := flock.New(w.path(spanInUse))
	free, err := guard.TryRLock()
	if free {
		_ = guard.Unlock()
	}
	return err == nil && !free
}

// repairSpan takes back a span that was never completed.
func (w *Workspace) repairSpan(end func(run string)) (says string, err error) {
	if w.Within != nil {
		return "", nil
	}
	j, err := w.readJournal(spanFile)
	if errors.Is(err, fs.ErrNotExist) {
		return "", nil
	}
	if err != nil {
		return "", err
	}
	end(j.Run)
	return j.unfinished() + "; the files are as they were before it", w.restore(spanFile, j)
}
