package cli_test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// What was decided is honoured, and what it costs is said.
func TestDecisionsAndTheirCosts(t *testing.T) {
	universe := `
package hulk
  licence MIT
  1.0.0  2023-01-01
  2.0.0  2025-01-01
package deck
  licence MIT
  1.0.0  2023-01-01  peer:hulk@^1
  2.0.0  2025-02-01  peer:hulk@^2
package rope
  licence GPL-3.0-only
  1.0.0  2023-01-01
  1.1.0  2024-01-01
package sail
  licence MIT
  1.0.0  2023-01-01
  1.1.0  2026-11-20
package keel
  licence MIT
  1.0.0  2023-01-01
  1.4.0  2024-01-01
  2.0.0  2025-01-01
`
	const manifest = `{"name": "desk", "version": "1.2.3", "dependencies": {"hulk": "^1.0.0", "deck": "^1.0.0", "rope": "^1.0.0", "sail": "^1.0.0", "keel": "^1.0.0"}}`
	desk := func(config string) *desk {
		d := newDesk(t, universe, map[string]string{"package.json": manifest, "platform.txt": "keel 1.0.0\n"})
		d.run(0, "relock")
		d.write("molt.yaml", "goal: hulk@2\n")
		lock := d.read("molt.lock")
		for _, name := range []string{"rope", "sail", "keel"} { // from where things are old
			d.run(0, "want", name+"@1.0.0")
		}
		if d.read("molt.lock") == lock {
			t.Fatal("nothing was moved back")
		}
		d.write("molt.yaml", "goal: hulk@2\n"+config)
		d.write("package.json", strings.NewReplacer(`"rope": "1.0.0"`, `"rope": "^1.0.0"`, `"sail": "1.0.0"`,
			`"sail": "^1.0.0"`, `"keel": "1.0.0"`, `"keel": "^1.0.0"`).Replace(d.read("package.json")))
		d.run(0, "relock")
		return d
	}
	d := desk("")
	d.says(0, []string{"plan"}, "rope  1.0.0 to 1.1.0", "sail  1.0.0 to 1.1.0", "keel  1.0.0 to 1.4.0",
		"keel 1.4.0 to 2.0.0")

	d = desk("hold:\n  keel: {reason: the yard}\n")
	out := d.says(0, []string{"plan"}, "Without the hold on keel (the yard), 1 stage more; it would end at keel 2.0.0.")
	if strings.Contains(out, "keel  1.0.0 to") {
		t.Errorf("a held package moves:\n%s", out)
	}
	if !strings.Contains(d.read("molt-plan.yaml"), "without the hold on keel (the yard), 1 stage more") {
		t.Error("the plan's file does not say what the hold costs")
	}

	d = desk("rules:\n  licences: {allow: [MIT]}\n")
	d.says(0, []string{"plan"}, "Without the policy, it would end at rope 1.1.0.")
	d = desk("rules:\n  packages: {refuse: [ro*]}\n")
	d.says(1, []string{"verify"}, "rope@1.0.0: the policy refuses rope")
	d.says(0, []string{"verify", "--only", "lock,manifest"}, "agree")
	d.says(0, []string{"want", "rope", "--dry-run"}, "1.1.0 is out of the question, as the policy refuses rope")
	if err := os.Remove(filepath.Join(d.dir, "molt.lock")); err != nil {
		t.Fatal(err)
	}
	d.says(1, []string{"relock"}, `rope: no release that may be used fits "^1.0.0": the policy hides all releases of rope; 1.1.0: the policy refuses rope`,
		"The policy hides all releases of rope")

	d = desk("settle: 4 weeks\n")
	out = d.says(0, []string{"plan"}, "Without waiting until releases have settled, it would end at sail 1.1.0.")
	if strings.Contains(out, "sail  1.0.0 to") {
		t.Errorf("a release that has not settled is taken:\n%s", out)
	}

	d = desk("fixed: platform.txt\n")
	d.says(0, []string{"plan"}, "Without what is given from outside, 1 stage more; it would end at keel 2.0.0.")
	d.says(2, []string{"plan", "--fresh", "hourly"}, "--fresh \"hourly\": expected none, patch, minor or major")

	d = desk("stages: {fresh: patch, leap: true}\n")
	if out := d.says(0, []string{"plan"}, "hulk@2 in 1 stage"); strings.Contains(out, "keel") {
		t.Errorf("molt.yaml's own word on freshness is not heard:\n%s", out)
	}
	d.says(0, []string{"plan", "--fresh", "minor"}, "keel  1.0.0 to 1.4.0")
}

