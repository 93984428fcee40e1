package archive

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"strings"
	"sync"
	"unicode/utf8"

	"molt/input"
)

// A Header says what an entry of an archive is.
type Header struct {
	Name string      // local, clean, with slashes
	Mode fs.FileMode // a regular file or a folder, with the permissions that the archive gives
	Size int64       // of the content, as stated; no more is read
}

// An EntryError reports an entry that no archive of a release has a reason to hold, for which the
// whole archive is refused.
type EntryError struct{ Archive, Entry, Reason string }

func (e *EntryError) Error() string {
	name := e.Entry
	if utf8.RuneCountInString(name) > 80 {
		name = string([]rune(name)[:80]) + "…"
	}
	return fmt.Sprintf("%s: the entry %q is %s, so the archive is not used", e.Archive, name, e.Reason)
}

// The longest that a name and the part of one between slashes may be, in bytes. File systems take
// no more of a part, and of a whole path about four times as much, in which a tree and the folder
// of the application must find room besides.
const (
	longestName = 1024
	longestPart = 255
)

func tooLong(name string) bool {
	if len(name) > longestName {
		return true
	}
	for part := range strings.SplitSeq(name, "/") {
		if len(part) > longestPart {
			return true
		}
	}
	return false
}

// Read goes through an archive, tar compressed by gzip or zip as its first bytes say, and shows
// every file and folder in it in the order of the archive. What an entry is called, links to or
// grows to is hostile: names that lead out of the archive's folder, links, devices and the like are
// an *EntryError, and what unpacks to too much is an *input.LimitError. Names may come twice; the
// later one is meant to replace the earlier. It ends with the context, and with the first error
// that show returns. The body is valid until show returns.
func Read(ctx context.Context, name string, r io.ReaderAt, size int64,
	show func(h Header, body io.Reader) error) error {
	var magic [4]byte
	_, err := r.ReadAt(magic[:], 0)
	switch {
	case err != nil && !errors.Is(err, io.EOF):
		return err
	case bytes.HasPrefix(magic[:], []byte("PK")):
		return readZip(ctx, name, r, size, show)
	case magic[0] == 0x1f && magic[1] == 0x8b:
		return readTar(ctx, name, io.NewSectionReader(r, 0, size), show)
	}
	return fmt.Errorf("%s: reading the archive: it is neither tar with gzip nor zip", name)
}

// decompressors are kept, as each has tables of some size.
var decompressors sync.Pool // of *gzip.Reader

func readTar(ctx context.Context, name string, r io.Reader, show func(h Header, body io.Reader) error) error {
	unpacked, _ := decompressors.Get().(*gzip.Reader)
	var err error
	if unpacked == nil {
		unpacked, err = gzip.NewReader(r)
	} else {
		err = unpacked.Reset(r)
	}
	if err != nil {
		return fmt.Errorf("%s: reading the archive: %w", name, err)
	}
	defer decompressors.Put(unpacked)
	archive := tar.NewReader(&bounded{ctx: ctx, r: unpacked, name: name, left: input.Unpacked.Bytes})
	for entries := 0; ; entries++ {
		t, err := archive.Next()
		switch {
		case errors.Is(err, io.EOF):
			return nil
		case errors.Is(err, tar.ErrInsecurePath): // as the rule below has it
		case err != nil:
			return fmt.Errorf("%s: reading the archive: %w", name, err)
		case entries == input.ArchiveEntries:
			return tooMany(name)
		}
		if t.Typeflag == tar.TypeXGlobalHeader {
			continue
		}
		mode := t.FileInfo().Mode()
		if t.Typeflag != tar.TypeReg && t.Typeflag != tar.TypeDir {
			mode |= fs.ModeIrregular // a hard link says of itself that it is a file
		}
		h, err := header(name, t.Name, mode, t.Size)
		if err != nil {
			return err
		}
		if err := show(h, archive); err != nil {
			return err
		}
	}
}

func readZip(ctx context.Context, name string, r io.ReaderAt, size int64,
	show func(h Header, body io.Reader) error) error {
	archive, err := zip.NewReader(r, size)
	switch {
	case errors.Is(err, zip.ErrInsecurePath): // as the rule below has it
	case err != nil:
		return fmt.Errorf("%s: reading the archive: %w", name, err)
	case len(archive.File) > input.ArchiveEntries:
		return tooMany(name)
	}
	left := input.Unpacked.Bytes
	for _, f := range archive.File {
		if f.UncompressedSize64 > uint64(input.Unpacked.Bytes) {
			return input.Unpacked.Exceeded(name)
		}
		h, err := header(name, f.Name, f.Mode(), int64(f.UncompressedSize64))
		if err != nil {
			return err
		}
		body, err := f.Open()
		if err != nil {
			return fmt.Errorf("%s: reading the archive: %w", name, err)
		}
		inside := &bounded{ctx: ctx, r: body, name: name, left: left}
		err = show(h, inside)
		left = inside.left
		_ = body.Close() // it was read as far as anybody wanted
		if err != nil {
			return err
		}
	}
	return ctx.Err()
}

