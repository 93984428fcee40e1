package python

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"

	"molt/core/solve"
	"molt/core/universe"
	"molt/ecosystem"
	"molt/ecosystem/python/specifiers"
	"molt/ecosystem/standin"
	"molt/registry"
)

const pier = `
package marram
  about   A framework for back offices
  4.1     2024-01-10  runtime:python@>=3.8
  4.2     2025-01-10  runtime:python@>=3.9
  4.3rc1  2025-06-10  runtime:python@>=3.9
  4.2.1   2025-02-10
  withdrawn 4.2.1 loses drafts
  needs   4.2 tzlist@>=1 when sys_platform == "win32"
  needs   4.2 ropewalk@>=1.1
  needs   4.2 argon@>=2 when extra == "argon"
  needs   4.2 tern[charts]@>=1 when extra == "reports" and python_version < "4"
package ropewalk
  1.0     2023-01-01
  1.1     2023-02-01
package tzlist
  1.0     2023-01-01
package argon
  2!0.1   2023-01-01
package tern
  1.4     2024-03-01
  for     1.4 marram 4.1 4.2
  needs   1.4 ropewalk@<1.1 when python_version < "3"
  needs   1.4 ropewalk@>=1.0 when python_version >= "3"
  needs   1.4 sketch@~=1.0 when extra == "charts"
  1.5     2025-03-01
  unbuilt 1.5
package sketch
  1.0.post1 2023-01-01
`

// served serves the packages above, through a function that may answer instead, and returns a source over them.
func served(t *testing.T, instead func(w http.ResponseWriter, r *http.Request) bool,
	environments ...ecosystem.Environment) ecosystem.Source {
	t.Helper()
	table, err := standin.ReadUniverse("pier.universe", []byte(pier), specifiers.Scheme)
	if err != nil {
		t.Fatal(err)
	}
	handler := Python{}.StandIn(table)
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if instead == nil || !instead(w, r) {
			handler.ServeHTTP(w, r)
		}
	}))
	client, err := registry.New(registry.Options{Base: server.URL, Jobs: 4})
	if err != nil {
		t.Fatal(err)
	}
	source := Python{}.Open(context.Background(), registry.Only(client), ecosystem.Detail{Environments: environments})
	t.Cleanup(func() { source.Close(); client.Close(); server.Close() })
	return source
}

// needsOf writes what a release needs, a word each.
func needsOf(t *testing.T, source universe.Source, name, version string) string {
	t.Helper()
	p, err := source.Package(context.Background(), name)
	if err != nil {
		t.Fatal(err)
	}
	i := p.Index(version)
	if i < 0 {
		t.Fatalf("%s has no %s but %v", name, version, p.Versions())
	}
	var words []string
	for _, d := range p.Needs(i) {
		word := d.As + d.Text
		if d.When != "" {
			word += ";" + d.When
		}
		words = append(words, word)
	}
	return strings.Join(words, " ")
}

// TestSource reads the same packages however the index offers them.
func TestSource(t *testing.T) {
	var ranges, wholes, metadata atomic.Int32
	offers := map[string]func(w http.ResponseWriter, r *http.Request) bool{
		"as it is": func(_ http.ResponseWriter, r *http.Request) bool {
			if strings.HasSuffix(r.URL.Path, ".metadata") {
				metadata.Add(1)
			}
			return false
		},
		"HTML": func(_ http.ResponseWriter, r *http.Request) bool {
			r.Header.Set("Accept", "text/html")
			return false
		},
		"parts of wheels": func(w http.ResponseWriter, r *http.Request) bool {
			if strings.HasSuffix(r.URL.Path, ".metadata") {
				http.NotFound(w, r)
				return true
			}
			if r.Header.Get("Range") != "" {
				ranges.Add(1)
			}
			return false
		},
		"whole wheels": func(w http.ResponseWriter, r *http.Request) bool {
			if strings.HasSuffix(r.URL.Path, ".metadata") {
				http.Error(w, "no", http.StatusForbidden)
				return true
			}
			if strings.HasSuffix(r.URL.Path, ".whl") && r.Header.Get("Range") == "" {
				wholes.Add(1)
			}
			r.Header.Del("Range")
			return false
		},
	}
	linux := ecosystem.Environment{Name: "a", Runtimes: map[string]string{"python": "3.11"}}
	windows := ecosystem.Environment{Name: "b", Runtimes: map[string]string{"python": "3.9"}, Platform: "windows-x86_64"}
	for how, instead := range offers {
		t.Run(how, func(t *testing.T) {
			one, both := served(t, instead, linux), served(t, instead, linux, windows)
			for _, test := range []struct{ name, version, in, inBoth string }{
				{"marram", "4.2", "ropewalk>=1.1", `ropewalk>=1.1 tzlist>=1;sys_platform == "win32"`},
				{"marram[argon]", "4.2", "argon>=2 marram===4.2", "argon>=2 marram===4.2"},
				{"marram[reports]", "4.2", "marram===4.2 tern>=1 tern[charts]>=1", "marram===4.2 tern>=1 tern[charts]>=1"},
				{"marram[unknown]", "4.1", "marram===4.1", "marram===4.1"},
				{"tern", "1.4", "ropewalk>=1.0", "ropewalk>=1.0"},
				{"tern", "1.5", universe.Unbuilt(unbuilt).As, universe.Unbuilt(unbuilt).As},
				{"tern[charts]", "1.4", "sketch~=1.0 tern===1.4", "sketch~=1.0 tern===1.4"},
			} {
				if got := needsOf(t, one, test.name, test.version); got != test.in {
					t.Errorf("%s %s needs %s, want %s", test.name, test.version, got, test.in)
				}
				if got := needsOf(t, both, test.name, test.version); got != test.inBoth {
					t.Errorf("in both, %s %s needs %s, want %s", test.name, test.version, got, test.inBoth)
				}
			}
			marram, _ := one.Package(context.Background(), "marram")
			set, err := marram.Admit(">=4.1")
			if err != nil || marram.Versions().Describe(set) != "4.1 … 4.2" {
				t.Errorf("admits %s, %v: neither the prerelease nor what is yanked", marram.Versions().Describe(set), err)
			}
			if r := marram.Release("4.2.1"); r.Withdrawn != "yanked: loses drafts" ||
				marram.Release("4.1").Runtimes[0].Text != ">=3.8" {
				t.Errorf("%+v", r)
			}
			tern, _ := one.Package(context.Background(), "tern")
			if claims := tern.Claims(0); len(claims) != 1 || fmt.Sprint(claims[0]) != "{marram [4.1 4.2]}" {
				t.Errorf("claims %v", claims)
			}
		})
	}
	if metadata.Load() == 0 || ranges.Load() == 0 || wholes.Load() == 0 {
		t.Errorf("metadata %d, parts %d, whole wheels %d", metadata.Load(), ranges.Load(), wholes.Load())
	}
}

