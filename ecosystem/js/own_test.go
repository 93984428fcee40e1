package js

import (
	"bytes"
	"strings"
	"testing"

	"molt/ecosystem"
	"molt/ecosystem/js/ranges"
	"molt/ecosystem/standin"
)

// The application's own version is replaced, and not another byte.
func TestSetVersion(t *testing.T) {
	const text = "\xef\xbb\xbf{\n\t\"version\" :  \"1.2.3\",\r\n\t\"other\": {\"version\": \"1.2.3\"}\n}\n"
	m, err := readManifest("package.json", []byte(text))
	if err != nil {
		t.Fatal(err)
	}
	if err := m.SetVersion("2.0.0"); err != nil || string(m.Bytes()) != strings.Replace(text, "1.2.3", "2.0.0", 1) ||
		m.Version() != "2.0.0" {
		t.Errorf("%v, %q", err, m.Bytes())
	}
	if m, err = readManifest("package.json", []byte(`{"name": "x"}`)); err != nil || m.SetVersion("1.0.0") == nil {
		t.Errorf("a version where there is none: %v", err)
	}
}

func TestTool(t *testing.T) {
	for text, want := range map[string]string{
		`{"packageManager": "winch@3.1.0"}`: "winch 3.1.0", `{"packageManager": "winch@3.1.0+sha512.ab"}`: "winch 3.1.0",
		`{"packageManager": 3}`: " ", `{}`: " ",
	} {
		m, err := readManifest("package.json", []byte(text))
		if err != nil {
			t.Fatal(err)
		}
		if name, v, _ := m.Tool(); name+" "+v != want {
			t.Errorf("%s: %q", text, name+" "+v)
		}
	}
}

// A licence is read as an expression, in either of the forms in which documents have it, and
// survives what the cache keeps.
func TestLicence(t *testing.T) {
	for text, want := range map[string]string{
		`"license": "MIT OR X"`: "MIT OR X", `"license": {"type": "MIT", "url": "u"}`: "MIT", `"license": ["MIT"]`: `["MIT"]`,
		`"x": 1`: ""} {
		document := `{"name": "keel", "versions": {"1.0.0": {` + text + `}}}`
		digest, err := digestOf("keel", strings.NewReader(document), "")
		if err != nil {
			t.Fatal(err)
		}
		p, err := ecosystem.DecodeDigest(ranges.Scheme, string(digest))
		if err != nil || p.At(0).Licence != want {
			t.Errorf("%s as it is kept: %+v, %v", text, p, err)
		}
	}
	table, err := standin.ReadUniverse(
		"u", []byte("package keel\n  licence MIT\n  1.0.0 2024-01-01\npackage rope\n  1.0.0 2024-01-01\n"), JS{}.Scheme())
	if err != nil || table.Table["keel"].At(0).Licence != "MIT" || table.Table["rope"].At(0).Licence != "" {
		t.Errorf("%+v, %v", table, err)
	}
	if p, err := readPackage("keel",
		bytes.NewReader(JS{}.Document(table.Table["keel"])),
		"http://x"); err != nil || p.At(0).Licence != "MIT" {
		t.Errorf("what is served: %+v, %v", p, err)
	}
}

// A peer next to a need on the same name binds nobody, and still says with what the package is compatible.
func TestPeerNextToANeed(t *testing.T) {
	p, err := readPackage("x", strings.NewReader(
		`{"name": "x", "versions": {"1.0.0": {"dependencies": {"hulk": "^1"}, "peerDependencies": {"hulk": "^1 || ^2", "keel": "*"}, "bundleDependencies": ["keel"]}}}`), "")
	if err != nil {
		t.Fatal(err)
	}
	r := p.At(0)
	if len(r.Needs) != 1 || len(r.Peers) != 0 || len(r.Covered) != 1 || r.Covered[0].Text != "^1 || ^2" {
		t.Errorf("read as %+v", r)
	}
}
