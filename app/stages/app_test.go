package stages

import (
	"context"
	"errors"
	"io/fs"
	"net/http/httptest"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"testing"
	"time"

	"molt/app/ledger"
	"molt/app/locking"
	"molt/app/open"
	"molt/app/planfile"
	"molt/app/run"
	"molt/core/plan"
	"molt/core/project"
	"molt/ecosystem/js"
	"molt/ecosystem/js/ranges"
	"molt/ecosystem/standin"
	"molt/input"
	"molt/txn"
	"molt/txn/txntest"
)

func TestMain(m *testing.M) {
	remove := txntest.InMemory()
	code := m.Run()
	remove()
	os.Exit(code)
}

const harbour = `
package hulk
  3.0.0  2023-01-01
  3.1.0  2023-06-01
  4.0.0  2025-01-01  runtime:node@>=22
package deck
  1.0.0  2023-01-01  peer:hulk@^3
  2.0.0  2025-01-10  peer:hulk@^3||^4
package keel
  1.0.0  2023-01-01
  1.0.5  2026-11-01
`

const deskManifest = "{\n\t\"name\": \"desk\",\n\t\"dependencies\": {\n\t\t\"hulk\": \"^3.0.0\",\n\t\t\"deck\": " +
	"\"^1.0.0\"\n\t}\n}\n"

// A bench is an application in a temporary folder with a registry beside it.
type bench struct {
	*testing.T
	dir string
	env map[string]string
}

// free releases the folders that a test has in use.
var free sync.Map // of func(), by folder

// done ends the use of the folder.
func (b *bench) done() {
	if release, used := free.LoadAndDelete(b.dir); used {
		release.(func())()
	}
}

// use2 uses the folder again, as another call of Molt would.
func (b *bench) use2() *open.Question {
	b.Helper()
	b.done()
	return b.use()
}

func newBench(t *testing.T, files map[string]string) *bench {
	t.Helper()
	table, err := standin.ReadUniverse("harbour", []byte(harbour), ranges.Scheme)
	if err != nil {
		t.Fatal(err)
	}
	server := httptest.NewServer(js.JS{}.StandIn(table))
	t.Cleanup(server.Close)
	b := &bench{T: t, dir: t.TempDir(),
		env: map[string]string{"MOLT_REGISTRY_JS": server.URL, "MOLT_CACHE": t.TempDir(), "MOLT_STATE": t.TempDir(),
			"MOLT_ALLOW_COMMANDS": "all"}}
	for name, text := range files {
		b.write(name, text)
	}
	return b
}

func (b *bench) write(name, text string) {
	b.Helper()
	if err := os.WriteFile(filepath.Join(b.dir, name), []byte(text), 0o644); err != nil {
		b.Fatal(err)
	}
}

func (b *bench) read(name string) string {
	b.Helper()
	data, err := os.ReadFile(filepath.Join(b.dir, name))
	if errors.Is(err, fs.ErrNotExist) {
		return ""
	}
	if err != nil {
		b.Fatal(err)
	}
	return string(data)
}

func (b *bench) open() *open.View {
	b.Helper()
	a, err := open.Open(open.Settings{Dir: b.dir, Jobs: 4, Env: func(k string) string { return b.env[k] }})
	if err != nil {
		b.Fatal(err)
	}
	return a
}

// use opens the application for changing it, with its registry.
func (b *bench) use() *open.Question {
	b.Helper()
	a, release, err := b.open().Take()
	if err != nil {
		b.Fatal(err)
	}
	free.Store(b.dir, release)
	b.Cleanup(b.done)
	q, err := a.Ask(context.Background(), a.DeclaredPackages())
	if err != nil {
		b.Fatal(err)
	}
	b.Cleanup(q.Close)
	return q
}

// planned locks the application and writes a plan for hulk 4.
func (b *bench) planned() *open.Question {
	b.Helper()
	a := b.use()
	_, data, err := locking.Relock(context.Background(), a)
	if err != nil {
		b.Fatal(err)
	}
	if err := locking.WriteLock(a.View, data); err != nil {
		b.Fatal(err)
	}
	if a, err = a.Again(context.Background()); err != nil {
		b.Fatal(err)
	}
	made, err := plan.NewPlan(context.Background(), a.Source, a.Application(),
		[]project.Goal{{Name: "hulk", Constraint: "4"}}, plan.Cut{})
	if err != nil {
		b.Fatal(err)
	}
	if _, err := WritePlan(a.View, planfile.New(made, a.Say)); err != nil {
		b.Fatal(err)
	}
	return a
}

