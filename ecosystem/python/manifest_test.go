package python

import (
	"errors"
	"fmt"
	"strings"
	"testing"
	"testing/fstest"

	"molt/ecosystem"
	"molt/input"
)

const skua = `[build-system]
requires = ["tarbuild>=3"]

[project]
name = "skua-office"
version = "3.1.0" # of the office
requires-python = ">=3.9"
dependencies = [
    "marram[argon]>=4.2,<5", # the framework
    "Quay_Forms ~= 2.1; python_version < '4'",
    'tern (==1.4.*)',
    "local-kit @ https://skerry.example/kit-1.0.zip",
]
dynamic = ["readme", "optional-dependencies"]

[project.optional-dependencies]
reports = ["ledgerline>=1", "tern-charts"]

[dependency-groups]
test = ["gull>=7", {include-group = "lint"}]
lint = ["sand\u0066lea==0.4.1"]
`

// entries writes declarations a line each.
func entries(t *testing.T, file, data string) string {
	t.Helper()
	m, err := Python{}.ReadManifest(file, []byte(data))
	if err != nil {
		t.Fatal(err)
	}
	var b strings.Builder
	for _, e := range m.Entries() {
		fmt.Fprintf(&b, "%d:%d %s: %s [%s] %q when %q foreign %v\n", e.Line, e.Column, e.Group, e.As, e.Extras, e.Text,
			e.When, e.Foreign)
	}
	return b.String()
}

func TestPyproject(t *testing.T) {
	want := `9:19 dependencies: marram [argon] ">=4.2,<5" when "" foreign false
10:17 dependencies: quay-forms [] "~= 2.1" when "python_version < \"4\"" foreign false
11:12 dependencies: tern [] "==1.4.*" when "" foreign false
12:15 dependencies: local-kit [] "https://skerry.example/kit-1.0.zip" when "" foreign true
17:23 optional-dependencies.reports: ledgerline [] ">=1" when "" foreign false
17:41 optional-dependencies.reports: tern-charts [] "" when "" foreign false
20:14 dependency-groups.test: gull [] ">=7" when "" foreign false
21:9 dependency-groups.lint: sandflea [] "==0.4.1" when "" foreign false
`
	if got := entries(t, "pyproject.toml", skua); got != want {
		t.Errorf("got\n%swant\n%s", got, want)
	}
	m, _ := readPyproject("pyproject.toml", []byte(skua))
	if m.Name() != "skua-office" || m.Version() != "3.1.0" || m.Runtimes()[0].Text != ">=3.9" || len(m.Notes()) != 1 {
		t.Errorf("%q %q %v %q", m.Name(), m.Version(), m.Runtimes(), m.Notes())
	}
}

