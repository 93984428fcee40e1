package cli_test

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"strings"
	"testing"
)

// A quay is small enough to be followed by hand.
const quay = `package keel
  about  Holds the hull together
  home   https://keel.example/
  tag    latest 2.1.0
  1.0.0      2023-01-01
  1.1.0      2023-06-01
  2.0.0      2024-01-01  runtime:node@>=20
  2.1.0      2024-06-01  runtime:node@>=20
  3.0.0-rc.1 2025-01-01
  log 2.0.0 Breaking: planks are counted from 0
  log 2.0.0 Lighter
  log 2.1.0 Knows oak
package mast
  1.0.0 2023-01-01  peer:keel@^1 rope@^1
  1.1.0 2023-07-01  peer:keel@^1 rope@^1
  2.0.0 2024-02-01  peer:keel@^2 rope@^2
package rope
  1.0.0 2023-01-01
  1.2.0 2023-02-01
  2.0.0 2024-01-01
package lamp
  1.0.0 2023-01-01
package oldlamp
  1.0.0 2022-01-01  ! renamed to lamp
`

const dory = `{
  "name": "dory",
  "dependencies": {
    "keel": "^1.0.0",
    "mast": "~1.0.0"
  },
  "devDependencies": {
    "oldlamp": "1.0.0"
  }
}
`

// locked makes a desk on the quay, with its lock.
func locked(t *testing.T, files map[string]string) *desk {
	t.Helper()
	all := map[string]string{"package.json": dory}
	for name, text := range files {
		all[name] = text
	}
	d := newDesk(t, quay, all)
	d.run(0, "relock")
	return d
}

// says runs Molt and expects each of some texts in what it prints.
func (d *desk) says(code int, args []string, wants ...string) string {
	d.Helper()
	out, errout := d.run(code, args...)
	for _, want := range wants {
		if !strings.Contains(out+errout, want) {
			d.Errorf("molt %s does not say %q:\n%s%s", strings.Join(args, " "), want, out, errout)
		}
	}
	return out + errout
}

func TestWant(t *testing.T) {
	d := locked(t, nil)
	before := d.read("package.json") + d.read("molt.lock")
	d.says(0, []string{"want", "lamp", "--dry-run"}, "The manifest would change in 1 line, the lock in 1 package.",
		"is added as ^1.0.0  at 1.0.0", "Nothing was written.")
	if now := d.read("package.json") + d.read("molt.lock"); now != before {
		t.Fatal("a dry run wrote something")
	}
	d.says(0, []string{"want", "lamp@1.0.0"}, "The manifest changes in 1 line", "is added as 1.0.0",
		"Written; molt back takes it back.")
	if m := d.read("package.json"); !strings.Contains(
		m, "    \"keel\": \"^1.0.0\",\n    \"lamp\": \"1.0.0\",\n    \"mast\": \"~1.0.0\"\n") {
		t.Errorf("the manifest is\n%s", m)
	}
	d.run(0, "verify")
	d.says(0, []string{"back"}, "undid: want")
	if now := d.read("package.json") + d.read("molt.lock"); now != before {
		t.Error("going back does not lead to the first byte")
	}
	d.says(0, []string{"want", "lamp", "--group", "optionalDependencies", "--style", "next-patch"}, "~1.0.0")
	if m := d.read("package.json"); !strings.Contains(
		m, "  \"optionalDependencies\": {\n    \"lamp\": \"~1.0.0\"\n  }\n}\n") {
		t.Errorf("the manifest is\n%s", m)
	}
}

func TestWantTogether(t *testing.T) {
	d := locked(t, nil)
	out := d.says(0, []string{"want", "mast", "--dry-run"}, "~1.0.0 becomes ~1.1.0",
		"mast gets 1.1.0: 2.0.0 asks for keel ^2")
	if strings.Contains(out, "keel  ") {
		t.Errorf("keel moves too:\n%s", out)
	}
	d.says(0, []string{"want", "mast", "keel"}, "~1.0.0 becomes ~2.0.0", "^1.0.0 becomes ^2.1.0",
		"major  rope  1.2.0 to 2.0.0")
	d.run(0, "verify")
}

