package js

import (
	"fmt"
	"reflect"
	"strings"
	"testing"

	"molt/core/universe"
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

// What is left of a document reads like the whole.
func TestReduce(t *testing.T) {
	reduced, err := reduce("keel", []byte(longWinded))
	if err != nil {
		t.Fatal(err)
	}
	for _, gone := range []string{"readme", "maintainers", "scripts", "devDependencies", "signatures", "_hasShrinkwrap"} {
		if strings.Contains(string(reduced), gone) {
			t.Errorf("%s is left in %s", gone, reduced)
		}
	}
	whole, err := readPackage("keel", []byte(longWinded), "")
	if err != nil {
		t.Fatal(err)
	}
	less, err := readPackage("keel", reduced, "")
	if err != nil {
		t.Fatalf("%v in %s", err, reduced)
	}
	show := func(p *universe.Package) string { return fmt.Sprintf("%+v %+v %+v", p.Releases, p.Tags, p.Notes) }
	if !reflect.DeepEqual(whole.Releases, less.Releases) || show(whole) != show(less) {
		t.Errorf("the whole reads\n%s\nwhat is left\n%s", show(whole), show(less))
	}
	if again, err := reduce("keel", reduced); err != nil || string(again) != string(reduced) {
		t.Errorf("reduced again it is %s, %v", again, err)
	}
	for _, text := range []string{"", "[]", "{", "7", `{"versions": 3}`, `{"error": "x"}`, "<html>log in</html>", `{"name": "mast", "versions": {}}`,
		`{"versions": {"1.0.0": {"dist": ` + strings.Repeat("[", 1_000_000) + strings.Repeat("]", 1_000_000) + "}}}"} {
		if left, err := reduce("keel", []byte(text)); err == nil {
			t.Errorf("%.40q is taken for a document: %s", text, left)
		}
	}
}

func FuzzReduce(f *testing.F) {
	f.Add([]byte(longWinded))
	f.Add([]byte(`{"versions":{"1.0.0":{"dist":[]}}}`))
	f.Fuzz(func(t *testing.T, body []byte) {
		reduced, err := reduce("keel", body)
		if err != nil {
			return
		}
		whole, e1 := readPackage("keel", body, "")
		less, e2 := readPackage("keel", reduced, "")
		if e1 != nil || e2 != nil {
			t.Fatalf("the whole: %v; reduced: %v", e1, e2)
		}
		if !reflect.DeepEqual(whole.Releases, less.Releases) {
			t.Errorf("the whole reads %+v, reduced %+v", whole.Releases, less.Releases)
		}
	})
}