// takeStep carries out a stage, and reads the application again.
func takeStep(ctx context.Context, a **open.Question, order StepOrder, watch run.Watcher) (*Step, error) {
	e := NewExecution(*a, watch)
	step, err := e.Step(ctx, order)
	*a = e.Question
	return step, err
}

func TestStepsAndBack(t *testing.T) {
	b := newBench(t, map[string]string{"package.json": deskManifest})
	a := b.planned()
	states := []string{b.read("package.json") + b.read("molt.lock")}
	var stages []string
	for {
		step, err := takeStep(context.Background(), &a, StepOrder{}, run.Watcher{})
		if err != nil {
			t.Fatal(err)
		}
		if !step.Passed {
			t.Fatalf("stage %s failed: %+v", step.Stage.ID, step.Verdicts)
		}
		stages = append(stages, step.Stage.ID)
		states = append(states, b.read("package.json")+b.read("molt.lock"))
		if step.Left == 0 {
			break
		}
	}
	if got := strings.Join(stages, " "); got != "bridge-deck goal-4" {
		t.Errorf("the stages are %s", got)
	}
	if m := b.read("package.json"); !strings.Contains(m, "\t\t\"hulk\": \"^4.0.0\",\n\t\t\"deck\": \"^2.0.0\"\n") {
		t.Errorf("the manifest is %s", m)
	}
	if found, err := locking.Verify(context.Background(), a.View); err != nil || len(found) > 0 {
		t.Errorf("the result does not verify: %v, %v", found, err)
	}
	var usage *input.UsageError
	if _, err := takeStep(context.Background(), &a, StepOrder{}, run.Watcher{}); !errors.As(err, &usage) {
		t.Errorf("a step beyond the last: %v", err)
	}
	for i := len(stages) - 1; i >= 0; i-- {
		back, err := Back(context.Background(), a.View, "", false)
		if err != nil || len(back.Stages) != 1 || back.Stages[0] != stages[i] {
			t.Fatalf("back from %s: %v, %v", stages[i], back, err)
		}
		if now := b.read("package.json") + b.read("molt.lock"); now != states[i] {
			t.Errorf("before %s the files are\n%s\nnot\n%s", stages[i], now, states[i])
		}
	}
	if _, err := Back(context.Background(), a.View, "", false); !errors.As(err, &usage) {
		t.Errorf("back beyond the first: %v", err)
	}
	// And all the way again, then back in one go.
	a = b.reopened()
	for range stages {
		if _, err := takeStep(context.Background(), &a, StepOrder{}, run.Watcher{}); err != nil {
			t.Fatal(err)
		}
	}
	if back, err := Back(context.Background(), a.View, "bridge-deck", false); err != nil || len(back.Stages) != 2 {
		t.Errorf("back to the beginning: %v, %v", back, err)
	}
	if now := b.read("package.json") + b.read("molt.lock"); now != states[0] {
		t.Error("the first state did not come back")
	}
	if doc, err := a.ReadPlan(); err != nil || doc.Next().ID != "bridge-deck" {
		t.Errorf("the plan's next stage is %+v, %v", doc.Next(), err)
	}
}

func TestBackRefusesToLoseEdits(t *testing.T) {
	b := newBench(t, map[string]string{"package.json": deskManifest})
	a := b.planned()
	if _, err := takeStep(context.Background(), &a, StepOrder{}, run.Watcher{}); err != nil {
		t.Fatal(err)
	}
	edited := b.read("package.json") + "\n"
	b.write("package.json", edited)
	var lost *ledger.EditedError
	if _, err := Back(context.Background(), a.View, "", false); !errors.As(err, &lost) ||
		b.read("package.json") != edited || !strings.Contains(lost.Edits, "+++ package.json as it is") {
		t.Errorf("back over an edit: %v, which shows %+v", err, lost)
	}
}