func TestWantIsRefused(t *testing.T) {
	d := locked(t, nil)
	before := d.read("package.json") + d.read("molt.lock")
	for _, test := range []struct {
		args []string
		code int
		says string
	}{
		{[]string{"want", "keele"}, 2, "keele: the registry has no such package; did you mean keel?"},
		{[]string{"want", "keel@^9"}, 2, "no published release fits \"^9\"; there are 1.0.0 … 3.0.0-rc.1"},
		{[]string{"want", "keel@^^"}, 2, "byte 2: expected a number"},
		{[]string{"want", "lamp", "--group", "cargo"}, 2, "--group \"cargo\": expected dependencies, "},
		{[]string{"want", "lamp", "--style", "loose"}, 2, "--style \"loose\": expected next-minor, next-patch, exact or any"},
		{[]string{"want", "mast@^2"}, 1, "keel: no release fits both sides"},
		{[]string{"want", "keel", "keel@1"}, 2, "\"keel@1\": expected names of packages, each once"},
		{[]string{"want", ""}, 2, "\"\": expected names of packages"},
		{[]string{"drop", "lampe"}, 2, "lampe is not declared"},
		{[]string{"drop", "keel", "--group", "devDependencies"}, 2, "keel is not declared in \"devDependencies\""},
		{[]string{"hold", "kel", "--reason", "x"}, 2, "kel is not declared; did you mean keel?"},
		{[]string{"hold", "keel"}, 2, "a hold needs a reason"},
		{[]string{"hold", "keel", "--reason", "x", "--until", "soon"}, 2, "--until \"soon\": expected a date"},
		{[]string{"hold", "keel", "--lift"}, 2, "keel is not held"},
	} {
		d.says(test.code, test.args, test.says)
		if now := d.read("package.json") + d.read("molt.lock"); now != before {
			t.Fatalf("molt %v wrote something", test.args)
		}
	}
}

func TestWantKeepsToTheRuntime(t *testing.T) {
	d := locked(t, map[string]string{"molt.yaml": "runtime: {node: 18.1.0}\n"})
	d.says(1, []string{"want", "keel@^2", "mast@^2"}, "node (runtime): no release fits both sides", "asked by molt.yaml",
		">=20", "Nothing was written.")
}

// A runtime's version may lack its last numbers, for the resolver and for the stage that waits for it; nonsense is
// pointed at.
func TestRuntimeVersions(t *testing.T) {
	d := locked(t, map[string]string{"molt.yaml": "runtime: {node: 18}\n"})
	d.run(0, "plan", "keel@2")
	d.says(1, []string{"step", "--all", "--quiet"}, "node 18 is deployed, keel 2.1.0 needs >=20")
	d.write("molt.yaml", "runtime: {node: 22}\n")
	d.says(0, []string{"step", "--all", "--quiet"}, "goal-2 is done")
	d.run(0, "verify")
	d.write("molt.yaml", "# ours\nruntime:\n  node: newest\n")
	d.says(2, []string{"relock"}, "molt.yaml:3:9: \"newest\": the deployed version of node: expected one such as "+
		"20.11.1 or 20")
}

