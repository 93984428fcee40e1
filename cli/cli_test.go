package cli_test

import (
	"bufio"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"slices"
	"strings"
	"syscall"
	"testing"

	"molt/core/version"
	"molt/ecosystem/js/ranges"
)

func TestDemoInGold(t *testing.T) {
	d := demoDesk(t)
	golden := func(name string, code int, args ...string) {
		t.Helper()
		out, errout := d.run(code, args...)
		if errout != "" && args[0] != "step" {
			t.Errorf("molt %s says on stderr: %s", args[0], errout)
		}
		d.golden(name, out)
	}
	golden("survey.txt", 0, "survey")
	golden("assess-blocked.txt", 1, "assess", "brackwater@5")
	golden("plan-wall.txt", 1, "plan", "--dry-run")
	golden("untangle-goal.txt", 1, "untangle", "brackwater@5")
	manifest := d.read("package.json")
	d.write("package.json", strings.Replace(manifest, `"pilotage-auth": "^3.0.0"`, `"pilotage-auth": "^4.0.0"`, 1))
	d.columns = "80"
	golden("untangle.txt", 1, "untangle")
	d.columns = "100"
	d.write("package.json", manifest)
	d.write("molt.yaml", d.read("molt.yaml")+"\npreviews: [quaymaster-map]\n")
	golden("assess.txt", 0, "assess", "brackwater@5")
	golden("plan.txt", 0, "plan", "brackwater@5")
	golden("step.txt", 0, "step", "--quiet")
	golden("verify.txt", 0, "verify")
	golden("untangle-none.txt", 0, "untangle")
	golden("back.txt", 0, "back")
	golden("relock.txt", 0, "relock")
	golden("range.txt", 0, "range", "^1.2.3-beta.2 || 3.x", "3.4.5", "1.2.3-beta.10", "1.2.3-beta.1", "1.9.0", "2.0.0",
		"1.3.0-beta.3")
	d.columns = "60"
	golden("survey-narrow.txt", 0, "survey")
	golden("plan-narrow.txt", 0, "plan")
	for _, narrow := range []string{"survey-narrow.txt", "plan-narrow.txt"} {
		text, err := os.ReadFile(filepath.Join("testdata", narrow))
		if err != nil {
			t.Fatal(err)
		}
		for line := range strings.SplitSeq(string(text), "\n") {
			if len([]rune(line)) > 60 {
				t.Errorf("%s: a line is wider than the terminal: %q", narrow, line)
			}
		}
	}
}

// The demo does what it promises, in a folder that stays when it is named.
func TestDemo(t *testing.T) {
	atLength(t)
	d := newDesk(t, "", nil)
	out, _ := d.run(0, "demo", "here")
	wants := []string{"> molt survey", "> molt assess brackwater@5", "> molt plan brackwater@5",
		"That was the last stage.", "gannet-desk stands on brackwater 5, with a lock that was verified."}
	if strings.Contains(out, "> molt trial") { // with a runtime, the desk's own tests judge
		wants = append(wants, "wakeful-cache makes it fail, found in", "breaking  wakeful-cache 2.5.0: cached() is gone",
			"SyntaxError: The requested module 'wakeful-cache'", "goal-5 failed; the files are as they were",
			"src/desk.js:2  import { listen, route, form, field } from \"brackwater\";")
		if passed := strings.Count(out, "passed  the desk's tests"); passed < 10 {
			t.Errorf("the desk's tests pass %d times", passed)
		}
	} else {
		wants = append(wants, "The desk's own tests need a JavaScript runtime")
	}
	for _, want := range wants {
		if !strings.Contains(out, want) {
			t.Errorf("the demo does not show %q", want)
		}
	}
	d.dir = filepath.Join(d.dir, "here")
	if !strings.Contains(d.read("package.json"), `"brackwater": "^5.2.1"`) {
		t.Errorf("the demo ends with %s", d.read("package.json"))
	}
	d.run(0, "verify")
	_, errout := d.run(2, "demo", ".")
	if !strings.Contains(errout, "wants a folder of its own") {
		t.Errorf("the demo in a folder that is taken: %s", errout)
	}
}