func TestFailedCheckTakesTheStageBack(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("the checks are written for a POSIX shell")
	}
	b := newBench(t, map[string]string{"package.json": deskManifest,
		"molt.yaml": "checks:\n  - name: first\n    run: echo fine\n  - name: sinks\n    run: |\n      grep -q 'hulk.: " +
			".^3' package.json || { echo glug; exit 7; }\n  - name: never\n    run: touch never\n"})
	a := b.planned()
	if step, err := takeStep(context.Background(), &a, StepOrder{ID: "bridge-deck"}, run.Watcher{}); err != nil ||
		!step.Passed || len(step.Verdicts) != 3 {
		t.Fatalf("the first stage: %+v, %v", step, err)
	}
	if err := os.Remove(filepath.Join(b.dir, "never")); err != nil {
		t.Fatal(err)
	}
	before := b.read("package.json") + b.read("molt.lock") + b.read("molt-plan.yaml") + b.read(ledger.File)
	step, err := takeStep(context.Background(), &a, StepOrder{}, run.Watcher{})
	if err != nil || step.Passed || len(step.Verdicts) != 2 {
		t.Fatalf("the second stage: %+v, %v", step, err)
	}
	if v := step.Verdicts[1]; v.Name != "sinks" || !strings.Contains(v.Says, "glug") ||
		!strings.Contains(b.read(v.Log), "glug") {
		t.Errorf("the verdict is %+v", v)
	}
	if b.read("package.json")+b.read("molt.lock")+b.read("molt-plan.yaml")+b.read(ledger.File) != before {
		t.Error("the failed stage left something behind")
	}
	if b.read(".molt/journal.json") != "" {
		t.Error("the journal was left behind")
	}
}

func TestCheckLimits(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("the checks are written for a POSIX shell")
	}
	b := newBench(t, map[string]string{"package.json": deskManifest,
		"molt.yaml": "checks:\n  - name: endless\n    limit: 300ms\n    run: |\n      grep -q 'deck.: .^1' package.json || " +
			"{ sleep 60 & sleep 60; touch late; }\n"})
	a := b.planned()
	step, err := takeStep(context.Background(), &a, StepOrder{}, run.Watcher{})
	if err != nil || step.Passed || !strings.Contains(step.Verdicts[0].Says, "not done after 300ms") {
		t.Errorf("an endless check: %+v, %v", step, err)
	}
	if _, err := os.Stat(filepath.Join(b.dir, "late")); err == nil {
		t.Error("the limit was not honoured")
	}
	// An interrupt in the middle of a check leaves the files as they were.
	before := b.read("package.json") + b.read("molt.lock")
	b.write("molt.yaml", "checks:\n  - name: endless\n    run: sleep 60\n")
	a = b.reopened()
	ctx, cancel := context.WithCancel(context.Background())
	if _, err := takeStep(ctx, &a, StepOrder{}, run.Watcher{Begin: func(string) { cancel() }}); !errors.Is(
		err, context.Canceled) {
		t.Errorf("an interrupted step: %v", err)
	}
	if b.read("package.json")+b.read("molt.lock") != before {
		t.Error("an interrupted step changed files")
	}
}

// reopened opens the application again, with the folder still in use.
func (b *bench) reopened() *open.Question {
	b.Helper()
	q, err := b.open().Ask(context.Background(), nil)
	if err != nil {
		b.Fatal(err)
	}
	b.Cleanup(q.Close)
	return q
}

func TestTwoAtOnce(t *testing.T) {
	b := newBench(t, map[string]string{"package.json": deskManifest})
	b.use()
	var busy *txn.BusyError
	if _, _, err := b.open().Take(); !errors.As(err, &busy) {
		t.Errorf("a second Molt: %v", err)
	}
	if ignored := b.read(".molt/.gitignore"); ignored != "*\n" {
		t.Errorf(".molt does not ignore itself: %q", ignored)
	}
}