func TestDrop(t *testing.T) {
	d := locked(t, map[string]string{
		"hull.ts": "import type { Plank } from \"keel\";\nimport { raise } from 'mast/parts';\nconst later = await " +
			"import(`oldlamp`);\nexport const keel = \"keel\"; // only a word\n",
		"deck.jsx":   "const mast = require('mast');\nexport default () => <p>{mast}</p>;\n",
		"broken.js":  "import from from from 'mast'\n",
		"styles.css": "@import 'mast';\n",
	})
	out := d.says(1, []string{"drop", "mast", "--dry-run"}, "~1.0.0 is removed", "removed  mast  1.0.0",
		"removed  rope  1.2.0", "deck.jsx:1 imports mast", "hull.ts:2 imports mast")
	for _, not := range []string{"broken.js", "styles.css"} {
		if strings.Contains(out, not) {
			t.Errorf("%s is said to import mast", not)
		}
	}
	d.says(1, []string{"drop", "keel", "--dry-run"}, "hull.ts:1 imports keel",
		"mast@1.0.0 needs keel, which therefore stays in the lock")
	if out := d.says(1, []string{"drop", "keel", "mast", "--dry-run"}, "removed  keel"); strings.Contains(
		out, "therefore stays") {
		t.Errorf("what is dropped keeps a package:\n%s", out)
	}
	d.says(1, []string{"drop", "oldlamp", "oldlamp"}, "The manifest changes in 1 line", "hull.ts:3 imports oldlamp")
	if m := d.read("package.json"); !strings.Contains(m, "\"devDependencies\": {}") {
		t.Errorf("the manifest is\n%s", m)
	}
	d.run(0, "verify")
	d.run(0, "back")
	if d.read("package.json") != dory {
		t.Error("going back does not lead to the first byte")
	}
}

func TestHold(t *testing.T) {
	d := locked(t, map[string]string{"molt.yaml": "# ours\ngoal: keel@2 # the next\n"})
	d.says(0, []string{"hold", "mast", "--reason", "the rig: not yet", "--until", "2999-12-31"},
		"mast is held until 2999-12-31: the rig: not yet")
	d.says(0, []string{"want", "mast", "--dry-run"}, "mast is held: the rig: not yet; the hold stays")
	d.says(0, []string{"dossier", "mast"}, "held until 2999-12-31: the rig: not yet")
	d.says(0, []string{"trace", "mast"}, "Kept from 1.1.0 by", "held until 2999-12-31: the rig: not yet")
	d.says(0, []string{"survey", "--held"}, "1 package of the 3 of dory", "held until 2999-12-31")
	d.says(0, []string{"hold", "keel", "--reason", "why not"}, "keel is held until it is lifted")
	d.says(2, []string{"hold", "mast", "--reason", "again", "--until", "2020-01-31"},
		"--until 2020-01-31: that day has passed")
	d.says(0, []string{"hold", "mast", "--reason", "again", "--until", "2999-01-31"}, "mast is held until 2999-01-31")
	d.says(2, []string{"drop", "mast"}, "mast is held (again); molt hold mast --lift first")
	d.write("molt.yaml", strings.Replace(d.read("molt.yaml"), "2999-01-31", "2020-01-31", 1)) // as time goes by
	d.says(0, []string{"survey"}, "warning: the hold on mast ended on 2020-01-31 and is no longer honoured")
	if got, want := d.read("molt.yaml"), "# ours\ngoal: keel@2 # the next\nhold:\n  mast: {reason: again, until: "+
		"2020-01-31}\n  keel: {reason: \"why not\"}\n"; got != want {
		t.Errorf("molt.yaml is\n%s\nwant\n%s", got, want)
	}
	d.says(0, []string{"hold", "mast", "--lift"}, "mast is no longer held")
	d.run(0, "back")
	d.write("molt.yaml", strings.Replace(d.read("molt.yaml"), "2020-01-31", "2999-01-31", 1))
	for range 3 {
		d.run(0, "back")
	}
	if got := d.read("molt.yaml"); got != "# ours\ngoal: keel@2 # the next\n" {
		t.Errorf("after going back molt.yaml is\n%s", got)
	}
}

