package cli_test

import (
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
)

// TestOffice plays the demo's second half, whose tests judge with the interpreter of this machine, where there is one.
func TestOffice(t *testing.T) {
	atLength(t)
	d := newDesk(t, "", nil)
	out, _ := d.run(0, "demo", "here", "--ecosystem", "python")
	wants := []string{"> molt assess", "marram 5.2 can be reached: everything declared resolves with 5.2.7.",
		"names marram 4.2, 5.0, 5.1, 5.2, published 2025-05-20, 43 days after marram 5.2",
		"python 3.9 is deployed; marram 5.2.7 needs >=3.10.",
		"2.0 has no wheel, so what it needs is known only once it is built",
		"marram        4.2.16 to 5.2.7  >=4.2,<5 becomes >=5.2.7,<6  the goal", "That was the last stage.",
		"skua-office stands on marram 5.2, with a lock that was verified"}
	if strings.Contains(out, "passed  the office's tests") {
		wants = append(wants, "goal-5.2 failed; the files are as they were before it.",
			"ImportError: cannot import name 'watch_now' from 'marram'",
			"office/rosters.py:1  from marram import clock, render, route",
			"Manifest, lock, what is installed and the runtime agree.")
		if passed := strings.Count(out, "passed  the office's tests"); passed != 6 {
			t.Errorf("the office's tests pass %d times", passed)
		}
	} else {
		wants = append(wants, "The office's own tests need a Python (>=3.10), and this machine has")
	}
	for _, want := range wants {
		if !strings.Contains(out, want) {
			t.Errorf("the demo does not show %q:\n%s", want, out)
		}
	}
	d.dir = filepath.Join(d.dir, "here")
	if text := d.read("pyproject.toml"); !strings.Contains(
		text, `    "marram[argon]>=5.2.7,<6",      # the framework`+"\n") ||
		!strings.Contains(text, `"skiff-tasks[buoy]>=5.3,<5.4"`) {
		t.Errorf("the demo ends with %s", text)
	}
	d.run(0, "verify")
}

