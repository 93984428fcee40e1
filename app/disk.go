package app

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
)

// A disk changes the files of an application, in operations each of which happens wholly or not at all. What is being
// written lies in partDir until it is complete, so that a process that ends in the middle leaves nothing beside the
// application's files.
type disk struct {
	dir string
	// before is asked ahead of every operation, which fails when it returns an error. Tests end the process there, or fill
	// the disk; elsewhere it is nil.
	before func(op, name string) error
}

// partDir holds files that are being written.
const partDir = stateDir + "/part"

func (d *disk) ask(op, name string) error {
	if d.before == nil {
		return nil
	}
	return d.before(op, name)
}

func (d *disk) path(name string) string { return filepath.Join(d.dir, filepath.FromSlash(name)) }

// mkdir makes a folder and those above it.
func (d *disk) mkdir(name string) error {
	if err := d.ask("make folder", name); err != nil {
		return err
	}
	return os.MkdirAll(d.path(name), 0o755)
}

// put replaces a file in one move, with its content on disk before. The mode of an existing file stays.
func (d *disk) put(name string, data []byte) error {
	mode := fs.FileMode(0o644)
	if info, err := os.Stat(d.path(name)); err == nil {
		mode = info.Mode().Perm()
	}
	if err := d.ask("create", name); err != nil {
		return err
	}
	p, err := newPending(d.path(name), d.path(partDir), mode)
	if err != nil {
		return err
	}
	defer p.Cleanup()
	if err := d.ask("fill", name); err != nil {
		return err
	}
	if _, err := p.Write(data); err != nil {
		return err
	}
	if err := d.ask("replace", name); err != nil {
		return err
	}
	if err := p.CloseAtomicallyReplace(); err != nil {
		return err
	}
	return d.settle(name)
}

// copy writes a file that nothing depends on until flush was called.
func (d *disk) copy(name string, data []byte) error {
	if err := d.ask("copy", name); err != nil {
		return err
	}
	return os.WriteFile(d.path(name), data, 0o644)
}

// flush brings all that was copied onto the disk.
func (d *disk) flush() error {
	if err := d.ask("flush", ""); err != nil {
		return err
	}
	syncAll()
	return nil
}

// remove takes a file away; one that is not there is no error.
func (d *disk) remove(name string) error {
	if err := d.ask("remove", name); err != nil {
		return err
	}
	if err := os.Remove(d.path(name)); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	return d.settle(name)
}

// settle brings the entries of a file's folder onto the disk, so that moves survive a loss of power in the order in which
// they were made.
func (d *disk) settle(name string) error {
	if err := d.ask("settle", name); err != nil {
		return err
	}
	return syncFolder(filepath.Dir(d.path(name)))
}

// tidy takes away what a process that ended in the middle had not completed.
func (d *disk) tidy() error {
	if err := os.RemoveAll(d.path(partDir)); err != nil {
		return err
	}
	return d.mkdir(partDir)
}