func TestCompare(t *testing.T) {
	d := locked(t, nil)
	for _, args := range [][]string{
		{"init", "-q"}, {"add", "-A"}, {"-c", "user.name=a", "-c", "user.email=a@b.example", "commit", "-qm", "before"},
		{"tag", "v1"}} {
		c := exec.Command("git", args...)
		c.Dir = d.dir
		if out, err := c.CombinedOutput(); err != nil {
			t.Fatalf("git %v: %v %s", args, err, out)
		}
	}
	d.says(0, []string{"compare", "v1"}, "v1 and locked hold the same.")
	d.run(0, "want", "mast", "keel", "lamp")
	d.says(0, []string{"compare", "v1"}, "From v1 to locked 4 packages differ: 3 major, 1 added.",
		"Declared\n  major  keel  1.1.0 to 2.1.0", "Brought in by others\n  major  rope  1.2.0 to 2.0.0")
	d.says(0, []string{"compare", "locked", "v1"}, "3 back, 1 removed")
	d.says(0, []string{"compare", "v1", "--format", "md"}, "| keel | major | 1.1.0 | 2.1.0 |",
		"<details><summary>1 package brought in by others</summary>")
	d.write("image.txt", "# given\nkeel 1.1.0\nmast trunk\n\nrope 1.2.0 # why\n")
	d.says(0, []string{"compare", "image.txt"}, "2 major, 2 added, 1 cannot tell")
	if err := os.MkdirAll(filepath.Join(d.dir, "node_modules", "keel"), 0o755); err != nil {
		t.Fatal(err)
	}
	d.write("node_modules/keel/package.json", `{"name":"keel","version":"2.0.0"}`)
	d.says(0, []string{"compare", "installed", "locked"}, "minor  keel     2.0.0 to 2.1.0")
	d.run(0, "plan", "keel@2")
	d.says(0, []string{"compare", "locked", "molt-plan.yaml"}, "locked")
	d.write("broken.txt", "keel 1.1.0\nkeel: 1\n")
	d.write("deaf.lock", "")
	for _, test := range []struct{ ref, says string }{
		{"broken.txt", "broken.txt:2:1: \"keel: 1\": expected a name and a version"},
		{"v2", "\"v2\" is neither a file nor a revision of git"},
		{"--", "expected molt compare BEFORE [AFTER]"},
		{"deaf.lock", "deaf.lock"},
	} {
		d.says(2, []string{"compare", test.ref}, test.says)
	}
}

func TestTrace(t *testing.T) {
	d := locked(t, nil)
	d.says(0, []string{"trace", "rope"}, "rope@1.2.0, asked for by 1 package",
		"Kept from 2.0.0 by\n    mast@1.0.0  rope ^1",
		"the manifest mast ~1.0.0 (dependencies)\n    mast@1.0.0\n    which asks for rope ^1\n      rope@1.2.0")
	d.says(0, []string{"trace", "keel"}, "keel@1.1.0, asked for by 2 packages", "mast@1.0.0    keel ^1 as a peer")
	d.says(0, []string{"trace", "oldlamp"}, "It is the newest release.")
	d.says(2, []string{"trace", "ropes"}, "ropes is not in the lock; did you mean rope?")
}

func TestFit(t *testing.T) {
	d := locked(t, nil)
	d.says(0, []string{"fit", "mast"}, "mast 1.1.0 is the newest that resolves with the application as it stands.",
		"2.0.0  no    2024-02-01", "1.0.0  fits  2023-01-01  locked", "In the way of 2.0.0",
		"keel: no release fits both sides")
	d.says(0, []string{"fit", "rope"}, "rope 2.0.0 is the newest")
	d.says(0, []string{"fit", "mast", "--most", "2"}, "1.1.0  fits")
	d.says(2, []string{"fit", "rops"}, "did you mean rope?")
	d.write("image.txt", "keel 2.0.0\n")
	d.write("molt.yaml", "fixed: image.txt\n")
	d.says(1, []string{"fit", "mast"},
		"No release of mast that was tried resolves with the application and 1 package given from outside.")
	d.write("package.json", strings.Replace(dory, "^1.0.0", ">=1", 1))
	d.says(0, []string{"fit", "mast"},
		"mast 2.0.0 is the newest that resolves with the application and 1 package given from outside.", "1.1.0  no")
	d.write("image.txt", "keel 2.0.0\nkeel 2.1.0\n")
	d.says(2, []string{"fit", "mast"}, "image.txt gives keel more than once")
	d.write("molt.yaml", "fixed: nothing.txt\n")
	d.says(2, []string{"fit", "mast"}, "the inventory cannot be read")
}

