package stages

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"molt/app/layout"
	"molt/app/locking"
	"molt/app/open"
	"molt/app/run"
	"molt/app/tree"
	"molt/archive"
	"molt/input"
)

// tree is what is installed, as one text: every file with what it holds.
func (b *bench) tree() string {
	b.Helper()
	var text strings.Builder
	root := filepath.Join(b.dir, "node_modules")
	err := filepath.WalkDir(root, func(at string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		rel, _ := filepath.Rel(b.dir, at) // it lies in there
		data, err := os.ReadFile(at)
		fmt.Fprintf(&text, "== %s\n%s", filepath.ToSlash(rel), data)
		return err
	})
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		b.Fatal(err)
	}
	return text.String()
}

// agrees fails the test when verify finds something about what is installed.
func (b *bench) agrees(a *open.View) {
	b.Helper()
	found, err := locking.Verify(context.Background(), a)
	if err != nil {
		b.Fatal(err)
	}
	for _, f := range found {
		if f.About == "installed" || f.About == "lock" {
			b.Errorf("verify finds: %s", f.Says)
		}
	}
}

// installed installs and expects no error.
func (b *bench) installed(a *open.View, order layout.InstallOrder) *layout.Installed {
	b.Helper()
	r, err := layout.Install(context.Background(), a, order)
	if err != nil {
		b.Fatal(err)
	}
	return r
}

func TestInstall(t *testing.T) {
	t.Parallel()
	b := newBench(t, map[string]string{"package.json": deskManifest})
	a := b.planned()
	if r := b.installed(a.View, layout.InstallOrder{Dry: true}); len(r.Added) != 2 || b.tree() != "" {
		t.Fatalf("for show: %+v\n%s", r, b.tree())
	}
	r := b.installed(a.View, layout.InstallOrder{})
	if len(r.Added) != 2 || r.Fetched != 2 || r.Untouched {
		t.Errorf("the first time: %+v", r)
	}
	b.agrees(b.open())
	whole := b.tree()
	if r := b.installed(a.View, layout.InstallOrder{}); !r.Untouched || r.Fetched != 0 {
		t.Errorf("the second time: %+v", r)
	}

	// What somebody edited in a package that stays is left, and what is missing is made anew.
	index := filepath.Join("node_modules", "deck", "index.js")
	b.write(index, "edited")
	if r := b.installed(a.View, layout.InstallOrder{}); len(r.Left) != 1 || r.Left[0] != "node_modules/deck/index.js" ||
		b.read(index) != "edited" {
		t.Errorf("after an edit: %+v", r)
	}
	if r := b.installed(a.View, layout.InstallOrder{Force: true}); len(r.Mended) != 1 || b.tree() != whole {
		t.Errorf("by force: %+v\n%s", r, b.tree())
	}
	if err := os.Remove(filepath.Join(b.dir, "node_modules", "hulk", "package.json")); err != nil {
		t.Fatal(err)
	}
	if r := b.installed(a.View, layout.InstallOrder{}); len(r.Mended) != 1 || r.Mended[0] != "hulk@3.0.0" &&
		r.Mended[0] != "hulk@3.1.0" || b.tree() != whole {
		t.Errorf("after a loss: %+v", r)
	}

	// Elsewhere, from the store alone.
	into := filepath.Join(t.TempDir(), "release")
	if r, err := layout.Install(context.Background(), a.Offline(), layout.InstallOrder{Into: into}); err != nil ||
		r.Linked == 0 {
		t.Errorf("into another folder: %+v, %v", r, err)
	}
	if data, err := os.ReadFile(filepath.Join(into, "node_modules", "deck", "package.json")); err != nil ||
		len(data) == 0 {
		t.Errorf("it holds %q, %v", data, err)
	}
	kept, err := a.Store()
	if err != nil {
		t.Fatal(err)
	}
	if err := kept.Clear(); err != nil {
		t.Fatal(err)
	}
	var missing *tree.MissingError
	if _, err := layout.Install(context.Background(), a.Offline(),
		layout.InstallOrder{Into: filepath.Join(t.TempDir(), "x")}); !errors.As(err, &missing) || len(missing.Releases) != 2 {
		t.Errorf("without a store, offline: %v", err)
	}
	if b.tree() != whole {
		t.Error("clearing the store took files away from the application")
	}
}

