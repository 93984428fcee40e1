package tree

import (
	"archive/tar"
	"bytes"
	"compress/gzip"
	"context"
	"crypto/sha512"
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"golang.org/x/sync/errgroup"

	"molt/core/solve"
	"molt/ecosystem"
	"molt/ecosystem/js"
	"molt/registry"
	"molt/store"
	"molt/txn"
)

// noSeals seals with nothing; who may write is no question here.
type noSeals struct{}

func (noSeals) Seal(string, []byte) (string, error)      { return "sealed", nil }
func (noSeals) Sealed(_ string, _ []byte, s string) bool { return s == "sealed" }

// fleet makes a lock of packages in a chain of ten, with archives of 20 files each, and what downloads them.
func fleet(tb testing.TB, packages int) (
	*ecosystem.Lock, func(context.Context, *ecosystem.LockedPackage, registry.Sink) error) {
	tb.Helper()
	l := &ecosystem.Lock{Ecosystem: "js"}
	archives := map[string][]byte{}
	for k := range packages {
		name := fmt.Sprintf("ship-%04d", k)
		p := ecosystem.LockedPackage{Node: solve.Node{ID: name + "@1.0.0", Name: name, Version: "1.0.0"}}
		if k%10 != 9 && k+1 < packages {
			next := fmt.Sprintf("ship-%04d", k+1)
			p.Needs = []solve.Edge{{Name: next, Package: next, Constraint: "*", To: next + "@1.0.0"}}
		}
		if k%10 == 0 {
			l.Roots = append(l.Roots, solve.Edge{Name: name, Package: name, Constraint: "*", Group: "dependencies", To: p.ID})
		}
		archives[p.ID], p.Integrity = packed(tb, manifestOf(p))
		l.Packages = append(l.Packages, p)
	}
	return l, func(_ context.Context, p *ecosystem.LockedPackage, into registry.Sink) error {
		_, err := into.Write(archives[p.ID])
		return err
	}
}

// manifestOf writes the manifest of a locked release, with what it needs, and more keys.
func manifestOf(p ecosystem.LockedPackage, more ...string) string {
	var needs []string
	for _, e := range p.Needs {
		needs = append(needs, fmt.Sprintf("%q: %q", e.Name, e.Constraint))
	}
	parts := append([]string{fmt.Sprintf(`"name": %q, "version": %q, "dependencies": {%s}`, p.Name,
		p.Version, strings.Join(needs, ", "))}, more...)
	return "{" + strings.Join(parts, ", ") + "}"
}

// packed makes an archive of 20 files, the first of which is its manifest, and more.
func packed(tb testing.TB, manifest string, more ...string) (data []byte, integrity string) {
	tb.Helper()
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	w := tar.NewWriter(z)
	add := func(file, text string) {
		if err := w.WriteHeader(&tar.Header{
			Name: "package/" + file, Mode: 0o644, Size: int64(len(text)), Typeflag: tar.TypeReg}); err != nil {
			tb.Fatal(err)
		}
		if _, err := w.Write([]byte(text)); err != nil {
			tb.Fatal(err)
		}
	}
	add("package.json", manifest)
	for k := range 19 {
		add(fmt.Sprintf("lib/part-%d.js", k), strings.Repeat(manifest+"\n", 10+k*5))
	}
	for _, file := range more {
		add(file, "brought along")
	}
	if err := errors.Join(w.Close(), z.Close()); err != nil {
		tb.Fatal(err)
	}
	sum := sha512.Sum512(b.Bytes())
	return b.Bytes(), "sha512-" + base64.StdEncoding.EncodeToString(sum[:])
}

func treeIn(tb testing.TB, dir string, kept *store.Store,
	download func(context.Context, *ecosystem.LockedPackage, registry.Sink) error) *Tree {
	tb.Helper()
	w, err := txn.OpenWorkspace(dir, noSeals{})
	if err != nil {
		tb.Fatal(err)
	}
	return &Tree{Files: w, Store: kept, Eco: js.JS{}, Download: download}
}

