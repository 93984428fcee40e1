// Package store keeps unpacked releases, each once for all applications of a user, under the digest
// of its archive. Installed trees are made of links to its files. Any number of processes may use
// it: an entry is made under a temporary name and moved to its place whole, and never changes afterwards.
//
// Whoever edits a file of an installed tree edits the store's file too, where the two are links of
// one file. So files are read-only, and an entry is looked at before it is used: its index, which
// has a checksum of its own, says of each file how large it is, when it was written and by which
// number the file system knows it. Where that does not hold, the file's digest decides, and an
// entry that was changed is made again. Programs can set back when a file was written, but not when
// it changed. So whoever wants to be sure of an installed tree (Differing) also asks for the digest
// of files that have changed since the entry was last found to be right, which is the time of the
// index itself. Every link made or taken away is such a change.
package store

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"molt/archive"
)

// A Store is a folder of entries, each an unpacked release under the digest of its archive.
//
// Laws:
//
//   - An entry that can be opened is whole: it was made under a temporary name and moved to its place, and it is not changed
//     again. Its index says what its files are, and is checked when it is read.
//   - Any number of processes may use a store, and any may clear it. Who finds an entry gone makes it again; files that
//     are links to it stay what they are.
//   - Nothing in a store is needed to be right, only to be quick: without it, archives are fetched again.
type Store struct{ dir string }

// In returns the store in a folder, which need not exist.
func In(dir string) *Store { return &Store{dir} }

// format is the version of how entries lie in the folder.
const format = "3"

// An Entry is an unpacked release.
type Entry struct {
	Dir   string // of its files
	Files []File // sorted by path
	About About
	right int64 // when all files were last found to be right, in nanoseconds since 1970
	fresh bool  // no file has changed since, as was found when the entry was looked up
}

// About is what the manifest of a release says that whoever lays it out has to know.
type About struct {
	Executables map[string]string `json:"executables,omitempty"` // what people may run: files of the release by name
	Steps       []string          `json:"steps,omitempty"`       // scripts that its author wants run
}

// A File is a file of an entry.
type File struct{ archive.File }

const (
	indexFile = "index"
	filesDir  = "files"
)

func (s *Store) place(key string) string {
	_, digest, _ := strings.Cut(key, "-")
	return filepath.Join(s.dir, format, digest[:2], key)
}

// Get returns the entry of an archive by its integrity string; nil when there is none, or none that
// is as it was made. Other errors than a
// *archive.DigestError are those of the disk.
func (s *Store) Get(name, integrity string) (*Entry, error) {
	key, err := archive.Key(name, integrity)
	if err != nil {
		return nil, err
	}
	return s.ByKey(key)
}

// intact reports whether a file is as it was made, and whether the file system says that it has not
// changed since it was found so. Its digest is asked where its size, its times or its number leave
// a doubt, or always. That it merely changed is no doubt here: each link that is made or taken away
// is a change.
func (e *Entry) intact(f *File, always bool) (whole, fresh bool) {
	name := filepath.Join(e.Dir, filepath.FromSlash(f.Path))
	info, err := os.Lstat(name)
	if err != nil || !info.Mode().IsRegular() || info.Size() != f.Size {
		return false, false
	}
	fresh = archive.Changed(info) <= e.right
	if !always && f.Inode == archive.Inode(info) && info.ModTime().UnixNano() == f.Written {
		return true, fresh
	}
	return f.holds(name), fresh
}

// undoubted reports whether a file that was right at some time is so still, by what the file system says of it.
func (f *File) undoubted(info fs.FileInfo, right int64) bool {
	return info.Size() == f.Size && info.ModTime().UnixNano() == f.Written && archive.Changed(info) <= right
}

// holds reports whether a file at a path has the digest of a file of the entry.
func (f *File) holds(path string) bool {
	file, err := os.Open(path)
	if err != nil {
		return false
	}
	defer file.Close()
	sum := sha256.New()
	_, err = io.Copy(sum, file)
	return err == nil && hex.EncodeToString(sum.Sum(nil)) == f.Digest
}

// Differing lists those files of the entry that a folder has otherwise, or not at all. Laid says
// when the folder's files were made, where they are no links to the entry's own, in nanoseconds
// since 1970; covered, which are not looked at.
func (e *Entry) Differing(dir string, laid int64, covered func(file string) bool) (edited, missing []string) {
	began, doubted := time.Now(), false
	for i := range e.Files {
		f := &e.Files[i]
		name := filepath.Join(dir, filepath.FromSlash(f.Path))
		switch same, linked, asked := e.Same(f, name, laid); {
		case same:
			doubted = doubted || linked && asked
		case covered(f.Path):
		default:
			if _, err := os.Lstat(name); err != nil {
				missing = append(missing, f.Path)
			} else {
				edited = append(edited, f.Path)
			}
		}
	}
	if doubted && edited == nil && missing == nil {
		e.rightAt(began)
	}
	return edited, missing
}

