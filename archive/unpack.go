package archive

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"hash"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"sync"
)

// A File is a file that was unpacked.
type File struct {
	Path       string // local, with slashes, below the folder that archives of releases have around everything
	Executable bool
	Size       int64
	Digest     string // SHA-256, hexadecimal
	Written    int64  // when, in nanoseconds since 1970, as the file system has it
	Inode      uint64 // by which the file system knows it; 0 where it does not tell
}

// A Form says how an archive is unpacked.
type Form struct {
	Bare     bool // there is no folder around everything
	ReadOnly bool // nobody may write the files
}

// Unpack writes the files of an archive into an empty folder, without the one folder that archives
// of releases have around everything unless they are bare, and lists them by path. Modes are
// normalised: a file may be read by all, written by its owner unless it is read-only, and run when
// the archive says that anybody may run it. Errors are those of Read. A file where another one
// needs a folder, and two names that the file system takes for one (it may be blind to case), are
// an *EntryError.
func Unpack(ctx context.Context, name string, r io.ReaderAt, size int64, into *os.Root, form Form) ([]File, error) {
	u := &unpacking{archive: name, into: into, form: form, files: map[string]File{}, sum: sha256.New(),
		buffer: buffers.Get().(*[]byte)}
	defer func() { u.leave(); buffers.Put(u.buffer) }()
	err := Read(ctx, name, r, size, func(h Header, body io.Reader) error {
		inner, found := h.Name, true
		if !form.Bare {
			_, inner, found = strings.Cut(h.Name, "/")
		}
		if !found || !h.Mode.IsRegular() { // folders come with the files in them
			return nil
		}
		f, err := u.file(h, inner, body)
		if err == nil {
			u.files[inner] = f
		}
		return err
	})
	if dir, bare := bareRepository(u.files); bare && err == nil {
		err = &EntryError{name, dir, "a repository of git by its shape, whose settings make git run programs"}
	}
	all := make([]File, 0, len(u.files))
	for _, f := range u.files {
		all = append(all, f)
	}
	slices.SortFunc(all, func(a, b File) int { return strings.Compare(a.Path, b.Path) })
	return all, err
}

var buffers = sync.Pool{New: func() any { b := make([]byte, 64<<10); return &b }}

// An unpacking is an archive on its way into a folder.
type unpacking struct {
	archive string
	into    *os.Root
	form    Form
	files   map[string]File
	sum     hash.Hash
	buffer  *[]byte  // to copy with
	dir     string   // the folder that was written to last, which is kept open
	open    *os.Root // nil for into itself
}

// leave lets go of the folder that is kept open.
func (u *unpacking) leave() {
	if u.open != nil {
		u.open.Close()
	}
	u.dir, u.open = "", nil
}

// enter returns a folder below the one that is filled, made where it is missing. Archives list the
// files of a folder together.
func (u *unpacking) enter(dir string) (*os.Root, error) {
	if dir == "." {
		return u.into, nil
	}
	if dir == u.dir {
		return u.open, nil
	}
	u.leave()
	local := filepath.FromSlash(dir)
	if err := u.into.MkdirAll(local, 0o755); err != nil {
		return nil, err
	}
	open, err := u.into.OpenRoot(local)
	if err == nil {
		u.dir, u.open = dir, open
	}
	return open, err
}

// file writes one file.
func (u *unpacking) file(h Header, inner string, body io.Reader) (File, error) {
	if !filepath.IsLocal(filepath.FromSlash(inner)) { // names that this system reserves
		return File{}, &EntryError{u.archive, h.Name, "no name for a file on this system"}
	}
	dir, base := path.Split(inner)
	in, err := u.enter(path.Clean(dir))
	if err != nil {
		if info, statErr := u.into.Lstat(filepath.FromSlash(path.Clean(dir))); statErr == nil && !info.IsDir() ||
			errors.Is(err, fs.ErrExist) {
			return File{}, &EntryError{u.archive, h.Name, "in a folder that is a file already"}
		}
		return File{}, err
	}
	mode := fs.FileMode(0o644)
	if h.Mode&0o111 != 0 {
		mode = 0o755
	}
	if u.form.ReadOnly {
		mode &^= 0o222
	}
	if _, again := u.files[inner]; again { // the later one is meant
		if err := in.Remove(base); err != nil {
			return File{}, err
		}
	}
	f, err := in.OpenFile(base, os.O_CREATE|os.O_EXCL|os.O_WRONLY, mode)
	if errors.Is(err, fs.ErrExist) {
		return File{}, &EntryError{u.archive, h.Name, "a name that this file system takes for another in the archive"}
	}
	if err != nil {
		return File{}, err
	}
	u.sum.Reset()
	n, err := io.CopyBuffer(io.MultiWriter(f, u.sum), body, *u.buffer)
	if err == nil && n != h.Size {
		err = fmt.Errorf("%s: reading the archive: the entry %q has %d bytes, and says %d", u.archive, h.Name, n, h.Size)
	}
	made := File{Path: inner, Executable: mode&0o111 != 0, Size: n, Digest: hex.EncodeToString(u.sum.Sum(nil))}
	if err == nil {
		err = u.settle(f, mode, &made)
	}
	if closed := f.Close(); err == nil {
		err = closed
	}
	return made, err
}

// settle gives a file its mode, whatever the process's mask is, and notes when it was written, and where.
func (u *unpacking) settle(f *os.File, mode fs.FileMode, made *File) error {
	info, err := f.Stat()
	if err != nil {
		return err
	}
	if info.Mode().Perm() != mode {
		err = f.Chmod(mode)
	}
	made.Written, made.Inode = info.ModTime().UnixNano(), Inode(info)
	return err
}

// Key returns a name for whatever has an integrity string: the strongest algorithm, and the first
// of its digests in hexadecimal. The error is a
// *DigestError.
func Key(name, integrity string) (string, error) {
	d, err := NewDigest(name, integrity)
	if err != nil {
		return "", err
	}
	for _, text := range d.wanted {
		if sum, err := decode(text); err == nil && len(sum) == d.Size() {
			return d.algorithm + "-" + hex.EncodeToString(sum), nil
		}
	}
	return "", &DigestError{name, fmt.Sprintf("its checksum %q is no %s digest, so it is not used",
		integrity, d.algorithm)}
}
