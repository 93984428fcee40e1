package stages

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"syscall"
	"testing"

	"molt/app/layout"
	"molt/app/ledger"
	"molt/app/open"
	"molt/app/planfile"
	"molt/app/run"
	"molt/txn"
)

// posix skips a test of which the checks are written for a POSIX shell.
func posix(t *testing.T) {
	t.Helper()
	if runtime.GOOS == "windows" {
		t.Skip("the checks are written for a POSIX shell")
	}
}

// stepped is the files that a stage changes, as one text.
func (b *bench) stepped() string {
	b.Helper()
	var text strings.Builder
	for _, name := range []string{"package.json", "molt.lock", planfile.File, "generated.txt", "fresh.txt"} {
		fmt.Fprintf(&text, "== %s\n%s", name, b.read(name))
	}
	return text.String() + b.tree()
}

// A tripwire ends the process, as far as files go, before the operation that is due.
type tripwire struct {
	due, count int
	once       bool  // only that operation fails
	err        error // with this
	ops        []string
}

func (w *tripwire) before(op, name string) error {
	w.count++
	w.ops = append(w.ops, op+" "+name)
	if w.count == w.due || w.count > w.due && w.due > 0 && !w.once {
		return w.err
	}
	return nil
}

// prepared makes a folder with a plan of which the next stage has a task.
func prepared(t *testing.T) *bench {
	b := newBench(t, map[string]string{"package.json": deskManifest, "generated.txt": "old\n",
		"molt.yaml": "install: molt\nchecks:\n  - {name: fine, run: 'true'}\nstages:\n  tasks:\n    - {name: generate, " +
			"with: [deck], run: 'echo new >generated.txt; echo fresh >fresh.txt'}\n"})
	a := b.planned()
	if _, err := layout.Install(context.Background(), a.View, layout.InstallOrder{}); err != nil {
		t.Fatal(err)
	}
	return b
}

// Whenever the process ends, after whichever file operation, the next one finds all as before the stage or all as after
// it, and says when it repaired something.
func TestCrashAfterEveryOperation(t *testing.T) {
	posix(t)
	t.Parallel()
	origin := prepared(t)
	before := origin.stepped()
	crash := func(due int) (b *bench, w *tripwire, err error) {
		b = &bench{t, filepath.Join(t.TempDir(), "desk"), origin.env}
		if err := os.CopyFS(b.dir, os.DirFS(origin.dir)); err != nil {
			t.Fatal(err)
		}
		a := b.use()
		w = &tripwire{due: due, err: errors.New("the plug is pulled")}
		a.Files.BeforeEach = w.before
		_, err = takeStep(context.Background(), &a, StepOrder{}, run.Watcher{})
		b.done()
		return b, w, err
	}
	whole, w, err := crash(0)
	if err != nil {
		t.Fatal(err)
	}
	after := whole.stepped()
	if after == before || whole.read("generated.txt") != "new\n" || whole.read("fresh.txt") != "fresh\n" {
		t.Fatalf("the stage did not do its work:\n%s", after)
	}
	operations, befores, afters := w.count, 0, 0
	for due := 1; due <= operations; due += stride() {
		b, w, err := crash(due)
		if err == nil {
			t.Fatalf("operation %d failed and the step did not", due)
		}
		journal := b.read(".molt/journal.json") != ""
		a, release, err := b.open().Take()
		if err != nil {
			t.Fatalf("after %q: %v", w.ops[due-1], err)
		}
		switch now := b.stepped(); {
		case now == before && b.read(ledger.File) == "":
			befores++
		case now == after && strings.Count(b.read(ledger.File), "\n") == 1:
			afters++
		case strings.Replace(now, "fresh\n", "", 1) == before:
			// What a task has just made is not known yet to be its own, and nobody's file is deleted on a guess.
			befores++
		default:
			t.Errorf("a crash before %q leaves\n%s", w.ops[due-1], now)
		}
		if journal != (a.Repaired != "") || journal && !strings.Contains(a.Repaired, "stage bridge-deck") {
			t.Errorf("a crash before %q: the repair says %q", w.ops[due-1], a.Repaired)
		}
		if left, err := filepath.Glob(filepath.Join(b.dir, txn.PartDir, "*")); err != nil || len(left) > 0 {
			t.Errorf("a crash before %q leaves %v", w.ops[due-1], left)
		}
		release()
	}
	t.Logf("%d operations; %d crashes lead to before, %d to after", operations, befores, afters)
	if befores < 20/stride() || afters < 1 {
		t.Errorf("of %d crashes %d lead to before and %d to after", operations, befores, afters)
	}
}

