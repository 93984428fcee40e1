// Package txn changes files and whole folders of one folder safely: within the folder, by local
// names, never through a link, each file new or old and nothing between, and flushed to the disk in
// the end. A Transaction changes several of them or none, whenever the process ends: a journal says
// how to get back, and its removal completes the change.
package txn

import (
	"crypto/rand"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"golang.org/x/sync/errgroup"

	"molt/input"
)

// A Folder reads and changes the files of an application, in operations each of which happens
// wholly or not at all. What is being written lies in PartDir until it is complete, so that a
// process that ends in the middle leaves no files of its own among the application's.
//
// Names are relative to the application, with slashes, and reach nothing outside of it: they are
// local names, no folder on the way is a link, and nothing of version control's own folder is
// touched. The last part may be a link to a file that lies in the same repository (see boundary):
// then that file is read and written and the link stays. Nothing below StateDir may be a link.
type Folder struct {
	Dir  string
	Root *os.Root // of Dir
	// BeforeEach is asked ahead of every operation, which fails when it returns an error. Tests end
	// the process there, or fill the disk; elsewhere it is nil.
	BeforeEach func(op, name string) error
	copied     []string // files whose content Flush still has to bring onto the disk
}

// PartDir holds files that are being written.
const PartDir = StateDir + "/part"

// A NameError reports a name that an application's files must not have, or a link where none may be.
type NameError struct{ Name, Reason string }

func (e *NameError) Error() string { return e.Name + ": " + e.Reason }

// open opens a folder. One that does not exist is an *input.UsageError.
func open(dir string) (Folder, error) {
	root, err := os.OpenRoot(dir)
	if errors.Is(err, fs.ErrNotExist) {
		return Folder{}, &input.UsageError{
			Reason: fmt.Sprintf("there is no folder %s; --dir says where the application is", dir)}
	}
	return Folder{Dir: dir, Root: root}, err
}

func (d *Folder) ask(op, name string) error {
	if d.BeforeEach == nil {
		return nil
	}
	return d.BeforeEach(op, name)
}

// A location is where a name leads.
type location struct {
	Root *os.Root
	Name string // below root, in the form of the system
	part string // the folder for what is being written, below root
}

// close lets go of a root other than the disk's own.
func (l location) close(d *Folder) {
	if l.Root != d.Root {
		_ = l.Root.Close()
	}
}

// Find checks a name and says where it leads. A file that does not exist is no error.
func (d *Folder) Find(name string) (location, error) {
	local := filepath.FromSlash(name)
	if !filepath.IsLocal(local) || filepath.Clean(local) != local {
		return location{}, &NameError{name, "no name of a file of this application"}
	}
	parts := strings.Split(name, "/")
	if slices.ContainsFunc(parts, func(part string) bool { return strings.EqualFold(part, ".git") }) {
		return location{}, &NameError{name, "it belongs to version control"}
	}
	for i := range parts {
		at := path.Join(parts[:i+1]...)
		info, err := d.Root.Lstat(filepath.FromSlash(at))
		if errors.Is(err, fs.ErrNotExist) {
			break
		}
		if err != nil {
			return location{}, err
		}
		switch {
		case info.Mode()&fs.ModeSymlink == 0:
		case i < len(parts)-1 || parts[0] == StateDir:
			return location{}, &NameError{
				at, "it is a link, which Molt does not follow here; put a folder or a file in its place"}
		default:
			return d.behind(name)
		}
	}
	return location{d.Root, local, filepath.FromSlash(PartDir)}, nil
}

