package registry

import (
	"archive/zip"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"
)

// A snapshot is a registry in one file, for machines without a network and for looking at a
// question again later: a ZIP file (PKWARE APPNOTE) with the document of each package as NAME.json
// and archives where SnapshotName says. It is used like a folder, at a file:// address.

// snapshotSchema is what a snapshot says that it is.
const snapshotSchema = "molt/snapshot/1"

// A SnapshotAbout is what a snapshot says of itself, as JSON in the comment of the ZIP file.
type SnapshotAbout struct {
	Schema    string `json:"schema"`
	Ecosystem string `json:"ecosystem"`
	Made      string `json:"made"`           // the day
	Goal      string `json:"goal,omitempty"` // that it was made for
	Documents int    `json:"documents"`
	Archives  int    `json:"archives"`
}

// A SnapshotFile is a file of a snapshot that is to be written.
type SnapshotFile struct {
	Name  string
	Write func(io.Writer) error
}

// WriteSnapshot writes a snapshot, the same bytes for the same files: under a temporary name first, so
// that what stands there stays until all is written.
func WriteSnapshot(file string, about SnapshotAbout, files []SnapshotFile) (err error) {
	slices.SortFunc(files, func(a, b SnapshotFile) int { return strings.Compare(a.Name, b.Name) })
	out, err := os.CreateTemp(filepath.Dir(file), "."+filepath.Base(file)+"-*")
	if err != nil {
		return err
	}
	defer func() {
		if err != nil {
			out.Close()
			os.Remove(out.Name())
		}
	}()
	all := zip.NewWriter(out)
	for _, f := range files {
		method := zip.Deflate
		if !strings.HasSuffix(f.Name, ".json") { // which is compressed already
			method = zip.Store
		}
		w, err := all.CreateHeader(&zip.FileHeader{
			Name: f.Name, Method: method, Modified: time.Date(1980, 1, 1, 0, 0, 0, 0, time.UTC)})
		if err != nil {
			return err
		}
		if err := f.Write(w); err != nil {
			return err
		}
	}
	about.Schema = snapshotSchema
	comment, err := json.Marshal(about)
	if err != nil {
		return err
	}
	if err := all.SetComment(string(comment)); err != nil {
		return err
	}
	if err := errors.Join(all.Close(), out.Chmod(0o644), out.Sync(), out.Close()); err != nil {
		return err
	}
	return os.Rename(out.Name(), file)
}

// Snapshot returns the names of the packages in a snapshot, and what it says of itself; the error says why it is none.
func Snapshot(file string) (about SnapshotAbout, names []string, err error) {
	all, err := zip.OpenReader(file)
	if err != nil {
		return about, nil, fmt.Errorf("%s is no snapshot: %w", file, err)
	}
	defer all.Close()
	if err := json.Unmarshal([]byte(all.Comment), &about); err != nil || about.Schema != snapshotSchema {
		return about, nil, fmt.Errorf("%s is a ZIP file, and no snapshot: its comment does not say %s", file, snapshotSchema)
	}
	for _, f := range all.File {
		if name, ok := strings.CutSuffix(f.Name, ".json"); ok {
			names = append(names, name)
		}
	}
	return about, names, nil
}