func TestInstallRefuses(t *testing.T) {
	t.Parallel()
	b := newBench(t, map[string]string{"package.json": deskManifest})
	var usage *input.UsageError
	refused := func(a *open.View, order layout.InstallOrder, says string) {
		t.Helper()
		if _, err := layout.Install(context.Background(), a, order); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%v, want %q", err, says)
		}
	}
	refused(b.open(), layout.InstallOrder{}, "there is no molt.lock")
	a := b.planned()
	refused(a.View, layout.InstallOrder{Groups: []string{"nonsense"}},
		"the lock has no declarations of that group; it has dependencies")
	b.write("package.json", strings.Replace(deskManifest, "^1.0.0", "^2.0.0", 1))
	if _, err := layout.Install(context.Background(), b.open(), layout.InstallOrder{}); !errors.As(err, &usage) ||
		!strings.Contains(err.Error(), "locked for another(deck, ^2.0.0") {
		t.Errorf("with another manifest: %v", err)
	}
	b.write("package.json", deskManifest)
	b.write("node_modules", "")
	refused(a.View, layout.InstallOrder{}, "node_modules is a file")
	if err := os.Remove(filepath.Join(b.dir, "node_modules")); err != nil {
		t.Fatal(err)
	}
	for _, dir := range []string{"node_modules", "node_modules/other"} {
		if err := os.MkdirAll(filepath.Join(b.dir, dir), 0o755); err != nil {
			t.Fatal(err)
		}
	}
	b.write("node_modules/other/package.json", `{"name": "other", "version": "1.0.0"}`)
	before := b.tree()
	var foreign *tree.ForeignError
	if _, err := layout.Install(context.Background(), a.View, layout.InstallOrder{}); !errors.As(err, &foreign) ||
		b.tree() != before {
		t.Errorf("over what another program laid out: %v", err)
	}
	b.installed(a.View, layout.InstallOrder{Force: true})
	b.agrees(b.open())

	// An archive that is not what the lock says is not unpacked.
	lock := b.read("molt.lock")
	at := strings.Index(lock, "sha512-") + len("sha512-")
	b.write("molt.lock", lock[:at]+strings.Repeat("A", 86)+"=="+lock[at+88:])
	before = b.tree()
	var digest *archive.DigestError
	if _, err := layout.Install(context.Background(), b.open(), layout.InstallOrder{}); !errors.As(err, &digest) ||
		b.tree() != before {
		t.Errorf("with another checksum: %v", err)
	}
}

