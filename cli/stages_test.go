package cli_test

import (
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
)

// shipped makes the demo's desk with some configuration added, in a repository where all of it is committed.
func shipped(t *testing.T, config string) *desk {
	t.Helper()
	if runtime.GOOS == "windows" {
		t.Skip("the checks are written for a POSIX shell")
	}
	d := demoDesk(t)
	text := d.read("molt.yaml")
	d.write("molt.yaml", text[:strings.Index(text, "checks:")]+"previews: [quaymaster-map]\n"+config)
	d.git("init", "-q", "-b", "main")
	d.git("config", "user.name", "a")
	d.git("config", "user.email", "a@b.example")
	d.git("add", "-A")
	d.git("commit", "-qm", "as it was")
	return d
}

// brittle is a check that fails with what the stage minor does to one package, unless the application was mended.
const brittle = `
checks:
  - name: agrees
    run: '"$MOLT" verify --quiet'
  - name: desk starts
    run: test -e mended || ! grep -q '"saltmarsh-tables@2.6' molt.lock || { echo "TypeError; timetable is no function"; exit 1; }
stages:
  tasks:
    - {name: contracts, with: [harborline-codegen], run: 'grep -o "harborline-codegen.*" package.json >src/contracts.txt'}
`

// tree is all files that are under version control, as one text, but for the plan.
func (d *desk) tree() string {
	d.Helper()
	return d.git("ls-files", "-s", "--", ".", ":!molt-plan.yaml")
}

// The whole job: a check fails in the middle, the culprit is found and split off, the application
// is mended, the upgrade goes on in another clone, and then all the way back to the first byte.
func TestTheWholeJob(t *testing.T) {
	d := shipped(t, brittle)
	first := d.tree()
	d.run(0, "plan")
	d.git("add", "-A")
	d.git("commit", "-qm", "plan")
	out := d.says(1, []string{"step", "--all", "--commit", "--find-culprit", "--isolate", "--quiet"},
		"The state before was checked first: 2 checks passed.", "patch is done",
		"minor failed; the files are as they were before it.", "saltmarsh-tables makes it fail, found in",
		"The plan now has minor with what passes, and behind it minor-saltmarsh-tables")
	if runs := strings.Count(out, "\n  passes") + strings.Count(out, "\n  fails"); runs > 9 {
		// 2·log2 of 11 changes, and the rest
		t.Errorf("it took %d runs:\n%s", runs, out)
	}
	if left := d.git("worktree", "list"); strings.Count(left, "\n") != 1 {
		t.Errorf("work trees are left:\n%s", left)
	}
	d.says(0, []string{"plan", "--check"}, "still to do resolves")
	d.git("commit", "-qam", "split")
	d.says(0, []string{"step", "--commit", "--quiet"}, "minor is done")
	d.says(1, []string{"step", "--commit", "--quiet"}, "minor-saltmarsh-tables failed",
		"TypeError; timetable is no function")

	other := &desk{TB: t, dir: filepath.Join(t.TempDir(), "other"), registry: d.registry, cache: t.TempDir(),
		state: t.TempDir(), columns: "100"}
	d.git("clone", "-q", d.dir, other.dir)
	other.git("config", "user.name", "a")
	other.git("config", "user.email", "a@b.example")
	other.write("mended", "")
	other.write("molt.yaml", strings.Replace(other.read("molt.yaml"), "node: 16.20.2", "node: 22.11.0", 1))
	other.git("add", "-A")
	other.git("commit", "-qm", "mend the desk, and raise the server")
	mended := other.tree()
	other.says(0, []string{"step", "--all", "--commit", "--own-version", "--quiet"}, "minor-saltmarsh-tables is done",
		"the tasks changed src/contracts.txt", "The goal is reached.")
	other.says(0, []string{"step", "--all", "--commit", "--own-version", "--quiet"}, "That was the last stage.",
		"The application's own version went from 2.14.0 to 3.0.0")
	other.says(0, []string{"verify"}, "agree")
	if left := other.git("status", "--porcelain"); left != "" {
		t.Errorf("left uncommitted:\n%s", left)
	}
	log := other.git("log", "--format=%s")
	for _, id := range []string{"minor-saltmarsh-tables", "goal-4", "runtime-5", "goal-5", "retire-skerry-words"} {
		if !strings.Contains(log, id+": ") {
			t.Errorf("the log lacks %s:\n%s", id, log)
		}
	}

	// Edits by others are not lost.
	other.write("package.json", strings.Replace(other.read("package.json"), "night sailings", "night and day sailings", 1))
	if _, errout := other.run(2, "back", "patch"); !strings.Contains(errout, "package.json was edited after stage") ||
		!strings.Contains(errout, "+  \"description\": \"The booking desk of Skerry Ferries: night and day") {
		t.Errorf("back over an edit says %s", errout)
	}
	other.git("checkout", "-q", "package.json")
	other.says(0, []string{"back", "patch", "--commit"}, "undid: retire-skerry-words", "undid: minor-saltmarsh-tables",
		"undid: patch")
	now := other.tree()
	if strings.ReplaceAll(now, "mended", "") == "" || !sameBut(now, first, "mended", "molt.yaml") ||
		!sameBut(now, mended, "package.json", "molt.lock") {
		t.Errorf("it is not as it was:\n%s\nwas\n%s", now, first)
	}
	other.says(2, []string{"back"}, "no stage has been carried out here")
	other.says(0, []string{"step", "--quiet"}, "patch is done")
	other.says(0, []string{"back"}, "undid: patch")
}