// Same reports whether another file, at a path, is or holds what a file of the entry holds; whether
// it is a link to that, and whether only its digest could tell. Laid is that of Differing.
func (e *Entry) Same(f *File, path string, laid int64) (same, linked, asked bool) {
	info, err := os.Lstat(path)
	if err != nil || !info.Mode().IsRegular() || info.Size() != f.Size {
		return false, false, false
	}
	right := laid
	if linked = f.Inode != 0 && f.Inode == archive.Inode(info); linked {
		right = e.right
	}
	if f.undoubted(info, right) {
		return true, linked, false
	}
	return f.holds(path), linked, true
}

// Linked notes that files of the entry were linked, which is a change to the file system. Where
// none had changed before, they are still right.
func (e *Entry) Linked() {
	if e.fresh {
		e.rightAt(time.Now())
	}
}

// rightAt notes when all files were right, for those who read the entry later.
func (e *Entry) rightAt(t time.Time) {
	_ = os.Chtimes(filepath.Join(filepath.Dir(e.Dir), indexFile), t, t) // without it there is a doubt more than need be
}

// Add unpacks an archive, whose bytes must be what the integrity string says: they are checked
// before the first is unpacked. What is there already is taken away where it is not as it was made.
// What about names to be run may be run, whatever the archive says; its error ends it. Errors are
// those of archive.Unpack, a *archive.DigestError, and the disk's.
func (s *Store) Add(ctx context.Context, name, integrity string, r io.ReaderAt, size int64,
	about func(root *os.Root) (About, error)) (*Entry, error) {
	return s.add(ctx, name, integrity, io.NewSectionReader(r, 0, size), archive.Form{ReadOnly: true}, about)
}

// AddAll is Add for an archive that has no folder around everything.
func (s *Store) AddAll(ctx context.Context, name, integrity string, r io.ReaderAt, size int64) (*Entry, error) {
	return s.add(ctx, name, integrity, io.NewSectionReader(r, 0, size), archive.Form{ReadOnly: true, Bare: true},
		func(*os.Root) (About, error) { return About{}, nil })
}

func (s *Store) add(ctx context.Context, name, integrity string, r *io.SectionReader, form archive.Form,
	about func(root *os.Root) (About, error)) (*Entry, error) {
	key, err := archive.Key(name, integrity)
	if err != nil {
		return nil, err
	}
	digest, err := archive.NewDigest(name, integrity)
	if err != nil {
		return nil, err
	}
	if _, err := io.Copy(digest, io.NewSectionReader(r, 0, r.Size())); err != nil {
		return nil, err
	}
	if err := digest.Check(); err != nil {
		return nil, err
	}
	dir := s.place(key)
	part := filepath.Join(s.dir, format, "part", rand.Text())
	if err := os.MkdirAll(filepath.Join(part, filesDir), 0o755); err != nil {
		return nil, fmt.Errorf("the store of unpacked releases: %w", err)
	}
	defer os.RemoveAll(part)
	made, err := fill(ctx, part, name, r, form, about)
	if err != nil {
		return nil, err
	}
	if err := os.MkdirAll(filepath.Dir(dir), 0o755); err != nil {
		return nil, err
	}
	for try := 0; ; try++ {
		err := os.Rename(part, dir)
		if err == nil {
			break
		}
		if e, _ := s.Get(name, integrity); e != nil { // another process was faster
			return e, nil
		}
		if try > 0 || !errors.Is(err, fs.ErrExist) && !isNotEmpty(dir) {
			return nil, fmt.Errorf("the store of unpacked releases: %w", err)
		}
		if err := discard(dir, filepath.Join(s.dir, format, "part", rand.Text())); err != nil {
			return nil, err
		}
	}
	e := made.entry(dir)
	e.fresh = true
	return e, nil
}

func isNotEmpty(dir string) bool {
	entries, err := os.ReadDir(dir)
	return err == nil && len(entries) > 0
}

// discard moves a folder away in one move and then removes it. Files that are linked elsewhere stay there.
func discard(dir, aside string) error {
	if err := os.MkdirAll(filepath.Dir(aside), 0o755); err != nil {
		return err
	}
	if err := os.Rename(dir, aside); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("the store of unpacked releases: %w", err)
	}
	return os.RemoveAll(aside)
}

