package js

import (
	"bytes"
	"encoding/base64"
	"encoding/hex"
	"fmt"
	"io"
	"strings"
	"testing"
	"time"

	"github.com/go-json-experiment/json/jsontext"
	"github.com/tidwall/gjson"

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
	for _, gone := range []string{
		"readme", "maintainers", "scripts", "devDependencies", "lamp", "signatures", "_hasShrinkwrap"} {
		if strings.Contains(string(digest), gone) {
			t.Errorf("%s is left in %q", gone, digest)
		}
	}
	kept, err := ecosystem.DecodeDigest(ranges.Scheme, string(digest))
	if err != nil {
		t.Fatal(err)
	}
	if want := read("keel", []byte(longWinded), ""); show(want) != show(kept) {
		t.Errorf("the document reads\n%s\nwhat is kept\n%s", show(want), show(kept))
	}
	for _, text := range []string{
		"", "[]", "{", "7", `{"versions": 3}`, `{"error": "x"}`, "<html>log in</html>", `{"name": "mast", "versions": {}}`,
		`{"versions": {"1.0.0": {"dist": ` + strings.Repeat("[", 1_000_000) + strings.Repeat("]", 1_000_000) + "}}}"} {
		if left, err := digestOf("keel", strings.NewReader(text), ""); err == nil {
			t.Errorf("%.40q is taken for a document: %q", text, left)
		}
	}
}

// read reads a document that digestOf takes, the plain way: all of it, by what it means.
func read(name string, body []byte, base string) *universe.Package {
	top := map[string]gjson.Result{}
	gjson.ParseBytes(body).ForEach(func(field, value gjson.Result) bool {
		if _, again := top[field.String()]; !again {
			top[field.String()] = value
		}
		return true
	})
	published := map[string]time.Time{}
	each(top["time"], func(text string, value gjson.Result) {
		if at, err := time.Parse(time.RFC3339, value.String()); err == nil && value.Type == gjson.String &&
			at.UnixMilli() != 0 {
			published[text] = time.UnixMilli(at.UnixMilli()).UTC()
		}
	})
	var releases []universe.Release
	each(top["versions"], func(text string, value gjson.Result) {
		if v, err := ranges.Scheme.Parse(text); err == nil && value.IsObject() {
			r := readRelease(name, value, base)
			r.Version, r.Published = v, published[text]
			releases = append(releases, r)
		}
	})
	p := universe.NewPackage(name, ranges.Scheme, releases)
	p.Tags = map[string]string{}
	each(top["dist-tags"], func(tag string, v gjson.Result) { p.Tags[tag] = v.String() })
	p.Current = p.Tags[currentTag]
	p.Notes.About, p.Notes.Homepage, p.Notes.Repository = forPeople(top["description"]), forPeople(top["homepage"]),
		forPeople(top["repository"].Get("url"))
	return p
}

// each goes through the fields of what is an object.
func each(object gjson.Result, do func(name string, value gjson.Result)) {
	if object.IsObject() {
		object.ForEach(func(name, value gjson.Result) bool {
			do(name.String(), value)
			return true
		})
	}
}

func readRelease(name string, entry gjson.Result, base string) (r universe.Release) {
	fields := map[string]gjson.Result{}
	r.Files = make([]universe.File, 1)
	each(entry, func(name string, value gjson.Result) {
		fields[name] = value
		if name == "dist" && value.IsObject() {
			r.Files[0] = readFile(value, base)
		}
	})
	bundled := map[string]bool{}
	for _, field := range []string{"bundleDependencies", "bundledDependencies"} {
		fields[field].ForEach(func(_, name gjson.Result) bool {
			bundled[name.String()] = true
			return true
		})
	}
	demands := func(field string, into *[]universe.Demand, optional func(name string) bool) {
		add := func(name string, text gjson.Result) {
			if text.Type == gjson.String && !bundled[name] {
				one := lineOf(name, text.String())
				one.Optional = optional(name)
				*into = append(*into, one)
			}
		}
		each(fields[field], add)
		if fields[field].IsArray() {
			for _, name := range fields[field].Array() {
				if name.Type == gjson.String {
					add(name.String(), gjson.Result{Type: gjson.String, Str: "*"})
				}
			}
		}
	}
	demands("optionalDependencies", &r.Needs, func(string) bool { return true })
	demands("dependencies", &r.Needs, func(string) bool { return false })
	absent := map[string]bool{}
	each(fields["peerDependenciesMeta"], func(name string, meta gjson.Result) {
		if _, again := absent[name]; !again {
			absent[name] = meta.Get("optional").Bool()
		}
	})
	demands("peerDependencies", &r.Peers, func(name string) bool { return absent[name] })
	each(fields["engines"], func(name string, text gjson.Result) {
		r.Runtimes = append(r.Runtimes, universe.Requirement{Name: name, Text: text.String()})
	})
	switch v := fields["deprecated"]; {
	case v.Type == gjson.String:
		r.Deprecated = forPeople(v)
	case v.Bool():
		r.Deprecated = "deprecated"
	}
	licence := fields["license"]
	if licence.IsObject() {
		licence = licence.Get("type")
	}
	r.Licence = forPeople(licence)
	scripts := fields["hasInstallScript"].Bool()
	for _, step := range buildSteps {
		if text := fields["scripts"].Get(step); text.Type == gjson.String && text.Str != "" {
			scripts = true
		}
	}
	r.Runs = runsOf(programsIn(name, fields["bin"]), scripts)
	r.Files[0].When = platforms(stringsIn(fields["os"]), stringsIn(fields["cpu"]), stringsIn(fields["libc"]))
	return r
}

