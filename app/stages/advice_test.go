package stages

import (
	"context"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"molt/app/advice"
	"molt/app/open"
	"molt/core/project"
	"molt/ecosystem/registered"
)

const goodAdvice = `molt-advice: 1
about: hulk
to: "4"
source: the yard
facts:
  - runtime: node
    needs: ">=22"
  - symbol: launch
    in: hulk
    becomes: slip
  - option: oldRig
    files: "*.conf"
  - speed: high
    of: hulk
  - command: rig again
    confidence: guessed
`

func TestAdvice(t *testing.T) {
	served := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path != "/guides/hulk-4.yaml" {
			http.NotFound(w, r)
			return
		}
		_, _ = w.Write([]byte(goodAdvice))
	}))
	defer served.Close()
	b := newBench(t, map[string]string{
		"package.json": deskManifest, "desk.js": "import { launch } from \"hulk\";\n\nlaunch(1); relaunch(2);\n",
		"other.js": "const launch = 1;\n", "rig.conf": "oldRig = yes\n"})
	if err := os.MkdirAll(filepath.Join(b.dir, "guides"), 0o755); err != nil {
		t.Fatal(err)
	}
	b.write("guides/a.yaml", goodAdvice)
	b.write("guides/read.me", "no advice")
	for _, from := range []string{"guides", "guides/a.yaml", served.URL + "/guides/hulk-4.yaml"} {
		b.write("molt.yaml", "advice: ['"+from+"']\n")
		a, warnings, err := b.reopened().Advised(context.Background(), nil)
		if err != nil {
			t.Fatalf("%s: %v", from, err)
		}
		if len(warnings) != 1 || !strings.Contains(
			warnings[0], `:13: left out a fact with "speed", "of", which this Molt does not know`) {
			t.Errorf("%s: warnings %q", from, warnings)
		}
		if len(a.Application().Guides) != 1 || len(a.Application().Guides[0].Advice) != 4 {
			t.Fatalf("%s: guides %+v", from, a.Application().Guides)
		}
		facts := a.Application().Guides[0].Advice
		if strings.Join(facts[1].Found, " ") != "desk.js:1 desk.js:3" || strings.Join(facts[2].Found, " ") != "rig.conf:1" {
			t.Errorf("%s: found %q and %q", from, facts[1].Found, facts[2].Found)
		}
		if facts[0].Source != "the yard" || facts[0].Confidence != project.Sure || facts[3].Confidence != project.Guessed ||
			facts[3].Run != "rig again" {
			t.Errorf("%s: facts %+v", from, facts)
		}
	}
}

func TestBrokenAdvice(t *testing.T) {
	fact := func(text string) string {
		return "molt-advice: 1\nabout: hulk\nto: '4'\nsource: s\nfacts:\n  - link: x\n  - " + text + "\n"
	}
	for _, test := range []struct{ text, says string }{
		{"about: hulk\n", "a.yaml:1:1: expected \"molt-advice: 1\""},
		{"molt-advice: 2\nabout: hulk\n", "a.yaml:1:14: expected \"molt-advice: 1\""},
		{"molt-advice: 1\nto: '4'\n", "expected \"about\""},
		{"molt-advice: 1\nabout: hulk\n", "expected \"to\""},
		{"molt-advice: 1\nabout: [\n", "a.yaml:"},
		{fact("runtime: node"), "a.yaml:7:5: node: expected \"needs\" with a constraint"},
		{fact("runtime: node\n    needs: '>=boat'"), "a.yaml:7:5: constraint"},
		{fact("renamed: old"), "expected \"becomes\""},
		{fact("symbol: x"), "expected \"in\""},
		{fact("option: x"), "expected \"files\""},
		{fact("option: x\n    files: '['"), "no pattern"},
		{fact("link: x\n    confidence: maybe"), "a confidence is sure, reported or guessed"},
		{fact("renamed: a\n    swallowed: b"), "a fact has one of the keys"},
		{strings.Replace(fact("link: y"), "source: s\n", "", 1), "a fact needs a source"},
	} {
		b := newBench(t, map[string]string{
			"package.json": deskManifest, "molt.yaml": "advice: [a.yaml]\n", "a.yaml": test.text})
		if _, _, err := b.reopened().Advised(context.Background(), nil); err == nil ||
			!strings.Contains(err.Error(), test.says) {
			t.Errorf("%q: %v, want %q", test.text, err, test.says)
		}
	}
	for _, from := range []string{"nowhere.yaml", "http://127.0.0.1:1", "ftp://x/y"} {
		b := newBench(t, map[string]string{"package.json": deskManifest, "molt.yaml": "advice: ['" + from + "']\n"})
		if _, _, err := b.reopened().Advised(context.Background(), nil); err == nil ||
			!strings.Contains(err.Error(), "molt.yaml") {
			t.Errorf("%s: %v", from, err)
		}
	}
}

func FuzzAdvice(f *testing.F) {
	f.Add(goodAdvice)
	f.Add("molt-advice: 1\nabout: hulk\nto: '4'\nsource: s\nfacts: [{link: x}, {runtime: node, needs: '>=1'}]\n")
	f.Fuzz(func(t *testing.T, text string) {
		_, _, _ = advice.Decode("a.yaml", []byte(text), registered.Ecosystems[0], nil) // it does not end the process
	})
}

func TestRulesAndRuntimes(t *testing.T) {
	b := newBench(t, map[string]string{
		"package.json": strings.Replace(
			deskManifest, "\"dependencies\"", "\"packageManager\": \"quartermaster@9.1.0+sha1.ab\",\n\t\"dependencies\"", 1),
		"molt.yaml": "rules:\n  packages: {refuse: [deck]}\nruntime:\n  production: {node: 20.1.0}\n  staging: {node: " +
			"22}\n",
		".node-version": "v20\n", ".tool-versions": "# tools\nnodejs 21.2.0 20\nother 1.2\nnodejs lts\n"})
	a := b.open()
	if got := a.Config.Runtime.All(); len(got) != 2 || got[0].Where() != " in production" || got[1].Version != "22" {
		t.Errorf("runtimes %+v", got)
	}
	var pins []string
	for _, p := range a.Pins() {
		pins = append(pins, p.Name+" "+p.Version+" "+p.Where)
	}
	if strings.Join(pins, ", ") != "node 20 .node-version:1, node 21.2.0 .tool-versions:2, other 1.2 .tool-versions:3, "+
		"quartermaster 9.1.0 package.json:3" {
		t.Errorf("pins %q", pins)
	}
	for _, test := range []struct{ text, says string }{
		{"rules: {oldest: ages}", "molt.yaml:1:"}, {"rules: {evidence: hearsay}", "expected a grade"},
		{"rules: {packages: {allow: ['[']}}", "expected a name"},
		{"runtime: {production: {node: new}}", "expected one such as"}, {"runtime: {node: [1]}", "expected a version"},
		{"stages: {fresh: daily}", "expected none"},
	} {
		b.write("molt.yaml", test.text)
		if _, err := open.Open(open.Settings{Dir: b.dir}); err == nil || !strings.Contains(err.Error(), test.says) {
			t.Errorf("%s: %v", test.text, err)
		}
	}
}