// Each environment is looked at by name, and so are the files that name a version.
func TestSeveralEnvironments(t *testing.T) {
	d := demoDesk(t)
	d.write("molt.yaml", strings.Replace(
		d.read("molt.yaml"), "  node: 16.20.2", "  harbour: {node: 16.20.2}\n  ferry: {node: 22.1.0}", 1)+
		"\npreviews: [quaymaster-map]\n")
	d.write(".node-version", "16.20\n")
	d.says(0, []string{"assess"}, "ferry 22.1.0, harbour 16.20.2 is deployed", ".node-version:1 says")
	d.run(0, "plan", "--fresh", "none", "--leap")
	d.says(1, []string{"step", "--all", "--quiet"}, "runtime-5 waits for people", "node 16.20.2 is deployed in harbour",
		".node-version:1 says 16.20, brackwater 5.2.1 needs >=18; raise it there too")
	d.write("molt.yaml", strings.Replace(d.read("molt.yaml"), "harbour: {node: 16.20.2}", "harbour: {node: 22.2.0}", 1))
	d.says(1, []string{"step", "--quiet"}, "runtime-5 waits for people", "raise it there too")
	d.write(".node-version", "22\n")
	d.says(0, []string{"step", "--quiet"}, "runtime-5 is done")
	d.says(0, []string{"step", "--quiet"}, "goal-5 is done")
	d.says(0, []string{"verify"}, "agree")
}

// Between two stages people can be asked; no answer is no.
func TestPause(t *testing.T) {
	d := shipped(t, "")
	d.run(0, "plan", "--fresh", "minor")
	c := d.command("step", "--all", "--pause", "--quiet")
	c.Stdin = strings.NewReader("y\n")
	out, err := c.Output()
	if err != nil || strings.Count(string(out), " is done: ") != 2 {
		t.Errorf("one yes leads to\n%s, %v", out, err)
	}
	d.says(2, []string{"step", "--pause"}, "--pause goes with --all")
	d.says(2, []string{"step", "--isolate"}, "--isolate goes with --find-culprit")
}

// The application's own version is told after the last stage, written when asked for, and taken back like a stage.
func TestOwnVersionAlone(t *testing.T) {
	d := locked(t, nil)
	d.write("package.json", strings.Replace(d.read("package.json"), "{", `{"version": "1.4.0", `, 1))
	d.run(0, "plan", "keel@2")
	d.says(2, []string{"back"}, "no stage has been carried out here")
	d.says(0, []string{"step", "--all", "--quiet"}, "The goal is reached.", "molt step --all goes on.")
	d.says(0, []string{"step", "--all", "--quiet"}, "The application's own version should go from 1.4.0 to 1.5.0 (minor)",
		"molt step --own-version writes it")
	d.says(0, []string{"step", "--own-version"}, "went from 1.4.0 to 1.5.0")
	if !strings.Contains(d.read("package.json"), `{"version": "1.5.0", `) {
		t.Errorf("the manifest is %s", d.read("package.json"))
	}
	d.says(2, []string{"step", "--own-version"}, "was written already; it is 1.5.0")
	d.says(0, []string{"back"}, "undid: own-version")
	if !strings.Contains(d.read("package.json"), `{"version": "1.4.0", `) {
		t.Errorf("the manifest is %s", d.read("package.json"))
	}
	d.says(0, []string{"verify"}, "agree")
}

// The search for a culprit is a document too, and it conforms.
func TestCulpritAsJSON(t *testing.T) {
	d := shipped(t, brittle)
	d.run(0, "plan")
	d.run(0, "step", "--quiet")
	out, _ := d.run(1, "step", "--find-culprit", "--quiet", "--format", "json")
	var answer map[string]any
	if err := json.Unmarshal([]byte(out), &answer); err != nil {
		t.Fatal(err)
	}
	if err := schemas(t)["molt/step/1"].Validate(answer); err != nil {
		t.Error(err)
	}
	culprit := answer["culprit"].(map[string]any)
	if got := culprit["changes"].([]any); len(got) != 1 || got[0] != "saltmarsh-tables" || culprit["restPasses"] != true ||
		len(culprit["split"].([]any)) != 0 {
		t.Errorf("the culprit is %v", culprit)
	}
	d.says(1, []string{"step", "--quiet"}, "Next  molt step --find-culprit  finds out which of its 8 changes it is")
	d.says(0, []string{"plan", "--split", "minor", "--apart", "saltmarsh-tables"},
		"The plan has these two in place of one.", "minor-saltmarsh-tables")
	d.says(2, []string{"plan", "--split", "minor", "--apart", "wakefull-cache"}, "did you mean wakeful-cache?")
	d.says(2, []string{"plan", "--split", "major", "--apart", "wakeful-cache"}, "has no stage \"major\"")
	d.says(2, []string{"plan", "--split", "patch", "--apart", "brackwater"}, "stage patch is done")
}

