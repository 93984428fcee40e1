package store

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"molt/archive"
	"molt/input"
)

// An index lies next to the files of an entry: a line with the SHA-256 of all that follows,
// a line of JSON about the release, and a line a file, sorted by path, of what it is with tabs
// between: "x" for one that may be run or "-", size, time, inode, digest, and path, which no tab or
// line end is part of. There are thousands to be read whenever a tree is looked at.
type index struct {
	Release string `json:"release"` // for people
	About   About  `json:"about"`
	Files   []File `json:"-"`
	right   int64  // see Entry
}

// entry returns the entry of an index in a folder.
func (x *index) entry(dir string) *Entry {
	return &Entry{Dir: filepath.Join(dir, filesDir), Files: x.Files, About: x.About, right: x.right}
}

// encode writes an index.
func (x *index) encode() ([]byte, error) {
	head, err := json.Marshal(x)
	if err != nil {
		return nil, err
	}
	b := bytes.NewBuffer(append(head, '\n'))
	for i := range x.Files {
		f := &x.Files[i]
		run := "-"
		if f.Executable {
			run = "x"
		}
		b.WriteString(run + "\t" + strconv.FormatInt(f.Size, 10) + "\t" + strconv.FormatInt(f.Written, 10) + "\t" +
			strconv.FormatUint(f.Inode, 10) + "\t" + f.Digest + "\t" + f.Path + "\n")
	}
	return append([]byte(sumOf(b.Bytes())+"\n"), b.Bytes()...), nil
}

// decodeIndex reads an index; nil where it is not whole.
func decodeIndex(data []byte) *index {
	sum, rest, found := bytes.Cut(data, []byte("\n"))
	if !found || string(sum) != sumOf(rest) {
		return nil
	}
	head, lines, found := strings.Cut(string(rest), "\n")
	x := &index{}
	if !found || json.Unmarshal([]byte(head), x) != nil {
		return nil
	}
	x.Files = make([]File, 0, strings.Count(lines, "\n"))
	for line := range strings.Lines(lines) {
		run, line, _ := strings.Cut(strings.TrimSuffix(line, "\n"), "\t")
		size, line, _ := strings.Cut(line, "\t")
		written, line, _ := strings.Cut(line, "\t")
		inode, line, _ := strings.Cut(line, "\t")
		digest, path, ok := strings.Cut(line, "\t")
		f := File{archive.File{Path: path, Executable: run == "x", Digest: digest}}
		var bad, worse, worst error
		f.Size, bad = strconv.ParseInt(size, 10, 64)
		f.Written, worse = strconv.ParseInt(written, 10, 64)
		f.Inode, worst = strconv.ParseUint(inode, 10, 64)
		if !ok || errors.Join(bad, worse, worst) != nil {
			return nil
		}
		x.Files = append(x.Files, f)
	}
	return x
}

// readIndex reads the index of an entry; nil when there is none that is whole.
func readIndex(dir string) (*index, error) {
	data, err := input.ReadFile(filepath.Join(dir, indexFile), input.State)
	switch {
	case errors.Is(err, fs.ErrNotExist), errors.Is(err, fs.ErrPermission):
		return nil, nil
	case err != nil:
		return nil, err
	}
	x := decodeIndex(data)
	if x != nil {
		info, err := os.Stat(filepath.Join(dir, indexFile))
		if err != nil {
			return nil, err
		}
		x.right = info.ModTime().UnixNano()
	}
	return x, nil
}

func sumOf(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}