// sameBut compares lists of files without the lines that end in some names.
func sameBut(a, b string, names ...string) bool {
	without := func(text string) string {
		var kept strings.Builder
		for line := range strings.Lines(text) {
			skip := false
			for _, n := range names {
				skip = skip || strings.HasSuffix(strings.TrimSpace(line), "\t"+n)
			}
			if !skip {
				kept.WriteString(line)
			}
		}
		return kept.String()
	}
	return without(a) == without(b)
}

// A stage that was done and could not be committed is committed by the next call.
func TestCommitThatFailed(t *testing.T) {
	d := shipped(t, "")
	d.run(0, "plan")
	d.write(".git/hooks/pre-commit", "#!/bin/sh\nexit 1\n")
	if err := os.Chmod(filepath.Join(d.dir, ".git/hooks/pre-commit"), 0o755); err != nil {
		t.Fatal(err)
	}
	d.says(3, []string{"step", "--commit", "--quiet"}, "the stage is done, and not committed")
	if err := os.Remove(filepath.Join(d.dir, ".git/hooks/pre-commit")); err != nil {
		t.Fatal(err)
	}
	d.says(0, []string{"step", "--commit"}, "committed stage patch, which had been carried out before", "minor is done")
	if log := d.git("log", "--format=%s"); !strings.HasPrefix(log, "minor: ") || !strings.Contains(log, "\npatch: ") {
		t.Errorf("the log is\n%s", log)
	}
}

func TestBranchOfAPlan(t *testing.T) {
	d := shipped(t, "")
	d.says(2, []string{"plan", "--branch", "a b"}, `"a b" is no name for a branch`)
	d.says(0, []string{"plan", "--branch", "upgrade/brackwater-5"}, "On the branch upgrade/brackwater-5.")
	if now := d.git("branch", "--show-current"); now != "upgrade/brackwater-5\n" {
		t.Errorf("on %s", now)
	}
	d.git("switch", "-q", "main")
	d.says(2, []string{"step"}, "molt-plan.yaml:6:9: the plan is for the branch upgrade/brackwater-5, and main is "+
		"checked out")
	d.git("switch", "-q", "upgrade/brackwater-5")
	d.says(0, []string{"step", "--commit"}, "patch is done")
}

