package js

import (
	"archive/tar"
	"bytes"
	"compress/gzip"
	"context"
	"crypto/sha512"
	"encoding/base64"
	"errors"
	"io"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/tidwall/gjson"

	"molt/core/universe"
	"molt/core/version"
	"molt/ecosystem"
	"molt/ecosystem/js/ranges"
	"molt/ecosystem/standin"
	"molt/registry"
)

const harbour = `
package keel
  about  Holds it together
  home   https://keel.example/
  tag    latest 1.2.0
  1.0.0  2024-01-02
  1.2.0  2024-05-06  nail@^2.0.0 opt:lamp@^1.0.0 old=nail@^1.0.0 peer:mast@>=3 peer?:flag@* runtime:node@>=18&||&>=20
  2.0.0-rc.1 2024-06-07 ! use hull instead
package @quay/rope
  1.0.0  2024-01-02
`

// What the stand-in serves, the reader reads back.
func TestStandInAndReader(t *testing.T) {
	table, server := standIn(t, harbour)
	for _, dated := range []bool{false, true} {
		source := open(t, server.URL, ecosystem.Detail{Everything: dated})
		numbers, names := map[string]int32{}, map[int32]string{}
		same := func(read, want []universe.Demand) bool { // but for the numbers, of which every name has one of its own
			return slices.EqualFunc(read, want, func(a, b universe.Demand) bool {
				if n, known := numbers[a.Package]; a.Number == 0 || known && n != a.Number || names[a.Number] != "" &&
					names[a.Number] != a.Package {
					t.Errorf("%s has the number %d", a.Package, a.Number)
				}
				numbers[a.Package], names[a.Number] = a.Number, a.Package
				a.Number = 0
				return a == b
			})
		}
		for name, want := range table {
			got, err := source.Package(context.Background(), name)
			if err != nil {
				t.Fatal(err)
			}
			if got.Len() != want.Len() || got.Tags["latest"] != want.Tags["latest"] {
				t.Fatalf("%s: %d releases, tags %v", name, got.Len(), got.Tags)
			}
			for i := range want.Len() {
				a, b := got.At(i), want.At(i)
				if a.Version.String() != b.Version.String() || !same(a.Needs, b.Needs) || !same(a.Peers, b.Peers) ||
					!slices.Equal(a.Runtimes, b.Runtimes) || a.Deprecated != b.Deprecated || a.Published.IsZero() == dated {
					t.Errorf("%s: read %+v, want %+v", name, a, b)
				}
			}
		}
		var unknown *universe.UnknownError
		if _, err := source.Package(context.Background(), "ghost"); !errors.As(err, &unknown) {
			t.Errorf("ghost: %v", err)
		}
	}
}

// Any client can read an archive, and its checksum is the one that the document states.
func TestArchives(t *testing.T) {
	_, server := standIn(t, harbour)
	doc := fetch(t, server.URL+"/keel")
	dist := gjson.GetBytes(doc, `versions.1\.2\.0.dist`)
	body := fetch(t, dist.Get("tarball").String())
	sum := sha512.Sum512(body)
	if want := "sha512-" + base64.StdEncoding.EncodeToString(sum[:]); dist.Get("integrity").String() != want {
		t.Errorf("the archive's checksum is %s, the document says %s", want, dist.Get("integrity"))
	}
	unzipped, err := gzip.NewReader(bytes.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	files := map[string]string{}
	for archive := tar.NewReader(unzipped); ; {
		head, err := archive.Next()
		if err == io.EOF {
			break
		}
		if err != nil {
			t.Fatal(err)
		}
		text, _ := io.ReadAll(archive)
		files[head.Name] = string(text)
	}
	if gjson.Get(files["package/package.json"], "version").String() != "1.2.0" || files["package/index.js"] == "" {
		t.Errorf("the archive holds %v", files)
	}
}

func TestStandInRefuses(t *testing.T) {
	_, server := standIn(t, harbour)
	for address, want := range map[string]int{
		"/ghost": 404, "/keel/-/keel-9.9.9.tgz": 404, "/keel": 200, "/@quay/rope": 200, "/@quay%2frope": 200,
		"/@quay/rope/-/rope-1.0.0.tgz": 200,
	} {
		response, err := http.Get(server.URL + address)
		if err != nil {
			t.Fatal(err)
		}
		response.Body.Close()
		if response.StatusCode != want {
			t.Errorf("%s answers %d, want %d", address, response.StatusCode, want)
		}
	}
	response, err := http.Post(server.URL+"/keel", "application/json", strings.NewReader("{}"))
	if err != nil {
		t.Fatal(err)
	}
	response.Body.Close()
	if response.StatusCode != http.StatusMethodNotAllowed {
		t.Errorf("a post was answered with %d", response.StatusCode)
	}
}

// Registries hold decades of documents that nobody would write today.
func TestOddDocuments(t *testing.T) {
	const doc = `{"versions": {
		"1.0.0": {"dependencies": {"a": "^1", "b": 7, "c": "^1", "d": "not a range!"}, "optionalDependencies": {"c": "^1"},
			"peerDependencies": {"a": "^2", "e": "*", "f": "1"}, "peerDependenciesMeta": {"f": {"optional": true}, "g": {"optional": true}},
			"bundleDependencies": ["b"], "engines": ["node >= 0.4"], "deprecated": true,
			"dist": {"tarball": "http://base/x/-/x-1.0.0.tgz", "shasum": "da39a3ee5e6b4b0d3255bfef95601890afd80709"}},
		"1.1.0": {"deprecated": "", "dist": {"tarball": "http://elsewhere/x.tgz", "integrity": "sha512-AA=="}},
		"1.1.0-x_y": {}, "01.2.3": {}, "2.0.0": null
	}, "time": {"1.0.0": "2020-01-02T03:04:05.678Z", "1.1.0": "yesterday"}}`
	p, err := readPackage("x", strings.NewReader(doc), "http://base")
	if err != nil {
		t.Fatal(err)
	}
	if p.Len() != 2 {
		t.Fatalf("%d releases were read", p.Len())
	}
	r := p.At(0)
	if len(r.Needs) != 3 || r.Needs[0].Optional || !r.Needs[1].Optional || r.Needs[1].As != "c" || r.Needs[2].As != "d" {
		t.Errorf("needs %+v", r.Needs)
	}
	if len(r.Peers) != 2 || r.Peers[0].As != "e" || !r.Peers[1].Optional {
		t.Errorf("peers %+v", r.Peers)
	}
	if r.Deprecated == "" || len(r.Runtimes) != 0 || r.File().Address != "x/-/x-1.0.0.tgz" ||
		r.File().Integrity != "sha1-2jmj7l5rSw0yVb/vlWAYkK/YBwk=" {
		t.Errorf("read %+v", r)
	}
	if r.Published.Format(time.DateOnly) != "2020-01-02" || !p.At(1).Published.IsZero() {
		t.Errorf("published %v and %v", r.Published, p.At(1).Published)
	}
	if r := p.At(1); r.Deprecated != "" || r.File().Address != "http://elsewhere/x.tgz" ||
		r.File().Integrity != "sha512-AA==" {
		t.Errorf("read %+v", r)
	}
	for _, bad := range []string{"", "<html>", `{"name": "x"}`, `{"versions": []}`} {
		if _, err := readPackage("x", strings.NewReader(bad), ""); err == nil {
			t.Errorf("%q was read as a document", bad)
		}
	}
}

// A hint fetches ahead, and each document is fetched once.
func TestHintsShareOneRequest(t *testing.T) {
	requests := make(chan string, 100)
	inner := JS{}.StandIn(mustUniverse(t, harbour))
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		requests <- r.URL.Path
		inner.ServeHTTP(w, r)
	}))
	defer server.Close()
	source := open(t, server.URL, ecosystem.Detail{})
	source.Hint("keel", "@quay/rope", "keel")
	for _, name := range []string{"keel", "@quay/rope", "keel"} {
		if _, err := source.Package(context.Background(), name); err != nil {
			t.Fatal(err)
		}
	}
	source.Close()
	close(requests)
	var all []string
	for r := range requests {
		all = append(all, r)
	}
	slices.Sort(all)
	if !slices.Equal(all, []string{"/@quay/rope", "/keel"}) {
		t.Errorf("requests %q", all)
	}
}

