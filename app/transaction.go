package app

import (
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"path"
	"slices"
	"strings"
	"time"

	"github.com/gofrs/flock"

	"molt/app/run"
	"molt/input"
	"molt/txn"
)

const (
	journalFile = txn.StateDir + "/journal.json"
	ledgerFile  = txn.StateDir + "/ledger.jsonl"
	lockFile    = txn.StateDir + "/in-use"
	backupDir   = txn.StateDir + "/backup"
)

// A BusyError reports that another Molt works in the folder.
type BusyError struct{ Dir string }

func (e *BusyError) Error() string {
	return fmt.Sprintf("another Molt is at work in %s; try again when it is done", e.Dir)
}

// Use takes the folder for changing it, so that no other Molt does the same, and repairs what a Molt left that was
// ended in the middle. The caller releases it.
func (a *App) Use() (release func(), err error) {
	if err := a.ownState(); err != nil {
		return nil, err
	}
	if err := a.disk.Mkdir(txn.StateDir); err != nil {
		return nil, fmt.Errorf("cannot write in %s: %w", a.Dir, err)
	}
	if _, err := a.disk.Find(lockFile); err != nil {
		return nil, err
	}
	guard := flock.New(a.path(lockFile))
	taken, err := guard.TryLock()
	switch {
	case err != nil:
		return nil, fmt.Errorf("cannot write in %s: %w", a.Dir, err)
	case !taken:
		return nil, &BusyError{a.Dir}
	}
	if err := a.settleIn(); err != nil {
		_ = guard.Unlock()
		return nil, err
	}
	return func() { _ = guard.Unlock() }, nil
}

// ownState makes sure that what is at stateDir is a folder of the application's own.
func (a *App) ownState() error {
	info, err := a.disk.Root.Lstat(txn.StateDir)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil
	case err != nil:
		return err
	case !info.IsDir():
		return &input.UsageError{Reason: fmt.Sprintf("%s is no folder; Molt keeps its own files there and follows no link: take it away", a.path(txn.StateDir))}
	}
	return nil
}

// Unfinished says that a Molt was ended in the middle of a change; "" when there is nothing to say, as while another Molt is
// at work. It changes nothing.
func (a *App) Unfinished() string {
	if err := a.ownState(); err != nil {
		return err.Error()
	}
	if !a.disk.Exists(journalFile) || a.inUse() {
		return ""
	}
	j, err := a.readJournal()
	if err != nil {
		return err.Error()
	}
	return fmt.Sprintf("%s, begun %s, was not finished; the next command that changes something first puts the files back as they were before it",
		j.What, j.Began.Local().Format(time.DateTime))
}

// inUse reports whether another Molt has taken the folder.
func (a *App) inUse() bool {
	if _, err := a.disk.Find(lockFile); err != nil || !a.disk.Exists(lockFile) {
		return false
	}
	guard := flock.New(a.path(lockFile))
	free, err := guard.TryRLock()
	if free {
		_ = guard.Unlock()
	}
	return err == nil && !free
}

// settleIn makes the folder ready: it ignores itself in version control, and nothing is left half done.
func (a *App) settleIn() error {
	if err := a.disk.Tidy(); err != nil {
		return fmt.Errorf("cannot write in %s: %w", a.Dir, err)
	}
	ignore := txn.StateDir + "/.gitignore"
	if !a.disk.Exists(ignore) {
		if err := a.disk.Put(ignore, []byte("*\n")); err != nil {
			return fmt.Errorf("cannot write in %s: %w", a.Dir, err)
		}
	}
	a.clearCopies()
	return a.repair()
}

// A journal says how to get back to before a transaction. While it is on disk the transaction is under way; taking it
// away is what completes the transaction.
type journal struct {
	What   string            `json:"what"`
	Began  time.Time         `json:"began"`
	Backup string            `json:"backup"` // folder of the backups
	Files  map[string]string `json:"files"`  // name to backup below stateDir, "" for a file that did not exist
	Sums   map[string]string `json:"sums"`   // SHA-256 of each backup
	Tasks  bool              `json:"tasks"`  // tasks are running, which may make files that are not listed
	Run    string            `json:"run"`    // what the processes of its checks and tasks have in their environment
}

// A sealedJournal is the journal as it lies on disk. One whose seal is not this user's, on this machine, came with the
// folder from elsewhere, and nobody follows it.
type sealedJournal struct {
	Journal journal `json:"journal"`
	Seal    string  `json:"seal"`
}

// journalKind is what seals of journals are about.
const journalKind = "journal"

// readJournal reads the journal, which must be Molt's own; the error wraps fs.ErrNotExist where there is none.
func (a *App) readJournal() (journal, error) {
	data, err := a.disk.Read(journalFile, input.State)
	if err != nil {
		return journal{}, err
	}
	var on sealedJournal
	if err := json.Unmarshal(data, &on); err == nil {
		plain, err := json.Marshal(on.Journal)
		if err == nil && a.sealed(journalKind, plain, on.Seal) {
			return on.Journal, nil
		}
	}
	return journal{}, &input.UsageError{Reason: fmt.Sprintf("%s was not written by Molt for this user on this machine, so it is not carried out; look at what it says, and remove it", journalFile)}
}

// A transaction changes several files or none.
type transaction struct {
	a        *App
	journal  journal
	recorded bool // the ledger needs the backups
}

// begin saves the present content of the files that are going to change, in a folder of its own.
func (a *App) begin(what, id string, names ...string) (*transaction, error) {
	folder := path.Join(backupDir, time.Now().UTC().Format("20060102-150405.000000")+"-"+slug(id))
	t := &transaction{a: a, journal: journal{What: what, Began: time.Now().UTC(), Backup: folder, Files: map[string]string{}, Sums: map[string]string{}, Run: rand.Text()}}
	a.runID = t.journal.Run
	err := t.cover(names)
	if err != nil && a.disk.Remove(journalFile) == nil { // else the next Molt needs the backups
		a.discard(folder)
	}
	return t, err
}