// TestResolve resolves with extras: the package and what its extra adds are at one release.
func TestResolve(t *testing.T) {
	source := served(t, nil)
	d := universe.Demand{As: "marram", Package: "marram", Text: ">=4", Extras: "reports"}
	problem := solve.Problem{Strategy: solve.Single, Roots: []solve.Root{{Demand: d}}}
	for _, extra := range d.ForExtras() {
		problem.Roots = append(problem.Roots, solve.Root{Demand: extra})
	}
	r, err := solve.Resolve(context.Background(), source, problem)
	if err != nil {
		t.Fatal(err)
	}
	var ids []string
	for _, n := range r.Packages {
		ids = append(ids, n.ID)
	}
	if got, want := strings.Join(ids, " "),
		"marram@4.2 marram[reports]@4.2 ropewalk@1.1 sketch@1.0.post1 tern@1.4 tern[charts]@1.4"; got != want {
		t.Errorf("resolved %s, want %s", got, want)
	}
	if err := solve.Verify(context.Background(), source, problem, r); err != nil {
		t.Error(err)
	}
}

// TestHostileIndex has answers that are none: they are errors, and never releases.
func TestHostileIndex(t *testing.T) {
	for answer, want := range map[string]string{
		"":             "empty",
		"hello":        "neither JSON nor HTML",
		`{"files": 3}`: "no JSON as the simple repository API has it",
		`{"meta": {"api-version": "2.0"}, "name": "marram", "files": []}`: "version 2.0",
		`{"meta": {"api-version": "1.0"}, "name": "tern", "files": []}`:   "is that of tern",
		`{"meta": {"api-version": "1.0"}, "files": [`:                     "no JSON",
	} {
		source := served(t, func(w http.ResponseWriter, r *http.Request) bool {
			fmt.Fprint(w, answer)
			return true
		})
		if p, err := source.Package(context.Background(), "marram"); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %v, %v; want %s", answer, p, err, want)
		}
	}
	page := `<html><a href="ftp://x.example/marram-1.0-py3-none-any.whl">marram-1.0-py3-none-any.whl</a><a href="https://u:p@x.example/marram-1.1-py3-none-any.whl">marram-1.1-py3-none-any.whl</a>
		<a href="x">other-1.0-py3-none-any.whl</a><a href="x">marram-1.2.exe</a><a href="../marram-2.0-py3-none-any.whl#sha256=zz">marram-2.0-py3-none-any.whl</a><a href="y">marram-x.tar.gz`
	source := served(t, func(w http.ResponseWriter, r *http.Request) bool {
		if strings.HasSuffix(r.URL.Path, "/") {
			fmt.Fprint(w, page)
			return true
		}
		return false
	})
	p, err := source.Package(context.Background(), "marram")
	if err != nil || fmt.Sprint(p.Versions()) != "[2.0]" || p.About(0).File().Integrity != "" {
		t.Errorf("%v, %v", p.Versions(), err)
	}
}

// TestMetadata reads metadata that is not what it should be.
func TestMetadata(t *testing.T) {
	head := "Metadata-Version: 2.1\nName: Tern\nVersion: 1.4\n"
	for text, want := range map[string]string{
		head + "Requires-Dist: keel\nRequires-Dist: rope[x]>=1;\n python_version < '4'\n\nRequires-Dist: no": "",
		"Name: keel\nVersion: 1.4\n": "says that it is keel 1.4",
		"Name: tern\nVersion: 1.5\n": "says that it is tern 1.5",
		"Name: tern\n":               "says that it is tern",
		"<html>\n":                   "a line that is no field",
		"":                           "says that it is",
	} {
		m, _, err := readMetadata("tern", "1.4", []byte(text))
		switch {
		case want == "" && (err != nil || len(m.Needs) != 2 || m.Needs[1] != "rope[x]>=1; python_version < '4'"):
			t.Errorf("%q: %+v, %v", text, m, err)
		case want != "" && (err == nil || !strings.Contains(err.Error(), want)):
			t.Errorf("%q: %v, want %s", text, err, want)
		}
	}
}