// Checks see the packages of the stage; a stage that fails leaves the tree as it was, and so does a way back.
func TestStepsHaveTheirPackages(t *testing.T) {
	t.Parallel()
	posix(t)
	b := newBench(t, map[string]string{
		"package.json": deskManifest, "molt.yaml": "install: molt\nchecks:\n  - {name: deck, run: 'grep -q 1.0.0 " +
			"node_modules/deck/package.json'}\n"})
	a := b.planned()
	b.installed(a.View, layout.InstallOrder{})
	before := b.tree()
	step, err := takeStep(context.Background(), &a, StepOrder{}, run.Watcher{})
	if err != nil || step.Passed || b.tree() != before || len(step.Before) != 1 || !step.Before[0].Passed {
		t.Fatalf("a stage whose packages fail the check: %+v, %v", step, err)
	}
	b.agrees(b.open())
	b.write("molt.yaml", "install: molt\nchecks:\n  - {name: deck, run: 'grep -q 2.0.0 node_modules/deck/package.json'}\n")
	a = b.use2()
	if step, err = takeStep(context.Background(), &a, StepOrder{}, run.Watcher{}); err != nil || !step.Passed ||
		step.Unchecked != "" {
		t.Fatalf("a stage whose packages pass: %+v, %v", step, err)
	}
	if ran := a.Application().Ran; len(ran) != 1 || ran[0].Versions["deck"] != "2.0.0" || ran[0].Versions["hulk"] == "" {
		t.Errorf("it is remembered that the checks passed with %+v", ran)
	}
	if now := b.tree(); now == before || !strings.Contains(now, `"version": "2.0.0"`) {
		t.Errorf("the tree is\n%s", now)
	}
	b.agrees(b.open())
	if _, err := Back(context.Background(), a.View, "", false); err != nil || b.tree() != before {
		t.Errorf("back: %v\n%s", err, b.tree())
	}
	b.agrees(b.open())
	a = b.reopened()
	got, err := NewExecution(a, run.Watcher{}).Try(context.Background(), TrialOrder{})
	if err != nil || !got.Passed || got.Unchecked != "" || len(got.Verdicts) != 1 || b.tree() != before {
		t.Errorf("a trial: %+v, %v", got, err)
	}

	// The stages one after the other, each with its own packages, up to the one that fails.
	file, err := a.ReadPlan()
	if err != nil || len(file.Stages) < 2 {
		t.Fatal(file, err)
	}
	last := file.Stages[len(file.Stages)-1].ID
	if got, err = NewExecution(a, run.Watcher{}).Try(
		context.Background(), TrialOrder{UpTo: last, Each: true}); err != nil || !got.Passed || len(got.Each) < 2 {
		t.Errorf("all stages: %+v, %v", got, err)
	}
	b.write("molt.yaml", "install: molt\nchecks:\n  - {name: hulk, run: '! grep -q 4.0.0 "+
		"node_modules/hulk/package.json'}\n")
	a = b.use2()
	got, err = NewExecution(a, run.Watcher{}).Try(context.Background(), TrialOrder{UpTo: last, Each: true})
	if err != nil || got.Passed || len(got.Each) < 2 || !got.Each[0].Passed || got.Each[len(got.Each)-1].Passed ||
		b.tree() != before {
		t.Errorf("up to the stage that fails: %+v, %v", got, err)
	}
}

// No check passes on packages that are not the stage's.
func TestUnchecked(t *testing.T) {
	t.Parallel()
	posix(t)
	b := newBench(t, map[string]string{
		"package.json": deskManifest, "molt.yaml": "checks:\n  - {name: fine, run: 'true'}\n"})
	a := b.planned()
	for _, name := range []string{"hulk", "deck"} {
		if err := os.MkdirAll(filepath.Join(b.dir, "node_modules", name), 0o755); err != nil {
			t.Fatal(err)
		}
		b.write("node_modules/"+name+"/package.json", fmt.Sprintf(`{"name": %q, "version": "1.0.0"}`, name))
	}
	step, err := takeStep(context.Background(), &a, StepOrder{}, run.Watcher{})
	if err != nil || !strings.Contains(step.Unchecked, "what is installed is not what the lock says") ||
		len(step.Verdicts) != 0 {
		t.Errorf("%+v, %v", step, err)
	}
	got, err := NewExecution(a, run.Watcher{}).Try(context.Background(), TrialOrder{})
	var usage *input.UsageError
	if !errors.As(err, &usage) && (err != nil || got.Unchecked == "" || len(got.Verdicts) != 0) {
		t.Errorf("a trial: %+v, %v", got, err)
	}
}

// With a task, and a commit to come, the tree that a stage lays out is nobody's uncommitted work;
// without a word in molt.yaml it is laid out too.
func TestStepWithTaskAndPackages(t *testing.T) {
	t.Parallel()
	posix(t)
	b := newBench(t, map[string]string{
		"package.json": deskManifest, "molt.yaml": "checks:\n  - {name: deck, run: 'test -e " +
			"node_modules/deck/package.json'}\n" +
			"stages:\n  tasks:\n    - {name: generate, with: [deck], run: 'grep version node_modules/deck/package.json " +
			">generated.txt'}\n"})
	for _, args := range [][]string{
		{"init", "-q"}, {"config", "user.name", "a"}, {"config", "user.email", "a@b.example"}, {"add", "-A"},
		{"commit", "-qm", "start"}} {
		if out, err := exec.Command("git", append([]string{"-C", b.dir}, args...)...).CombinedOutput(); err != nil {
			t.Fatalf("%s", out)
		}
	}
	a := b.planned()
	step, err := takeStep(context.Background(), &a, StepOrder{Commit: true}, run.Watcher{})
	if err != nil || !step.Passed || len(step.Changed) != 1 || step.Changed[0] != "generated.txt" ||
		!strings.Contains(b.read("generated.txt"), "2.0.0") {
		t.Fatalf("%+v, %v\n%s", step, err, b.read("generated.txt"))
	}
	b.agrees(b.open())
	if err := Commit(context.Background(), a.View, step.Stage, nil); err != nil {
		t.Fatal(err)
	}
	if out, err := exec.Command("git", "-C", b.dir, "log", "-1", "--format=%B",
		"--name-only").CombinedOutput(); err != nil ||
		!strings.Contains(string(out), "The application's checks passed with these packages.") ||
		!strings.Contains(string(out), "generated.txt") || strings.Contains(string(out), "node_modules") {
		t.Errorf("%v, the commit is\n%s", err, out)
	}
}