func TestStalePlan(t *testing.T) {
	b := newBench(t, map[string]string{"package.json": deskManifest})
	a := b.planned()
	var stale *input.PositionError
	var usage *input.UsageError
	if _, err := takeStep(context.Background(), &a, StepOrder{ID: "goal-4"}, run.Watcher{}); !errors.As(err, &usage) ||
		!strings.Contains(err.Error(), "next stage is \"bridge-deck\"") {
		t.Errorf("a stage out of turn: %v", err)
	}
	if _, err := takeStep(context.Background(), &a, StepOrder{ID: "nowhere"}, run.Watcher{}); !errors.As(err, &usage) {
		t.Errorf("an unknown stage: %v", err)
	}
	b.write("package.json", strings.Replace(deskManifest, "^1.0.0", "~1.0.0", 1))
	a = b.reopened()
	if _, err := takeStep(context.Background(), &a, StepOrder{}, run.Watcher{}); !errors.As(err, &stale) ||
		!strings.Contains(err.Error(),
			"molt-plan.yaml:14:9: stage bridge-deck: deck asks for ~1.0.0 (package.json:5), the plan expects ^1.0.0") {
		t.Errorf("a manifest that moved on: %v", err)
	}
	b.write("package.json", strings.Replace(deskManifest, ",\n\t\t\"deck\": \"^1.0.0\"", "", 1))
	a = b.reopened()
	if _, err := takeStep(context.Background(), &a, StepOrder{}, run.Watcher{}); !errors.As(err, &stale) {
		t.Errorf("a declaration that is gone: %v", err)
	}
}

func TestRuntimeStageIsCheckedNotBelieved(t *testing.T) {
	b := newBench(t, map[string]string{"package.json": deskManifest, "molt.yaml": "runtime:\n  node: 20.1.0\n"})
	a := b.planned()
	if _, err := takeStep(context.Background(), &a, StepOrder{}, run.Watcher{}); err != nil {
		t.Fatal(err)
	}
	step, err := takeStep(context.Background(), &a, StepOrder{}, run.Watcher{})
	if err != nil || step.Passed || step.Stage.ID != "runtime-4" || !strings.Contains(step.Verdicts[0].Says, "raise it") {
		t.Errorf("the runtime was not raised: %+v, %v", step, err)
	}
	b.write("molt.yaml", "runtime:\n  node: 22.0.0\n")
	a = b.reopened()
	for _, want := range []string{"runtime-4", "goal-4"} {
		if step, err = takeStep(context.Background(), &a, StepOrder{}, run.Watcher{}); err != nil || !step.Passed ||
			step.Stage.ID != want {
			t.Errorf("stage %s: %+v, %v", want, step, err)
		}
	}
}

func TestVerify(t *testing.T) {
	b := newBench(t, map[string]string{"package.json": deskManifest})
	says := func(want ...string) {
		t.Helper()
		found, err := locking.Verify(context.Background(), b.open())
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, f := range found {
			got = append(got, f.About+": "+f.Says.String())
		}
		for i, w := range want {
			if i >= len(got) || !strings.Contains(got[i], w) {
				t.Errorf("found %q, want %q", got, want)
				return
			}
		}
		if len(got) != len(want) {
			t.Errorf("found %q, want %q", got, want)
		}
	}
	says("lock: no lock(molt.lock)")
	b.planned()
	says()
	b.write("package.json", strings.Replace(deskManifest, "\"^3.0.0\"", "\"^3.1.0\"", 1))
	says("manifest: at a line(package.json, 4, locked for another(hulk, ^3.1.0, ^3.0.0))")
	b.write("package.json", strings.Replace(deskManifest, "\"deck\"", "\"keel\"", 1))
	says("manifest: at a line(package.json, 5, not locked so(keel, ^1.0.0))",
		"lock: locked and not asked(deck, dependencies)")
	b.write("package.json", deskManifest)
	b.write("molt.lock", strings.Replace(b.read("molt.lock"), "peer.\"hulk ^3\"", "peer.\"hulk ^4\"", 1))
	says("lock: lock contradicts itself(deck@1.0.0 asks for hulk ^4")
	b.write("molt.lock", strings.Replace(
		b.read("molt.lock"), "peer.\"hulk ^4\"", "runtime.\"node\" = \">=22\"\npeer.\"hulk ^3\"", 1))
	b.write("molt.yaml", "runtime: {node: 20.0.0}\n")
	says("runtime: runtime does not suit(node, 20.0.0, is deployed there(), deck@1.0.0, >=22)")
}

