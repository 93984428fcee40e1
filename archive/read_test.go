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
	"strings"
	"testing"

	"molt/input"
)

// both packs entries as tar with gzip and as zip.
func both(t *testing.T, entries ...tar.Header) map[string][]byte {
	t.Helper()
	var t1, z1 bytes.Buffer
	g := gzip.NewWriter(&t1)
	tw, zw := tar.NewWriter(g), zip.NewWriter(&z1)
	for i := range entries {
		h := &entries[i]
		body := []byte(nil)
		if h.Typeflag == tar.TypeReg {
			body = []byte("of " + h.Name)
		}
		h.Size = int64(len(body))
		if err := tw.WriteHeader(h); err != nil {
			t.Fatal(err)
		}
		zh := &zip.FileHeader{Name: h.Name, Method: zip.Deflate}
		zh.SetMode(h.FileInfo().Mode())
		w, err := zw.CreateHeader(zh)
		if err != nil {
			t.Fatal(err)
		}
		if h.Typeflag != tar.TypeDir {
			_, _ = w.Write(body)
		}
		_, _ = tw.Write(body)
	}
	for _, c := range []io.Closer{tw, g, zw} {
		if err := c.Close(); err != nil {
			t.Fatal(err)
		}
	}
	return map[string][]byte{"tar": t1.Bytes(), "zip": z1.Bytes()}
}

func TestRead(t *testing.T) {
	file := func(name string) tar.Header { return tar.Header{Name: name, Typeflag: tar.TypeReg, Mode: 0o644} }
	for _, test := range []struct {
		name  string
		entry tar.Header
		want  string // what is shown, "" for an *EntryError
	}{
		{"a file", file("package/a.js"), "package/a.js=of package/a.js -rw-r--r--"},
		{"a file that runs", tar.Header{Name: "./bin/x", Typeflag: tar.TypeReg, Mode: 0o755}, "bin/x=of ./bin/x -rwxr-xr-x"},
		{"a folder", tar.Header{Name: "package/", Typeflag: tar.TypeDir, Mode: 0o755}, "package= drwxr-xr-x"},
		{"out of the folder", file("../x"), ""},
		{"out of it in the middle", file("a/../../x"), ""},
		{"absolute", file("/etc/x"), ""},
		{"another system's separators", file(`a\..\..\x`), ""},
		{"another system's drive", file("c:x"), ""},
		{"a control character", file("a\x1b[2J"), ""},
		{"no name in any script", file("a\xff"), ""},
		{"a long name", file("a/" + strings.Repeat("b", 255)), "a/" + strings.Repeat("b", 255) + "=of a/" +
			strings.Repeat("b", 255) + " -rw-r--r--"},
		{"a name that no file system takes", file("a/" + strings.Repeat("b", 256)), ""},
		{"a folder too deep for any path", file(strings.Repeat("d/", 600) + "a"), ""},
		{"a repository", file("package/.git/config"), ""},
		{"one as other file systems see it", file("package/.GIT. /config"), ""},
		{"the short name of one", file("package/git~1/config"), ""},
		{"what leads to one", file(".git"), ""},
		{"no repository", file("a/.gitignore"), "a/.gitignore=of a/.gitignore -rw-r--r--"},
		{"a direction mark", file("a/sj.\u202eexe"), ""},
		{"what nobody sees", file("a/in\u200bdex.js"), ""},
		{"steps upwards in another spelling", file("a/%2E%2e/x"), ""},
		{"a separator in another spelling", file("a/..%2fx"), ""},
		{"a scope that is none", file("@../x"), ""},
		{"an option", file("a/-rf"), "a/-rf=of a/-rf -rw-r--r--"},
		{"a link", tar.Header{Name: "a", Typeflag: tar.TypeSymlink, Linkname: "/etc"}, ""},
		{"a device", tar.Header{Name: "a", Typeflag: tar.TypeChar}, ""},
		{"a pipe", tar.Header{Name: "a", Typeflag: tar.TypeFifo}, ""},
	} {
		for kind, data := range both(t, test.entry) {
			got := ""
			err := Read(context.Background(), "x", bytes.NewReader(data), int64(len(data)),
				func(h Header, body io.Reader) error {
					text, err := io.ReadAll(body)
					got = fmt.Sprintf("%s=%s %v", h.Name, text, h.Mode)
					return err
				})
			var refused *EntryError
			if want := test.want; got != want || (want == "") != errors.As(err, &refused) || want != "" && err != nil {
				t.Errorf("%s as %s: %q, %v; want %q", test.name, kind, got, err, want)
			}
		}
	}
}

