package store

import (
	"archive/tar"
	"bytes"
	"compress/gzip"
	"context"
	"crypto/sha512"
	"encoding/base64"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"golang.org/x/sync/errgroup"

	"molt/archive"
)

// packed makes an archive of files, and its integrity string.
func packed(t *testing.T, files ...[2]string) (data []byte, integrity string) {
	t.Helper()
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	w := tar.NewWriter(z)
	for _, f := range files {
		if err := w.WriteHeader(&tar.Header{
			Name: "package/" + f[0], Mode: 0o644, Size: int64(len(f[1])), Typeflag: tar.TypeReg}); err != nil {
			t.Fatal(err)
		}
		if _, err := w.Write([]byte(f[1])); err != nil {
			t.Fatal(err)
		}
	}
	if err := errors.Join(w.Close(), z.Close()); err != nil {
		t.Fatal(err)
	}
	sum := sha512.Sum512(b.Bytes())
	return b.Bytes(), "sha512-" + base64.StdEncoding.EncodeToString(sum[:])
}

func about(*os.Root) (About, error) {
	return About{Executables: map[string]string{"keel": "bin/keel.js"}}, nil
}

func TestStore(t *testing.T) {
	ctx := context.Background()
	s := In(filepath.Join(t.TempDir(), "store"))
	data, integrity := packed(t, [2]string{"package.json", "{}"}, [2]string{"bin/keel.js", "run"})
	if e, err := s.Get("keel@1.0.0", integrity); e != nil || err != nil {
		t.Fatalf("an empty store has %v, %v", e, err)
	}
	add := func() *Entry {
		t.Helper()
		e, err := s.Add(ctx, "keel@1.0.0", integrity, bytes.NewReader(data), int64(len(data)), about)
		if err != nil {
			t.Fatal(err)
		}
		return e
	}
	e := add()
	if len(e.Files) != 2 || e.Files[0].Path != "bin/keel.js" || !e.Files[0].Executable || e.Files[1].Executable {
		t.Fatalf("the entry is %+v", e)
	}
	if info, err := os.Stat(filepath.Join(e.Dir, "bin", "keel.js")); err != nil || info.Mode()&0o111 == 0 {
		t.Errorf("what people run cannot be run: %v, %v", info, err)
	}
	if u, err := s.Usage(ctx); err != nil || u != (Usage{1, 2, 5}) {
		t.Errorf("usage %+v, %v", u, err)
	}

	// An entry that is not as it was made is noticed, and made anew.
	file, place := filepath.Join(e.Dir, "package.json"), filepath.Dir(e.Dir)
	for name, damage := range map[string]func() error{
		"another size":     func() error { return os.WriteFile(file, []byte("{ }"), 0o644) },
		"the same size":    func() error { return os.WriteFile(file, []byte("[]"), 0o644) },
		"a file is gone":   func() error { return os.Remove(file) },
		"a link":           func() error { return errors.Join(os.Remove(file), os.Symlink("bin/keel.js", file)) },
		"no index":         func() error { return os.Remove(filepath.Join(place, indexFile)) },
		"another index":    func() error { return os.WriteFile(filepath.Join(place, indexFile), []byte("x\n{}"), 0o644) },
		"half an index":    func() error { return os.Truncate(filepath.Join(place, indexFile), 80) },
		"files are a file": func() error { return errors.Join(os.RemoveAll(e.Dir), os.WriteFile(e.Dir, nil, 0o644)) },
	} {
		if err := damage(); err != nil {
			t.Fatal(err)
		}
		if e, err := s.Get("keel@1.0.0", integrity); e != nil || err != nil {
			t.Errorf("%s: %v, %v", name, e, err)
		}
		add()
	}
	if err := os.Chtimes(file, time.Now(), time.Now().Add(-time.Hour)); err != nil {
		t.Fatal(err)
	}
	if e, err := s.Get("keel@1.0.0", integrity); e == nil || err != nil { // the digest decides
		t.Errorf("with another time: %v, %v", e, err)
	}
	info, _ := os.Stat(file) // it is there
	if err := errors.Join(os.WriteFile(file, []byte("[]"), 0o644),
		os.Chtimes(file, info.ModTime(), info.ModTime())); err != nil {
		t.Fatal(err)
	}
	if removed, err := s.Verify(ctx); err != nil || len(removed) != 1 || removed[0] != "keel@1.0.0" {
		t.Errorf("verify removes %v, %v", removed, err)
	}
	if err := s.Clear(); err != nil {
		t.Error(err)
	}
	if u, err := s.Usage(ctx); err != nil || u.Releases != 0 {
		t.Errorf("cleared: %+v, %v", u, err)
	}
}