// A disk that is full for one operation makes the step fail, and leaves all as before.
func TestFullDisk(t *testing.T) {
	posix(t)
	t.Parallel()
	origin := prepared(t)
	before := origin.stepped()
	for due := 1; ; due += stride() {
		b := &bench{t, filepath.Join(t.TempDir(), "desk"), origin.env}
		if err := os.CopyFS(b.dir, os.DirFS(origin.dir)); err != nil {
			t.Fatal(err)
		}
		a := b.use()
		w := &tripwire{due: due, once: true, err: syscall.ENOSPC}
		a.Files.BeforeEach = w.before
		_, err := takeStep(context.Background(), &a, StepOrder{}, run.Watcher{})
		b.done()
		if w.count < due {
			break
		}
		if !errors.Is(err, syscall.ENOSPC) {
			t.Errorf("a full disk at %q: %v", w.ops[due-1], err)
		}
		_, release, err := b.open().Take()
		if err != nil {
			t.Fatal(err)
		}
		release()
		if left, _ := filepath.Glob(filepath.Join(b.dir, ".molt/backup", "*")); len(left) > 1 {
			t.Errorf("a full disk at %q leaves backups that nobody needs: %v", w.ops[due-1], left)
		}
		completed := strings.Count(b.read(ledger.File), "\n") == 1
		if now := b.stepped(); now != before && !completed {
			t.Errorf("a full disk at %q leaves\n%s", w.ops[due-1], now)
		}
	}
}

// A check that failed before the first stage is not blamed on it; one that passed before is.
func TestFailuresFromBefore(t *testing.T) {
	posix(t)
	b := newBench(t, map[string]string{"package.json": deskManifest,
		"molt.yaml": "checks:\n  - {name: always broken, run: exit 3}\n  - {name: fine, run: 'true'}\n"})
	a := b.planned()
	step, err := takeStep(context.Background(), &a, StepOrder{}, run.Watcher{})
	if err != nil || !step.Passed || len(step.Before) != 2 || step.Before[0].Passed || !step.Verdicts[0].Before ||
		!step.Verdicts[1].Passed {
		t.Fatalf("the first stage: %+v, %v", step, err)
	}
	step, err = takeStep(context.Background(), &a, StepOrder{}, run.Watcher{})
	if err != nil || !step.Passed || step.Before != nil || !step.Verdicts[0].Before {
		t.Errorf("the second stage, before which nothing has to run: %+v, %v", step, err)
	}
}

// Checks run where and for what they are meant, with what they need around them.
func TestChecksAsConfigured(t *testing.T) {
	posix(t)
	b := newBench(t, map[string]string{"package.json": deskManifest, "molt.yaml": `checks:
  - name: place
    run: test "$(basename "$PWD")" = desk && test "$TIDE" = high && test "$MOLT_STAGE" != ""
    folder: desk
    env: {TIDE: high}
  - name: only the goal
    run: 'false'
    kinds: [goal]
`})
	if err := os.Mkdir(filepath.Join(b.dir, "desk"), 0o755); err != nil {
		t.Fatal(err)
	}
	a := b.planned()
	if step, err := takeStep(context.Background(), &a, StepOrder{}, run.Watcher{}); err != nil || !step.Passed ||
		len(step.Verdicts) != 1 {
		t.Errorf("a bridge: %+v, %v", step, err)
	}
	for _, text := range []string{
		"checks: [{name: x, run: y, kinds: [someday]}]", "checks: [{name: x, run: y, folder: ../z}]",
		"checks: [{name: x, run: y}, {name: x, run: z}]", "stages: {tasks: [{name: x, run: y}]}",
		"checks: [{name: x, run: y, limit: -1s}]"} {
		b.write("molt.yaml", text)
		if _, err := open.Open(open.Settings{Dir: b.dir}); err == nil || !strings.Contains(err.Error(), "molt.yaml:1:") {
			t.Errorf("%s: %v", text, err)
		}
	}
}

