package js

import (
	"bytes"
	"fmt"
	"io"
	"strings"
	"testing"

	"github.com/go-json-experiment/json/jsontext"

	"molt/core/universe"
	"molt/ecosystem"
	"molt/ecosystem/js/ranges"
	"molt/ecosystem/standin"
)

const longWinded = `{
  "_id": "keel", "name": "keel", "readme": "# Keel\n", "dist-tags": {"latest": "2.0.0"}, "time": {"1.0.0": "2023-01-01T00:00:00Z", "2.0.0": "2024-01-01T00:00:00Z"},
  "description": "Holds \"it\"", "homepage": "https://keel.example/", "repository": {"type": "git", "url": "https://code.example/keel"}, "maintainers": [{"name": "x"}],
  "versions": {
    "1.0.0": {"name": "keel", "version": "1.0.0", "scripts": {"build": "x"}, "dependencies": {"rope": "^1.0.0", "od\"d\u0001": "*"}, "devDependencies": {"lamp": "1"}, "_hasShrinkwrap": false,
      "dist": {"tarball": "https://keel.example/keel-1.0.0.tgz", "shasum": "00ff", "signatures": [{"sig": "long"}], "fileCount": 7}},
    "2.0.0": {"peerDependencies": {"mast": "^2"}, "peerDependenciesMeta": {"mast": {"optional": true}}, "engines": {"node": ">=20"}, "bundleDependencies": ["inside"],
      "optionalDependencies": {"wind": "*"}, "deprecated": "no more", "dist": {"integrity": "sha512-x", "tarball": "t"}},
    "odd": 7
  }
}`

func show(p *universe.Package) string {
	return fmt.Sprintf("%s %+v %+v %s %+v", p.Name, p.Copies(), p.Tags, p.Current, p.Notes)
}

// What is kept of a document reads like the document, and keeps nothing else.
func TestDigestOf(t *testing.T) {
	digest, err := digestOf("keel", strings.NewReader(longWinded), "")
	if err != nil {
		t.Fatal(err)
	}
	for _, gone := range []string{"readme", "maintainers", "scripts", "devDependencies", "lamp", "signatures", "_hasShrinkwrap"} {
		if strings.Contains(string(digest), gone) {
			t.Errorf("%s is left in %q", gone, digest)
		}
	}
	whole, err := readPackage("keel", strings.NewReader(longWinded), "")
	if err != nil {
		t.Fatal(err)
	}
	kept, err := ecosystem.DecodeDigest(ranges.Scheme, string(digest))
	if err != nil {
		t.Fatal(err)
	}
	if show(whole) != show(kept) {
		t.Errorf("the document reads\n%s\nwhat is kept\n%s", show(whole), show(kept))
	}
	for _, text := range []string{"", "[]", "{", "7", `{"versions": 3}`, `{"error": "x"}`, "<html>log in</html>", `{"name": "mast", "versions": {}}`,
		`{"versions": {"1.0.0": {"dist": ` + strings.Repeat("[", 1_000_000) + strings.Repeat("]", 1_000_000) + "}}}"} {
		if left, err := digestOf("keel", strings.NewReader(text), ""); err == nil {
			t.Errorf("%.40q is taken for a document: %q", text, left)
		}
	}
}

func FuzzDigestOf(f *testing.F) {
	f.Add([]byte(longWinded))
	f.Add([]byte(`{"versions":{"1.0.0":{"dist":[]}}}`))
	f.Fuzz(func(t *testing.T, body []byte) {
		digest, err := digestOf("keel", bytes.NewReader(body), "")
		if err != nil {
			return
		}
		whole, e1 := readPackage("keel", bytes.NewReader(body), "")
		kept, e2 := ecosystem.DecodeDigest(ranges.Scheme, string(digest))
		if e1 != nil || e2 != nil {
			t.Fatalf("the document: %v; what is kept: %v", e1, e2)
		}
		if show(whole) != show(kept) {
			t.Errorf("the document reads\n%s\nwhat is kept\n%s", show(whole), show(kept))
		}
	})
}

// BenchmarkDocument reads a package of 300 releases, each with some demands: "document" from what a registry says, "digest" from what is kept.
func BenchmarkDocument(b *testing.B) {
	var text strings.Builder
	text.WriteString("package keel\n")
	for v := range 300 {
		fmt.Fprintf(&text, "  1.%d.0 2024-01-01", v)
		for k := range 12 {
			fmt.Fprintf(&text, " rope-%d@^1.%d.0", k, v/40)
		}
		text.WriteString(" peer:mast@^2||^3 runtime:node@>=18\n")
	}
	table, err := standin.ReadUniverse("u", []byte(text.String()), ranges.Scheme)
	if err != nil {
		b.Fatal(err)
	}
	body := document(table["keel"], false, func(r *universe.Release) map[string]any {
		return map[string]any{"tarball": "http://x/keel/-/keel-" + r.Version.String() + ".tgz", "integrity": "sha512-" + strings.Repeat("x", 80) + r.Version.String()}
	})
	digest, err := digestOf("keel", bytes.NewReader(body), "http://x")
	if err != nil {
		b.Fatal(err)
	}
	b.Run("tokens", func(b *testing.B) { // the yardstick: all of it is looked at, and nothing is made of it
		b.SetBytes(int64(len(body)))
		for b.Loop() {
			tokens := jsontext.NewDecoder(bytes.NewReader(body))
			for {
				if _, err := tokens.ReadToken(); err == io.EOF {
					break
				} else if err != nil {
					b.Fatal(err)
				}
			}
		}
	})
	b.Run("document", func(b *testing.B) {
		b.SetBytes(int64(len(body)))
		for b.Loop() {
			if _, err := digestOf("keel", bytes.NewReader(body), "http://x"); err != nil {
				b.Fatal(err)
			}
		}
	})
	b.Run("digest", func(b *testing.B) {
		b.SetBytes(int64(len(digest)))
		for b.Loop() {
			if _, err := ecosystem.DecodeDigest(ranges.Scheme, string(digest)); err != nil {
				b.Fatal(err)
			}
		}
	})
}