// A complete tree for another place, and a link that is switched to it and back.
func TestPromotion(t *testing.T) {
	t.Parallel()
	posix(t)
	b := newBench(t, map[string]string{"package.json": deskManifest, "run.sh": "echo"})
	if err := os.Chmod(filepath.Join(b.dir, "run.sh"), 0o755); err != nil {
		t.Fatal(err)
	}
	a := b.planned()
	link := filepath.Join(b.dir, "current")
	for k, former := range []string{"", "releases/1", "releases/2"} {
		into := filepath.Join(b.dir, "releases", fmt.Sprint(k%2+1))
		r := b.installed(a.View, layout.InstallOrder{Into: into, Current: link})
		if r.Former != former {
			t.Errorf("release %d: the link led to %q, want %q", k, r.Former, former)
		}
		for _, name := range []string{
			"package.json", "molt.lock", "molt-plan.yaml", "run.sh", "node_modules/deck/package.json"} {
			if _, err := os.Stat(filepath.Join(link, name)); err != nil {
				t.Error(err)
			}
		}
		if info, err := os.Stat(filepath.Join(link, "run.sh")); err != nil || info.Mode()&0o111 == 0 {
			t.Errorf("run.sh cannot be run there: %v", err)
		}
		if _, err := os.Stat(filepath.Join(into, "releases")); err == nil {
			t.Error("releases hold one another")
		}
	}
	if b.tree() != "" {
		t.Error("something was installed in the application itself")
	}
	refused := func(order layout.InstallOrder, says string) {
		t.Helper()
		if _, err := layout.Install(context.Background(), a.View, order); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%v, want %q", err, says)
		}
	}
	leads := func(want string) {
		t.Helper()
		if to, err := os.Readlink(link); err != nil || filepath.ToSlash(to) != want {
			t.Errorf("the link leads to %q, %v, want %q", to, err, want)
		}
	}
	leads("releases/1")
	for _, want := range []string{"releases/2", "releases/1"} { // back, and back from there
		if r := b.installed(a.View, layout.InstallOrder{Current: link}); r.Back == "" {
			t.Errorf("%+v", r)
		}
		leads(want)
	}
	refused(layout.InstallOrder{Current: filepath.Join(b.dir, "elsewhere")}, "there is nowhere to go back to")
	refused(layout.InstallOrder{Into: b.dir}, "the application's own folder")
	other := t.TempDir()
	if err := os.WriteFile(filepath.Join(other, "package.json"), []byte("somebody's"), 0o644); err != nil {
		t.Fatal(err)
	}
	refused(layout.InstallOrder{Into: other}, "there are files that Molt did not put there")
	if data, err := os.ReadFile(filepath.Join(other, "package.json")); err != nil || string(data) != "somebody's" {
		t.Errorf("it holds %q, %v", data, err)
	}
	if r := b.installed(a.View, layout.InstallOrder{Into: filepath.Join(b.dir, "releases", "9"), Dry: true}); len(
		r.Added) != 2 {
		t.Errorf("for show: %+v", r)
	}
	if _, err := os.Stat(filepath.Join(b.dir, "releases", "9")); err == nil {
		t.Error("for show, a folder was made")
	}
	refused(layout.InstallOrder{Into: filepath.Join(b.dir, "releases", "3"),
		Current: filepath.Join(b.dir, "package.json")}, "it is no link")
}