// A lock and a manifest that git could not merge are resolved from both sides.
func TestRelockInAMerge(t *testing.T) {
	d := shipped(t, "")
	d.git("switch", "-qc", "theirs")
	d.run(0, "want", "wakeful-cache@^2.5", "dayboat-dates@~1.5.0")
	d.write("package.json", strings.Replace(d.read("package.json"), "bicycles\"", "bicycles, dogs\"", 1))
	d.git("commit", "-qam", "theirs")
	d.git("switch", "-q", "main")
	d.run(0, "want", "wakeful-cache@2.3.5", "ledgerleaf@^5.3")
	d.git("commit", "-qam", "ours")
	merge := exec.Command("git", "merge", "theirs")
	merge.Dir = d.dir
	if out, err := merge.CombinedOutput(); err == nil {
		t.Fatalf("git merged by itself: %s", out)
	}
	d.says(2, []string{"survey"}, "molt relock resolves that")
	d.says(2, []string{"verify"}, "molt relock resolves that")
	before := d.read("package.json")
	d.says(0, []string{"relock", "--dry-run"}, "could be resolved", "wakeful-cache: ^2.5 (both changed it")
	if d.read("package.json") != before {
		t.Error("a rehearsal changed the manifest")
	}
	d.says(0, []string{"relock"}, "The conflict is resolved", "dayboat-dates: ~1.5.0 (the other branch changed it)",
		"ledgerleaf: ^5.3 (this branch changed it)", "git add package.json molt.lock")
	text := d.read("package.json")
	for _, want := range []string{
		`"wakeful-cache": "^2.5"`, `"ledgerleaf": "^5.3"`, `"dayboat-dates": "~1.5.0"`, "bicycles, dogs"} {
		if !strings.Contains(text, want) {
			t.Errorf("the manifest lacks %s", want)
		}
	}
	d.says(2, []string{"step", "--commit"}, "a merge is under way; finish it first")
	d.git("add", "-A")
	d.git("commit", "-qm", "merged")
	d.says(0, []string{"verify"}, "agree")
}

// A conflict beside the declarations is for people.
func TestRelockInAMergeOfMore(t *testing.T) {
	d := shipped(t, "")
	for _, side := range []string{"theirs", "ours"} {
		if side == "theirs" {
			d.git("switch", "-qc", side)
		} else {
			d.git("switch", "-q", "main")
		}
		d.write("package.json", strings.Replace(d.read("package.json"), `"2.14.0"`, `"2.15.0-`+side+`"`, 1))
		d.git("commit", "-qam", side)
	}
	merge := exec.Command("git", "merge", "theirs")
	merge.Dir = d.dir
	_ = merge.Run() // it does not succeed
	d.says(2, []string{"relock"}, "package.json is in conflict beside its declarations")
}

func TestBackPackage(t *testing.T) {
	d := shipped(t, "")
	d.run(0, "plan")
	d.run(0, "step", "--quiet")
	d.run(0, "step", "--quiet")
	d.says(0, []string{"back", "--package", "gannet-seats"}, "2.4.1 becomes 2.3.1", "at 2.3.1")
	d.says(2, []string{"back", "--package", "foghorn-mail"}, "nothing that was carried out here moved foghorn-mail")
	d.says(2, []string{"back", "patch", "--package", "x"}, "goes with neither")
	d.says(0, []string{"verify"}, "agree")
	d.says(0, []string{"back", "patch"}, "undid: back-gannet-seats", "undid: minor", "undid: patch")
	if left := d.git("status", "--porcelain"); left != "?? molt-plan.yaml\n" {
		t.Errorf("left:\n%s", left)
	}
}

// A check that ends its parent, politely or not, harms nothing.
func TestCheckThatEndsItsParent(t *testing.T) {
	d := shipped(t, "checks:\n  - {name: rude, run: 'test \"$MOLT_STAGE\" = before || kill -TERM $PPID; sleep 20; touch late'}\n")
	d.write("molt.yaml", strings.Replace(d.read("molt.yaml"), "sleep 20; touch late", "test \"$MOLT_STAGE\" = before || { sleep 20; touch late; }", 1))
	d.run(0, "plan")
	before := d.read("package.json") + d.read("molt.lock") + d.read("molt-plan.yaml")
	d.run(130, "step", "--quiet")
	if d.read("package.json")+d.read("molt.lock")+d.read("molt-plan.yaml") != before {
		t.Error("a check that ended its parent did harm")
	}
}