// Without a runtime the demo says so, and does the rest.
func TestDemoWithoutRuntime(t *testing.T) {
	d := newDesk(t, "", nil)
	tools := t.TempDir() // all that is on the path
	if shell, err := exec.LookPath("sh"); err == nil {
		if err := os.Symlink(shell, filepath.Join(tools, "sh")); err != nil {
			t.Skip(err)
		}
	}
	c := d.command("demo", "here")
	c.Env = append(c.Env, "PATH="+tools)
	out, err := c.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := c.Start(); err != nil {
		t.Fatal(err)
	}
	said := ""
	for lines := bufio.NewScanner(out); lines.Scan() && !strings.Contains(said, "Where exactly?"); {
		said += lines.Text() + " "
	}
	_ = c.Process.Kill() // the rest is what TestDemoInGold looks at
	_ = c.Wait()
	if !strings.Contains(said, "this machine has no JavaScript runtime: they are left out, and nothing is installed") {
		t.Errorf("it says %s", said)
	}
	d.dir = filepath.Join(d.dir, "here")
	if config := d.read("molt.yaml"); strings.Contains(config, "sounding.mjs") ||
		!strings.Contains(config, "install: none") {
		t.Errorf("molt.yaml is %s", config)
	}
}

// The same inputs give the same lock, byte for byte, from any address.
func TestLockIsTheSameEverywhere(t *testing.T) {
	var locks []string
	for range 2 {
		d := demoDesk(t)
		if err := os.Remove(filepath.Join(d.dir, "molt.lock")); err != nil {
			t.Fatal(err)
		}
		d.run(0, "relock")
		locks = append(locks, d.read("molt.lock"))
	}
	if locks[0] != locks[1] {
		t.Error("two runs wrote different locks")
	}
	if strings.Contains(locks[0], "127.0.0.1") {
		t.Error("the lock holds the registry's address")
	}
}

// The committed lock of the demo is what relock made of the registry on the day of the story.
func TestDemoLockIsCurrent(t *testing.T) {
	d := demoDesk(t)
	committed := d.read("molt.lock")
	if err := os.Remove(filepath.Join(d.dir, "molt.lock")); err != nil {
		t.Fatal(err)
	}
	d.run(0, "relock", "--as-of", "2024-06-15")
	if d.read("molt.lock") != committed {
		t.Error("demo/gannet-desk/molt.lock is not what molt relock --as-of 2024-06-15 writes")
	}
}

func TestJSON(t *testing.T) {
	d := demoDesk(t)
	d.write("molt.yaml", d.read("molt.yaml")+"\npreviews: [quaymaster-map]\n")
	for _, test := range []struct {
		schema string
		args   []string
		keys   string
	}{
		{"molt/survey/1", []string{"survey"},
			"application declared ecosystem installed lag locked next overrides packages schema since"},
		{"molt/assess/1", []string{"assess"}, "advice against goal next packages reachable remarks runtime schema"},
		{"molt/plan/1", []string{"plan"}, "behind goal next reachable schema stages wall"},
		{"molt/step/1", []string{"step", "--quiet"},
			"before changed checks left next notes passed schema stage toGoal unread"},
		{"molt/back/1", []string{"back"}, "schema stages"},
		{"molt/lock/1", []string{"relock"}, "ecosystem folded packages roots schema"},
		{"molt/verify/1", []string{"verify"}, "agrees findings installed looked outOfDate schema"},
		{"molt/range/1", []string{"range", "^1", "1.0.0", "2.0.0"}, "admits constraint ecosystem refuses schema"},
	} {
		out, _ := d.run(0, append(test.args, "--format", "json")...)
		var answer map[string]any
		if err := json.Unmarshal([]byte(out), &answer); err != nil {
			t.Errorf("%s: %v", test.schema, err)
			continue
		}
		var keys []string
		for k := range answer {
			keys = append(keys, k)
		}
		slices.Sort(keys)
		if answer["schema"] != test.schema || strings.Join(keys, " ") != test.keys {
			t.Errorf("%s: schema %v, keys %q", test.schema, answer["schema"], keys)
		}
		if allowed := regexp.MustCompile(`"(from|to|package)": null`); strings.Contains(
			allowed.ReplaceAllString(out, ""), "null") {
			t.Errorf("%s holds a null where a list or a text belongs:\n%s", test.schema, out)
		}
	}
}