func TestStoreRefuses(t *testing.T) {
	ctx := context.Background()
	s := In(t.TempDir())
	data, integrity := packed(t, [2]string{"package.json", "{}"})
	_, other := packed(t, [2]string{"package.json", "{ }"})
	var digest *archive.DigestError
	for _, stated := range []string{other, "", "md9-AAAA", "sha512-AAAA"} {
		if _, err := s.Add(ctx, "keel@1.0.0", stated, bytes.NewReader(data), int64(len(data)), about); !errors.As(
			err, &digest) {
			t.Errorf("with the checksum %q: %v", stated, err)
		}
	}
	escaping, sum := packed(t, [2]string{"../../escape", "x"})
	var entry *archive.EntryError
	if _, err := s.Add(ctx, "keel@1.0.0", sum, bytes.NewReader(escaping), int64(len(escaping)), about); !errors.As(
		err, &entry) {
		t.Errorf("an entry that leads out: %v", err)
	}
	clash, sum := packed(t, [2]string{"a", "x"}, [2]string{"a/b", "x"})
	if _, err := s.Add(ctx, "keel@1.0.0", sum, bytes.NewReader(clash), int64(len(clash)), about); !errors.As(err, &entry) {
		t.Errorf("a folder that is a file: %v", err)
	}
	if left, err := filepath.Glob(filepath.Join(s.dir, format, "part", "*")); err != nil || len(left) > 0 {
		t.Errorf("what was refused leaves %v", left)
	}
	for _, key := range []string{"", "x", "sha512-../../../etc/passwd/aaaaaaaaaaaaaaaaaaaaaaaaaaaaa",
		"sha512-" + strings.Repeat("A", 64)} {
		if e, err := s.ByKey(key); e != nil || err != nil {
			t.Errorf("the key %q gives %v, %v", key, e, err)
		}
	}
	twice, sum := packed(t, [2]string{"a", "first"}, [2]string{"a", "second"})
	e, err := s.Add(ctx, "keel@1.0.0", sum, bytes.NewReader(twice), int64(len(twice)), about)
	if err != nil || len(e.Files) != 1 || e.Files[0].Size != 6 {
		t.Errorf("a name that comes twice: %+v, %v", e, err)
	}
	_ = integrity
}

// Any number of processes may need the same release at the same time.
func TestStoreIsShared(t *testing.T) {
	dir := t.TempDir()
	data, integrity := packed(t, [2]string{"package.json", "{}"}, [2]string{"index.js", strings.Repeat("x", 100000)})
	var g errgroup.Group
	for range 16 {
		g.Go(func() error {
			e, err := In(dir).Add(context.Background(), "keel@1.0.0", integrity, bytes.NewReader(data), int64(len(data)), about)
			if err == nil && len(e.Files) != 2 {
				err = errors.New("half an entry")
			}
			return err
		})
	}
	if err := g.Wait(); err != nil {
		t.Error(err)
	}
	if left, err := filepath.Glob(filepath.Join(dir, format, "part", "*")); err != nil || len(left) > 0 {
		t.Errorf("left over: %v, %v", left, err)
	}
}