// Where nobody asked for packages and they are not to be had, a stage says so and goes on; where
// somebody did, it fails.
func TestPackagesNotToBeHad(t *testing.T) {
	t.Parallel()
	posix(t)
	b := newBench(t, map[string]string{
		"package.json": deskManifest, "molt.yaml": "checks:\n  - {name: fine, run: 'true'}\n"})
	a := b.planned()
	a.Settings.Offline = true
	var missing *tree.MissingError
	before := b.stepped()
	a.Config.Install.By = "molt"
	if _, err := takeStep(context.Background(), &a, StepOrder{}, run.Watcher{}); !errors.As(err, &missing) ||
		b.stepped() != before {
		t.Errorf("asked for: %v", err)
	}
	a.Config.Install.By = ""
	step, err := takeStep(context.Background(), &a, StepOrder{}, run.Watcher{})
	if err != nil || !step.Passed || len(step.Verdicts) != 1 || len(step.Notes) == 0 ||
		!strings.Contains(step.Notes[len(step.Notes)-1], "could not be laid out") || b.tree() != "" {
		t.Errorf("not asked for: %+v, %v", step, err)
	}
	if ran := a.Application().Ran; len(ran) != 0 {
		t.Errorf("it ran with nothing: %+v", ran)
	}
}

// A command of the application's people installs from a relay that has the stage's lock; what it leaves must be that.
func TestInstallByCommand(t *testing.T) {
	t.Parallel()
	posix(t)
	b := newBench(t, map[string]string{"package.json": deskManifest,
		"install.sh": `echo "$MOLT_RELAY" >>asked.txt; test ! -e node_modules || exit 9
grep '^\["at ' molt.lock | sed 's/.*at \(.*\)@\(.*\)".*/\1 \2/' | while read name version; do
  mkdir -p node_modules/$name; echo "{\"name\": \"$name\", \"version\": \"$version\"}" >node_modules/$name/package.json; done
`, "molt.yaml": "install: sh install.sh\nchecks:\n  - {name: deck, run: 'grep -q 2.0.0 " +
			"node_modules/deck/package.json'}\n"})
	a := b.planned()
	step, err := takeStep(context.Background(), &a, StepOrder{}, run.Watcher{})
	if err != nil || !step.Passed || step.Unchecked != "" || !strings.HasPrefix(b.read("asked.txt"), "http://127.0.0.1:") {
		t.Fatalf("%+v, %v, %s", step, err, b.read("asked.txt"))
	}
	b.agrees(b.open())
	whole := b.tree()
	b.write("molt.yaml", "install: 'true'\nchecks:\n  - {name: deck, run: 'true'}\n")
	a = b.use2()
	if _, err := Back(context.Background(), a.View, "", false); err == nil ||
		!strings.Contains(err.Error(), "installed nothing") || b.tree() != whole {
		t.Errorf("a command that installs nothing: %v", err)
	}
	b.write("molt.yaml", "install: 'mkdir -p node_modules/other && echo {} >node_modules/other/package.json'\nchecks:\n "+
		" - {name: deck, run: 'true'}\n")
	a = b.use2()
	if _, err := Back(context.Background(), a.View, "", false); err == nil ||
		!strings.Contains(err.Error(), "did not install what the lock says") || b.tree() != whole {
		t.Errorf("a command that installs something else: %v", err)
	}
	// On a state whose packages are others, it starts from none too, and what it leaves wrong is not left.
	b.write("node_modules/deck/package.json", `{"name": "deck", "version": "9.9.9"}`)
	whole = b.tree()
	if _, err := layout.NewSite(a.Archives()).Ready(context.Background()); err == nil || b.tree() != whole {
		t.Errorf("not ready: %v\n%s", err, b.tree())
	}
	b.write("molt.yaml", "install: sh install.sh\n")
	a = b.use2()
	if says, err := layout.NewSite(a.Archives()).Ready(context.Background()); says != "" || err != nil {
		t.Errorf("ready: %q, %v", says, err)
	}
	b.agrees(b.open())
	b.write("molt.yaml", "install: nonee\n")
	if _, err := open.Open(open.Settings{Dir: b.dir, Env: func(k string) string { return b.env[k] }}); err == nil ||
		!strings.Contains(err.Error(), "did you mean none?") {
		t.Errorf("a slip: %v", err)
	}
}