// What relock reports can be checked edge by edge with nothing but the document.
func TestLockDocument(t *testing.T) {
	d := demoDesk(t)
	out, _ := d.run(0, "relock", "--format", "json")
	var answer struct {
		Roots []struct {
			Name, Group, Constraint string
			Package                 *string
		}
		Packages []struct {
			ID, Name, Version, PURL, Integrity, Source string
			Needs, Peers                               []struct {
				Name, Constraint string
				Optional         bool
				Package          *string
			}
		}
	}
	if err := json.Unmarshal([]byte(out), &answer); err != nil {
		t.Fatal(err)
	}
	versions := map[string]string{}
	for _, p := range answer.Packages {
		versions[p.ID] = p.Version
		if p.PURL != "pkg:npm/"+strings.ReplaceAll(p.Name, "@", "%40")+"@"+p.Version ||
			!strings.HasPrefix(p.Integrity, "sha512-") || p.Source == "" {
			t.Errorf("%s: %+v", p.ID, p)
		}
	}
	edges := 0
	admits := func(by, name, constraint string, to *string) {
		if to == nil {
			t.Errorf("%s has nothing for %s", by, name)
			return
		}
		c, err := ranges.Scheme.Constrain(constraint)
		if err != nil {
			t.Fatal(err)
		}
		if v, err := ranges.Scheme.Parse(versions[*to]); err != nil || !version.Admits(c, v) {
			t.Errorf("%s asks for %s %s and gets %s", by, name, constraint, *to)
		}
		edges++
	}
	for _, r := range answer.Roots {
		admits(r.Group, r.Name, r.Constraint, r.Package)
	}
	for _, p := range answer.Packages {
		for _, e := range append(p.Needs, p.Peers...) {
			admits(p.ID, e.Name, e.Constraint, e.Package)
		}
	}
	if len(answer.Roots) != 27 || len(answer.Packages) < 80 || edges < 150 {
		t.Errorf("%d roots, %d packages, %d edges", len(answer.Roots), len(answer.Packages), edges)
	}
}

