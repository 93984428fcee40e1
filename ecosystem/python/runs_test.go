package python

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"molt/ecosystem"
)

// What runs at every start of an interpreter stands at the top of what is laid beside the modules, and nowhere else.
func TestRuns(t *testing.T) {
	files := map[string]string{
		"oar/__init__.py": "", "oar.pth": "import oar", "oar/inner.pth": "", "sitecustomize.py": "",
		"usercustomize/__init__.py": "", "docs/sitecustomize.py": "",
		"oar-1.0.data/purelib/late.pth": "", "oar-1.0.data/scripts/row.sh": "", "oar-1.0.data/data/share/x.pth": "",
		"sitecustomized.py": "",
		"oar-1.0.dist-info/entry_points.txt": "[console_scripts]\nrow = oar:main\n[oar.plugins]\nx = " +
			"oar:x\n[gui_scripts]\nboat=oar:boat\n",
	}
	var names []string
	for name := range files {
		names = append(names, name)
	}
	all := (Python{}).Runs("oar", names, func(file string) ([]byte, error) {
		if text, ok := files[file]; ok {
			return []byte(text), nil
		}
		return nil, errors.New("no such file")
	})
	ecosystem.SortRuns(all)
	var got []string
	for _, r := range all {
		got = append(got, fmt.Sprintf("%s %s", r.When, r.What))
	}
	want := "start late.pth; start oar.pth; start sitecustomize.py; start usercustomize/__init__.py; call boat; call " +
		"row; call row.sh"
	if strings.Join(got, "; ") != want {
		t.Errorf("runs are %s, want %s", strings.Join(got, "; "), want)
	}
}