// What a task changes is part of the stage: it goes with a failed check, and comes back with the stage.
func TestTasksArePartOfTheStage(t *testing.T) {
	posix(t)
	b := prepared(t)
	before := b.stepped()
	b.write("molt.yaml", strings.Replace(b.read("molt.yaml"), "run: 'true'", "run: grep -q old generated.txt", 1))
	a := b.use2()
	step, err := takeStep(context.Background(), &a, StepOrder{}, run.Watcher{})
	if err != nil || step.Passed || len(step.Verdicts) != 2 || !step.Verdicts[0].Task || b.stepped() != before {
		t.Fatalf("a failed stage with a task: %+v, %v", step, err)
	}
	b.write("molt.yaml", strings.Replace(
		b.read("molt.yaml"), "grep -q old generated.txt", "grep -q new generated.txt || grep -q hulk generated.txt || echo",
		1))
	a = b.use2()
	step, err = takeStep(context.Background(), &a, StepOrder{}, run.Watcher{})
	if err != nil || !step.Passed || fmt.Sprint(step.Changed) != "[generated.txt fresh.txt]" {
		t.Fatalf("%+v, %v", step, err)
	}
	if _, err := Back(context.Background(), a.View, "", false); err != nil || b.stepped() != before {
		t.Errorf("back leaves\n%s, %v", b.stepped(), err)
	}
}

// What a check leaves running ends with it, and does not hold it up.
func TestLeftoversOfAChecks(t *testing.T) {
	posix(t)
	b := newBench(t, map[string]string{"package.json": deskManifest,
		"molt.yaml": "checks:\n  - {name: server, run: '(sleep 40; touch afloat) & echo $! >pid'}\n"})
	a := b.planned()
	if step, err := takeStep(context.Background(), &a, StepOrder{}, run.Watcher{}); err != nil || !step.Passed {
		t.Fatalf("%+v, %v", step, err)
	}
	if _, err := os.Stat(filepath.Join(b.dir, "afloat")); err == nil {
		t.Error("a check was held up by what it had started")
	}
	var pid int
	if _, err := fmt.Sscan(b.read("pid"), &pid); err != nil {
		t.Fatal(err)
	}
	if data, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid)); !errors.Is(err, fs.ErrNotExist) &&
		!strings.Contains(string(data), ") Z ") {
		t.Errorf("process %d is still there: %s, %v", pid, data, err)
	}
}

// A disk on which there is no room any more, from some moment on, does not keep a failed stage from
// being taken back: that needs no room.
func TestDiskStaysFull(t *testing.T) {
	posix(t)
	t.Parallel()
	origin := prepared(t)
	before := origin.stepped()
	needsRoom := func(op string) bool {
		return op == "create" || op == "fill" || op == "copy" || op == "make folder" || op == "flush"
	}
	for due := 1; ; due++ {
		b := &bench{t, filepath.Join(t.TempDir(), "desk"), origin.env}
		if err := os.CopyFS(b.dir, os.DirFS(origin.dir)); err != nil {
			t.Fatal(err)
		}
		a := b.use()
		count := 0
		a.Files.BeforeEach = func(op, name string) error {
			if needsRoom(op) {
				if count++; count >= due {
					return syscall.ENOSPC
				}
			}
			return nil
		}
		_, err := takeStep(context.Background(), &a, StepOrder{}, run.Watcher{})
		b.done()
		if count < due {
			break
		}
		if !errors.Is(err, syscall.ENOSPC) {
			t.Errorf("full from the %d. on: %v", due, err)
		}
		completed := strings.Count(b.read(ledger.File), "\n") == 1
		if now := b.stepped(); now != before && !completed && strings.Replace(now, "fresh\n", "", 1) != before {
			t.Errorf("full from the %d. on, it leaves\n%s", due, now)
		}
		if says := open.Unfinished(b.open()); says != "" {
			t.Errorf("full from the %d. on: %s", due, says)
		}
	}
}

// stride is how many operations lie between two crashes that are tried: all of them are with MOLT_SEEDS, which .ci/run sets.
func stride() int {
	if os.Getenv("MOLT_SEEDS") != "" {
		return 1
	}
	return 3
}