func TestBadInput(t *testing.T) {
	const small = "package keel\n  1.0.0 2024-01-01\n  2.0.0 2024-01-01\npackage mast\n  1.0.0 2024-01-01 " +
		"peer:keel@^1\npackage hull\n  1.0.0 2024-01-01 ghost@^1\n"
	manifest := func(deps string) map[string]string {
		return map[string]string{"package.json": "{\n  \"dependencies\": {" + deps + "}\n}\n"}
	}
	tests := []struct {
		name  string
		files map[string]string
		args  []string
		code  int
		says  string
	}{
		{"no manifest", nil, []string{"survey"}, 2, "there is no package.json or pyproject.toml in"},
		{"broken JSON", map[string]string{"package.json": "{\n  \"name\" \"x\"\n}"}, []string{"relock"},
			2, "package.json:2:10: this is not JSON"},
		{"broken constraint", manifest(`"keel": "^1.x.y"`), []string{"relock"},
			2, "package.json:2:34: keel: constraint \"^1.x.y\", byte 6: expected a number, found \"y\""},
		{"unknown package", manifest(`"keele": "*"`), []string{"relock"},
			2, "package.json:2:29: the registry has no package \"keele\", which \"dependencies\" asks for"},
		{"unknown package below", manifest(`"hull": "*"`), []string{"relock"},
			1, "ghost: no release fits\n  ^1\n  matches none\n  asked by hull 1.0.0\n  which package.json:2 asks for (*)"},
		{"constraint without release", manifest(`"keel": "^3.0.0"`), []string{"relock"}, 1,
			"package.json:2:28: keel: no published release fits \"^3.0.0\"; nearest are 1.0.0, 2.0.0"},
		{"tangle", manifest(`"keel": "2", "mast": "*"`), []string{"relock"}, 1, "^1 as a peer"},
		{"goal without a package", manifest(`"keel": "1"`), []string{"assess", "kele@2"}, 2,
			"no declared package has this name; did you mean keel?"},
		{"goal without a release", manifest(`"keel": "1"`), []string{"plan", "keel@7"}, 2, "published majors: 1, 2"},
		{"no goal", manifest(`"keel": "1"`), []string{"assess"}, 2, "name a goal"},
		{"lock of the future", map[string]string{"package.json": "{}", "molt.lock": "molt-lock = 3\n"}, []string{"relock"}, 2,
			"needs a newer Molt"},
		{"damaged lock", map[string]string{"package.json": "{}", "molt.lock": "molt-lock = \n"}, []string{"verify"},
			2, "molt.lock:1:"},
		{"time that is none", map[string]string{"package.json": "{}", "molt.yaml": "cache-for: soon\n"}, []string{"verify"},
			2, "molt.yaml:1:12: \"soon\": expected a time such as 30s, 10m or 1h"},
		{"offline and anew", manifest(`"keel": "1"`), []string{"survey", "--offline", "--refresh"}, 2,
			"--refresh asks the registry, and --offline does not"},
		{"unknown key", map[string]string{"package.json": "{}", "molt.yaml": "gaol: x\n"}, []string{"verify"},
			2, "molt.yaml:1:1: unknown key \"gaol\"; did you mean \"goal\"?"},
		{"no plan", manifest(`"keel": "1"`), []string{"step"}, 2, "there is no molt-plan.yaml; molt plan makes one"},
		{"nothing to go back to", manifest(`"keel": "1"`), []string{"back"}, 2, "no stage has been carried out here"},
		{"unknown command", nil, []string{"fly"}, 2, "unknown command \"fly\"; molt --help lists the commands"},
		{"mistyped command", nil, []string{"sruvey", "--major"}, 2, "unknown command \"sruvey\"; did you mean molt survey?"},
		{"a command's other name", nil, []string{"upgrade", "brackwater@5"}, 2,
			"unknown command \"upgrade\"; did you mean molt plan?"},
		{"no command", nil, []string{"@skerry/keel@5"},
			2, "\"@skerry/keel@5\" is a goal, and a command comes before it: molt assess @skerry/keel@5 says what it means"},
		{"unknown flag", nil, []string{"survey", "--fast"}, 2, "unknown flag: --fast; see molt survey --help"},
		{"unknown format", nil, []string{"survey", "--format", "xml"}, 2, "expected text, json, md or sarif for molt survey"},
		{"no date", nil, []string{"survey", "--as-of", "yesterday"}, 2, "expected a date such as"},
		{"broken range", nil, []string{"range", "^", "1.0.0"},
			2, "constraint \"^\", byte 2: expected a number, found the end"},
		{"broken version", nil, []string{"range", "^1", "1.0"}, 2, "version \"1.0\", byte 4"},
		{"too few arguments", nil, []string{"compare"},
			2, "expected molt compare BEFORE [AFTER]; molt compare --help says more"},
		{"an address that all can reach", nil, []string{"standin", "--listen", "0.0.0.0:0"},
			2, "expected a loopback address"},
		{"broken universe", map[string]string{"x.universe": "package a\n  1.0 soon\n"}, []string{"standin", "x.universe"},
			2, "x.universe:2:3: "},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			d := newDesk(t, small, test.files)
			_, errout := d.run(test.code, test.args...)
			if !strings.Contains(errout, test.says) {
				t.Errorf("stderr is %q, want %q", errout, test.says)
			}
		})
	}
}

func TestTangleInJSON(t *testing.T) {
	d := newDesk(t, "package keel\n  1.0.0\n  2.0.0\npackage mast\n  1.0.0 2024-01-01 peer:keel@^1\n",
		map[string]string{"package.json": `{"dependencies": {"keel": "2", "mast": "*"}}`})
	out, _ := d.run(1, "relock", "--format", "json")
	var answer struct {
		Schema    string
		Contested []struct {
			Sides []struct{ By, Constraint string }
		}
		Ways []struct{ Title string }
	}
	if err := json.Unmarshal([]byte(out), &answer); err != nil || answer.Schema != "molt/untangle/1" ||
		len(answer.Contested) != 1 || len(answer.Contested[0].Sides) != 2 || len(answer.Ways) != 4 {
		t.Errorf("%v: %s", err, out)
	}
	if _, err := os.Stat(filepath.Join(d.dir, "molt.lock")); err == nil {
		t.Error("a lock was written")
	}
}

