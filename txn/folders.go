package txn

import (
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"path"
	"path/filepath"

	"molt/input"
)

// RemoveFolder takes a folder away, with all that it holds; one that is not there is no error. Undo
// and Repair put it back.
func (t *Transaction) RemoveFolder(name string) error {
	if _, again := t.journal.Folders[name]; again {
		return fmt.Errorf("%s was replaced in this transaction already", name)
	}
	old, err := t.w.isFolder(name)
	if !old || err != nil {
		return err
	}
	_, err = t.setAside(name, old)
	return err
}

// ReplaceFolder puts a staged folder, with all that it holds, in the place of another, which may be
// missing. The staged one lies below StateDir and is complete and on the disk. Until the
// transaction is completed the old folder is kept, and Undo and Repair put it back. Neither may be
// a link; between the two moves that this takes there is, for a moment, no folder of the name.
func (t *Transaction) ReplaceFolder(name, staged string) error {
	if _, again := t.journal.Folders[name]; again {
		return fmt.Errorf("%s was replaced in this transaction already", name)
	}
	old, err := t.w.isFolder(name)
	if err != nil {
		return err
	}
	if found, err := t.w.isFolder(staged); err != nil || !found {
		return errors.Join(err, fmt.Errorf("there is no folder %s to put in the place of %s", staged, name))
	}
	if _, err := t.setAside(name, old); err != nil {
		return err
	}
	return t.w.Move(staged, name)
}

// setAside notes in the journal that a folder is going to be another, and moves the old one, if
// there is one, to the backups.
func (t *Transaction) setAside(name string, old bool) (backup string, err error) {
	if old {
		backup = path.Join(t.journal.Backup, "folders", name)
		if err := t.w.Mkdir(path.Dir(backup)); err != nil {
			return "", err
		}
	}
	folders := maps.Clone(t.journal.Folders)
	if folders == nil {
		folders = map[string]string{}
	}
	folders[name] = backup
	t.journal.Folders = folders
	if err := t.note(); err != nil || !old {
		return backup, err
	}
	return backup, t.w.Move(name, backup)
}

// isFolder reports whether there is a folder of a name; anything else under it is an error.
func (w *Workspace) isFolder(name string) (bool, error) {
	info, err := w.Root.Lstat(filepath.FromSlash(name))
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return false, nil
	case err != nil:
		return false, err
	case !info.IsDir():
		return false, &input.UsageError{
			Reason: fmt.Sprintf("%s is no folder, and Molt replaces folders only; move it away", w.path(name))}
	}
	return true, nil
}

// putFolderBack moves the backup of a folder into its place; "" stands for a folder that did not
// exist. A backup that is not there was not made, or was moved back already.
func (w *Workspace) putFolderBack(name, backup string) error {
	if backup != "" && !w.Exists(backup) {
		return nil
	}
	if w.Exists(name) {
		aside := path.Join(PartDir, "folder-"+Slug(name))
		w.Discard(aside)
		if err := w.Move(name, aside); err != nil {
			return err
		}
		w.Discard(aside)
	}
	if backup == "" {
		return nil
	}
	return w.Move(backup, name)
}
