package cli_test

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"molt/doc"

	"github.com/goccy/go-yaml"
	"github.com/santhosh-tekuri/jsonschema/v6"
)

// schemas compiles the JSON Schemas of the documents, by their $id.
func schemas(t *testing.T) map[string]*jsonschema.Schema {
	t.Helper()
	all := map[string]*jsonschema.Schema{}
	for _, name := range doc.Schemas() {
		text, err := jsonschema.UnmarshalJSON(bytes.NewReader(doc.Schema(name)))
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		closed(text)
		id := text.(map[string]any)["$id"].(string)
		compiler := jsonschema.NewCompiler()
		if err := compiler.AddResource(name, text); err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		if all[id], err = compiler.Compile(name); err != nil {
			t.Fatalf("%s: %v", name, err)
		}
	}
	return all
}

// closed has a schema refuse what it does not name, so that the tests find fields that it lacks.
func closed(schema any) {
	switch s := schema.(type) {
	case map[string]any:
		if _, ok := s["properties"]; ok {
			if _, free := s["additionalProperties"]; !free {
				s["additionalProperties"] = false
			}
		}
		for _, v := range s {
			closed(v)
		}
	case []any:
		for _, v := range s {
			closed(v)
		}
	}
}

// Every document is as its schema says, on the demo with and without its wall, and with a tangle.
func TestDocumentsConform(t *testing.T) {
	all := schemas(t)
	seen := map[string]bool{}
	check := func(d *desk, code int, args ...string) {
		t.Helper()
		out, _ := d.run(code, append(args, "--format", "json")...)
		var answer map[string]any
		if err := json.Unmarshal([]byte(out), &answer); err != nil {
			t.Fatalf("molt %s: %v", strings.Join(args, " "), err)
		}
		id, _ := answer["schema"].(string)
		seen[id] = true
		if all[id] == nil {
			t.Errorf("there is no schema for %q", id)
		} else if err := all[id].Validate(answer); err != nil {
			t.Errorf("molt %s: %v", strings.Join(args, " "), err)
		}
	}
	d := demoDesk(t)
	check(d, 0, "survey")
	check(d, 0, "config")
	check(d, 1, "assess")
	check(d, 1, "plan")
	d.write("molt.yaml", d.read("molt.yaml")+"\npreviews: [quaymaster-map]\n")
	check(d, 0, "assess")
	check(d, 0, "plan")
	check(d, 0, "trial", "goal-4", "--quiet")
	check(d, 0, "plan", "--notes")
	check(d, 0, "step", "--quiet")
	check(d, 0, "report")
	check(d, 0, "offer", "--dry-run")
	check(d, 0, "back")
	check(d, 0, "relock")
	check(d, 0, "advice", "advice")
	check(d, 0, "install", "--into", t.TempDir())
	check(d, 0, "cache")
	check(d, 0, "fetch", "--snapshot", t.TempDir()+"/desk.snapshot")
	check(d, 0, "verify")
	check(d, 0, "range", "^1", "1.0.0", "2.0.0")
	check(d, 0, "range", "*", "--of", "ledgerleaf", "--advise")
	check(d, 0, "survey", "--since", "2025-06-30")
	check(d, 0, "compare", "locked", "molt-plan.yaml")
	check(d, 0, "trace", "keelson-core")
	check(d, 0, "fit", "lintbuoy")
	check(d, 0, "dossier", "lintbuoy")
	check(d, 0, "want", "lintbuoy", "lantern-words", "--dry-run")
	check(d, 1, "drop", "foghorn-mail", "--dry-run")
	check(d, 1, "want", "pilotage-auth@^4")
	d.write("package.json", strings.Replace(
		d.read("package.json"), `"pilotage-auth": "^3.0.0"`, `"pilotage-auth": "^4.0.0"`, 1))
	check(d, 1, "verify")
	check(d, 1, "relock")
	check(d, 0, "untangle", "--take", "1")
	check(d, 0, "hold", "lintbuoy", "--reason", "not yet")
	check(d, 0, "hold", "lintbuoy", "--lift")
	done := demoDesk(t)
	if err := os.Remove(filepath.Join(done.dir, "molt.yaml")); err != nil {
		t.Fatal(err)
	}
	check(done, 0, "init", "--registry", done.registry)
	done.write("molt-plan.yaml", "molt-plan: 1\ngoal: brackwater@5\nreachable: true\nstages:\n  - {id: x, kind: minor, "+
		"title: x, status: done, changes: [{name: keel, group: dependencies, to: {constraint: ^1.0.0, version: 1.0.0}}]}\n")
	check(done, 0, "step", "--own-version")
	check(done, 2, "trace", "nothing-here")
	check(done, 2, "survey", "--jupm", "major")
	data, err := yaml.YAMLToJSON([]byte(d.read("advice/brackwater-5.yaml")))
	var advice map[string]any
	if err == nil {
		err = json.Unmarshal(data, &advice)
	}
	if err != nil {
		t.Fatal(err)
	}
	if err := all["molt-advice/1"].Validate(advice); err != nil {
		t.Errorf("the demo's advice: %v", err)
	}
	seen["molt-advice/1"] = true
	for id := range all {
		if !seen[id] {
			t.Errorf("no command was held against %s", id)
		}
	}
}