func TestRegistryTrouble(t *testing.T) {
	d := newDesk(t, "", map[string]string{"package.json": `{"dependencies": {"keel": "1"}}`})
	d.registry = "http://127.0.0.1:1"
	if _, errout := d.run(3, "relock"); !strings.Contains(errout, "the registry did not answer") {
		t.Errorf("a registry that is down: %s", errout)
	}
	d.registry = ""
	if _, errout := d.run(2, "relock"); !strings.Contains(errout, "set MOLT_REGISTRY_JS (or \"registry:\" in molt.yaml)") {
		t.Errorf("no registry: %s", errout)
	}
	server := httptest.NewServer(http.HandlerFunc(
		func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, "<html>") }))
	defer server.Close()
	d.registry = server.URL
	if _, errout := d.run(3, "relock"); !strings.Contains(errout, "is not JSON") {
		t.Errorf("a registry that serves something else: %s", errout)
	}
}

// A step that is interrupted in the middle of a check leaves every file as it was.
func TestInterruptedStep(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("interrupts are sent by signal")
	}
	d := demoDesk(t)
	pipe, began := d.pipe()
	d.write("molt.yaml", strings.Replace(
		d.read("molt.yaml"), `'"$MOLT" verify --quiet'`, "test \"$MOLT_STAGE\" = before || { echo >"+pipe+"; sleep 60; }", 1)+
		"\npreviews: [quaymaster-map]\n")
	d.run(0, "plan")
	before := d.read("package.json") + d.read("molt.lock") + d.read("molt-plan.yaml")
	c := d.command("step")
	if err := c.Start(); err != nil {
		t.Fatal(err)
	}
	began()
	if d.read("package.json")+d.read("molt.lock")+d.read("molt-plan.yaml") == before {
		t.Error("the check began before the files were changed")
	}
	_, errout := d.run(3, "relock")
	if !strings.Contains(errout, "another Molt is at work") {
		t.Errorf("a second Molt says %s", errout)
	}
	if err := c.Process.Signal(syscall.SIGINT); err != nil {
		t.Fatal(err)
	}
	_ = c.Wait() // the exit code is looked at below
	if code := c.ProcessState.ExitCode(); code != 130 {
		t.Errorf("the exit code is %d", code)
	}
	if d.read("package.json")+d.read("molt.lock")+d.read("molt-plan.yaml") != before {
		t.Error("an interrupted step changed files")
	}
}

// A Molt that was killed outright is cleaned up after by the next one.
func TestKilledStep(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("the check is written for a POSIX shell")
	}
	d := demoDesk(t)
	d.write("molt.yaml", strings.Replace(
		d.read("molt.yaml"), `'"$MOLT" verify --quiet'`, "test \"$MOLT_STAGE\" = before || { kill -9 $PPID; sleep 1; }", 1)+
		"\npreviews: [quaymaster-map]\n")
	d.run(0, "plan")
	before := d.read("package.json") + d.read("molt.lock") + d.read("molt-plan.yaml")
	_ = d.command("step").Run() // it is killed
	half := d.read("package.json") + d.read("molt.lock") + d.read("molt-plan.yaml")
	if half == before {
		t.Error("the step was killed before it began")
	}
	if _, errout := d.run(0, "survey"); !strings.Contains(errout, "stage patch, begun") ||
		d.read("package.json")+d.read("molt.lock")+d.read("molt-plan.yaml") != half {
		t.Errorf("a command that only reads says %q", errout)
	}
	_, errout := d.run(0, "hold", "lintbuoy", "--reason", "not now")
	if !strings.Contains(errout, "repaired: stage patch") {
		t.Errorf("the next Molt says %q", errout)
	}
	if d.read("package.json")+d.read("molt.lock")+d.read("molt-plan.yaml") != before {
		t.Error("the state before did not come back")
	}
}

