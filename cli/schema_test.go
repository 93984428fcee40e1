package cli_test

import (
	"encoding/json"
	"fmt"
	"os"
	"reflect"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/goccy/go-yaml"
)

// schemas reads the JSON Schemas of docs/formats.md, by their $id.
func schemas(t *testing.T) map[string]map[string]any {
	t.Helper()
	data, err := os.ReadFile("../docs/formats.md")
	if err != nil {
		t.Fatal(err)
	}
	all := map[string]map[string]any{}
	for _, block := range regexp.MustCompile("(?s)```json\n(.*?)```").FindAllStringSubmatch(string(data), -1) {
		var s map[string]any
		if err := json.Unmarshal([]byte(block[1]), &s); err != nil {
			t.Fatalf("%v in\n%s", err, block[1])
		}
		all[s["$id"].(string)] = s
	}
	return all
}

// conform checks a value against the part of JSON Schema that the documents use.
func conform(schema map[string]any, v any, at string) error {
	if want, ok := schema["const"]; ok && v != want {
		return fmt.Errorf("%s is %v, not %v", at, v, want)
	}
	if among, ok := schema["enum"].([]any); ok && !slices.Contains(among, v) {
		return fmt.Errorf("%s is %v, not one of %v", at, v, among)
	}
	if any, ok := schema["anyOf"].([]any); ok {
		var last error
		for _, s := range any {
			if last = conform(s.(map[string]interface{}), v, at); last == nil {
				return nil
			}
		}
		return last
	}
	kinds := map[string]reflect.Kind{"string": reflect.String, "boolean": reflect.Bool, "number": reflect.Float64, "integer": reflect.Float64,
		"array": reflect.Slice, "object": reflect.Map, "null": reflect.Invalid}
	if kind, ok := schema["type"].(string); ok && reflect.ValueOf(v).Kind() != kinds[kind] {
		return fmt.Errorf("%s is %v, not of type %s", at, v, kind)
	}
	if items, ok := schema["items"].(map[string]any); ok {
		for i, x := range v.([]any) {
			if err := conform(items, x, fmt.Sprintf("%s[%d]", at, i)); err != nil {
				return err
			}
		}
	}
	properties, ok := schema["properties"].(map[string]any)
	if !ok {
		return nil
	}
	object := v.(map[string]any)
	for _, name := range schema["required"].([]any) {
		if _, ok := object[name.(string)]; !ok {
			return fmt.Errorf("%s lacks %s", at, name)
		}
	}
	for name, x := range object {
		p, ok := properties[name].(map[string]any)
		if !ok {
			return fmt.Errorf("%s has %s, which the schema does not know", at, name)
		}
		if err := conform(p, x, at+"."+name); err != nil {
			return err
		}
	}
	return nil
}

// Every document is as docs/formats.md says, on the demo with and without its wall, and with a tangle.
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
			t.Errorf("docs/formats.md has no schema for %q", id)
		} else if err := conform(all[id], answer, "$"); err != nil {
			t.Errorf("molt %s: %v", strings.Join(args, " "), err)
		}
	}
	d := demoDesk(t)
	check(d, 0, "survey")
	check(d, 1, "assess")
	check(d, 1, "plan")
	d.write("molt.yaml", d.read("molt.yaml")+"\npreviews: [quaymaster-map]\n")
	check(d, 0, "assess")
	check(d, 0, "plan")
	check(d, 0, "trial", "goal-4", "--quiet")
	check(d, 0, "plan", "--notes")
	check(d, 0, "step", "--quiet")
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
	d.write("package.json", strings.Replace(d.read("package.json"), `"pilotage-auth": "^3.0.0"`, `"pilotage-auth": "^4.0.0"`, 1))
	check(d, 1, "verify")
	check(d, 1, "relock")
	check(d, 0, "untangle", "--take", "1")
	check(d, 0, "hold", "lintbuoy", "--reason", "not yet")
	check(d, 0, "hold", "lintbuoy", "--lift")
	done := demoDesk(t)
	done.write("molt-plan.yaml", "molt-plan: 1\ngoal: brackwater@5\nreachable: true\nstages:\n  - {id: x, kind: minor, title: x, status: done, changes: [{name: keel, group: dependencies, to: {constraint: ^1.0.0, version: 1.0.0}}]}\n")
	check(done, 0, "step", "--own-version")
	data, err := yaml.YAMLToJSON([]byte(d.read("advice/brackwater-5.yaml")))
	var advice map[string]any
	if err == nil {
		err = json.Unmarshal(data, &advice)
	}
	if err != nil {
		t.Fatal(err)
	}
	if err := conform(all["molt-advice/1"], advice, "$"); err != nil {
		t.Errorf("the demo's advice: %v", err)
	}
	seen["molt-advice/1"] = true
	for id := range all {
		if !seen[id] {
			t.Errorf("no command was held against %s", id)
		}
	}
}