// TestPyprojectEdits makes one change at a time, and compares the lines that differ.
func TestPyprojectEdits(t *testing.T) {
	edits := []struct {
		name string
		edit func(m *pyproject) error
		want string // lines that went and came
	}{
		{"set", func(m *pyproject) error {
			return m.Set(ecosystem.ConstraintPlace{Group: chiefGroup, Name: "marram"}, ">=5.0,<6")
		},
			`-    "marram[argon]>=4.2,<5", # the framework
+    "marram[argon]>=5.0,<6", # the framework
`},
		{"set with a marker", func(m *pyproject) error {
			return m.Set(ecosystem.ConstraintPlace{Group: chiefGroup, Name: "quay-forms"}, "~=3.0")
		},
			`-    "Quay_Forms ~= 2.1; python_version < '4'",
+    "Quay_Forms ~=3.0; python_version < '4'",
`},
		{"set in parentheses", func(m *pyproject) error {
			return m.Set(ecosystem.ConstraintPlace{Group: chiefGroup, Name: "tern"}, "==2.0.*")
		},
			`-    'tern (==1.4.*)',
+    'tern (==2.0.*)',
`},
		{"unset in parentheses", func(m *pyproject) error { return m.Set(ecosystem.ConstraintPlace{Group: chiefGroup, Name: "tern"}, "") }, `-    'tern (==1.4.*)',
+    'tern ',
`},
		{"set where none was", func(m *pyproject) error {
			return m.Set(ecosystem.ConstraintPlace{Group: "optional-dependencies.reports", Name: "tern-charts"}, ">=2")
		}, `-reports = ["ledgerline>=1", "tern-charts"]
+reports = ["ledgerline>=1", "tern-charts>=2"]
`},
		{"set behind an escape", func(m *pyproject) error {
			return m.Set(ecosystem.ConstraintPlace{Group: "dependency-groups.lint", Name: "sandflea"}, "==0.5.0")
		},
			`-lint = ["sand\u0066lea==0.4.1"]
+lint = ["sandflea==0.5.0"]
`},
		{"add to lines", func(m *pyproject) error { return m.Add(chiefGroup, "anchor", ">=1") }, `+    "anchor>=1",
`},
		{"add to one line", func(m *pyproject) error { return m.Add("optional-dependencies.reports", "zinc", "") },
			`-reports = ["ledgerline>=1", "tern-charts"]
+reports = ["ledgerline>=1", "tern-charts", "zinc"]
`},
		{"add before", func(m *pyproject) error { return m.Add("dependency-groups.test", "eider", "==1") },
			`-test = ["gull>=7", {include-group = "lint"}]
+test = ["eider==1", "gull>=7", {include-group = "lint"}]
`},
		{"add a group", func(m *pyproject) error { return m.Add("dependency-groups.docs", "chart", "==1") }, `+docs = [
+    "chart==1",
+]
`},
		{"remove a line", func(m *pyproject) error { return m.Remove(chiefGroup, "marram") },
			`-    "marram[argon]>=4.2,<5", # the framework
`},
		{"remove the last of a line", func(m *pyproject) error {
			return m.Remove("optional-dependencies.reports", "tern-charts")
		}, `-reports = ["ledgerline>=1", "tern-charts"]
+reports = ["ledgerline>=1"]
`},
		{"remove the only one", func(m *pyproject) error { return m.Remove("dependency-groups.lint", "sandflea") },
			`-lint = ["sand\u0066lea==0.4.1"]
+lint = []
`},
		{"own version", func(m *pyproject) error { return m.SetVersion("3.2.0") }, `-version = "3.1.0" # of the office
+version = "3.2.0" # of the office
`},
	}
	for _, test := range edits {
		m, err := readPyproject("pyproject.toml", []byte(skua))
		if err != nil {
			t.Fatal(err)
		}
		if err := test.edit(m); err != nil {
			t.Errorf("%s: %v", test.name, err)
			continue
		}
		if got := changed(skua, string(m.Bytes())); got != test.want {
			t.Errorf("%s: got\n%swant\n%s", test.name, got, test.want)
		}
	}
}

// changed lists the lines that only one of two texts has, between what they have in common at both ends.
func changed(before, after string) string {
	a, b := strings.SplitAfter(before, "\n"), strings.SplitAfter(after, "\n")
	for len(a) > 0 && len(b) > 0 && a[0] == b[0] {
		a, b = a[1:], b[1:]
	}
	for len(a) > 0 && len(b) > 0 && a[len(a)-1] == b[len(b)-1] {
		a, b = a[:len(a)-1], b[:len(b)-1]
	}
	var out strings.Builder
	for _, line := range a {
		out.WriteString("-" + line)
	}
	for _, line := range b {
		out.WriteString("+" + line)
	}
	return out.String()
}

func TestPyprojectErrors(t *testing.T) {
	for text, want := range map[string]string{
		"[project]\ndependencies = [\"keel 1.0\"]":                                          `p:2:23: "keel 1.0": expected an operator before the version, such as == or >=`,
		"[project]\ndependencies = [\"keel; moon == 'x'\"]":                                 "p:2:24: \"keel; moon == 'x'\": unknown variable \"moon\"",
		"[project]\ndependencies = [3]":                                                     `p:2:17: dependencies: expected a requirement in quotes`,
		"[project]\ndependencies = \"keel\"":                                                `p:2:1: dependencies: expected a list of requirements`,
		"[project]\ndependencies = [\"keel\", \"Keel>1\"]":                                  `p:2:25: keel is declared twice in "dependencies", the first time in line 2`,
		"[project]\nrequires-python = \"3.9\"":                                              `p:2:20: requires-python "3.9": expected an operator before the version`,
		"[project]\nrequires-python = 3":                                                    `p:2:1: requires-python: expected a text`,
		"[dependency-groups]\na = [{include-group = \"b\"}]":                                `p:2:6: dependency-groups.a includes "b", which is no dependency group here`,
		"[dependency-groups]\na = [{include-group = \"b\"}]\nb = [{include-group = \"A\"}]": `p:3:6: the dependency groups include one another in a circle: dependency-groups.a includes dependency-groups.b includes dependency-groups.a`,
		"[dependency-groups]\na = [{path = \"b\"}]":                                         `p:2:6: dependency-groups.a: expected a requirement in quotes, or { include-group = "NAME" }`,
		"[dependency-groups]\na_b = []\nA-B = []":                                           `p:3:1: dependency-groups.a_b and dependency-groups.A-B are the same name`,
		"[project\n":                      `p:1:9: this is not TOML`,
		"a = " + strings.Repeat("[", 300): "p:1: TOML may nest at most 200 deep",
	} {
		_, err := readPyproject("p", []byte(text))
		if err == nil || !strings.HasPrefix(err.Error(), want) {
			t.Errorf("%q: %v, want %s", text, err, want)
		}
	}
}