// behind says where a link among the application's files leads: to a file in the same repository.
func (d *Folder) behind(name string) (location, error) {
	file, err := filepath.EvalSymlinks(filepath.Join(d.Dir, filepath.FromSlash(name)))
	if err != nil {
		return location{}, &NameError{name, "a link that leads nowhere"}
	}
	dir, err := filepath.EvalSymlinks(d.Dir)
	if err != nil {
		return location{}, err
	}
	top := boundary(dir)
	rel, err := filepath.Rel(top, file)
	if err != nil || !filepath.IsLocal(rel) {
		return location{}, &NameError{name, fmt.Sprintf("a link to %s, outside of %s", file, top)}
	}
	if slices.ContainsFunc(strings.Split(filepath.ToSlash(rel), "/"),
		func(part string) bool { return strings.EqualFold(part, ".git") || part == StateDir }) {
		return location{}, &NameError{name, fmt.Sprintf("a link to %s, which is no file of the application's", file)}
	}
	root, err := os.OpenRoot(top)
	if err != nil {
		return location{}, err
	}
	below, err := filepath.Rel(top, dir)
	return location{root, rel, filepath.Join(below, filepath.FromSlash(PartDir))}, err
}

// boundary returns the folder that links among an application's files must not leave: the work tree of version control
// that holds it, else the folder that it lies in.
func boundary(dir string) string {
	for at := dir; ; at = filepath.Dir(at) {
		if _, err := os.Lstat(filepath.Join(at, ".git")); err == nil {
			return at
		}
		if at == filepath.Dir(at) {
			return filepath.Dir(dir)
		}
	}
}

// Read returns the content of a file; the error wraps fs.ErrNotExist where there is none.
func (d *Folder) Read(name string, limit input.Limit) ([]byte, error) {
	at, err := d.Find(name)
	if err != nil {
		return nil, err
	}
	defer at.close(d)
	data, err := input.ReadIn(at.Root, filepath.ToSlash(at.Name), limit)
	var beyond *input.LimitError
	if errors.As(err, &beyond) {
		return nil, limit.Exceeded(name)
	}
	return data, err
}

// List returns the names of what lies in a folder, sorted.
func (d *Folder) List(name string) ([]string, error) {
	at, err := d.Find(name)
	if err != nil {
		return nil, err
	}
	defer at.close(d)
	entries, err := fs.ReadDir(at.Root.FS(), filepath.ToSlash(at.Name))
	var names []string
	for _, e := range entries {
		names = append(names, e.Name())
	}
	return names, err
}

// Exists reports whether there is something of a name, whatever it is.
func (d *Folder) Exists(name string) bool {
	_, err := d.Root.Lstat(filepath.FromSlash(name))
	return err == nil
}

// Mkdir makes a folder and those above it, unless it is there.
func (d *Folder) Mkdir(name string) error {
	if name == "." {
		return nil
	}
	at, err := d.Find(name)
	if err != nil {
		return err
	}
	defer at.close(d)
	if info, err := at.Root.Stat(at.Name); err == nil && info.IsDir() {
		return nil
	}
	if err := d.ask("make folder", name); err != nil {
		return err
	}
	return at.Root.MkdirAll(at.Name, 0o755)
}

// Put replaces a file in one move, with its content on disk before. The mode of an existing file stays, and where there
// is a link, so does the link.
func (d *Folder) Put(name string, data []byte) error {
	at, err := d.Find(name)
	if err != nil {
		return err
	}
	defer at.close(d)
	mode := fs.FileMode(0o644)
	if info, err := at.Root.Stat(at.Name); err == nil {
		if err := input.Regular(name, info); err != nil {
			return err
		}
		mode = info.Mode().Perm()
	}
	if err := d.ask("create", name); err != nil {
		return err
	}
	part := filepath.Join(at.part, rand.Text())
	f, err := at.Root.OpenFile(part, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return err
	}
	if err := d.fill(f, name, data, mode); err != nil {
		_ = at.Root.Remove(part)
		return err
	}
	if err := at.Root.Rename(part, at.Name); err != nil {
		_ = at.Root.Remove(part)
		return err
	}
	return d.flushEntry(at, name)
}

// fill writes and closes a file that is going to take the place of another.
func (d *Folder) fill(f *os.File, name string, data []byte, mode fs.FileMode) error {
	err := d.ask("fill", name)
	if err == nil {
		_, err = f.Write(data)
	}
	if err == nil {
		err = f.Chmod(mode)
	}
	if err == nil {
		err = f.Sync()
	}
	if closed := f.Close(); err == nil {
		err = closed
	}
	if err == nil {
		err = d.ask("replace", name)
	}
	return err
}

