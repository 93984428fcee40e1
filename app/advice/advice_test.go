package advice

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"testing"

	"molt/core/project"
	"molt/ecosystem/js"
	"molt/input"
	"molt/registry"
)

const head = "molt-advice: 1\nabout: hull\nto: \"5\"\nsource: the guide\n"

// What is wrong in a file is said with its line, all of it at once.
func TestBrokenAdvice(t *testing.T) {
	for text, want := range map[string]string{
		"about: hull\n":                 `expected "molt-advice: 1" at the top`,
		"molt-advice: 9\n":              `expected "molt-advice: 1" at the top`,
		"molt-advice: 1\n":              `expected "about" with the name`,
		"molt-advice: 1\nabout: hull\n": `expected "to" with the major`,
		"[":                             "guide.yaml:1",
		head + "facts: [{says: x}]":     "5:10: a fact has one of the keys runtime, renamed",
		head + "facts: [{link: x, stop: 4, symbol: y}]":              "a fact has one of the keys",
		"molt-advice: 1\nabout: hull\nto: \"5\"\nfacts: [{link: x}]": "4:10: a fact needs a source",
		head + "facts: [{link: x, confidence: maybe}]":               `a confidence is sure, reported or guessed, not "maybe"`,
		head + "facts: [{runtime: node}]":                            `node: expected "needs" with a constraint`,
		head + "facts: [{companion: keel}]":                          `keel: expected "needs" with a constraint`,
		head + "facts: [{companion: keel, needs: \"^^\"}]":           "5:10: ",
		head + "facts: [{swallowed: keel, together: true}]":          `keel: "together" is said of a companion`,
		head + "facts: [{stop: soon}]":                               `"soon": expected a release by which to go`,
		head + "facts: [{renamed: keel}]":                            `keel: expected "becomes" with the new name`,
		head + "facts: [{symbol: moor}]":                             `moor: expected "in" with the package`,
		head + "facts: [{option: moor}]":                             `moor: expected "files" with where to look`,
		head + "facts: [{option: moor, files: \"[\"}]":               `"[" is no pattern of file names`,
	} {
		_, _, err := Decode("guide.yaml", []byte(text+"\n"), js.JS{}, nil)
		if err == nil || !strings.Contains(err.Error(), want) || !strings.HasPrefix(err.Error(), "guide.yaml:") {
			t.Errorf("%s\n%v\nwant %s", text, err, want)
		}
	}
	_, _, err := Decode("guide.yaml", []byte(head+"facts:\n- {says: x}\n- {link: y}\n- {renamed: keel}\n"), js.JS{}, nil)
	if err == nil || !strings.Contains(err.Error(), "guide.yaml:6:") || !strings.Contains(err.Error(), "guide.yaml:8:") {
		t.Errorf("two mistakes: %v", err)
	}
}

// Every kind of advice is read; what this Molt does not know is left out, and said.
func TestAdviceIsRead(t *testing.T) {
	g, warnings, err := Decode("guide.yaml", []byte(head+`confidence: reported
facts:
- {runtime: node, needs: ">=20"}
- {renamed: old, becomes: new, says: "two\n  lines \e[31m", link: "https://x.example"}
- {companion: keel, needs: ^2, together: true, confidence: sure, source: Morag}
- {symbol: moor, in: hull, becomes: berth}
- {option: strict, files: "*.config.js"}
- {command: make gen}
- {link: "https://y.example"}
- {stop: "4.2"}
- {swallowed: rope, strength: 9}
`), js.JS{}, nil)
	if err != nil || g.About != "hull" || g.To != "5" || len(g.Advice) != 8 ||
		!slices.Equal(warnings, []string{`guide.yaml:15: left out a fact with "strength", which this Molt does not know`}) {
		t.Fatalf("%+v, %q, %v", g, warnings, err)
	}
	if got := g.Advice[1]; got.Says != "two lines [31m" && got.Says != "two lines" || got.Confidence != project.Reported ||
		got.Source != "the guide" || got.Kind != project.AboutRenamed {
		t.Errorf("%+v", got)
	}
	if got := g.Advice[2]; got.Confidence != project.Sure || got.Source != "Morag" || !got.Together {
		t.Errorf("%+v", got)
	}
	if got := g.Advice[5]; got.Run != "make gen" || got.Name != "" {
		t.Errorf("%+v", got)
	}
	foreign, _, err := Decode("guide.yaml", []byte("molt-advice: 1\nabout: marram\nto: \"5\"\nfacts: [{says: x}]\n"), js.JS{},
		func(about string) bool { return about == "marram" })
	if err != nil || foreign.About != "marram" || foreign.Advice != nil {
		t.Errorf("what is about another ecosystem: %+v, %v", foreign, err)
	}
}

// folder is the files of an application.
type folder string

func (f folder) Read(name string, _ input.Limit) ([]byte, error) {
	return os.ReadFile(filepath.Join(string(f), name))
}

func (f folder) List(name string) (names []string, err error) {
	all, err := os.ReadDir(filepath.Join(string(f), name))
	for _, e := range all {
		names = append(names, e.Name())
	}
	return names, err
}

func (f folder) Exists(name string) bool {
	_, err := os.Stat(filepath.Join(string(f), name))
	return !errors.Is(err, fs.ErrNotExist)
}

// A folder of advice is read whole, and what it is about is found in the source.
func TestLibrary(t *testing.T) {
	dir := t.TempDir()
	for name, text := range map[string]string{
		"advice/a.yaml": head + "facts: [{symbol: moor, in: hull}, {option: strict, files: \"*.config.js\"}]\n",
		"advice/b.json": `{"molt-advice": 1, "about": "marram", "to": "5", "ecosystem": "python", "facts": [{"says": "x"}]}`,
		"advice/notes":  "no advice", "bad.yaml": "molt-advice: 1\n",
		"src/desk.js":    "import {moor} from 'hull'\n\nmoor(); unmoor()\n",
		"src/other.js":   "moor()\n",
		"desk.config.js": "module.exports = {strict: true}\n",
	} {
		at := filepath.Join(dir, name)
		if err := errors.Join(os.MkdirAll(filepath.Dir(at), 0o755), os.WriteFile(at, []byte(text), 0o644)); err != nil {
			t.Fatal(err)
		}
	}
	l := Library{Dir: dir, Files: folder(dir), Eco: js.JS{},
		Sources: func(context.Context) ([]string, error) { return []string{"desk.config.js", "src/desk.js"}, nil },
		Open:    func(string) (*registry.Client, error) { return nil, errors.New("nobody is asked") }}
	guides, warnings, err := l.Load(context.Background(), []string{"advice"})
	if err != nil || len(guides) != 1 || len(warnings) > 0 {
		t.Fatalf("%+v, %q, %v", guides, warnings, err)
	}
	for i, want := range [][]string{{"src/desk.js:1", "src/desk.js:3"}, {"desk.config.js:1"}} {
		if got := guides[0].Advice[i].Found; !reflect.DeepEqual(got, want) {
			t.Errorf("advice %d is found in %q, want %q", i, got, want)
		}
	}
	for from, want := range map[string]string{
		"nowhere.yaml":                 `"advice" names nowhere.yaml, which cannot be read`,
		"bad.yaml":                     `bad.yaml:1:1: expected "about"`,
		"ftp://x.example/a.yaml":       "no address of a file",
		"https://me:pw@x.example/a":    "without user and password",
		"https://x.example":            "no address of a file",
		"https://x.example/a.yaml?x=1": "nobody is asked",
	} {
		if _, _, err := l.Load(context.Background(), []string{from}); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v, want %s", from, err, want)
		}
	}
}