// Without git the culprit is looked for in a plain copy.
func TestCulpritWithoutGit(t *testing.T) {
	d := shipped(t, brittle)
	if err := os.RemoveAll(filepath.Join(d.dir, ".git")); err != nil {
		t.Fatal(err)
	}
	d.run(0, "plan")
	d.run(0, "step", "--quiet")
	before := d.read("package.json") + d.read("molt.lock") + d.read("molt-plan.yaml")
	out := d.says(1, []string{"step", "--find-culprit"}, "saltmarsh-tables makes it fail")
	if !strings.Contains(out, "molt plan --split minor --apart saltmarsh-tables") {
		t.Errorf("no way to split it is offered:\n%s", out)
	}
	if d.read("package.json")+d.read("molt.lock")+d.read("molt-plan.yaml") != before {
		t.Error("looking for the culprit changed something")
	}
}

// Warnings about advice are said beside the result, and broken advice ends the call.
func TestAdviceOfTheDesk(t *testing.T) {
	d := demoDesk(t)
	text := d.read("advice/brackwater-5.yaml")
	d.write("advice/brackwater-5.yaml", text+"  - weather: fair\n")
	_, errout := d.run(1, "assess")
	if !strings.Contains(errout, `left out a fact with "weather"`) {
		t.Errorf("an unknown fact: %s", errout)
	}
	d.write("advice/brackwater-5.yaml", text+"  - runtime: node\n")
	d.says(2, []string{"assess"}, "advice/brackwater-5.yaml:", "expected \"needs\" with a constraint")
	d.write("advice/brackwater-5.yaml", strings.Replace(text, "needs: ^3.0.0", "needs: ^2.0.0", 1))
	d.says(1, []string{"assess"}, "tidepool-pages must be at ^2.0.0")
	d.says(0, []string{"dossier", "tidepool-pages"}, "tidepool-pages") // which does not mind
	// What advice does to the goal is the same for every command that asks about it.
	d.write("advice/brackwater-5.yaml", text+"  - {renamed: quaymaster-map, becomes: lantern-words}\n")
	d.says(0, []string{"assess", "--gate"}, "can be reached")
	d.says(0, []string{"untangle", "brackwater@5"}, "brackwater@5 can be reached; there is no tangle.")
	d.write("advice/brackwater-5.yaml", text)
	if out := d.says(0, []string{"plan", "brackwater@3", "node@22", "--dry-run", "--fresh", "none"},
		"brackwater@3 node@22 in 1 stage", "the goal needs >=22"); strings.Contains(out, "upgrade guide") {
		t.Errorf("advice about another major:\n%s", out)
	}
}

// Stages are tried in a copy, which stays when it was asked to, and the application is as it was.
func TestTrial(t *testing.T) {
	d := shipped(t, strings.Replace(brittle, "verify --quiet", "verify --quiet --only manifest,lock", 1))
	d.run(0, "plan")
	d.git("add", "-A")
	d.git("commit", "-qm", "plan")
	before := d.tree() + d.git("status", "--porcelain")
	d.says(0, []string{"trial", "--quiet"}, "The state before was checked first: 2 checks passed.",
		"patch passes in a copy; the application itself is as it was.")
	d.says(1, []string{"trial", "minor", "--quiet"}, "2 stages up to minor fails in a copy",
		"TypeError; timetable is no function")
	d.says(2, []string{"trial", "nowhere"}, "has no stage \"nowhere\"")
	d.says(2, []string{"trial", "patch", "--all"}, "expected one of the name of a stage, --all and --each")
	d.write("mended", "")
	into := filepath.Join(t.TempDir(), "copy")
	d.says(0, []string{"trial", "--all", "--into", into, "--quiet"},
		"11 stages up to retire-skerry-words passes in a copy", "node is taken to be raised", "contracts (task)",
		"The copy is in")
	d.says(2, []string{"trial", "--into", into}, "exists already; a copy wants a folder of its own")
	if manifest, err := os.ReadFile(filepath.Join(into, "package.json")); err != nil ||
		!strings.Contains(string(manifest), `"brackwater": "^5.2.1"`) {
		t.Errorf("the copy's manifest: %s, %v", manifest, err)
	}
	d.git("worktree", "remove", "--force", into)
	if err := os.Remove(filepath.Join(d.dir, "mended")); err != nil {
		t.Fatal(err)
	}
	if after := d.tree() + d.git("status", "--porcelain"); after != before {
		t.Errorf("the application is not as it was:\n%s", after)
	}
	if left := d.git("worktree", "list"); strings.Count(left, "\n") != 1 {
		t.Errorf("work trees are left:\n%s", left)
	}
}

// What change logs call breaking stands with the change that it is about.
func TestNotesOfAPlan(t *testing.T) {
	d := shipped(t, "")
	d.says(0, []string{"plan", "--notes"},
		"breaking  nightberth-payments 5.0.0: amounts are given in pence, as whole numbers",
		"breaking  nightberth-payments 6.0.0: refund() returns a promise")
	if text := d.read("molt-plan.yaml"); !strings.Contains(text, "refund() returns a promise") {
		t.Error("the plan's file does not have the notes")
	}
	d.says(0, []string{"plan", "--check"}, "still to do resolves")
}