func TestRangeOfReleases(t *testing.T) {
	d := locked(t, nil)
	d.says(0, []string{"range", "^1", "--of", "keel"}, "^1 of keel is 1.1.0 today: it admits 2 of 5 releases.",
		"  1  ##  all 2: 1.0.0 … 1.1.0\n  2  ..  none of 2\n  3      1 preview, refused\n  # admitted   . refused   1 "+
			"preview, refused, not drawn\n", "The first release above that it refuses is 2.0.0.")
	d.says(0, []string{"range", "*", "--of", "keel", "--advise"}, "It has no upper end",
		"Better: ^1.1.0. * admits every major that will ever come; this keeps to 1.1.0, what is locked")
	d.says(0, []string{"range", "~1.0.0", "--of", "mast", "--advise"},
		"Better: ~1.1.0. ~1.0.0 refuses 1.1.0, the newest release that resolves with the rest and does not")
	d.says(0, []string{"range", "^1.0.0", "--of", "mast", "--advise"}, "^1.0.0 can stay")
	d.says(0, []string{"range", "3.0.0-rc.1", "--of", "keel"}, "it admits 1 of 5 releases", "  3  #   all 1: 3.0.0-rc.1")
	d.says(0, []string{"range", "latest", "--of", "keel"}, "latest of keel is 2.1.0 today: it admits 1 of 5 releases.")
	d.says(1, []string{"range", "^7", "--of", "keel"}, "^7 admits none of the 5 releases of keel.")
	d.says(2, []string{"range", "^1", "--of", "kel"}, "did you mean keel?")
	d.says(2, []string{"range", "^1"}, "expected versions after the constraint, or --of PACKAGE")
	d.says(2, []string{"range", "^1", "1.0.0", "--of", "keel"}, "expected either versions or --of PACKAGE")
	d.says(2, []string{"range", "^1", "1.0.0", "--advise"}, "--advise: expected --of PACKAGE with it")
}

func TestDossier(t *testing.T) {
	d := locked(t, map[string]string{"molt.yaml": "goal: keel@2\n"})
	out := d.says(0, []string{"dossier", "keel"}, "keel: Holds the hull together", "declared  ^1.0.0 in dependencies",
		"locked    1.1.0, asked for by the manifest, mast@1.0.0",
		"latest is 2.1.0", "https://keel.example/", "2.0.0    2024-01-01  major  node >=20",
		"and 1 more; --most 0 and --previews show them", "Change log up to 2.1.0",
		"  2.1.0\n    - Knows oak\n", "  2.0.0\n    - Breaking: planks are counted from 0\n    - Lighter\n")
	if strings.Contains(out, "3.0.0-rc.1") {
		t.Error("a preview is shown, and nobody asked for it")
	}
	d.says(0, []string{"dossier", "keel", "--previews", "--to", "2.0.0"}, "3.0.0-rc.1", "Change log up to 2.0.0")
	d.says(0, []string{"dossier", "mast"}, "2.0.0    2024-02-01  major  ^2", "The archive of 2.0.0 carries no change log.")
	d.says(0, []string{"dossier", "oldlamp"}, "renamed to lamp")
	d.says(2, []string{"dossier", "kel"}, "kel: the registry has no such package; did you mean keel?")
	d.says(2, []string{"dossier", "keel", "--to", "9.0.0"}, "keel has no such release")
}

func TestSurveyFilters(t *testing.T) {
	d := locked(t, nil)
	d.says(0, []string{"survey"}, "dory declares 3 packages: 1 current, 2 packages behind (2 by a major).")
	for _, test := range []struct {
		args     []string
		has, not string
	}{
		{[]string{"--jump", "major"}, "keel", "oldlamp"},
		{[]string{"--jump", "same"}, "oldlamp", "keel"},
		{[]string{"--group", "devDependencies"}, "oldlamp", "mast"},
		{[]string{"--name", "m*", "--name", "old?amp"}, "mast", "keel"},
		{[]string{"--waiting"}, "mast", "oldlamp"},
		{[]string{"--since", "2024-01-31"}, "new: 2.1.0", "oldlamp"},
	} {
		out := d.says(0, append([]string{"survey"}, test.args...), test.has)
		if strings.Contains(out, test.not) {
			t.Errorf("survey %v shows %s:\n%s", test.args, test.not, out)
		}
	}
	d.says(2, []string{"survey", "--group", "cargo"}, "--group \"cargo\": expected some of dependencies")
	d.says(2, []string{"survey", "--name", "[a"}, "a [ that is not closed")
	d.says(2, []string{"survey", "--since", "never"},
		"expected a day such as 2026-03-31, an older lock, or a revision of git")
	d.write("old.lock", d.read("molt.lock"))
	d.says(0, []string{"survey", "--since", "old.lock"}, "2 packages of the 3 of dory", "new: 2.0.0 2.1.0",
		"new: 1.1.0 2.0.0")
}