func TestConfigErrors(t *testing.T) {
	tests := []struct{ text, says string }{
		{"goal: hulk@5\ncheks: []\n", "molt.yaml:2:1: unknown key \"cheks\"; did you mean \"checks\"?"},
		{"weather: fair\n", "molt.yaml:1:1: unknown key \"weather\""},
		{"goal: [1\n", "molt.yaml:1:"},
		{"- a\n", "molt.yaml:1:1: expected keys"},
		{"settle: soon\n", "molt.yaml:1:9: \"soon\": expected a number of days"},
		{"hold:\n  keel: {reason: slow, until: tomorrow}\n", "molt.yaml:2:31: \"tomorrow\": expected a date"},
		{"hold:\n  keel: {until: 2026-01-01}\n", "a hold needs a reason"},
		{"checks:\n  - name: x\n", "a name and a command"},
		{"checks:\n  - {name: x, run: y, limit: forever}\n", "\"forever\": expected a time"},
		{"checks:\n  - {name: x, ran: y}\n", "unknown key"},
		{"runtime: 20\n", "molt.yaml:1:"},
		{"goal: soon@1\nsettle: soon\n", "molt.yaml:2:9: \"soon\": expected a number of days"},
		{"checks:\n  - {name: forever, run: forever, limit: forever}\n", "molt.yaml:2:42: \"forever\": expected a time"},
		{"hold:\n  hulc: {reason: hulc}\n", "molt.yaml:2:3: \"hulc\": no declared package has this name; did you mean hulk?"},
		{"runtime:\n  quay: {node: \"20\"}\n  pier: {node: x}\n", "molt.yaml:3:16: \"x\": the deployed version of node"},
		{"stages:\n  fresh: fresh\n", "molt.yaml:2:10: \"fresh\": expected none"},
	}
	for _, test := range tests {
		b := newBench(t, map[string]string{"package.json": deskManifest, "molt.yaml": test.text})
		_, err := open.Open(open.Settings{Dir: b.dir, Env: func(string) string { return "" }})
		var place *input.PositionError
		if !errors.As(err, &place) || !strings.Contains(err.Error(), test.says) {
			t.Errorf("%q: %v, want an error that says %q", test.text, err, test.says)
		}
	}
	for _, fine := range []string{"", "# nothing\n", "goal: hulk@5\n", "---\ngoal: hulk@5\n"} {
		b := newBench(t, map[string]string{"package.json": deskManifest, "molt.yaml": fine})
		b.open()
	}
}

func TestHoldsEnd(t *testing.T) {
	b := newBench(t, map[string]string{"package.json": deskManifest,
		"molt.yaml": "hold:\n  hulk: {reason: not yet, until: 2020-01-31}\n  deck: {reason: not ever}\n"})
	a := b.open()
	if held := a.Application().Held; len(held) != 1 || held[0] != "deck" {
		t.Errorf("held are %q", held)
	}
	if w := open.Warnings(a); len(w) != 1 || !strings.Contains(w[0], "the hold on hulk ended on 2020-01-31") {
		t.Errorf("warnings %q", w)
	}
}

// A release that has not settled, or did not exist on the day asked about, is not there.
func TestSettleAndAsOf(t *testing.T) {
	b := newBench(t, map[string]string{"package.json": "{\"dependencies\": {\"keel\": \"*\"}}"})
	newest := func(a *open.View) string {
		t.Helper()
		q, err := a.Ask(context.Background(), nil)
		if err != nil {
			t.Fatal(err)
		}
		defer q.Close()
		lock, _, err := locking.Relock(context.Background(), q)
		if err != nil {
			t.Fatal(err)
		}
		return lock.Packages[0].Version
	}
	if got := newest(b.open()); got != "1.0.5" {
		t.Errorf("the newest is %s", got)
	}
	a := b.open()
	a.Settings.AsOf = time.Date(2026, 10, 31, 0, 0, 0, 0, time.UTC)
	if got := newest(a); got != "1.0.0" {
		t.Errorf("on the last day of October the newest was %s", got)
	}
	a.Settings.AsOf = time.Date(2026, 11, 5, 0, 0, 0, 0, time.UTC)
	a.Config.Settle = "1 week"
	if got := newest(a); got != "1.0.0" {
		t.Errorf("four days old and taken: %s", got)
	}
}