// TestPythonEnvironment lays packages out with the interpreter of this machine.
func TestPythonEnvironment(t *testing.T) {
	python, err := exec.LookPath("python3")
	if err != nil || runtime.GOOS == "windows" {
		t.Skip("there is no Python on this machine")
	}
	if err := exec.Command(python, "-c", "import sys, venv; sys.exit(sys.version_info < (3, 8))").Run(); err != nil {
		t.Skip("the Python on this machine makes no environments")
	}
	s := newScript(t, mustTxtar(`
-- universe --
package none
  1.0.0 2023-01-01
-- pier.universe --
package marram
  4.2  2024-01-01  ropewalk@>=1.0
  5.0  2025-01-01  ropewalk@>=1.0
  code 4.2 marram/__init__.py
    | version = 4
  code 5.0 marram/__init__.py
    | version = 5
  code 4.2 marram/command.py
    | def main():
    |     import marram
    |     print("marram", marram.version)
  code 4.2 entry_points.txt
    | [console_scripts]
    | marram = marram.command:main
package ropewalk
  1.0  2023-01-01
package tzmast
  1.0  2023-01-01
package bilge
  1.0  2023-01-01
  code 1.0 bilge.py
    | def main(): pass
  code 1.0 entry_points.txt
    | [console_scripts]
    | python = bilge:main
-- requirements.txt --
marram>=4.2,<5
tzmast ; sys_platform == "amiga"
-- molt.yaml --
checks:
  - name: it runs
    run: marram | grep -q "marram [45]" && python -c "import marram, ropewalk"
`))
	for _, line := range []string{
		"standin pier.universe", "env MOLT_REGISTRY_PYTHON=$STANDIN", "molt relock", "molt install",
		`says "2 package folders; 2 added"`, "molt verify", "has .venv/.molt.json marram@4.2",
		`molt install`, `says "All is there as the lock has it"`, "molt plan marram@5", "molt step --all",
		`says "passed it runs"`, "molt verify", "has .venv/.molt.json marram@5.0", "molt back",
		"has .venv/.molt.json marram@4.2", "molt verify",
	} {
		words, err := wordsOf(line)
		if err == nil {
			err = s.do(words)
		}
		if err != nil {
			t.Fatalf("%s\n%v", line, err)
		}
	}
	// What somebody edited is not lost unasked; what is missing is mended.
	module := filepath.Join(s.dir, sitePackages(t, s.dir), "marram", "__init__.py")
	if err := os.Remove(module); err != nil {
		t.Fatal(err)
	}
	for _, line := range []string{
		"exits 1 molt verify", `says "marram/__init__.py is missing"`, "molt install", `says "marram@4.2"`, "molt verify"} {
		words, _ := wordsOf(line)
		if err := s.do(words); err != nil {
			t.Fatalf("%s\n%v", line, err)
		}
	}
	if err := os.Remove(module); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(module, []byte("version = 4  # mine\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	for _, line := range []string{
		"exits 1 molt verify", "exits 2 molt install", `says "files of installed packages were edited"`,
		"molt install --force", "molt verify"} {
		words, _ := wordsOf(line)
		if err := s.do(words); err != nil {
			t.Fatalf("%s\n%v", line, err)
		}
	}
	// What would replace the interpreter is refused, and all is as it was.
	s.write("requirements.txt", "marram>=4.2,<5\nbilge\n")
	for _, line := range []string{
		"molt relock", "exits 3 molt install",
		`says "bilge@1.0 would replace bin/python, which the environment itself has; what was installed is as it was"`} {
		words, _ := wordsOf(line)
		if err := s.do(words); err != nil {
			t.Fatalf("%s\n%v", line, err)
		}
	}
	s.write("requirements.txt", "marram>=4.2,<5\n")
	if err := exec.Command(filepath.Join(s.dir, ".venv", "bin", "python"), "-c", "import marram").Run(); err != nil {
		t.Errorf("the interpreter: %v", err)
	}
	// An environment of somebody else's stays.
	if err := os.Remove(filepath.Join(s.dir, ".venv", ".molt.json")); err != nil {
		t.Fatal(err)
	}
	for _, line := range []string{"molt relock", "exits 2 molt install", `says ".venv was not laid out by Molt"`} {
		words, _ := wordsOf(line)
		if err := s.do(words); err != nil {
			t.Fatalf("%s\n%v", line, err)
		}
	}
}

func sitePackages(t *testing.T, dir string) string {
	t.Helper()
	all, err := filepath.Glob(filepath.Join(dir, ".venv/lib/python*/site-packages"))
	if err != nil || len(all) != 1 {
		t.Fatalf("%q, %v", all, err)
	}
	rel, err := filepath.Rel(dir, all[0])
	if err != nil {
		t.Fatal(err)
	}
	return rel
}

// TestPythonBuild builds a release that has nothing but its source, where people allow that, with a
// backend that comes from the registry.
func TestPythonBuild(t *testing.T) {
	if python, err := exec.LookPath("python3"); err != nil || runtime.GOOS == "windows" ||
		exec.Command(python, "-c", "import sys, venv; sys.exit(sys.version_info < (3, 8))").Run() != nil {
		t.Skip("there is no Python on this machine that makes environments")
	}
	s := newScript(t, mustTxtar(`
-- universe --
package none
  1.0.0 2023-01-01
-- pier.universe --
package tarbuild
  1.0  2023-01-01  pitch@>=1
  code 1.0 tarbuild/__init__.py
    | import os, zipfile
    |
    | import pitch
    |
    | def get_requires_for_build_wheel(settings=None):
    |     print("asked")
    |     return ["oakum>=1"]
    |
    | def build_wheel(out, settings=None, metadata=None):
    |     import oakum
    |     assert "MOLT_TOKEN_PYTHON" not in os.environ
    |     if os.path.exists("broken"):
    |         raise SystemExit("the planks do not fit")
    |     name, version = "chartroom", open("VERSION").read().strip()
    |     info = f"{name}-{version}.dist-info/"
    |     files = {"chartroom.py": "built = True\n", info + "METADATA": f"Metadata-Version: 2.1\nName: {name}\nVersion: {version}\nRequires-Dist: ropewalk>=1\n",
    |              info + "WHEEL": "Wheel-Version: 1.0\nRoot-Is-Purelib: true\nTag: py3-none-any\n"}
    |     files[info + "RECORD"] = "".join(f"{file},,\n" for file in files) + info + "RECORD,,\n"
    |     file = f"{name}-{version}-py3-none-any.whl"
    |     with zipfile.ZipFile(os.path.join(out, file), "w") as wheel:
    |         for at, text in files.items():
    |             wheel.writestr(at, text)
    |     return file
package pitch
  1.0  2023-01-01
package oakum
  1.0  2023-01-01
package ropewalk
  1.0  2023-01-01
package chartroom
  2.0  2023-01-01
  2.1  2024-01-01
  unbuilt 2.0
  unbuilt 2.1
  code 2.0 pyproject.toml
    | [build-system]
    | requires = ["tarbuild>=1"]
    | build-backend = "tarbuild"
  code 2.0 VERSION
    | 2.0
  code 2.1 VERSION
    | 2.1
  code 2.1 broken
    | yes
-- requirements.txt --
chartroom<2.1
`))
	for _, line := range []string{
		"standin pier.universe", "env MOLT_REGISTRY_PYTHON=$STANDIN", "env MOLT_TOKEN_PYTHON=secret", "exits 1 molt relock",
		`says "chartroom 2.0 has no wheel, so what it needs is known only once it is built"`,
	} {
		words, _ := wordsOf(line)
		if err := s.do(words); err != nil {
			t.Fatalf("%s\n%v", line, err)
		}
	}
	s.write("molt.yaml", "build: [Chartroom]\n")
	for _, line := range []string{ // what only reads builds nothing, and nothing is built that nobody allowed
		"exits 1 molt relock --dry-run",
		`says "chartroom 2.0 is not known without a build of its source; molt fetch builds what a plan needs"`,
		"molt survey", "molt dossier chartroom", "exits 1 molt fit chartroom", "exits 1 molt untangle",
		"env MOLT_ALLOW_COMMANDS=", "exits 2 molt relock", `says "build Chartroom"`, `says "--allow-commands"`,
	} {
		words, _ := wordsOf(line)
		if err := s.do(words); err != nil {
			t.Fatalf("%s\n%v", line, err)
		}
	}
	if _, err := os.Stat(filepath.Join(s.cache, "built")); err == nil {
		t.Error("a call that only reads has built something")
	}
	for _, line := range []string{
		"molt relock --allow-commands", `has pylock.toml "ropewalk>=1"`, "molt relock --offline", "molt install",
		"molt verify", `has .venv/.molt.json chartroom@2.0`, "molt install", `says "All is there"`,
	} {
		words, _ := wordsOf(line)
		if err := s.do(words); err != nil {
			t.Fatalf("%s\n%v", line, err)
		}
	}
	if _, err := os.Stat(filepath.Join(s.dir, sitePackages(t, s.dir), "chartroom.py")); err != nil {
		t.Error(err)
	}
	s.write("requirements.txt", "chartroom==2.1\n")
	for _, line := range []string{
		"exits 1 molt relock", `says "chartroom 2.1 cannot be used: building chartroom@2.1 from its source"`,
		`says "the planks do not fit"`, `says "whole output:"`} {
		words, _ := wordsOf(line)
		if err := s.do(words); err != nil {
			t.Fatalf("%s\n%v", line, err)
		}
	}
}