func readFile(dist gjson.Result, base string) (f universe.File) {
	texts := map[string]string{}
	each(dist, func(name string, value gjson.Result) {
		texts[name] = ""
		if value.Type == gjson.String {
			texts[name] = value.String()
		}
	})
	f.Address, f.Integrity = strings.TrimPrefix(texts["tarball"], base+"/"), texts["integrity"]
	if sum, err := hex.DecodeString(texts["shasum"]); f.Integrity == "" && err == nil && len(sum) > 0 {
		f.Integrity = "sha1-" + base64.StdEncoding.EncodeToString(sum)
	}
	return f
}

// TestSpellings: of several spellings of one version the exact one counts, in whatever order they stand.
func TestSpellings(t *testing.T) {
	one := func(text, tarball string) string {
		return fmt.Sprintf(`%q: {"dist": {"tarball": %q, "integrity": "sha512-x"}}`, text, tarball)
	}
	for _, order := range [][]string{
		{"1.0.0", "v1.0.0", "=1.0.0"}, {"v1.0.0", "=1.0.0", "1.0.0"}, {"=1.0.0", "1.0.0", "v1.0.0"}} {
		var all []string
		for _, text := range order {
			all = append(all, one(text, "of "+text))
		}
		digest, err := digestOf("keel", strings.NewReader(`{"name": "keel", "versions": {`+strings.Join(all, ", ")+`}}`), "")
		if err != nil {
			t.Fatal(err)
		}
		p, err := ecosystem.DecodeDigest(ranges.Scheme, string(digest))
		if err != nil || p.Len() != 1 || p.At(0).File().Address != "of 1.0.0" {
			t.Errorf("%v: %s, %v", order, show(p), err)
		}
	}
}