func tooMany(name string) error {
	return &input.LimitError{Name: name,
		Limit: fmt.Sprintf("an archive may have at most %d entries", input.ArchiveEntries)}
}

// header checks an entry's name and kind.
func header(archive, name string, mode fs.FileMode, size int64) (Header, error) {
	clean := path.Clean(strings.TrimPrefix(name, "./"))
	switch {
	case !mode.IsRegular() && !mode.IsDir():
		return Header{}, &EntryError{archive, name, "neither a file nor a folder"}
	case name == "" || !utf8.ValidString(name) ||
		strings.ContainsFunc(name, func(c rune) bool { return c < ' ' || c == 0x7f }):
		return Header{}, &EntryError{archive, name, "no name for a file"}
	case strings.Contains(name, `\`) || strings.Contains(name, ":") || !fs.ValidPath(clean):
		return Header{}, &EntryError{archive, name, "a name that leads elsewhere"}
	case ownedByGit(clean):
		return Header{}, &EntryError{archive, name, "part of a repository of git, whose settings make git run programs"}
	case misleading(clean):
		return Header{}, &EntryError{archive, name, "a name that is not what it looks like"}
	case tooLong(clean):
		return Header{}, &EntryError{archive,
			name, fmt.Sprintf("a name that is too long (at most %d bytes, and %d between slashes)", longestName, longestPart)}
	}
	return Header{clean, mode, size}, nil
}

// ownedByGit reports whether a part of a name is that of a repository's own folder or file, as any
// file system may see it.
func ownedByGit(name string) bool {
	for part := range strings.SplitSeq(name, "/") {
		plain := strings.TrimRight(strings.ToLower(part), ". ")
		if plain == ".git" || plain == "git~1" {
			return true
		}
	}
	return false
}

// misleading reports whether a name holds marks that turn the direction of writing or cannot be
// seen (Unicode's bidirectional controls and zero-width characters), or a step upwards in another
// spelling.
func misleading(name string) bool {
	if strings.ContainsFunc(name, func(c rune) bool {
		return c >= 0x200b && c <= 0x200f || c >= 0x202a && c <= 0x202e || c >= 0x2060 && c <= 0x2069 || c == 0x061c ||
			c == 0xfeff
	}) {
		return true
	}
	for part := range strings.SplitSeq(strings.ToLower(name), "/") {
		switch plain := strings.ReplaceAll(part, "%2e", "."); {
		case strings.Contains(part, "%2f"), strings.Contains(part, "%5c"), plain != part && (plain == "." || plain == ".."),
			part == "@.." || part == "@.":
			return true
		}
	}
	return false
}

// Odd says of a name that is allowed what may go wrong with it elsewhere; "" for nothing.
func Odd(name string) string {
	for part := range strings.SplitSeq(name, "/") {
		stem, _, _ := strings.Cut(part, ".")
		switch {
		case strings.HasPrefix(part, "-"):
			return "a command could take it for an option"
		case reserved[strings.ToLower(strings.TrimSpace(stem))]:
			return "it is reserved on some systems"
		}
	}
	return ""
}

// reserved are names that some systems have for devices.
var reserved = map[string]bool{
	"con": true, "prn": true, "aux": true, "nul": true, "com1": true, "com2": true, "com3": true, "com4": true,
	"lpt1": true, "lpt2": true, "lpt3": true, "conin$": true, "conout$": true}

// bareRepository returns the folder that has the shape of a bare repository of git: a file HEAD
// beside folders objects and refs; "" for none. Git takes such a folder for a repository, and obeys
// its settings.
func bareRepository(files map[string]File) (string, bool) {
	heads := map[string]int{}
	for name := range files {
		dir, base := path.Split(name)
		if base == "HEAD" {
			heads[dir] |= 1
		}
		for at, part := 0, 0; ; at = part + 1 {
			if part = strings.IndexByte(name[at:], '/'); part < 0 {
				break
			}
			part += at
			switch name[at:part] {
			case "objects":
				heads[name[:at]] |= 2
			case "refs":
				heads[name[:at]] |= 4
			}
		}
	}
	for dir, has := range heads {
		if has == 7 {
			return path.Clean(dir), true
		}
	}
	return "", false
}

// A bounded reader ends with a context, and beyond a number of bytes.
type bounded struct {
	ctx  context.Context
	r    io.Reader
	name string
	left int64
}

func (b *bounded) Read(p []byte) (int, error) {
	if err := b.ctx.Err(); err != nil {
		return 0, err
	}
	n, err := b.r.Read(p)
	if b.left -= int64(n); b.left < 0 {
		return 0, input.Unpacked.Exceeded(b.name)
	}
	return n, err
}
