package js

import (
	"fmt"
	"strings"
	"testing"
)

func TestArchiveAddress(t *testing.T) {
	for text, want := range map[string]string{
		"https://code.example/oar.tgz":               "https://code.example/oar.tgz",
		"https://code.example/download?file=oar#x":   "https://code.example/download?file=oar",
		"https://code.example/oar.git":               "git+https://code.example/oar.git",
		"https://code.example/oar.git#v1":            "git+https://code.example/oar.git#v1",
		"git+ssh://git@code.example/oar.git#main":    "git+ssh://git@code.example/oar.git#main",
		"git+https://code.example/oar.git#semver:^1": "git+https://code.example/oar.git#semver:^1",
		"file:oar.tgz":             "file:oar.tgz",
		"./archives/../oar.tar.gz": "file:oar.tar.gz",
		"file:oar":                 "",
		"file:/etc/oar.tgz":        "",
		"crew/oar":                 "git+https://github.com/crew/oar.git",
		"crew/oar.js.git#v1.0":     "git+https://github.com/crew/oar.js.git#v1.0",
		"gitlab:crew/oar":          "git+https://gitlab.com/crew/oar.git",
		"bitbucket:crew/oar#main":  "git+https://bitbucket.org/crew/oar.git#main",
		"github:crew/oar#semver:1": "git+https://github.com/crew/oar.git#semver:1",
		"harbour:crew/oar":         "",
		"../crew":                  "",
		"crew/oar/sail":            "",
		"github:crew":              "",
		"^1.0.0":                   "",
		"oar.tgz":                  "",
	} {
		if got := (JS{}).ArchiveAddress(text); got != want {
			t.Errorf("%s is the archive %q, want %q", text, got, want)
		}
	}
}

func TestManifestIn(t *testing.T) {
	for file, want := range map[string]int{
		"package/package.json": 1, "oar-1.0/package.json": 1, "./package/package.json": 1,
		"package.json": 0, "package/lib/package.json": 0, "package/package.json.bak": 0,
	} {
		if got := (JS{}).ManifestIn(file); got != want {
			t.Errorf("%s tells %d", file, got)
		}
	}
}

// A release is read from the manifest in its archive as a registry would state it.
func TestArchived(t *testing.T) {
	a, err := JS{}.Archived("", "", []byte(`{
		"name": "@quay/oar", "version": "1.2.0", "license": "MIT", "engines": {"node": ">=18"},
		"dependencies": {"rope": "^1", "sail": "^1", "hull": "*"},
		"optionalDependencies": {"sail": "^2"},
		"peerDependencies": {"hull": "^2", "mast": "^1"},
		"devDependencies": {"rig": "*"}}`), nil)
	r := a.Release
	if err != nil {
		t.Fatal(err)
	}
	var all []string
	for _, d := range r.Needs {
		all = append(all, fmt.Sprintf("need %s %s %v", d.As, d.Text, d.Optional))
	}
	for _, d := range r.Peers {
		all = append(all, fmt.Sprintf("peer %s %s", d.As, d.Text))
	}
	for _, d := range r.Covered {
		all = append(all, fmt.Sprintf("covered %s %s", d.As, d.Text))
	}
	got := fmt.Sprintf("%s %s %s %v: %s", a.Name, r.Version, r.Licence, r.Runtimes, strings.Join(all, ", "))
	if want := "@quay/oar 1.2.0 MIT [{node >=18}]: need hull * false, need rope ^1 false, need sail ^2 true, peer mast " +
		"^1, covered hull ^2"; got != want {
		t.Errorf("it is %s\nwant   %s", got, want)
	}
	for _, bad := range []string{`{`, `{"version": "1.0.0"}`, `{"name": "../oar", "version": "1.0.0"}`, `{"name": "oar"}`,
		`{"name": "oar", "version": "first"}`, `{"name": "oar", "version": "1.0.0", "dependencies": {"rope": "^^"}}`} {
		if _, err := (JS{}).Archived("", "", []byte(bad), nil); err == nil {
			t.Errorf("%s is a release", bad)
		}
	}
}