const listed = "\xef\xbb\xbf# what runs\r\n" + `-r base.txt
-c limits.txt
--index-url https://skerry.example/simple
marram>=4.2,<5  # the framework
tern[charts] == 1.4.2 ; python_version < "4" \
    --hash=sha256:aa11 \
    --hash=sha256:bb22
    # via nobody
-e ./kit
git+https://skerry.example/kit.git@v2#egg=Night_Kit
./wheels/x-1.0-py3-none-any.whl
quay-forms
local @ https://skerry.example/l.zip
`

func TestRequirementsFile(t *testing.T) {
	want := `5:7 r.txt: marram [] ">=4.2,<5" when "" foreign false
6:14 r.txt: tern [charts] "== 1.4.2" when "python_version < \"4\"" foreign false
10:1 r.txt: kit [] "./kit" when "" foreign true
11:1 r.txt: night-kit [] "git+https://skerry.example/kit.git@v2#egg=Night_Kit" when "" foreign true
12:1 r.txt: x [] "./wheels/x-1.0-py3-none-any.whl" when "" foreign true
13:11 r.txt: quay-forms [] "" when "" foreign false
14:6 r.txt: local [] "https://skerry.example/l.zip" when "" foreign true
`
	if got := entries(t, "r.txt", listed); got != want {
		t.Errorf("got\n%swant\n%s", got, want)
	}
	edits := []struct {
		name string
		edit func(m *requirementsFile) error
		want string
	}{
		{"set", func(m *requirementsFile) error {
			return m.Set(ecosystem.ConstraintPlace{Group: "r.txt", Name: "marram"}, ">=5,<6")
		},
			"-marram>=4.2,<5  # the framework\n+marram>=5,<6  # the framework\n"},
		{"set before hashes", func(m *requirementsFile) error {
			if err := m.Set(ecosystem.ConstraintPlace{Group: "r.txt", Name: "tern"}, "== 2.0"); err != nil {
				return err
			}
			return m.SetHashes("tern", []string{"sha256:cc33", "sha256:dd44", "sha256:ee55"})
		}, `-tern[charts] == 1.4.2 ; python_version < "4" \
-    --hash=sha256:aa11 \
-    --hash=sha256:bb22
+tern[charts] == 2.0 ; python_version < "4" \
+    --hash=sha256:cc33 \
+    --hash=sha256:dd44 \
+    --hash=sha256:ee55
`},
		{"remove with its hashes", func(m *requirementsFile) error { return m.Remove("r.txt", "tern") },
			`-tern[charts] == 1.4.2 ; python_version < "4" \
-    --hash=sha256:aa11 \
-    --hash=sha256:bb22
`},
		{"add", func(m *requirementsFile) error { return m.Add("r.txt", "zinc", "==1") }, "+zinc==1\r\n"},
	}
	for _, test := range edits {
		m, err := readRequirements("r.txt", []byte(listed))
		if err != nil {
			t.Fatal(err)
		}
		if err := test.edit(m); err != nil {
			t.Errorf("%s: %v", test.name, err)
		} else if got := changed(listed, string(m.Bytes())); got != test.want {
			t.Errorf("%s: got\n%swant\n%s", test.name, got, test.want)
		}
	}
	for text, want := range map[string]string{
		"a\nkeel 1.0": `r:2:6: "keel 1.0": expected an operator before the version`,
		"-r":          "r:1:1: -r: expected the name of a file",
		"-r ../x":     "r:1:1: ../x is outside of the application's folder",
		"keel\nKeel":  `r:2:1: keel is declared twice in "r", the first time in line 1`, "keel >= \\\n  1.0.*": `r:2:6: `,
	} {
		if _, err := readRequirements("r", []byte(text)); err == nil || !strings.HasPrefix(err.Error(), want) {
			t.Errorf("%q: %v, want %s", text, err, want)
		}
	}
}