// BenchmarkInstall lays out 1,000 packages of 20 files each, with the store warm; "plain" is the
// yardstick, a program that links the same files; "changed" moves one package of them; "untouched"
// finds nothing to do.
func BenchmarkInstall(b *testing.B) {
	ctx := context.Background()
	l, download := fleet(b, 1000)
	kept := store.In(filepath.Join(b.TempDir(), "store"))
	first := b.TempDir()
	began := time.Now()
	if _, err := treeIn(b, first, kept, download).Install(ctx, l, LayoutOrder{}); err != nil {
		b.Fatal(err)
	}
	b.Logf("cold, from memory: %s", time.Since(began))
	b.Run("plain", func(b *testing.B) {
		for b.Loop() {
			b.StopTimer()
			dir := b.TempDir()
			b.StartTimer()
			if err := linkAll(filepath.Join(first, "node_modules"), filepath.Join(dir, "node_modules")); err != nil {
				b.Fatal(err)
			}
		}
	})
	b.Run("warm", func(b *testing.B) {
		for b.Loop() {
			b.StopTimer()
			t := treeIn(b, b.TempDir(), kept, download)
			b.StartTimer()
			if _, err := t.Install(ctx, l, LayoutOrder{}); err != nil {
				b.Fatal(err)
			}
		}
	})
	b.Run("untouched", func(b *testing.B) {
		t := treeIn(b, first, kept, download)
		for b.Loop() {
			if r, err := t.Install(ctx, l, LayoutOrder{}); err != nil || !r.Untouched {
				b.Fatal(r, err)
			}
		}
	})
	b.Run("changed", func(b *testing.B) {
		t := treeIn(b, first, kept, download)
		other := *l
		other.Packages = append([]ecosystem.LockedPackage(nil), l.Packages...)
		p := &other.Packages[500]
		p.Version = "1.0.1"
		data, integrity := packed(b, manifestOf(*p))
		p.Integrity = integrity
		t.Download = func(_ context.Context, _ *ecosystem.LockedPackage, into registry.Sink) error {
			_, err := into.Write(data)
			return err
		}
		locks := []*ecosystem.Lock{&other, l}
		for k := 0; b.Loop(); k++ {
			if r, err := t.Install(ctx, locks[k%2], LayoutOrder{}); err != nil || len(r.Moved) != 1 {
				b.Fatal(r, err)
			}
		}
	})
}

// BenchmarkCold lays out 1,000 packages of 20 files each with nothing in the store, from a server
// on loopback; "plain" is the yardstick, a program that downloads the same archives on 16 threads
// and writes their files.
func BenchmarkCold(b *testing.B) {
	ctx := context.Background()
	l, archives := fleet(b, 1000)
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if archives(ctx, &ecosystem.LockedPackage{Node: solve.Node{ID: r.URL.Path[1:]}}, &answer{w}) != nil {
			http.NotFound(w, r)
		}
	}))
	defer server.Close()
	for k := range l.Packages {
		l.Packages[k].Source = l.Packages[k].ID
	}
	b.Run("plain", func(b *testing.B) {
		client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 16}}
		for b.Loop() {
			b.StopTimer()
			dir := b.TempDir()
			b.StartTimer()
			var g errgroup.Group
			g.SetLimit(16)
			for k := range l.Packages {
				g.Go(func() error {
					return plainly(client, server.URL+"/"+l.Packages[k].ID, filepath.Join(dir, "node_modules", l.Packages[k].Name))
				})
			}
			if err := g.Wait(); err != nil {
				b.Fatal(err)
			}
		}
	})
	b.Run("cold", func(b *testing.B) {
		for b.Loop() {
			b.StopTimer()
			client, err := registry.New(registry.Options{Base: server.URL, Cache: b.TempDir(), Jobs: 16})
			if err != nil {
				b.Fatal(err)
			}
			t := treeIn(b, b.TempDir(), store.In(filepath.Join(b.TempDir(), "store")),
				func(ctx context.Context, p *ecosystem.LockedPackage, into registry.Sink) error {
					return client.Download(ctx, p.Source, p.Integrity, into)
				})
			b.StartTimer()
			if r, err := t.Install(ctx, l, LayoutOrder{}); err != nil || r.Fetched != len(l.Packages) {
				b.Fatal(r, err)
			}
		}
	})
}

// An answer is what a server sends.
type answer struct{ http.ResponseWriter }

func (answer) Reset() error { return nil }

// plainly downloads an archive and writes its files.
func plainly(client *http.Client, address, dir string) error {
	response, err := client.Get(address)
	if err != nil {
		return err
	}
	defer response.Body.Close()
	z, err := gzip.NewReader(response.Body)
	if err != nil {
		return err
	}
	for r := tar.NewReader(z); ; {
		h, err := r.Next()
		if errors.Is(err, io.EOF) {
			_, err = io.Copy(io.Discard, response.Body)
			return err
		}
		if err != nil {
			return err
		}
		name := filepath.Join(dir, strings.TrimPrefix(h.Name, "package/"))
		if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
			return err
		}
		f, err := os.Create(name)
		if err != nil {
			return err
		}
		if _, err := io.Copy(f, r); err != nil {
			return err
		}
		if err := f.Close(); err != nil {
			return err
		}
	}
}

// linkAll links the files of a folder into another, one after the other.
func linkAll(from, to string) error {
	return filepath.WalkDir(from, func(at string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		rel, err := filepath.Rel(from, at)
		if err != nil {
			return err
		}
		if d.IsDir() {
			return os.MkdirAll(filepath.Join(to, rel), 0o755)
		}
		return os.Link(at, filepath.Join(to, rel))
	})
}
