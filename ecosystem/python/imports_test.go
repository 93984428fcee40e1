package python

import (
	"fmt"
	"strings"
	"testing"
	"testing/fstest"

	"molt/core/project"
)

func TestImports(t *testing.T) {
	source := "\ufeff\"\"\"import no\n\nfrom no import x\n\"\"\"\n" + `import os, marram.pages as pages, tern_rest
from quay_forms import (
    form,  # import no
    number,
)
from . import desk
from .desk import x
from office.rosters import y
try: import speedups
except ImportError: speedups = None
def f():
    from petrel_admin \
        import table; import ledgerline
    s = 'import no'; t = f"{d["import no"]} {x:{'>'}10} {{import no}}"
    import after_string
    u = rb'\\'; import in_raw
w = """
import no
""" + f'''
{import_no}
import no
'''
import   Yacht.sails
important = 1
from_here = 2
x = (1,
import_not)
match = {"import no": 1}
import last`
	dir := fstest.MapFS{}
	for name, text := range map[string]string{
		"office/desk.py": source, "office/rosters.py": "import json", "manage.py": "import marram", "env/pyvenv.cfg": "",
		"env/x.py": "import no", ".hidden/x.py": "import no",
		".venv/lib/python3.11/site-packages/marram-5.2.dist-info/METADATA": "Name: Marram\nVersion: 5.2\n",
		".venv/lib/python3.11/site-packages/marram-5.2.dist-info/RECORD":   "marram/__init__.py,sha256=a,1\nYacht/sails/cloth.cpython-311-x86_64-linux-gnu.so,,\n../../../bin/marram,,\n",
	} {
		dir[name] = &fstest.MapFile{Data: []byte(text)}
	}
	all, err := Python{}.Imports(dir)
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, i := range all {
		got = append(got, fmt.Sprintf("%s:%d %s=%s", strings.TrimSuffix(i.File, ".py"), i.Line, i.Specifier, i.Package))
	}
	want := `manage:1 marram=marram office/desk:5 marram.pages=marram office/desk:5 tern_rest=tern-rest office/desk:6 quay_forms=quay-forms office/desk:13 speedups=speedups office/desk:16 petrel_admin=petrel-admin office/desk:17 ledgerline=ledgerline office/desk:19 after_string=after-string office/desk:20 in_raw=in-raw office/desk:27 Yacht.sails=marram office/desk:33 last=last`
	if strings.Join(got, " ") != want {
		t.Errorf("got\n%s\nwant\n%s", strings.Join(got, " "), want)
	}
}

func TestPins(t *testing.T) {
	dir := fstest.MapFS{}
	for name, text := range map[string]string{
		".python-version": "3.11.4\n", "runtime.txt": "python-3.10.2", ".tool-versions": "node 20\npython 3.12 # new\n",
		"Dockerfile": "FROM --platform=linux/amd64 harbour.example/library/python:3.9-slim AS base\nFROM base\n",
		".github/workflows/ci.yml": "steps:\n  - uses: x\n    with:\n      python-version: \"3.13\"\n      python-version: " +
			"${{ matrix.v }}\n",
	} {
		dir[name] = &fstest.MapFile{Data: []byte(text)}
	}
	want := []project.Pin{{Name: "python", Version: "3.11.4", Where: ".python-version:1"},
		{Name: "python", Version: "3.10.2", Where: "runtime.txt:1"},
		{Name: "python", Version: "3.12", Where: ".tool-versions:2"},
		{Name: "python", Version: "3.9", Where: "Dockerfile:1"},
		{Name: "python", Version: "3.13", Where: ".github/workflows/ci.yml:4"}}
	if got := (Python{}).Pins(dir, nil); fmt.Sprint(got) != fmt.Sprint(want) {
		t.Errorf("%v, want %v", got, want)
	}
}

// FuzzStatements makes sure that any text ends, and has its statements on lines that it has.
func FuzzStatements(f *testing.F) {
	f.Add("import x\nf\"{a['b']}\"\n'''\n")
	f.Add("f'{\"")
	f.Fuzz(func(t *testing.T, src string) {
		for _, s := range statementsOf(src) {
			if s.line < 1 || s.line > strings.Count(src, "\n")+1 {
				t.Fatalf("%q: a statement on line %d", src, s.line)
			}
		}
	})
}