func TestInputErrors(t *testing.T) {
	b := newBench(t, map[string]string{
		"package.json": "{\n \"dependencies\": {\n  \"ghost\": \"*\",\n  \"hulk\": \"^3.5.0\"\n }\n}"})
	a := b.open()
	q, err := a.Ask(context.Background(), nil)
	if err != nil {
		t.Fatal(err)
	}
	defer q.Close()
	if _, err := locking.CheckDeclared(context.Background(), q); err == nil ||
		err.Error() != "package.json:3:12: the registry has no package \"ghost\", which \"dependencies\" asks for" {
		t.Errorf("an unknown package: %v", err)
	}
	b.write("package.json", "{\n \"dependencies\": {\n  \"hulk\": \"^3.5.0\"\n }\n}")
	_, _, err = locking.Relock(context.Background(), b.reopened())
	var none *locking.NoReleaseError
	if !errors.As(err, &none) || err.Error() != "package.json:3:11: hulk: no published release fits \"^3.5.0\"; nearest "+
		"are 3.0.0, 3.1.0, 4.0.0" {
		t.Errorf("a constraint that admits nothing: %v", err)
	}
	b.env = map[string]string{}
	var usage *input.UsageError
	if _, err := b.open().Ask(context.Background(), nil); !errors.As(err, &usage) ||
		!strings.Contains(err.Error(), "set MOLT_REGISTRY_JS") {
		t.Errorf("no registry: %v", err)
	}
	if _, err := open.Open(open.Settings{Dir: t.TempDir()}); !errors.As(err, &usage) ||
		!strings.Contains(err.Error(), "there is no package.json") {
		t.Errorf("no manifest: %v", err)
	}
	if _, err := open.Open(open.Settings{Dir: b.dir, Ecosystem: "cobol"}); !errors.As(err, &usage) {
		t.Errorf("an unknown ecosystem: %v", err)
	}
}

func TestPlanFileErrors(t *testing.T) {
	const head = "molt-plan: 1\ngoal: hulk@4\nreachable: true\n"
	tests := []struct{ text, says string }{
		{"molt-plan: 9\ngoal: x\nreachable: true\nstages: []\n", "molt-plan.yaml:1:12: this is format 9"},
		{head + "stages:\n  - id: a\n    kind: patch\n    title: t\n    status: someday\n",
			"molt-plan.yaml:8:13: stage a: a status is"},
		{head + "stages:\n  - id: a\n    kind: patch\n    title: t\n    status: done\n  - id: a\n    kind: patch\n    " +
			"title: t\n    status: done\n", "an id of its own"},
		{head + "stages:\n  - id: a\n    kind: patch\n    title: t\n    status: done\n    changes:\n      - name: keel\n   " +
			"     group: dependencies\n", "needs a name, a group, and from or to"},
		{head + "stagse: []\n", "unknown key"},
		{"goal: [", "molt-plan.yaml:1:"},
	}
	for _, test := range tests {
		b := newBench(t, map[string]string{"package.json": deskManifest, planfile.File: test.text})
		_, err := b.open().ReadPlan()
		if err == nil || !strings.Contains(err.Error(), test.says) {
			t.Errorf("%q: %v, want an error that says %q", test.text, err, test.says)
		}
	}
}

// An edited plan is obeyed as far as it resolves: a change split off, a stage dropped.
func TestEditedPlan(t *testing.T) {
	b := newBench(t, map[string]string{"package.json": deskManifest})
	a := b.planned()
	doc, err := a.ReadPlan()
	if err != nil {
		t.Fatal(err)
	}
	doc.Stages = doc.Stages[1:] // without the bridge, hulk 4 does not resolve
	if _, err := WritePlan(a.View, doc); err != nil {
		t.Fatal(err)
	}
	before := b.read("package.json") + b.read("molt.lock")
	if _, err := takeStep(context.Background(), &a, StepOrder{}, run.Watcher{}); err == nil ||
		!strings.Contains(err.Error(), "stage goal-4") || !strings.Contains(err.Error(), "deck has the peer hulk ^3") {
		t.Errorf("a stage that does not resolve: %v", err)
	}
	if b.read("package.json")+b.read("molt.lock") != before {
		t.Error("a stage that does not resolve changed files")
	}
}