func TestSurveyOfWhatIsInstalled(t *testing.T) {
	d := newDesk(t, quay, map[string]string{"package.json": dory})
	for _, name := range []string{"keel", "mast"} {
		if err := os.MkdirAll(filepath.Join(d.dir, "node_modules", name), 0o755); err != nil {
			t.Fatal(err)
		}
		d.write("node_modules/"+name+"/package.json", `{"name":"`+name+`","version":"1.0.0"}`)
	}
	d.says(0, []string{"survey"}, "There is no lock; what is shown as locked is what is installed.",
		"keel     ^1.0.0    1.0.0", "Cannot tell\n  oldlamp")
	d.run(0, "relock")
	if lock := d.read("molt.lock"); !strings.Contains(lock, "keel@1.0.0") || strings.Contains(lock, "keel@1.1.0") {
		t.Errorf("what is installed is not the baseline:\n%s", lock)
	}
	d.write("node_modules/keel/package.json", `{"name":"keel","version":"1.1.0"}`)
	d.says(0, []string{"survey"}, "installed differs")
	out := d.says(1, []string{"verify"}, "node_modules/keel: keel 1.1.0 is installed, the lock has keel 1.0.0",
		"rope 1.2.0 is missing; mast@1.0.0 needs it", "Next  molt install")
	if strings.Contains(out, "molt relock") {
		t.Errorf("the lock is blamed:\n%s", out)
	}
	d.run(0, "verify", "--only", "manifest,lock,runtime")
	d.says(2, []string{"verify", "--only", "weather"}, "expected some of manifest, lock, checksum, installed, runtime")
}

func TestWorkspace(t *testing.T) {
	d := newDesk(t, quay, map[string]string{
		"package.json": `{"name": "fleet", "workspaces": ["boats/*"], "dependencies": {"keel": "^1.0.0"}}`})
	for name, needs := range map[string]string{"dory": `"keel": "^2.0.0"`, "skiff": `"mast": "^1.0.0", "dory": "*"`} {
		if err := os.MkdirAll(filepath.Join(d.dir, "boats", name), 0o755); err != nil {
			t.Fatal(err)
		}
		d.write("boats/"+name+"/package.json", `{"name": "`+name+`", "dependencies": {`+needs+`}}`)
	}
	out, _ := d.run(0, "survey", "--format", "json")
	var answer struct {
		Packages []struct {
			Name, Member string
			Flags        []string
		}
	}
	if err := json.Unmarshal([]byte(out), &answer); err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, p := range answer.Packages {
		got = append(got, p.Member+" "+p.Name+" "+strings.Join(p.Flags, ","))
	}
	want := " keel not locked,declared otherwise; boats/dory keel not locked,declared otherwise; boats/skiff mast not " +
		"locked"
	if strings.Join(got, "; ") != want {
		t.Errorf("rows are %q", got)
	}
}

// A common flag that says nothing about a command is refused, but for one that is so in any case.
func TestStrangeFlags(t *testing.T) {
	d := locked(t, nil)
	d.says(2, []string{"verify", "--as-of", "2026-01-31"}, "molt verify takes no --as-of; see molt verify --help")
	d.run(0, "verify", "--offline")
	d.run(0, "schema", "survey", "--offline", "--plain")
	if help, _ := d.run(0, "schema", "--help"); strings.Contains(help, "--offline") || !strings.Contains(help, "--plain") {
		t.Errorf("the help of schema is\n%s", help)
	}
}

