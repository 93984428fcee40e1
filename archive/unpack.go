package archive

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
)

// A File is a file that was unpacked.
type File struct {
	Path       string `json:"path"` // local, with slashes, below the folder that archives of releases have around everything
	Executable bool   `json:"executable,omitempty"`
	Size       int64  `json:"size"`
	Digest     string `json:"digest"` // SHA-256, hexadecimal
}

// Unpack writes the files of an archive into an empty folder, without the one folder that archives of releases have around everything, and
// lists them by path. Modes are normalised: a file may be read by all, written by its owner, and run when the archive says that anybody
// may run it. Errors are those of Read. A file where another one needs a folder, and two names that the file system takes
// for one (it may be blind to case), are an *EntryError.
func Unpack(ctx context.Context, name string, r io.ReaderAt, size int64, into *os.Root) ([]File, error) {
	files := map[string]File{}
	err := Read(ctx, name, r, size, func(h Header, body io.Reader) error {
		_, inner, found := strings.Cut(h.Name, "/")
		if !found || !h.Mode.IsRegular() { // folders come with the files in them
			return nil
		}
		f, err := unpackFile(name, h, inner, body, into, files)
		if err == nil {
			files[inner] = f
		}
		return err
	})
	all := make([]File, 0, len(files))
	for _, f := range files {
		all = append(all, f)
	}
	slices.SortFunc(all, func(a, b File) int { return strings.Compare(a.Path, b.Path) })
	return all, err
}

func unpackFile(archive string, h Header, inner string, body io.Reader, into *os.Root, known map[string]File) (File, error) {
	local := filepath.FromSlash(inner)
	if !filepath.IsLocal(local) { // names that this system reserves
		return File{}, &EntryError{archive, h.Name, "no name for a file on this system"}
	}
	if dir := path.Dir(inner); dir != "." {
		if err := into.MkdirAll(filepath.FromSlash(dir), 0o755); err != nil {
			if info, statErr := into.Lstat(filepath.FromSlash(dir)); statErr == nil && !info.IsDir() || errors.Is(err, fs.ErrExist) {
				return File{}, &EntryError{archive, h.Name, "in a folder that is a file already"}
			}
			return File{}, err
		}
	}
	mode := fs.FileMode(0o644)
	if h.Mode&0o111 != 0 {
		mode = 0o755
	}
	if _, again := known[inner]; again { // the later one is meant
		if err := into.Remove(local); err != nil {
			return File{}, err
		}
	}
	f, err := into.OpenFile(local, os.O_CREATE|os.O_EXCL|os.O_WRONLY, mode)
	if errors.Is(err, fs.ErrExist) {
		return File{}, &EntryError{archive, h.Name, "a name that this file system takes for another in the archive"}
	}
	if err != nil {
		return File{}, err
	}
	sum := sha256.New()
	n, err := io.Copy(io.MultiWriter(f, sum), body)
	if err == nil && n != h.Size {
		err = fmt.Errorf("%s: reading the archive: the entry %q has %d bytes, and says %d", archive, h.Name, n, h.Size)
	}
	if err == nil {
		err = f.Chmod(mode) // whatever the mask is
	}
	if closed := f.Close(); err == nil {
		err = closed
	}
	return File{inner, mode&0o111 != 0, n, hex.EncodeToString(sum.Sum(nil))}, err
}

// Key returns a name for whatever has an integrity string: the strongest algorithm, and the first of its digests in hexadecimal. The error is a
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
	return "", &DigestError{name, fmt.Sprintf("its checksum %q is no %s digest, so it is not used", integrity, d.algorithm)}
}