// Documents of whatever form say what they say when they are read the plain way.
func TestDocumentForms(t *testing.T) {
	for _, entry := range []string{
		`{"dependencies": {"b": "^1", "a" : "^1", "b": "^2"}, "optionalDependencies": {"a":"^3","c":"1"}}`,
		`{"dependencies": {"b": " ^1 ", "a": "alias:b@^1", "d": "./d", "e": "https://x/y.tgz", "f": "", "g": "é", "h": ".5", "i": "x y"}}`,
		`{"dependencies": {"a\u0062": "^1", "ab": "^2", "c": 7, "d": ["x"]}, "peerDependencies": {"ab": "^1", "q": "*", "a.b": "1", "a.b": "2"}, "peerDependenciesMeta": {"a.b": {"optional": true}, "q": {"optional": "true"}, "q": {}}}`,
		`{"dependencies": {"a": "^1"}, "bundleDependencies": ["a"], "bundledDependencies": ["q"], "peerDependencies": {"a": "^2", "q": "1"}}`,
		`{"dependencies": {"a": "^1"}, "dependencies": {"b": "^1"}, "dist": {"tarball": "http://base/x/a.tgz", "tarball": 7, "shasum": "00ff"}, "dist": 3}`,
		`{"bin": "cli.js", "hasInstallScript": true}`,
		`{"bin": {"oar": "x", "../up": "/y"}, "scripts": {"test": "x", "install": "make", "postinstall": 7}}`,
		`{"engines": {"node": ">=18", "atom": 1}, "os": ["linux", "!win32"], "cpu": "x64", "libc": ["musl"], "license": {"type": "MIT"}, "deprecated": " so\n what "}`,
		`{"dependencies": ["a", "b", 7, "a", "c\u0064", ["e"]], "peerDependencies": [], "optionalDependencies": "x", "peerDependenciesMeta": [{"optional": true}], "engines": ["node"]}`,
		`{"peerDependencies": {"0": "^1"}, "peerDependenciesMeta": [{"optional": true}], "optionalDependencies": ["z", "y"], "dependencies": {"y": "1"}}`,
		`{"peerDependencies": {"a": "^1"}, "peerDependenciesMeta": {"b": {"optional": true}}, "deprecated": true, "dist": {"integrity": "sha512-a\u0062"}}`,
	} {
		doc := fmt.Sprintf(`{"versions": {"1.0.0": %s, "1.1.0": %[1]s, "1.0.0": {}, "1.1.0-x": {"dependencies": {"a": "^1"}}}, "time": {"1.1.0": "2024-01-02T03:04:05Z"}}`, strings.ReplaceAll(entry, "alias:", alias))
		got, err := readPackage("keel", strings.NewReader(doc), "http://base")
		if err != nil {
			t.Errorf("%s: %v", entry, err)
		} else if want := read("keel", []byte(doc), "http://base"); show(got) != show(want) {
			t.Errorf("%s reads\n%s\nwant\n%s", entry, show(got), show(want))
		}
	}
	var many strings.Builder // so many that tables grow
	for v := range 400 {
		fmt.Fprintf(&many, `,"1.%d.0":{"dependencies":{"a":"^1.%[1]d.0","b":"1.%[1]d.0","c-%[1]d":"*"},"optionalDependencies":{"b-%[1]d":"1.%[1]d.0"},"dist":{"tarball":"x-%[1]d.tgz"}}`, v)
	}
	doc := `{"versions":{"0.1.0":{}` + many.String() + `}}`
	got, err := readPackage("keel", strings.NewReader(doc), "http://base")
	if want := read("keel", []byte(doc), "http://base"); err != nil || show(got) != show(want) {
		t.Errorf("400 releases are not read as they are: %v", err)
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
		if err := ecosystem.CheckDigest(ranges.Scheme, string(digest)); err != nil {
			t.Fatal(err)
		}
		kept, err := ecosystem.DecodeDigest(ranges.Scheme, string(digest))
		if err != nil {
			t.Fatal(err)
		}
		if want := read("keel", body, ""); show(want) != show(kept) {
			t.Errorf("the document reads\n%s\nwhat is kept\n%s", show(want), show(kept))
		}
	})
}

// BenchmarkDocument reads a package of 300 releases, each with some demands: "document" from what a
// registry says, "digest" from what is kept.
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
	body := document(table.Table["keel"], false, func(r *universe.Release) map[string]any {
		return map[string]any{"tarball": "http://x/keel/-/keel-" + r.Version.String() + ".tgz",
			"integrity": "sha512-" + strings.Repeat("x", 80) + r.Version.String()}
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

// readPackage reads the document of a package.
func readPackage(name string, body io.Reader, base string) (*universe.Package, error) {
	data, err := digestOf(name, body, base)
	if err != nil {
		return nil, err
	}
	return ecosystem.DecodeDigest(ranges.Scheme, string(data))
}

// An entry says that a release brings its own type declarations by any of three fields, and with
// which relatives it is developed.
func TestTypesAndTests(t *testing.T) {
	for _, test := range []struct {
		entry string
		typed bool
		dev   string
	}{
		{`{}`, false, ""},
		{`{"types": "index.d.ts"}`, true, ""},
		{`{"typings": "index.d.ts", "types": 7}`, true, ""},
		{`{"exports": {".": {"import": {"types": "./a.d.ts"}}}}`, true, ""},
		{`{"exports": {"./types": "./types.js"}, "types": ""}`, false, ""},
		{`{"devDependencies": {"hull": "^5", "oar": "1", "@hull/core": "^5", "@oar/x": "1", "hulls": "2"}}`, false,
			"@hull/core@^5 hull@^5"},
		{`{"devDependencies": "x"}`, false, ""},
	} {
		p, err := readPackage("@hull/lamp",
			strings.NewReader(`{"versions": {"1.0.0": `+test.entry+`, "1.1.0": `+test.entry+`}}`), "")
		if err != nil {
			t.Fatal(err)
		}
		for i := range p.Len() {
			var dev []string
			for _, d := range p.At(i).Tested {
				dev = append(dev, d.As+"@"+d.Text)
			}
			if got := strings.Join(dev, " "); p.At(i).Typed != test.typed || got != test.dev {
				t.Errorf("%s: types %v, developed with %q", test.entry, p.At(i).Typed, got)
			}
		}
	}
}