func TestCompletion(t *testing.T) {
	d := locked(t, nil)
	for _, test := range []struct{ args, want string }{
		{"drop k", "keel"}, {"trace ro", "rope"}, {"want keel@2", "keel@2.1.0\nkeel@2.0.0"}, {"range ^1 --of ma", "mast"}, {"plan keel@", "keel@2\nkeel@1"}, {"survey --jump major,mi", "major,minor"},
		{"plan --fresh p", "patch"}, {"survey --format s", "sarif"}, {"survey --ecosystem p", "python"},
		{"survey --group dep", "dependencies"}, {"dossier keel ma", ""}, {"survey --off", "--offline\task no registry; use what the cache holds"},
		{"schema --off", ""}, {"schema surv", "survey"}, {"compare lo", "locked"}, {"help untan", "untangle"},
	} {
		out, _ := d.run(0, append([]string{"__complete"}, strings.Fields(test.args)...)...)
		if !strings.HasPrefix("\n"+out, "\n"+test.want+"\n:") && !(test.want == "" && strings.HasPrefix(out, ":")) {
			t.Errorf("%s completes to %q, want %q", test.args, out, test.want)
		}
	}
}

// Every command has a manual page, and every example in a page is one that the help shows.
func TestManual(t *testing.T) {
	d := newDesk(t, quay, nil)
	d.run(0, "manual", "man")
	for page, has := range map[string]bool{"molt.1": true, "molt-plan.1": true, "molt-verify.1": false} {
		if strings.Contains(d.read("man/"+page), "offline") != has {
			t.Errorf("that %s tells of --offline is %v", page, !has)
		}
	}
	out, _ := d.run(0, "--help")
	for _, m := range regexp.MustCompile(`(?m)^  ([a-z]+)  +[A-Z]`).FindAllStringSubmatch(out, -1) {
		if m[1] == "help" || m[1] == "completion" {
			continue
		}
		if page := d.read("man/molt-" + m[1] + ".1"); !strings.Contains(page, ".TH \"MOLT\" \"1\"") &&
			!strings.Contains(page, "SYNOPSIS") {
			t.Errorf("the page of %s is\n%s", m[1], page)
		}
	}
}

// Step --all goes to the stage that waits for people, and from there to the end; one stage after
// the other leads to the same.
func TestStepAll(t *testing.T) {
	const universe = `package hulk
  3.0.0  2024-01-01
  4.0.0  2025-01-01  runtime:node@>=22
package keel
  1.0.0  2024-01-01  peer:hulk@^3
  1.1.0  2024-02-01  peer:hulk@^3
  1.2.0  2025-02-01  peer:hulk@^3||&^4
package mast
  1.0.0  2024-01-01  peer:hulk@^3
  2.0.0  2025-02-01  peer:hulk@^4
package rope
  1.0.0  2024-01-01
  1.0.1  2024-02-01
  2.0.0  2025-02-01  peer:hulk@^4
`
	var ends []string
	for _, all := range []bool{true, false} {
		d := newDesk(t, universe, map[string]string{"molt.yaml": "goal: hulk@4\nruntime: {node: 20.11.1}\n",
			"package.json": `{"dependencies": {"hulk": "^3.0.0", "keel": "^1.0.0", "mast": "^1.0.0", "rope": "^1.0.0"}}` + "\n"})
		d.run(0, "relock", "--as-of", "2024-01-15")
		d.run(0, "plan")
		raise := func() { d.write("molt.yaml", "goal: hulk@4\nruntime: {node: 22.11.0}\n") }
		if all {
			out := d.says(1, []string{"step", "--all", "--quiet"}, "patch is done", "runtime-4 waits for people.")
			if strings.Contains(out, "goal-4") {
				t.Errorf("a stage was carried out after the one that waits:\n%s", out)
			}
			raise()
			d.says(0, []string{"step", "--all", "--quiet"}, "goal-4 is done", "That was the last stage.")
			d.says(2, []string{"step", "--all"}, "every stage of molt-plan.yaml is done")
			d.says(2, []string{"step", "patch", "--all"}, "expected either the name of a stage or --all")
		} else {
			raise()
			for stages := strings.Count(d.read("molt-plan.yaml"), "\n  - id: "); stages > 0; stages-- {
				d.run(0, "step", "--quiet")
			}
		}
		d.run(0, "verify")
		ends = append(ends, d.read("package.json")+d.read("molt.lock"))
	}
	if ends[0] != ends[1] {
		t.Error("all at once comes to something else than one after the other")
	}
}

