package archive

import (
	"archive/tar"
	"bytes"
	"compress/gzip"
	"context"
	"crypto/sha1"
	"crypto/sha256"
	"crypto/sha512"
	"encoding/base64"
	"errors"
	"strings"
	"testing"

	"molt/input"
)

// packed makes an archive of files.
func packed(t *testing.T, files ...[2]string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	w := tar.NewWriter(z)
	for _, f := range files {
		if err := w.WriteHeader(&tar.Header{
			Name: f[0], Mode: 0o644, Size: int64(len(f[1])), Typeflag: tar.TypeReg}); err != nil {
			t.Fatal(err)
		}
		if _, err := w.Write([]byte(f[1])); err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func TestReadLog(t *testing.T) {
	for _, test := range []struct {
		name  string
		files [][2]string
		want  string
	}{
		{"none", [][2]string{{"package/readme.md", "x"}}, ""},
		{"the usual name comes first",
			[][2]string{{"package/HISTORY.md", "history"}, {"package/CHANGELOG.md", "log"}, {"package/news.txt", "news"}},
			"log"},
		{"other names", [][2]string{{"package/Release-Notes.markdown", "notes"}}, "notes"},
		{"only beside the manifest", [][2]string{{"package/lib/deep/CHANGELOG.md", "deep"}}, ""},
		{"a folder of another name", [][2]string{{"keel-1.0.0/changes", "log"}}, "log"},
		{"what a terminal would obey", [][2]string{{"package/CHANGELOG.md", "a\x1b]0;title\x07b\xff\r\n"}}, "a]0;titleb\n"},
	} {
		got, err := ReadLog(context.Background(), "x", packed(t, test.files...))
		if err != nil || got != test.want {
			t.Errorf("%s: read %q, %v; want %q", test.name, got, err, test.want)
		}
	}
	if _, err := ReadLog(context.Background(), "x",
		packed(t, [2]string{"package/CHANGELOG.md", strings.Repeat("x", int(input.Log.Bytes)+1)})); err == nil ||
		!strings.Contains(err.Error(), "may hold at most 20 MB") {
		t.Errorf("a huge log gives %v", err)
	}
	for _, data := range [][]byte{nil, []byte("no archive"), packed(t, [2]string{"package/CHANGELOG.md", "x"})[:40]} {
		if _, err := ReadLog(context.Background(), "x", data); err == nil {
			t.Errorf("%q is read as an archive", data)
		}
	}
}

func TestCheck(t *testing.T) {
	data := []byte("a plank")
	big, middle, small := sha512.Sum512(data), sha256.Sum256(data), sha1.Sum(data)
	encode := base64.StdEncoding.EncodeToString
	for _, test := range []struct{ integrity, says string }{
		{"sha512-" + encode(big[:]), ""},
		{"sha512-" + encode(big[:]) + "?note", ""},
		{"sha256-" + encode(middle[:]), ""},
		{"sha1-" + encode(small[:]), ""},
		{"md9-xxxx sha256-" + encode(middle[:]), ""},
		{"sha512-AAAA sha512-" + encode(big[:]), ""},
		{"sha1-AAAA sha512-" + encode(big[:]), ""}, // the weaker one has no say
		{"sha1-" + encode(small[:]) + " sha512-AAAA", "does not match"},
		{"sha256-" + encode(big[:]), "does not match"},
		{"sha512-" + encode(middle[:]), "does not match"},
		{"sha1-", "does not match"},
		{"", "nothing states its checksum"},
		{"md9-xxxx", "of no kind that is known"},
	} {
		err := Check("keel.tgz", data, test.integrity)
		if test.says == "" && err != nil || test.says != "" && (err == nil || !strings.Contains(err.Error(), test.says)) {
			t.Errorf("%s: %v, want %q", test.integrity, err, test.says)
		}
	}
}

func TestDiffer(t *testing.T) {
	for _, test := range []struct {
		a, b string
		want bool
	}{
		{"sha512-A", "sha512-A", false}, {"sha512-A", "sha512-B", true}, {"sha512-A", "", false}, {"", "", false},
		{"sha1-A", "sha512-B", true}, {"sha1-A sha512-B", "sha512-B", false}, {"sha1-A sha512-B", "sha1-C sha512-B", true},
		{"sha512-A sha512-B", "sha512-B", false},
	} {
		if got := Differ(test.a, test.b); got != test.want || Differ(test.b, test.a) != test.want {
			t.Errorf("%q and %q differ: %v", test.a, test.b, got)
		}
	}
}

// An archive that is small on the wire and huge when unpacked, or has no end of entries, ends at a limit; so does one
// that nobody waits for any more.
func TestHostileArchives(t *testing.T) {
	defer func(usual int64) { input.Unpacked.Bytes = usual }(input.Unpacked.Bytes)
	input.Unpacked.Bytes = 16 << 20
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	w := tar.NewWriter(z)
	zeros := make([]byte, 1<<20)
	if err := w.WriteHeader(&tar.Header{
		Name: "package/x", Size: input.Unpacked.Bytes + 1<<21, Typeflag: tar.TypeReg}); err != nil {
		t.Fatal(err)
	}
	for range input.Unpacked.Bytes>>20 + 2 {
		if _, err := w.Write(zeros); err != nil {
			t.Fatal(err)
		}
	}
	w.Close()
	z.Close()
	var beyond *input.LimitError
	if _, err := ReadLog(context.Background(), "x", b.Bytes()); !errors.As(err, &beyond) {
		t.Errorf("a bomb: %v", err)
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if _, err := ReadLog(ctx, "x", b.Bytes()); !errors.Is(err, context.Canceled) {
		t.Errorf("interrupted: %v", err)
	}
	b.Reset()
	z = gzip.NewWriter(&b)
	w = tar.NewWriter(z)
	for range input.ArchiveEntries + 1 {
		_ = w.WriteHeader(&tar.Header{Name: "package/x", Typeflag: tar.TypeReg})
	}
	w.Close()
	z.Close()
	if _, err := ReadLog(context.Background(), "x", b.Bytes()); !errors.As(err, &beyond) {
		t.Errorf("no end of entries: %v", err)
	}
}