// An endless output neither fills the disk nor holds anything up.
func TestCheckThatFloods(t *testing.T) {
	if testing.Short() {
		t.Skip("it takes a second or two")
	}
	d := shipped(t, "checks:\n  - {name: loud, run: 'head -c 268435456 /dev/zero'}\n")
	d.run(0, "plan")
	d.says(0, []string{"step", "--quiet"}, "patch is done")
	logs, err := filepath.Glob(filepath.Join(d.dir, ".molt/logs/*"))
	if err != nil || len(logs) != 2 {
		t.Fatalf("logs %v, %v", logs, err)
	}
	for _, name := range logs {
		if info, err := os.Stat(name); err != nil || info.Size() > 40<<20 {
			t.Errorf("%s has %d bytes, %v", name, info.Size(), err)
		}
	}
}

// A plan is edited, moves on, and keeps what people decided.
func TestRenew(t *testing.T) {
	d := shipped(t, "")
	d.run(0, "plan")
	text := d.read("molt-plan.yaml")
	from, to := strings.Index(text, "  - id: after-plankton-log"), strings.Index(text, "  - id: after-saltmarsh-tables")
	text = text[:from] + text[to:] // dropped
	text = strings.Replace(text, "title: all minor releases, together",
		"title: what is minor\n    note: after the regatta", 1)
	text = strings.Replace(text, "      - name: ledgerleaf\n",
		"      # the accountants want to see this\n      - name: ledgerleaf\n        note: ask Morag\n", 1)
	text = strings.Replace(text, "  - id: goal-4\n", "  # not in August\n  - id: goal-4\n", 1)
	text = strings.Replace(text, "          constraint: 2.4.1\n          version: 2.4.1\n",
		"          constraint: 2.4.0\n          version: 2.4.0\n", 1)
	d.write("molt-plan.yaml", text)
	d.run(0, "plan", "--split", "minor", "--apart", "driftwood-icons,saltmarsh-tables")
	d.run(0, "step", "--quiet")
	d.run(0, "want", "wakeful-cache")
	out := d.says(0, []string{"plan", "--renew"}, "molt.lock is not the one that the plan went on from",
		"stage minor no longer moves wakeful-cache", "What people decided, and still holds",
		"without stage after-plankton-log", "stage minor-driftwood-icons of your own", "the note on stage minor",
		"the note on ledgerleaf", "the title of stage minor",
		"gannet-seats at 2.4.0 in stage minor")
	if strings.Contains(out, "holds no longer") {
		t.Errorf("something was lost:\n%s", out)
	}
	text = d.read("molt-plan.yaml")
	for _, want := range []string{
		"title: what is minor", "note: after the regatta", "# the accountants want to see this", "note: ask Morag",
		"# not in August", "id: minor-driftwood-icons", "id: patch"} {
		if !strings.Contains(text, want) {
			t.Errorf("the plan lacks %q:\n%s", want, text)
		}
	}
	if strings.Contains(text, "id: after-plankton-log") {
		t.Error("what was dropped came back")
	}
	d.says(0, []string{"plan", "--check"}, "still to do resolves")
	d.says(0, []string{"plan", "--renew", "--dry-run"}, "Nothing has changed")
}

// What people decided and cannot be kept is said, and the plan is whole again.
func TestRenewWithoutWhatIsNeeded(t *testing.T) {
	d := shipped(t, "")
	d.write("molt.yaml", d.read("molt.yaml")+"\nstages: {bridges: apart}\n")
	d.run(0, "plan", "--fresh", "none")
	text := d.read("molt-plan.yaml")
	from, to := strings.Index(text, "  - id: bridge-tidepool-pages"), strings.Index(text, "  # The framework, with")
	d.write("molt-plan.yaml", text[:from]+text[to:])
	d.says(1, []string{"plan", "--check"},
		"stage goal-4 does not resolve from where things stand; molt plan --renew makes the plan anew")
	d.says(0, []string{"step", "--quiet"}, "the plan was edited, and later on it does not hold: molt-plan.yaml:",
		"resolve; molt plan --check tells more", "bridge-brackwater-forms is done")
	d.says(0, []string{"plan", "--renew"}, "What people decided, and holds no longer",
		"what was dropped of bridge-tidepool-pages: stage goal-4 does not resolve", "stage bridge-tidepool-pages is new")
	d.says(0, []string{"plan", "--check"}, "still to do resolves")
}