// git runs git in the desk's folder, as somebody.
func (d *desk) git(args ...string) string {
	d.Helper()
	c := exec.Command("git", append([]string{"-c", "user.name=a", "-c", "user.email=a@b.example"}, args...)...)
	c.Dir = d.dir
	out, err := c.CombinedOutput()
	if err != nil {
		d.Fatalf("git %v: %v %s", args, err, out)
	}
	return string(out)
}

func TestStepCommit(t *testing.T) {
	d := locked(t, nil)
	d.run(0, "plan", "keel@2")
	d.says(2, []string{"step", "--commit"}, "--commit: there is no work tree of git here")
	d.git("init", "-q")
	d.git("config", "user.name", "a")
	d.git("config", "user.email", "a@b.example")
	d.git("add", "package.json")
	d.git("commit", "-qm", "before")
	d.says(2, []string{"step", "--commit"}, "--commit: molt.lock is not committed as it stands")
	d.git("add", "molt.lock")
	d.git("commit", "-qm", "lock")
	d.write("other.txt", "in the index, and none of the stage's business")
	d.git("add", "other.txt")
	d.run(0, "step", "--all", "--commit", "--quiet")
	log := d.git("log", "--format=%s%n%b", "--name-only")
	for _, want := range []string{
		"goal-2: keel 2", "- keel 1.1.0 to 2.1.0 (major): the goal", "In the lock 3 moved, 0 added, 0 removed."} {
		if !strings.Contains(log, want) {
			t.Errorf("the log does not say %q:\n%s", want, log)
		}
	}
	if strings.Contains(log, "other.txt") {
		t.Error("a file that is none of the stage's business was committed")
	}
	if left := d.git("status", "--porcelain"); left != "A  other.txt\n" {
		t.Errorf("left uncommitted:\n%s", left)
	}
	d.write("package.json", d.read("package.json")+"\n")
	d.run(0, "plan", "keel@2")
	d.says(2, []string{"step", "--commit"}, "package.json is not committed as it stands")
}

// A relay has what the lock has, and nothing else, as long as the command runs that it serves.
func TestRelay(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("the command is written for a POSIX shell")
	}
	d := demoDesk(t)
	inside := func(args string) string {
		return "MOLT_CACHE=" + filepath.Join(t.TempDir(), "cache") + " MOLT_REGISTRY_JS=$MOLT_RELAY " + molt + " " + args
	}
	d.says(0, []string{"relay", "--through", "--", "sh", "-c", inside("range '*' --of brackwater")}, "3.8.2")
	if out, _ := d.run(0, "relay", "--", "sh", "-c", inside("range '*' --of brackwater")); strings.Contains(
		out, "3.9.0") || strings.Contains(out, "5.") {
		t.Errorf("the relay has more than the lock:\n%s", out)
	}
	d.says(0, []string{"relay", "--through", "--", "sh",
		"-c", inside("install --into " + filepath.Join(t.TempDir(), "copy"))}, "97 archives fetched")
	d.run(7, "relay", "--", "sh", "-c", "exit 7")
	d.run(0, "relay", "--", "sh", "-c", "test -z \"${MOLT_TOKEN_JS+x}\"")
	d.run(2, "relay", "sh")
	d.run(2, "relay", "--listen", "0.0.0.0:0")
	d.run(1, "plan")
	d.says(0, []string{"relay", "--stage", "patch", "--", "sh", "-c", inside("range '*' --of brackwater")}, "3.8.5")
}
