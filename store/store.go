// Package store keeps unpacked releases, each once for all applications of a user, under the digest of its archive. Installed trees are made of
// links to its files. Any number of processes may use it: an entry is made beside its place and moved there whole, and never changes
// afterwards.
//
// Whoever edits a file of an installed tree edits the store's file too, where the two are links of one file. So an entry is
// looked at before it is used: its index, which has a checksum of its own, says of each file how large it is and when it was written; where that
// does not hold, the file's digest decides, and an entry that was changed is made anew.
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

	"molt/archive"
)

// A Store is a folder of entries.
type Store struct{ dir string }

// In returns the store in a folder, which need not exist.
func In(dir string) *Store { return &Store{dir} }

// format is the version of how entries lie in the folder.
const format = "2"

// An Entry is an unpacked release.
type Entry struct {
	Dir   string // of its files
	Files []File // sorted by path
	About About
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

// Get returns the entry of an archive by its integrity string; nil when there is none, or none that is as it was made. Other errors than a
// *archive.DigestError are those of the disk.
func (s *Store) Get(name, integrity string) (*Entry, error) {
	key, err := archive.Key(name, integrity)
	if err != nil {
		return nil, err
	}
	return s.ByKey(key)
}

// intact reports whether a file is as it was made. Its digest is asked where size and time leave a doubt, or always.
func (e *Entry) intact(f *File, always bool) bool {
	name := filepath.Join(e.Dir, filepath.FromSlash(f.Path))
	info, err := os.Lstat(name)
	if err != nil || !info.Mode().IsRegular() || info.Size() != f.Size {
		return false
	}
	if !always && info.ModTime().UnixNano() == f.Written {
		return true
	}
	file, err := os.Open(name)
	if err != nil {
		return false
	}
	defer file.Close()
	sum := sha256.New()
	_, err = io.Copy(sum, file)
	return err == nil && hex.EncodeToString(sum.Sum(nil)) == f.Digest
}

// Same reports whether another file, at a path, is or holds what a file of the entry holds.
func (f *File) Same(path string) bool {
	e := Entry{Dir: filepath.Dir(path)}
	one := *f
	one.Path = filepath.Base(path)
	return e.intact(&one, false)
}

// Add unpacks an archive, whose bytes must be what the integrity string says: they are checked before the first is unpacked. What is there already
// is taken away where it is not as it was made. What about names to be run may be run, whatever the archive says. Errors are those of
// archive.Unpack, a *archive.DigestError, and the disk's.
func (s *Store) Add(ctx context.Context, name, integrity string, r io.ReaderAt, size int64, about func(root *os.Root) About) (*Entry, error) {
	return s.add(ctx, name, integrity, r, size, archive.Unpack, about)
}

// AddAll is Add for an archive that has no folder around everything.
func (s *Store) AddAll(ctx context.Context, name, integrity string, r io.ReaderAt, size int64) (*Entry, error) {
	return s.add(ctx, name, integrity, r, size, archive.UnpackAll, func(*os.Root) About { return About{} })
}

// An unpacker is archive.Unpack, or archive.UnpackAll.
type unpacker func(ctx context.Context, name string, r io.ReaderAt, size int64, into *os.Root) ([]archive.File, error)

func (s *Store) add(ctx context.Context, name, integrity string, r io.ReaderAt, size int64, unpack unpacker, about func(root *os.Root) About) (*Entry, error) {
	key, err := archive.Key(name, integrity)
	if err != nil {
		return nil, err
	}
	digest, err := archive.NewDigest(name, integrity)
	if err != nil {
		return nil, err
	}
	if _, err := io.Copy(digest, io.NewSectionReader(r, 0, size)); err != nil {
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
	made, err := fill(ctx, part, name, r, size, unpack, about)
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
	return &Entry{filepath.Join(dir, filesDir), made.Files, made.About}, nil
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
func fill(ctx context.Context, dir, name string, r io.ReaderAt, size int64, unpack unpacker, about func(*os.Root) About) (*index, error) {
	root, err := os.OpenRoot(filepath.Join(dir, filesDir))
	if err != nil {
		return nil, err
	}
	defer root.Close()
	files, err := unpack(ctx, name, r, size, root)
	if err != nil {
		return nil, err
	}
	x := &index{Release: name, About: about(root), Files: make([]File, 0, len(files))}
	run := map[string]bool{}
	for _, file := range x.About.Executables {
		run[file] = true
	}
	for _, f := range files {
		if run[f.Path] && !f.Executable {
			if err := root.Chmod(filepath.FromSlash(f.Path), 0o755); err != nil {
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

// Verify reads every file, and takes away the entries that are not as they were made. It returns their releases, or their keys where not even
// that can be read. Whoever needs one makes it anew.
func (s *Store) Verify(ctx context.Context) (removed []string, err error) {
	err = s.each(ctx, func(dir string, x *index) error {
		name := filepath.Base(dir)
		if x != nil {
			name = x.Release
			e := Entry{filepath.Join(dir, filesDir), x.Files, x.About}
			whole := true
			for i := range e.Files {
				whole = whole && e.intact(&e.Files[i], true)
			}
			if whole {
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
	for i := range e.Files {
		if !e.intact(&e.Files[i], false) {
			return nil, nil
		}
	}
	return e, nil
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
	return &Entry{filepath.Join(dir, filesDir), x.Files, x.About}, nil
}

// validKey reports whether a text is a key: a name in the store, and nothing that leads elsewhere.
func validKey(key string) bool {
	_, digest, found := strings.Cut(key, "-")
	return found && len(digest) >= 40 && !strings.ContainsFunc(key, func(c rune) bool {
		return (c < '0' || c > '9') && (c < 'a' || c > 'z') && c != '-'
	})
}