// Copy writes a file that nothing depends on until Flush was called.
func (d *Folder) Copy(name string, data []byte) error {
	if err := d.ask("copy", name); err != nil {
		return err
	}
	at, err := d.Find(name)
	if err != nil {
		return err
	}
	defer at.close(d)
	d.copied = append(d.copied, name)
	return at.Root.WriteFile(at.Name, data, 0o644)
}

// Flush brings all that was copied onto the disk, and the folders that it lies in.
func (d *Folder) Flush() error {
	if err := d.ask("flush", ""); err != nil {
		return err
	}
	names := d.copied
	d.copied = nil
	folders := map[string]bool{}
	var g errgroup.Group
	g.SetLimit(8)
	for _, name := range names {
		g.Go(func() error { return syncIn(d.Root, name) })
		for dir := path.Dir(name); dir != "." && !folders[dir]; dir = path.Dir(dir) {
			folders[dir] = true
		}
	}
	if err := g.Wait(); err != nil {
		return err
	}
	for dir := range folders {
		g.Go(func() error { return syncFolder(d.Root, filepath.FromSlash(dir)) })
	}
	return g.Wait()
}

func syncIn(root *os.Root, name string) error {
	f, err := root.OpenFile(filepath.FromSlash(name), os.O_RDWR, 0)
	if err != nil {
		return err
	}
	err = f.Sync()
	return errors.Join(err, f.Close())
}

// Remove takes a file away; one that is not there is no error.
func (d *Folder) Remove(name string) error {
	if err := d.ask("remove", name); err != nil {
		return err
	}
	at, err := d.Find(name)
	if err != nil {
		return err
	}
	defer at.close(d)
	if err := at.Root.Remove(at.Name); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	return d.flushEntry(at, name)
}

// Move gives a file of the application another name in one move, which takes the place of what is there.
func (d *Folder) Move(from, to string) error {
	if err := d.ask("move", to); err != nil {
		return err
	}
	source, err := d.Find(from)
	if err != nil {
		return err
	}
	defer source.close(d)
	target, err := d.Find(to)
	if err != nil {
		return err
	}
	defer target.close(d)
	if target.Root != d.Root { // below the other root, both have names
		below, err := filepath.Rel(target.Root.Name(), filepath.Join(realDir(d.Dir), source.Name))
		if err != nil {
			return err
		}
		source.Name = below
	}
	if err := target.Root.Rename(source.Name, target.Name); err != nil {
		return err
	}
	return d.flushEntry(target, to)
}

func realDir(dir string) string {
	if real, err := filepath.EvalSymlinks(dir); err == nil {
		return real
	}
	return dir
}

// flushEntry brings the entries of a file's folder onto the disk, so that moves survive a loss of
// power in the order in which they were made.
func (d *Folder) flushEntry(at location, name string) error {
	if err := d.ask("flush entry", name); err != nil {
		return err
	}
	return syncFolder(at.Root, filepath.Dir(at.Name))
}

// Discard takes a file or a folder below StateDir away, as far as it can. Nothing depends on that.
func (d *Folder) Discard(name string) {
	at, err := d.Find(name)
	if err != nil || !strings.HasPrefix(name, StateDir+"/") {
		return
	}
	_ = at.Root.RemoveAll(at.Name)
}

// Tidy takes away what a process that ended in the middle had not completed.
func (d *Folder) Tidy() error {
	at, err := d.Find(PartDir)
	if err != nil {
		return err
	}
	entries, err := fs.ReadDir(at.Root.FS(), PartDir)
	if errors.Is(err, fs.ErrNotExist) {
		return d.Mkdir(PartDir)
	}
	for _, e := range entries {
		_ = at.Root.RemoveAll(filepath.Join(at.Name, e.Name()))
	}
	return err
}
