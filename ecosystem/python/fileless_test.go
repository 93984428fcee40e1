package python

import (
	"net/url"
	"testing"

	"github.com/go-json-experiment/json"

	"molt/core/solve"
	"molt/core/universe"
	"molt/ecosystem"
)

func TestFileless(t *testing.T) {
	for _, test := range []struct {
		file, python, platform string
		want                   bool
	}{
		{"oar-1.0-py3-none-any.whl", "3.12", "", false},
		{"oar-1.0-py2.py3-none-any.whl", "3.12", "windows-x86_64", false},
		{"oar-1.0-cp311-cp311-manylinux_2_17_x86_64.manylinux2014_x86_64.whl", "3.11.4", "linux-x86_64", false},
		{"oar-1.0-cp311-cp311-manylinux_2_17_x86_64.whl", "3.12", "linux-x86_64", true},
		{"oar-1.0-cp311-cp311-manylinux_2_17_x86_64.whl", "3.11", "linux-aarch64", true},
		{"oar-1.0-cp38-abi3-macosx_11_0_universal2.whl", "3.12", "macos-arm64", false},
		{"oar-1.0-cp312-cp312-win_amd64.whl", "3.12", "windows-x86_64", false},
		{"oar-1.0-cp312-cp312-win_amd64.whl", "3.12", "", true},
		{"oar-1.0.tar.gz", "3.12", "", true},
		{"oar-1.0.tar.gz", "new", "", false}, // nobody can tell
	} {
		kind := wheelKind
		if test.file == "oar-1.0.tar.gz" {
			kind = sourceKind
		}
		p := &ecosystem.LockedPackage{
			Node: solve.Node{Name: "oar", Version: "1.0"}, Files: []universe.File{{Address: test.file, Kind: kind}}}
		e := ecosystem.Environment{Runtimes: map[string]string{"python": test.python}, Platform: test.platform}
		if got := (Python{}).Fileless(p, e); got != test.want {
			t.Errorf("%s for %s on %s: %v", test.file, test.python, test.platform, got)
		}
	}
}

// What a page says of metadata by their own address (PEP 714, and PEP 658 before it) decides
// whether they are asked for.
func TestBare(t *testing.T) {
	for says, want := range map[string]bool{
		``: false, `, "core-metadata": false`: true, `, "core-metadata": true`: false,
		`, "core-metadata": {"sha256": "00"}`: false,
		`, "dist-info-metadata": false`:       true, `, "core-metadata": true, "dist-info-metadata": false`: false,
	} {
		var f indexFile
		if err := json.Unmarshal([]byte(
			`{"filename": "oar-1.0-py3-none-any.whl", "url": "oar-1.0-py3-none-any.whl"`+says+`}`), &f); err != nil {
			t.Fatal(err)
		}
		page, _ := url.Parse("https://index.example/simple/oar/")
		if file, err := f.file(wheelKind, page, "https://index.example/simple"); err != nil || file.Bare != want {
			t.Errorf("%s: %v, %v", says, file.Bare, err)
		}
	}
}