// fill unpacks an archive into the folder of an entry and writes its index.
func fill(ctx context.Context, dir, name string, r *io.SectionReader, form archive.Form,
	about func(*os.Root) (About, error)) (*index, error) {
	root, err := os.OpenRoot(filepath.Join(dir, filesDir))
	if err != nil {
		return nil, err
	}
	defer root.Close()
	files, err := archive.Unpack(ctx, name, r, r.Size(), root, form)
	if err != nil {
		return nil, err
	}
	x := &index{Release: name, Files: make([]File, 0, len(files))}
	if x.About, err = about(root); err != nil {
		return nil, err
	}
	run := map[string]bool{}
	for _, file := range x.About.Executables {
		run[file] = true
	}
	for _, f := range files {
		if run[f.Path] && !f.Executable {
			if err := root.Chmod(filepath.FromSlash(f.Path), 0o555); err != nil {
				return nil, err
			}
			f.Executable = true
		}
		x.Files = append(x.Files, File{f})
	}
	text, err := x.encode()
	if err != nil {
		return nil, err
	}
	return x, os.WriteFile(filepath.Join(dir, indexFile), text, 0o644)
}

// Usage is what a store holds.
type Usage struct {
	Releases int
	Files    int
	Bytes    int64
}

// Usage adds up what the indexes say.
func (s *Store) Usage(ctx context.Context) (Usage, error) {
	var u Usage
	err := s.each(ctx, func(_ string, x *index) error {
		if x != nil {
			u.Releases++
			u.Files += len(x.Files)
			for _, f := range x.Files {
				u.Bytes += f.Size
			}
		}
		return nil
	})
	return u, err
}

// Verify reads every file, and takes away the entries that are not as they were made. It returns
// their releases, or their keys where not even that can be read. Whoever needs one makes it again.
func (s *Store) Verify(ctx context.Context) (removed []string, err error) {
	err = s.each(ctx, func(dir string, x *index) error {
		name := filepath.Base(dir)
		if x != nil {
			name = x.Release
			if x.entry(dir).whole(true) {
				return nil
			}
		}
		removed = append(removed, name)
		return discard(dir, filepath.Join(s.dir, format, "part", rand.Text()))
	})
	return removed, err
}

// each shows the folder of every entry with its index, nil for one that cannot be read, in the order of the keys.
func (s *Store) each(ctx context.Context, show func(dir string, x *index) error) error {
	shelves, err := os.ReadDir(filepath.Join(s.dir, format))
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	for _, shelf := range shelves {
		if shelf.Name() == "part" {
			continue
		}
		entries, err := os.ReadDir(filepath.Join(s.dir, format, shelf.Name()))
		if err != nil {
			return err
		}
		for _, e := range entries {
			if err := ctx.Err(); err != nil {
				return err
			}
			dir := filepath.Join(s.dir, format, shelf.Name(), e.Name())
			x, err := readIndex(dir)
			if err != nil {
				return err
			}
			if err := show(dir, x); err != nil {
				return err
			}
		}
	}
	return nil
}

// Clear takes everything away. Installed trees keep their files.
func (s *Store) Clear() error { return os.RemoveAll(s.dir) }

// ByKey is Get for a key, as archive.Key makes them.
func (s *Store) ByKey(key string) (*Entry, error) {
	e, err := s.Listed(key)
	if e == nil || err != nil {
		return nil, err
	}
	if !e.whole(false) {
		return nil, nil
	}
	return e, nil
}

// whole reports whether all files are as they were made.
func (e *Entry) whole(always bool) bool {
	began := time.Now()
	e.fresh = true
	for i := range e.Files {
		whole, fresh := e.intact(&e.Files[i], always)
		if !whole {
			return false
		}
		e.fresh = e.fresh && fresh
	}
	if always {
		e.rightAt(began)
	}
	return true
}

// Listed returns the entry of a key as its index has it, whatever happened to its files since; nil when there is none.
func (s *Store) Listed(key string) (*Entry, error) {
	if !validKey(key) {
		return nil, nil
	}
	dir := s.place(key)
	x, err := readIndex(dir)
	if x == nil || err != nil {
		return nil, err
	}
	return x.entry(dir), nil
}

// validKey reports whether a text is a key: a name in the store, and nothing that leads elsewhere.
func validKey(key string) bool {
	_, digest, found := strings.Cut(key, "-")
	return found && len(digest) >= 40 && !strings.ContainsFunc(key, func(c rune) bool {
		return (c < '0' || c > '9') && (c < 'a' || c > 'z') && c != '-'
	})
}
