package txn

import (
	"bytes"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"path"
	"slices"
	"strings"
	"time"

	"molt/input"
)

// A journal says how to get back to before a transaction. While it is on disk the transaction is under way; taking it
// away is what completes the transaction.
type journal struct {
	What    string            `json:"what"`
	Began   time.Time         `json:"began"`
	Backup  string            `json:"backup"`            // folder of the backups
	Files   map[string]string `json:"files"`             // name to backup below StateDir, "" for a file that did not exist
	Folders map[string]string `json:"folders,omitempty"` // the same for folders that are replaced whole
	Sums    map[string]string `json:"sums"`              // SHA-256 of each backup of a file
	Tasks   bool              `json:"tasks"`             // tasks are running, which may make files that are not listed
	// what the processes of its checks and tasks have in their environment
	Run string `json:"run"`
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
func (w *Workspace) readJournal(file string) (journal, error) {
	data, err := w.Read(file, input.State)
	if err != nil {
		return journal{}, err
	}
	var on sealedJournal
	if err := json.Unmarshal(data, &on); err == nil {
		plain, err := json.Marshal(on.Journal)
		if err == nil && w.Sealed(journalKind, plain, on.Seal) {
			return on.Journal, nil
		}
	}
	return journal{}, &input.UsageError{Reason: fmt.Sprintf("%s was not written by Molt for this user on this machine, "+
		"so it is not carried out; look at what it says, and remove it", file)}
}

// unfinished says what was not finished, and since when.
func (j journal) unfinished() string {
	return fmt.Sprintf("%s, begun %s, was not finished", j.What, j.Began.Local().Format(time.DateTime))
}

// Unfinished says that a Molt was ended in the middle of a change; "" when there is nothing to say,
// as while another Molt is at work. It changes nothing.
func (w *Workspace) Unfinished() string {
	if err := w.ownState(); err != nil {
		return err.Error()
	}
	file := spanFile
	if !w.Exists(spanFile) {
		file = journalFile
	}
	if !w.Exists(file) || w.inUse() || w.spanned() {
		return ""
	}
	j, err := w.readJournal(file)
	if err != nil {
		return err.Error()
	}
	return j.unfinished() + "; the next command that changes something first puts the files back as they were before it"
}

// Repair takes back a transaction that was never completed, and says so; "" when there was none.
// First it calls end with the Run of the transaction, whose processes may be alive and would go on
// writing.
func (w *Workspace) Repair(end func(run string)) (says string, err error) {
	j, err := w.readJournal(journalFile)
	if errors.Is(err, fs.ErrNotExist) {
		if says, err = w.repairSpan(end); says == "" && err == nil && w.Within == nil {
			w.dropFolders()
		}
		return says, err
	}
	if err != nil {
		return "", err
	}
	end(j.Run)
	if err := w.restore(journalFile, j); err != nil {
		return "", err
	}
	if says, err := w.repairSpan(end); says != "" || err != nil {
		return says, err
	}
	says = j.unfinished() + "; the files are as they were before it"
	if j.Tasks {
		says += "; a file that a task had just made may still be there"
	}
	return says, nil
}

// dropFolders takes away the backups of folders that a process which ended just after a commit had
// no time to take away: no transaction is under way that could need them.
func (w *Workspace) dropFolders() {
	entries, err := fs.ReadDir(w.Root.FS(), backupDir)
	if err != nil {
		return // there are none
	}
	for _, e := range entries {
		if folders := path.Join(backupDir, e.Name(), "folders"); w.Exists(folders) {
			w.DiscardBackup(folders)
		}
	}
}

// A Transaction changes several files and folders, or none.
//
// Laws:
//
//   - Before anything is changed, what was there is saved and the journal says so, both on disk. A process that ends in
//     between leaves a journal, with which the next one that takes the folder puts everything back (Workspace.Repair).
//   - Between Begin and Commit the folder is one of the states on the way; after Commit it is the new one, after Undo or a
//     repair the old one. There is no other end.
//   - Only what was covered is changed (Cover, and for folders ReplaceFolder and RemoveFolder). What Molt itself did not
//     save is never put back: a backup whose digest is another is an error.
//   - A workspace has one transaction at a time, in a folder that was taken (Workspace.Take).
type Transaction struct {
	w        *Workspace
	journal  journal
	recorded bool     // the backups are needed after it
	beside   []string // files that are no part of what Record keeps
}

// Begin saves the present content of the files that are going to change, in a folder of its own.
// What is done is told to people when it is not finished, id becomes part of the folder's name.
func (w *Workspace) Begin(what, id string, names ...string) (*Transaction, error) {
	folder := path.Join(backupDir, time.Now().UTC().Format("20060102-150405.000000")+"-"+Slug(id))
	t := &Transaction{w: w, journal: journal{
		What: what, Began: time.Now().UTC(), Backup: folder, Files: map[string]string{}, Sums: map[string]string{},
		Run: rand.Text()}}
	w.Run = t.journal.Run
	err := t.Cover(names)
	if err != nil && w.Remove(journalFile) == nil { // else the next Molt needs the backups
		w.DiscardBackup(folder)
	}
	return t, err
}

// DiscardBackup takes away a folder of backups that nothing needs. That it stays does no harm.
func (w *Workspace) DiscardBackup(folder string) {
	if strings.HasPrefix(folder, backupDir+"/") {
		w.Discard(folder)
	}
}

// Cover takes more files into a transaction, which must not have changed yet.
func (t *Transaction) Cover(names []string) error {
	if err := t.keep(names, t.w.Put); err != nil {
		return err
	}
	return t.note()
}

// CoverBeside does the same for files that follow from others: Record leaves them out.
func (t *Transaction) CoverBeside(names []string) error {
	t.beside = append(t.beside, names...)
	return t.Cover(names)
}

// CoverForTasks does the same, faster for many files, which tasks are going to change while nobody looks.
func (t *Transaction) CoverForTasks(names []string) error {
	if err := t.keep(names, t.w.Copy); err != nil {
		return err
	}
	if err := t.w.Flush(); err != nil {
		return err
	}
	t.journal.Tasks = true
	return t.note()
}

// keep saves files that the transaction does not cover yet.
func (t *Transaction) keep(names []string, put func(name string, data []byte) error) error {
	for _, name := range names {
		if _, covered := t.journal.Files[name]; covered {
			continue
		}
		saved, sum, err := t.w.save(t.journal.Backup, name, put)
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

// EndTasks ends the time in which tasks change files: it takes those that came into being into the
// transaction, and lets go of those that are as they were.
func (t *Transaction) EndTasks(created, same []string) error {
	for _, name := range same {
		delete(t.journal.Sums, t.journal.Files[name])
		delete(t.journal.Files, name)
	}
	for _, name := range created {
		t.journal.Files[name] = ""
	}
	t.journal.Tasks = false
	if err := t.note(); err != nil {
		return err
	}
	for _, name := range same { // only to save room
		t.w.Discard(path.Join(t.journal.Backup, name))
	}
	return nil
}

// Before returns what a file of the transaction held before it; nil when there was none.
func (t *Transaction) Before(name string) ([]byte, error) {
	saved := t.journal.Files[name]
	return t.w.Saved(saved, t.journal.Sums[saved])
}

// note writes the journal.
func (t *Transaction) note() error { return t.w.note(journalFile, t.journal) }

func (w *Workspace) note(file string, j journal) error {
	plain, err := json.Marshal(j)
	if err != nil {
		return err
	}
	seal, err := w.Seal(journalKind, plain)
	if err != nil {
		return err
	}
	data, err := json.MarshalIndent(sealedJournal{j, seal}, "", "  ")
	if err != nil {
		return err
	}
	return w.Put(file, append(data, '\n'))
}

// save keeps a copy of a file in a folder of backups, and returns its name below StateDir with its
// SHA-256; "" for a file that does not exist.
func (w *Workspace) save(folder, name string, put func(name string, data []byte) error) (saved, sum string, err error) {
	data, err := w.Read(name, input.State)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return "", "", nil
	case err != nil:
		return "", "", err
	}
	saved = path.Join(folder, name)
	if err := w.Mkdir(path.Dir(saved)); err != nil {
		return "", "", err
	}
	return strings.TrimPrefix(saved, StateDir+"/"), Sum(data), put(saved, data)
}

// Saved reads a copy below StateDir, which must have the given sum; nil for "".
func (w *Workspace) Saved(name, sum string) ([]byte, error) {
	if name == "" {
		return nil, nil
	}
	data, err := w.Read(StateDir+"/"+name, input.State)
	if err == nil && Sum(data) != sum {
		return nil, &input.UsageError{Reason: fmt.Sprintf("%s/%s is not what Molt saved", StateDir, name)}
	}
	if data == nil && err == nil {
		data = []byte{}
	}
	return data, err
}

// Write replaces one of the files, whole.
func (t *Transaction) Write(name string, data []byte) error {
	if _, ok := t.journal.Files[name]; !ok {
		return fmt.Errorf("%s is not part of the transaction", name)
	}
	return t.w.Put(name, data)
}

// Replace gives one of the files a content, in a folder that may be missing, or takes it away where data is nil.
func (t *Transaction) Replace(name string, data []byte) error {
	if _, ok := t.journal.Files[name]; !ok {
		return fmt.Errorf("%s is not part of the transaction", name)
	}
	if data == nil {
		return t.w.Remove(name)
	}
	if err := t.w.Mkdir(path.Dir(name)); err != nil {
		return err
	}
	return t.w.Put(name, data)
}

// A Record is what is needed to take a transaction back after it was completed: copies of its files
// as they were and as they were left, named below StateDir, "" for no file.
type Record struct {
	Before, After map[string]string
	Sums          map[string]string // SHA-256 of each copy
	Folder        string            // of the copies
}

// Record copies the files that were changed as they are now, but for some, and keeps these copies and those of before.
func (t *Transaction) Record(but ...string) (Record, error) {
	r := Record{map[string]string{}, map[string]string{}, map[string]string{}, t.journal.Backup}
	t.recorded = true
	for _, name := range slices.Sorted(maps.Keys(t.journal.Files)) {
		if slices.Contains(but, name) || slices.Contains(t.beside, name) {
			continue
		}
		after, sum, err := t.w.save(path.Join(t.journal.Backup, "left"), name, t.w.Put)
		if err != nil {
			return r, err
		}
		before := t.journal.Files[name]
		if before == "" && after == "" || before != "" && after != "" && sum == t.journal.Sums[before] {
			t.w.Discard(path.Join(t.journal.Backup, "left", name))
			continue
		}
		r.Before[name], r.After[name] = before, after
		for copy, sum := range map[string]string{before: t.journal.Sums[before], after: sum} {
			if copy != "" {
				r.Sums[copy] = sum
			}
		}
	}
	return r, nil
}

// Commit completes the transaction.
func (t *Transaction) Commit() error {
	if s := t.w.Within; s != nil {
		if err := s.adopt(t); err != nil {
			return err
		}
	}
	err := t.w.Remove(journalFile)
	switch {
	case err != nil, t.w.Within != nil: // the span needs the backups
	case t.recorded: // of folders, nothing but an undo needs what was there
		t.w.DiscardBackup(path.Join(t.journal.Backup, "folders"))
	default:
		t.w.DiscardBackup(t.journal.Backup)
	}
	return err
}

// Undo puts everything back.
func (t *Transaction) Undo() error { return t.w.restore(journalFile, t.journal) }

func (w *Workspace) restore(file string, j journal) error {
	for _, name := range slices.Sorted(maps.Keys(j.Folders)) {
		if err := w.putFolderBack(name, j.Folders[name]); err != nil {
			return err
		}
	}
	for _, name := range slices.Sorted(maps.Keys(j.Files)) {
		saved := j.Files[name]
		if err := w.putBack(name, saved, j.Sums[saved]); err != nil {
			return err
		}
	}
	if err := w.Remove(file); err != nil {
		return err
	}
	w.DiscardBackup(j.Backup)
	return nil
}

// putBack gives a file its backup, or removes it when there is none. A file that has that content is left alone. The
// backup is moved into its place, so that a full disk is no obstacle; one that is gone was moved already.
func (w *Workspace) putBack(name, saved, sum string) error {
	if saved == "" {
		if !w.Exists(name) {
			return nil
		}
		return w.Remove(name)
	}
	now, err := w.Read(name, input.State)
	if err == nil && Sum(now) == sum {
		return nil
	}
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	backup := StateDir + "/" + saved
	data, err := w.Read(backup, input.State)
	switch {
	case err != nil:
		return fmt.Errorf("putting %s back: %w", name, err)
	case Sum(data) != sum:
		return fmt.Errorf("putting %s back: its backup %s is not what Molt saved", name, backup)
	}
	if err := w.Mkdir(path.Dir(name)); err != nil {
		return err
	}
	return w.Move(backup, name)
}

// WriteFiles puts several files on disk, all or none.
func (w *Workspace) WriteFiles(what string, files map[string][]byte) error {
	names := slices.Sorted(maps.Keys(files))
	t, err := w.Begin(what, what, names...)
	if err != nil {
		return err
	}
	for _, name := range names {
		if err := t.Write(name, files[name]); err != nil {
			return errors.Join(err, t.Undo())
		}
	}
	return t.Commit()
}

// Content reads a file; nil when there is none.
func (w *Workspace) Content(name string) ([]byte, error) {
	data, err := w.Read(name, input.State)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if data == nil {
		data = []byte{}
	}
	return data, err
}

// Same reports whether a file holds this; nil stands for no file.
func (w *Workspace) Same(name string, data []byte) (bool, error) {
	now, err := w.Content(name)
	return err == nil && bytes.Equal(now, data) && (now == nil) == (data == nil), err
}

// Sum returns the SHA-256 of data, in hexadecimal.
func Sum(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// Slug makes a name fit to be part of a file name.
func Slug(name string) string {
	out := []byte(name)
	for i, c := range out {
		if (c < 'a' || c > 'z') && (c < 'A' || c > 'Z') && (c < '0' || c > '9') {
			out[i] = '-'
		}
	}
	return string(out)
}
