package cli_test

import (
	"errors"
	"os"
	"os/exec"
	"runtime"
	"strings"
	"testing"

	"molt/input"
)

// What a manifest, a lock, a configuration or a check says is never obeyed by a terminal, in results and in messages.
func TestNothingIsObeyed(t *testing.T) {
	const evil = `\u001b]0;t\u0007\u001b[2J\u009b1m\u202e`
	d := newDesk(t, "package keel\n  1.0.0 2024-01-01\n", nil)
	clean := func(what, text string) {
		t.Helper()
		for _, r := range text {
			if r != '\n' && r != '\t' && input.Obeyed(r) {
				t.Errorf("%s prints %q:\n%q", what, r, text)
				return
			}
		}
	}
	run := func(what string, args ...string) {
		t.Helper()
		c := d.command(args...)
		out, err := c.CombinedOutput()
		var exit *exec.ExitError
		if err != nil && !errors.As(err, &exit) {
			t.Fatal(err)
		}
		clean(what, string(out))
	}
	d.write("package.json", `{"name": "x`+evil+`", "dependencies": {"keel": "^1.0.0", "no`+evil+`": "*"}}`)
	run("an unknown package", "relock")
	run("an unknown package in JSON", "survey", "--format", "json")
	d.write("package.json", `{"name": "x`+evil+`", "dependencies": {"keel": "^1.0.0`+evil+`"}}`)
	run("a constraint", "relock")
	d.write("package.json", `{"name": "x`+evil+`", "dependencies": {"keel": "^1.0.0"}}`)
	d.run(0, "relock")
	run("a name", "survey")
	d.write("molt.lock", strings.Replace(d.read("molt.lock"), "integrity", `"x`+evil+`"`, 1))
	run("a lock", "verify")
	d.write("molt.lock", "\x1b[2J")
	run("a broken lock", "verify")
	d.run(2, "verify")
	if err := os.Remove(d.dir + "/molt.lock"); err != nil {
		t.Fatal(err)
	}
	d.write("molt.yaml", "goal: \"x"+evil+"@2\"\nwrong: 1\n")
	run("a key", "survey")
	d.write("molt.yaml", "goal: \"x"+evil+"@2\"\n")
	run("a goal", "assess")
	run("an argument", "dossier", "x\x1b[2J")
	if runtime.GOOS == "windows" {
		return
	}
	d.write("molt.yaml", "goal: keel@1\nchecks:\n  - {name: \"c"+evil+"\", run: \"printf '\\\\033[2J\\\\u202e broken'; exit 1\"}\n")
	d.write("molt-plan.yaml", "molt-plan: 1\ngoal: keel@1\nreachable: true\nstages:\n  - {id: a, kind: patch, title: \"t"+evil+"\", status: pending, changes: []}\n")
	run("a check", "step")
	run("a check in JSON", "step", "--format", "json")
}

// A result that cannot be written is a failure of the outside.
func TestFullOutput(t *testing.T) {
	full, err := os.OpenFile("/dev/full", os.O_WRONLY, 0)
	if err != nil {
		t.Skip(err)
	}
	defer full.Close()
	d := demoDesk(t)
	for _, args := range [][]string{{"survey"}, {"verify"}, {"survey", "--format", "json"}, {"compare", "locked", "locked", "--format", "md"}} {
		c := d.command(args...)
		c.Stdout = full
		_ = c.Run()
		if code := c.ProcessState.ExitCode(); code != 3 {
			t.Errorf("molt %s on a full disk exits with %d", strings.Join(args, " "), code)
		}
	}
}
