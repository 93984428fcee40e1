package registry

import (
	"archive/zip"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"molt/input"
	"molt/registry/cache"
)

// A folder is a registry on disk: the document of a package is NAME.json, and archives are where
// their addresses say. It is a folder of the file system or, as a snapshot, a ZIP file that has all
// of it.
type folder struct {
	path string
	zip  func() (*zip.ReadCloser, map[string]*zip.File, error) // nil for a folder of the file system
}

func newFolder(where string) *folder {
	f := &folder{path: where}
	if info, err := os.Stat(where); err == nil && info.Mode().IsRegular() {
		var all *zip.ReadCloser
		var files map[string]*zip.File
		once := sync.OnceFunc(func() {
			if all, err = zip.OpenReader(where); err != nil {
				err = fmt.Errorf("%s is no snapshot: %w", where, err)
				return
			}
			files = make(map[string]*zip.File, len(all.File))
			for _, file := range all.File {
				files[file.Name] = file
			}
		})
		f.zip = func() (*zip.ReadCloser, map[string]*zip.File, error) {
			once()
			return all, files, err
		}
	}
	return f
}

// Close lets go of a snapshot.
func (f *folder) Close() {
	if f != nil && f.zip != nil {
		if all, _, err := f.zip(); err == nil {
			all.Close()
		}
	}
}

// A folderFile is a file of a folder before it is opened.
type folderFile struct {
	mark string // of what is in it: where it is the same, so is that
	size int64
	open func() (io.ReadCloser, error)
}

// find finds a file by a local name with slashes. The error is fs.ErrNotExist where there is none.
func (f *folder) find(name string) (*folderFile, error) {
	if f.zip != nil {
		_, files, err := f.zip()
		if err != nil {
			return nil, err
		}
		file := files[name]
		if file == nil {
			return nil, fs.ErrNotExist
		}
		return &folderFile{fmt.Sprintf("%08x %d", file.CRC32, file.UncompressedSize64),
			int64(min(file.UncompressedSize64, 1<<62)), file.Open}, nil
	}
	at := filepath.Join(f.path, filepath.FromSlash(name))
	info, err := os.Stat(at)
	if errors.Is(err, fs.ErrNotExist) {
		if _, err := os.Stat(f.path); err != nil {
			return nil, fmt.Errorf("%s: %w", f.path, errNoFolder)
		}
	}
	if err != nil {
		return nil, err
	}
	if err := input.Regular(at, info); err != nil {
		return nil, err
	}
	return &folderFile{fmt.Sprintf("%d %d", info.ModTime().UnixNano(), info.Size()), info.Size(),
		func() (io.ReadCloser, error) { return os.Open(at) }}, nil
}

var errNoFolder = errors.New("there is no such folder or snapshot; the address of the registry names it")

// limited reads a file within a limit, which is an error where there is more.
type limited struct {
	io.Reader
	left  int64
	limit *input.LimitError
}

func (l *limited) Read(p []byte) (int, error) {
	n, err := l.Reader.Read(p)
	if l.left -= int64(n); l.left < 0 {
		return 0, l.limit
	}
	return n, err
}

// read answers from a folder. What was read of a document is kept like an answer, as long as the file is the same.
func (c *Client) read(r Request) (string, error) {
	name, err := url.PathUnescape(r.Path)
	if err != nil || !filepath.IsLocal(filepath.FromSlash(name)) || strings.Contains(name, `\`) {
		return "", &NotFoundError{r.Path}
	}
	name = path.Clean(name) + ".json"
	where := c.base.Path + "/" + name
	file, err := c.folder.find(name)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return "", &NotFoundError{where}
	case err != nil:
		return "", &UnreachableError{where, err, true}
	case file.size > r.Limit.Bytes:
		return "", &UnreachableError{where, r.Limit.Exceeded(where), true}
	}
	if e := c.load(where, "file"); e != nil && e.ETag == file.mark {
		return e.Body, nil
	}
	body, err := file.open()
	if err != nil {
		return "", &UnreachableError{where, err, true}
	}
	defer body.Close()
	kept, err := understand(r, &limited{body, r.Limit.Bytes, r.Limit.Exceeded(where)})
	if err != nil {
		return "", &UnreachableError{where, fmt.Errorf("%s: %w", where, err), true}
	}
	c.cache.Put(nameOf(where, "file"), cache.Entry{Stored: time.Now(), ETag: file.mark, Body: string(kept)})
	return string(kept), nil
}

// archive opens an archive of a folder: one whose address is relative, or, in a snapshot, any.
// There may be none, which is fs.ErrNotExist.
func (c *Client) archive(address string) (io.ReadCloser, error) {
	if c.folder == nil || strings.Contains(address, "://") && c.folder.zip == nil {
		return nil, fs.ErrNotExist
	}
	name := SnapshotName(address)
	if name == "" {
		return nil, fs.ErrNotExist
	}
	file, err := c.folder.find(name)
	if err != nil {
		return nil, err
	}
	if file.size > input.Archive.Bytes {
		return nil, input.Archive.Exceeded(address)
	}
	return file.open()
}

// SnapshotName returns where a snapshot has the archive of an address; "" for one that it can't have.
func SnapshotName(address string) string {
	if u, err := url.Parse(address); err == nil && u.Host != "" {
		address = "elsewhere/" + url.PathEscape(u.Host) + u.EscapedPath()
	}
	name, err := url.PathUnescape(address)
	if err != nil || !filepath.IsLocal(filepath.FromSlash(name)) || strings.Contains(name, `\`) {
		return ""
	}
	return path.Clean(name)
}