// What makes no sense in a plan is pointed at.
func TestPlanEditedIntoNonsense(t *testing.T) {
	d := shipped(t, "")
	d.run(0, "plan")
	text := d.read("molt-plan.yaml")
	for _, test := range []struct{ old, new, says string }{
		{"version: 3.8.5\n        jump", "version: 3.8.55\n        jump",
			"brackwater has no release 3.8.55; nearest are 3.8.2, 3.8.5, 3.9.0, 4.0.0"},
		{"constraint: 2.4.1", "constraint: boat and oar", "stage minor: gannet-seats: constraint \"boat and oar\", byte 1"},
		{"constraint: 2.4.1", "constraint: ~1.6.0", "the constraint ~1.6.0 does not admit 2.4.1"},
		{"constraint: ~1.4.2", "constraint: ~1.3.0",
			"dayboat-dates asks for ~1.4.2 (package.json:17), the plan expects ~1.3.0"},
		{"group: devDependencies", "group: sometime", "\"sometime\""},
		{"kind: patch\n", "kind: patch\n    speed: high\n", "speed"},
	} {
		if !strings.Contains(text, test.old) {
			t.Fatalf("the plan lacks %q", test.old)
		}
		d.write("molt-plan.yaml", strings.Replace(text, test.old, test.new, 1))
		d.says(2, []string{"plan", "--check"}, test.says, "molt-plan.yaml:")
	}
}

// Goals that are reached, or lie behind, or go together.
func TestGoalsOfACall(t *testing.T) {
	d := shipped(t, "")
	d.says(0, []string{"plan", "brackwater@3", "--fresh", "none", "--dry-run"},
		"brackwater@3 is reached already; there is nothing to do.")
	d.says(2, []string{"plan", "brackwater@2"},
		"no release of brackwater fits; published majors: 3, 4, 5, 6 (previews only)")
	d.write("package.json", strings.Replace(d.read("package.json"), `"plankton-log": "^0.8.1"`, `"plankton-log": "^0.9.0"`,
		1))
	d.run(0, "relock")
	d.says(2, []string{"plan", "plankton-log@0.8"}, "is older than what is in use")
	d.says(0, []string{"plan", "brackwater@5", "node@24", "--leap", "--fresh", "none", "--dry-run"},
		"brackwater@5 node@24 in", "the goal needs >=24")
	d.says(0, []string{"assess", "brackwater@5", "ledgerleaf@5", "--gate"},
		"brackwater 5 with ledgerleaf@5 can be reached, with 5.2.1; dates speak against ledgerleaf.")
	d.says(2, []string{"assess", "brackwater@4", "legerleaf@5"}, "did you mean ledgerleaf?")
	d.says(2, []string{"plan", "--fresh", "daily"}, "expected none, patch, minor or major")
	d.says(2, []string{"plan", "--split", "minor"}, "there is no molt-plan.yaml")
	d.says(2, []string{"plan", "x@1", "--renew"}, "expected goals, or one of")
}

func TestGate(t *testing.T) {
	d := demoDesk(t)
	out := d.says(1, []string{"assess", "--gate"}, "brackwater 5 is out of reach; it waits for quaymaster-map.")
	if strings.Count(out, "\n") != 1 {
		t.Errorf("a gate says one line, not\n%s", out)
	}
	d.says(0, []string{"assess", "brackwater@3", "--gate"}, "brackwater 3 is reached already, with")
	d.says(0, []string{"assess", "brackwater@3"}, "brackwater 3 is reached already: everything declared resolves with")
	d.says(0, []string{"assess", "--gate", "--preview", "quaymaster-map"},
		"brackwater 5 can be reached, with 5.2.1; dates speak against ledgerleaf.")
}