// discard takes away a folder of backups that nothing needs. That it stays does no harm.
func (a *App) discard(folder string) {
	if strings.HasPrefix(folder, backupDir+"/") {
		a.disk.Discard(folder)
	}
}

// cover takes more files into a transaction, which must not have changed yet.
func (t *transaction) cover(names []string) error {
	if err := t.keep(names, t.a.disk.Put); err != nil {
		return err
	}
	return t.note()
}

// coverMany does the same for many files, faster.
func (t *transaction) coverMany(names []string) error {
	if err := t.keep(names, t.a.disk.Copy); err != nil {
		return err
	}
	if err := t.a.disk.Flush(); err != nil {
		return err
	}
	t.journal.Tasks = true
	return t.note()
}

// keep saves files that the transaction does not cover yet.
func (t *transaction) keep(names []string, put func(name string, data []byte) error) error {
	for _, name := range names {
		if _, covered := t.journal.Files[name]; covered {
			continue
		}
		saved, sum, err := t.a.save(t.journal.Backup, name, put)
		if err != nil {
			return err
		}
		t.journal.Files[name] = saved
		if saved != "" {
			t.journal.Sums[saved] = sum
		}
	}
	return nil
}

// created takes files into a transaction that came into being in its course.
func (t *transaction) created(names []string) error {
	for _, name := range names {
		t.journal.Files[name] = ""
	}
	t.journal.Tasks = false
	return t.note()
}

// note writes the journal.
func (t *transaction) note() error {
	plain, err := json.Marshal(t.journal)
	if err != nil {
		return err
	}
	seal, err := t.a.seal(journalKind, plain)
	if err != nil {
		return err
	}
	data, err := json.MarshalIndent(sealedJournal{t.journal, seal}, "", "  ")
	if err != nil {
		return err
	}
	return t.a.disk.Put(journalFile, append(data, '\n'))
}

// save keeps a copy of a file in a folder of backups, and returns its name below stateDir with its SHA-256; "" for a file
// that does not exist.
func (a *App) save(folder, name string, put func(name string, data []byte) error) (saved, sum string, err error) {
	data, err := a.disk.Read(name, input.State)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return "", "", nil
	case err != nil:
		return "", "", err
	}
	saved = path.Join(folder, name)
	if err := a.disk.Mkdir(path.Dir(saved)); err != nil {
		return "", "", err
	}
	return strings.TrimPrefix(saved, txn.StateDir+"/"), sumOf(data), put(saved, data)
}

// write replaces one of the files, whole.
func (t *transaction) write(name string, data []byte) error {
	if _, ok := t.journal.Files[name]; !ok {
		return fmt.Errorf("%s is not part of the transaction", name)
	}
	return t.a.disk.Put(name, data)
}

// commit completes the transaction.
func (t *transaction) commit() error {
	err := t.a.disk.Remove(journalFile)
	if err == nil && !t.recorded {
		t.a.discard(t.journal.Backup)
	}
	return err
}

// undo puts all files back.
func (t *transaction) undo() error { return t.a.restore(t.journal) }

func (a *App) restore(j journal) error {
	for _, name := range slices.Sorted(maps.Keys(j.Files)) {
		saved := j.Files[name]
		if err := a.putBack(name, saved, j.Sums[saved]); err != nil {
			return err
		}
	}
	if err := a.disk.Remove(journalFile); err != nil {
		return err
	}
	a.discard(j.Backup)
	return nil
}

// putBack gives a file its backup, or removes it when there is none. A file that has that content is left alone. The
// backup is moved into its place, so that a full disk is no obstacle; one that is gone was moved already.
func (a *App) putBack(name, saved, sum string) error {
	if saved == "" {
		if !a.disk.Exists(name) {
			return nil
		}
		return a.disk.Remove(name)
	}
	now, err := a.disk.Read(name, input.State)
	if err == nil && sumOf(now) == sum {
		return nil
	}
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	backup := txn.StateDir + "/" + saved
	data, err := a.disk.Read(backup, input.State)
	switch {
	case err != nil:
		return fmt.Errorf("putting %s back: %w", name, err)
	case sumOf(data) != sum:
		return fmt.Errorf("putting %s back: its backup %s is not what Molt saved", name, backup)
	}
	if err := a.disk.Mkdir(path.Dir(name)); err != nil {
		return err
	}
	return a.disk.Move(backup, name)
}

// repair takes back a transaction that was never completed.
func (a *App) repair() error {
	j, err := a.readJournal()
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	run.EndOrphans(j.Run) // or they would go on writing
	if err := a.restore(j); err != nil {
		return err
	}
	defer func() {
		if j.Tasks {
			a.Repaired += "; a file that a task had just made may still be there"
		}
	}()
	a.Repaired = fmt.Sprintf("%s, begun %s, was not finished; the files are as they were before it", j.What, j.Began.Local().Format(time.DateTime))
	return a.reread()
}

// WriteLock puts a lock on disk.
func (a *App) WriteLock(data []byte) error {
	return a.WriteFiles("relock", map[string][]byte{a.Eco.Lock(): data})
}

// WriteFiles puts several files on disk, all or none, without a line in the ledger.
func (a *App) WriteFiles(what string, files map[string][]byte) error {
	names := slices.Sorted(maps.Keys(files))
	t, err := a.begin(what, what, names...)
	if err != nil {
		return err
	}
	for _, name := range names {
		if err := t.write(name, files[name]); err != nil {
			return errors.Join(err, t.undo())
		}
	}
	return t.commit()
}