// Nothing that a killed Molt has started goes on writing.
func TestKilledStepLeavesNobody(t *testing.T) {
	if runtime.GOOS != "linux" {
		t.Skip("elsewhere what escapes its group is not found")
	}
	d := demoDesk(t)
	d.write("late.sh", "echo $$ >>pids; sleep 20; date >>$1\n")
	d.write("molt.yaml", strings.Replace(d.read("molt.yaml"), `'"$MOLT" verify --quiet'`,
		`"test \"$MOLT_STAGE\" = before || { sh late.sh one.txt & setsid sh late.sh two.txt & until test $(cat pids | wc -l) -ge 2; do sleep 0.1; done; kill -9 $PPID; sleep 9; }"`, 1)+
		"\npreviews: [quaymaster-map]\n")
	d.run(0, "plan")
	_ = d.command("step").Run() // it is killed
	d.run(0, "hold", "lintbuoy", "--reason", "not now")
	pids := strings.Fields(d.read("pids"))
	if len(pids) != 2 {
		t.Fatalf("%d were started", len(pids))
	}
	for _, pid := range pids { // until it is gone, by itself at the latest
		for {
			data, err := os.ReadFile(filepath.Join("/proc", pid, "stat"))
			if err != nil || strings.Contains(string(data), ") Z ") {
				break
			}
			runtime.Gosched()
		}
	}
	for _, name := range []string{"one.txt", "two.txt"} {
		if _, err := os.Stat(filepath.Join(d.dir, name)); err == nil {
			t.Errorf("%s was written after the repair", name)
		}
	}
}

// Whichever way a Molt is told to end, it puts things back and says so by its exit code.
func TestSignals(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("there are no such signals")
	}
	d := demoDesk(t)
	pipe, begun := d.pipe()
	d.write("molt.yaml", strings.Replace(
		d.read("molt.yaml"), `'"$MOLT" verify --quiet'`, `"test \"$MOLT_STAGE\" = before || { echo >`+pipe+`; sleep 20; }"`, 1)+
		"\npreviews: [quaymaster-map]\n")
	d.run(0, "plan")
	before := d.read("package.json") + d.read("molt.lock") + d.read("molt-plan.yaml")
	for _, signal := range []os.Signal{syscall.SIGINT, syscall.SIGTERM, syscall.SIGHUP, syscall.SIGQUIT} {
		c := d.command("step")
		if err := c.Start(); err != nil {
			t.Fatal(err)
		}
		begun()
		if err := c.Process.Signal(signal); err != nil {
			t.Fatal(err)
		}
		_ = c.Wait()
		if code := c.ProcessState.ExitCode(); code != 130 {
			t.Errorf("%v: exit %d", signal, code)
		}
		if d.read("package.json")+d.read("molt.lock")+d.read("molt-plan.yaml") != before {
			t.Errorf("%v: files changed", signal)
		}
	}
}

func TestStandin(t *testing.T) {
	d := newDesk(t, "", map[string]string{"x.universe": "package keel\n  1.0.0 2024-01-01\n"})
	c := d.command("standin", "x.universe")
	out, err := c.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := c.Start(); err != nil {
		t.Fatal(err)
	}
	defer func() { _ = c.Process.Kill(); _ = c.Wait() }()
	text, err := bufio.NewReader(out).ReadString('\n')
	if err != nil {
		t.Fatal(err)
	}
	address := regexp.MustCompile(`http://127\.0\.0\.1:\d+`).FindString(text)
	if !strings.HasPrefix(text, "1 package at ") || address == "" {
		t.Fatalf("the stand-in says %q", text)
	}
	response, err := http.Get(address + "/keel")
	if err != nil {
		t.Fatal(err)
	}
	response.Body.Close()
	if response.StatusCode != http.StatusOK {
		t.Errorf("the stand-in answers %s", response.Status)
	}
}

// Every command has help, with an example.
func TestHelp(t *testing.T) {
	d := newDesk(t, "", nil)
	out, _ := d.run(0, "--help")
	for _, name := range []string{
		"survey", "range", "dossier", "trace", "fit", "assess", "plan", "step", "back", "untangle", "relock", "verify",
		"want", "drop", "hold", "compare", "standin", "demo"} {
		if !strings.Contains(out, "\n  "+name+" ") {
			t.Errorf("the help does not list %s", name)
		}
		if help, _ := d.run(0, name, "--help"); !strings.Contains(help, "Examples:\n  molt "+name) {
			t.Errorf("the help of %s has no example:\n%s", name, help)
		}
	}
}