func FuzzReadPackage(f *testing.F) {
	f.Add([]byte(`{"versions": {"1.0.0": {"dependencies": {"a": "^1"}, "dist": {"shasum": "00"}}}, "time": {}, "dist-tags": {"latest": "1.0.0"}}`))
	f.Add([]byte(`{"versions": {"1.0.0": 7, "x": {}}}`))
	f.Fuzz(func(t *testing.T, body []byte) {
		if !gjson.ValidBytes(body) {
			return
		}
		p, err := readPackage("x", bytes.NewReader(body), "http://base")
		if err == nil && !slices.IsSortedFunc(p.Versions(), func(a, b version.Version) int { return a.Compare(b) }) {
			t.Fatal("the releases are not sorted")
		}
	})
}

func mustUniverse(t *testing.T, text string) standin.Universe {
	t.Helper()
	table, err := standin.ReadUniverse("test.universe", []byte(text), ranges.Scheme)
	if err != nil {
		t.Fatal(err)
	}
	return table
}

func standIn(t *testing.T, text string) (universe.Table, *httptest.Server) {
	t.Helper()
	table := mustUniverse(t, text)
	server := httptest.NewServer(JS{}.StandIn(table))
	t.Cleanup(server.Close)
	return table.Table, server
}

func open(t *testing.T, address string, detail ecosystem.Detail) ecosystem.Source {
	t.Helper()
	client, err := registry.New(registry.Options{Base: address, Jobs: 4})
	if err != nil {
		t.Fatal(err)
	}
	source := JS{}.Open(context.Background(), registry.Only(client), detail)
	t.Cleanup(source.Close)
	return source
}

func fetch(t *testing.T, address string) []byte {
	t.Helper()
	response, err := http.Get(address)
	if err != nil {
		t.Fatal(err)
	}
	defer response.Body.Close()
	body, err := io.ReadAll(response.Body)
	if err != nil || response.StatusCode != http.StatusOK {
		t.Fatalf("%s: %s, %v", address, response.Status, err)
	}
	return body
}

// The document of a package reads as the package.
func TestDocument(t *testing.T) {
	p, err := readPackage("keel", strings.NewReader(longWinded), "")
	if err != nil {
		t.Fatal(err)
	}
	table := mustUniverse(t, harbour+
		"\npackage gaff\n  1.0.0 2024-01-01 rope@^1 peer:rope@^1&||&^2 peer?:mast@* opt:wind@* old=keel@^1 "+
		"runtime:node@>=18 ! no more\n")
	table.Table["long"] = p
	for _, p := range table.Table {
		again, err := readPackage(p.Name, bytes.NewReader(JS{}.Document(p)), "http://x")
		if err != nil {
			t.Fatal(err)
		}
		again.Current = p.Current // what the stand-in's universe does not say
		for r := range p.All() {
			if len(r.Files) == 0 {
				r.Files = []universe.File{{}}
			}
		}
		if show(again) != show(p) {
			t.Errorf("%s\nreads as\n%s", show(p), show(again))
		}
	}
}