// TestBareRepository refuses what git would take for a repository.
func TestBareRepository(t *testing.T) {
	for names, want := range map[string]string{
		"HEAD config objects/x refs/heads/x": ".", "a/HEAD a/objects/x a/refs/x b": "a", "HEAD a/objects/x refs/x": "",
		"a/HEAD objects/x refs/x":  "",
		"HEAD.md objects/x refs/x": "", "a/b/HEAD a/b/objects/p/q a/b/refs/r/s": "a/b"} {
		files := map[string]File{}
		for name := range strings.FieldsSeq(names) {
			files[name] = File{}
		}
		if dir, bare := bareRepository(files); bare != (want != "") || bare && dir != want {
			t.Errorf("%s: %q, want %q", names, dir, want)
		}
	}
	for name, odd := range map[string]bool{
		"a/-rf": true, "b/CON": true, "aux.js": true, "auxiliary.js": false, "a-b/c": false} {
		if got := Odd(name) != ""; got != odd {
			t.Errorf("%s is odd: %v", name, got)
		}
	}
}

// Links in tar archives come in two kinds; neither is a file.
func TestHardLink(t *testing.T) {
	data := both(t, tar.Header{Name: "a", Typeflag: tar.TypeLink, Linkname: "b"})["tar"]
	var refused *EntryError
	err := Read(context.Background(), "x", bytes.NewReader(data), int64(len(data)), func(Header, io.Reader) error {
		return nil
	})
	if !errors.As(err, &refused) {
		t.Errorf("a hard link: %v", err)
	}
}

// Whatever an archive unpacks to, reading it ends.
func TestReadBounds(t *testing.T) {
	var z bytes.Buffer
	w := zip.NewWriter(&z)
	raw, err := w.CreateRaw(&zip.FileHeader{
		Name: "bomb", Method: zip.Deflate, UncompressedSize64: uint64(input.Unpacked.Bytes) + 1, CompressedSize64: 1})
	if err != nil {
		t.Fatal(err)
	}
	_, _ = raw.Write([]byte{0})
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	var beyond *input.LimitError
	read := func(ctx context.Context, data []byte) error {
		return Read(ctx, "x", bytes.NewReader(data), int64(len(data)), func(_ Header, body io.Reader) error {
			_, err := io.Copy(io.Discard, body)
			return err
		})
	}
	if err := read(context.Background(), z.Bytes()); !errors.As(err, &beyond) {
		t.Errorf("a bomb: %v", err)
	}
	ended, cancel := context.WithCancel(context.Background())
	cancel()
	for kind, data := range both(t, tar.Header{Name: "a", Typeflag: tar.TypeReg, Mode: 0o644}) {
		if err := read(ended, data); !errors.Is(err, context.Canceled) {
			t.Errorf("%s after the end: %v", kind, err)
		}
	}
	for _, text := range []string{"", "PK", "\x1f\x8b", "PK\x03\x04 and no more", "plain"} {
		if err := read(context.Background(), []byte(text)); err == nil {
			t.Errorf("%q is an archive", text)
		}
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte("PK\x05\x06"))
	f.Add([]byte("\x1f\x8b\x08\x00"))
	f.Fuzz(func(t *testing.T, data []byte) {
		_ = Read(context.Background(), "x", bytes.NewReader(data), int64(len(data)), func(h Header, body io.Reader) error {
			if !fs.ValidPath(h.Name) {
				t.Errorf("the name %q", h.Name)
			}
			_, err := io.CopyN(io.Discard, body, 1<<20)
			if errors.Is(err, io.EOF) {
				err = nil
			}
			return err
		})
	})
}