func TestDetect(t *testing.T) {
	file := func(text string) *fstest.MapFile { return &fstest.MapFile{Data: []byte(text)} }
	for name, test := range map[string]struct {
		files fstest.MapFS
		want  string
	}{
		"both": {fstest.MapFS{
			"pyproject.toml": file(skua), "requirements.txt": file("-r requirements/base.txt\n-c limits.txt"),
			"requirements/base.txt": file("keel"), "limits.txt": file("keel<2")},
			"pyproject.toml requirements.txt requirements/base.txt"},
		"interpreter": {fstest.MapFS{
			"pyproject.toml": file("[project]\nname = 'x'\nrequires-python = '>=3.9'"), "requirements-dev.txt": file("keel")},
			"requirements-dev.txt pyproject.toml"},
		"tools alone": {fstest.MapFS{"pyproject.toml": file("[tool.x]\na = 1")}, ""},
		"broken":      {fstest.MapFS{"pyproject.toml": file("[")}, "pyproject.toml"},
		"constraint file": {fstest.MapFS{
			"requirements.txt": file("-c requirements-limits.txt"), "requirements-limits.txt": file("keel<2")},
			"requirements.txt"},
	} {
		got, err := Python{}.Detect(test.files)
		if err != nil || strings.Join(got, " ") != test.want {
			t.Errorf("%s: %q, %v; want %s", name, got, err, test.want)
		}
	}
	circle := fstest.MapFS{"requirements.txt": file("-r a.txt"), "a.txt": file("keel\n-r requirements.txt")}
	var bad *input.PositionError
	if _, err := (Python{}).Detect(circle); !errors.As(err, &bad) || bad.File != "a.txt" || bad.Line != 2 {
		t.Errorf("%v", err)
	}
	if _, err := (Python{}).Detect(fstest.MapFS{"requirements.txt": file("keel\n-r gone.txt")}); !errors.As(err, &bad) ||
		bad.File != "requirements.txt" || bad.Line != 2 {
		t.Errorf("%v", err)
	}
}

// FuzzManifests edits whatever can be read: the other entries stay as they are.
func FuzzManifests(f *testing.F) {
	f.Add(skua, true)
	f.Add(listed, false)
	f.Fuzz(func(t *testing.T, text string, toml bool) {
		file := "r.txt"
		if toml {
			file = "p.toml"
		}
		m, err := Python{}.ReadManifest(file, []byte(text))
		if err != nil {
			return
		}
		if string(m.Bytes()) != text {
			t.Fatal("reading changes the text")
		}
		for _, e := range m.Entries() {
			again, err := Python{}.ReadManifest(file, []byte(text))
			if err != nil {
				t.Fatal(err)
			}
			if e.Foreign {
				continue
			}
			if err := again.Set(e.At(), "==7.1"); err != nil {
				t.Fatalf("%q: setting %s: %v", text, e.As, err)
			}
			before, after := m.Entries(), again.Entries()
			if len(before) != len(after) {
				t.Fatalf("%q: setting %s leaves %q", text, e.As, again.Bytes())
			}
			for i := range before {
				want := before[i]
				if want.As == e.As && want.Group == e.Group {
					want.Text, want.Written = "==7.1", "==7.1"
				}
				got := after[i]
				want.Line, want.Column, got.Line, got.Column = 0, 0, 0, 0
				if got != want {
					t.Fatalf("%q: setting %s makes %v of %v", text, e.As, got, want)
				}
			}
			if err := again.Remove(e.Group, e.As); err != nil {
				t.Fatalf("%q: removing %s: %v", text, e.As, err)
			}
			if len(again.Entries()) != len(before)-1 {
				t.Fatalf("%q: removing %s leaves %q", text, e.As, again.Bytes())
			}
		}
	})
}

// mapFS is a folder of texts.
func mapFS(files map[string]string) fstest.MapFS {
	dir := fstest.MapFS{}
	for name, text := range files {
		dir[name] = &fstest.MapFile{Data: []byte(text)}
	}
	return dir
}
