package input

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
)

// A KindError reports a name at which there is something that is no regular file: a folder, a pipe, a device.
type KindError struct {
	Name string
	Kind string
}

func (e *KindError) Error() string { return fmt.Sprintf("%s is %s: expected a file", e.Name, e.Kind) }

// kind names what is not a regular file, "" for one that is.
func kind(mode fs.FileMode) string {
	switch {
	case mode.IsRegular():
		return ""
	case mode.IsDir():
		return "a folder"
	case mode&fs.ModeNamedPipe != 0:
		return "a pipe"
	case mode&fs.ModeSocket != 0:
		return "a socket"
	case mode&fs.ModeDevice != 0:
		return "a device"
	case mode&fs.ModeSymlink != 0:
		return "a link"
	}
	return "no regular file"
}

// Regular returns nil for a regular file, else a *KindError.
func Regular(name string, info fs.FileInfo) error {
	if k := kind(info.Mode()); k != "" {
		return &KindError{name, k}
	}
	return nil
}

// changing are the calls that fail where something may not be changed.
var changing = []string{"mkdir", "mkdirat", "unlinkat", "remove", "renameat", "rename", "chmod", "truncate", "write"}

// Cause says in plain words why a file could not be read or changed, without the name of the call that failed.
func Cause(err error) string {
	var at *fs.PathError
	switch {
	case errors.Is(err, fs.ErrPermission) && errors.As(err, &at) && slices.Contains(changing, at.Op):
		return "it may not be changed"
	case errors.Is(err, fs.ErrNotExist):
		return "there is no such file"
	case errors.Is(err, fs.ErrPermission):
		return "it may not be read"
	case errors.As(err, &at):
		return at.Err.Error()
	}
	return err.Error()
}

// InWords is what an error says, without the names of the calls that failed.
func InWords(err error) string {
	says := err.Error()
	var at *fs.PathError
	if errors.As(err, &at) {
		says = strings.Replace(says, at.Error(), at.Path+": "+Cause(at), 1)
	}
	return says
}

// ReadFile reads a regular file within a limit, following links. Errors are those of the file system, a *KindError or a
// *LimitError. It never waits, as opening a pipe would.
func ReadFile(name string, limit Limit) ([]byte, error) {
	info, err := os.Stat(name)
	if err != nil {
		return nil, err
	}
	if err := Regular(name, info); err != nil {
		return nil, err
	}
	f, err := os.Open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return readOpen(f, name, limit)
}

// ReadIn reads a regular file below a root within a limit. Links are followed as far as they stay below the root.
func ReadIn(root *os.Root, name string, limit Limit) ([]byte, error) {
	info, err := root.Stat(filepath.FromSlash(name))
	if err != nil {
		return nil, err
	}
	if err := Regular(name, info); err != nil {
		return nil, err
	}
	f, err := root.Open(filepath.FromSlash(name))
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return readOpen(f, name, limit)
}

// ReadFS reads a regular file of a file system within a limit. Names have slashes.
func ReadFS(dir fs.FS, name string, limit Limit) ([]byte, error) {
	info, err := fs.Stat(dir, name)
	if err != nil {
		return nil, err
	}
	if err := Regular(name, info); err != nil {
		return nil, err
	}
	f, err := dir.Open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return readOpen(f, name, limit)
}

func readOpen(f fs.File, name string, limit Limit) ([]byte, error) {
	info, err := f.Stat()
	if err != nil {
		return nil, err
	}
	if info.Size() > limit.Bytes {
		return nil, limit.Exceeded(name)
	}
	buffer := bytes.NewBuffer(make([]byte, 0, info.Size()+bytes.MinRead)) // the file may grow while it is read
	if _, err := buffer.ReadFrom(io.LimitReader(f, limit.Bytes+1)); err != nil {
		return nil, err
	}
	if int64(buffer.Len()) > limit.Bytes {
		return nil, limit.Exceeded(name)
	}
	return buffer.Bytes(), nil
}

// Read reads all of a stream within a limit; the error beyond it is a *LimitError.
func Read(r io.Reader, name string, limit Limit) ([]byte, error) {
	data, err := io.ReadAll(io.LimitReader(r, limit.Bytes+1))
	if err == nil && int64(len(data)) > limit.Bytes {
		err = limit.Exceeded(name)
	}
	return data, err
}
