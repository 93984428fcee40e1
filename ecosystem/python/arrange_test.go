package python

import (
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"

	"molt/core/solve"
	"molt/core/universe"
	"molt/ecosystem"
	"molt/ecosystem/python/requirement"
)

// hostOf makes a machine with CPython 3.11.
func hostOf(system, machine string, libc ...string) *ecosystem.Host {
	return &ecosystem.Host{Name: runtimeName, Version: "3.11.4",
		Detail: &hostDetail{System: system, Libc: libc, Site: "lib/python3.11/site-packages",
			Markers: requirement.Environment{
				"python_version": "3.11", "python_full_version": "3.11.4", "implementation_name": "cpython",
				"platform_machine": machine, "sys_platform": strings.SplitN(system, "-", 2)[0]}}}
}

// TestFileFor takes the wheel that a machine can use best.
func TestFileFor(t *testing.T) {
	wheels := strings.Fields(`cp310-cp310-manylinux_2_17_x86_64 cp311-cp311-manylinux_2_17_x86_64.manylinux2014_x86_64 cp311-cp311-manylinux_2_39_x86_64 cp311-cp311-musllinux_1_1_x86_64 cp38-abi3-manylinux2010_x86_64
		cp311-cp311-macosx_11_0_arm64 cp311-cp311-macosx_10_9_universal2 cp311-cp311-win_amd64 py3-none-any cp312-cp312-manylinux_2_17_x86_64 pp310-pypy310_pp73-manylinux_2_17_x86_64 py2-none-any cp311-cp311-manylinux_2_17_aarch64`)
	for _, test := range []struct {
		host    *ecosystem.Host
		without string // wheels whose names hold this are not there
		want    string
	}{
		{hostOf("linux-x86_64", "x86_64", "glibc", "2.36"), "", "cp311-cp311-manylinux_2_17_x86_64.manylinux2014_x86_64"},
		{hostOf("linux-x86_64", "x86_64", "glibc", "2.40"), "", "cp311-cp311-manylinux_2_39_x86_64"},
		{hostOf("linux-x86_64", "x86_64", "glibc", "2.36"), "cp311-cp311", "cp38-abi3-manylinux2010_x86_64"},
		{hostOf("linux-x86_64", "x86_64", "glibc", "2.5"), "", "py3-none-any"},
		{hostOf("linux-x86_64", "x86_64", "musl", "1.2"), "", "cp311-cp311-musllinux_1_1_x86_64"},
		{hostOf("linux-aarch64", "aarch64", "glibc", "2.36"), "", "cp311-cp311-manylinux_2_17_aarch64"},
		{hostOf("macosx-14.0-arm64", "arm64", "", ""), "", "cp311-cp311-macosx_11_0_arm64"},
		{hostOf("macosx-10.15-x86_64", "x86_64", "", ""), "", "cp311-cp311-macosx_10_9_universal2"},
		{hostOf("win-amd64", "AMD64", "", ""), "", "cp311-cp311-win_amd64"},
		{hostOf("linux-riscv64", "riscv64", "glibc", "2.36"), "any", ""},
	} {
		p := &ecosystem.LockedPackage{Files: []universe.File{{Kind: sourceKind, Address: "keel-1.0.tar.gz"}}}
		for _, tags := range wheels {
			if test.without == "" || !strings.Contains(tags, test.without) {
				p.Files = append(p.Files, universe.File{Kind: wheelKind, Address: "keel-1.0-" + tags + ".whl"})
			}
		}
		f, ok := Python{}.FileFor(p, test.host)
		if got := strings.TrimSuffix(strings.TrimPrefix(f.Address, "keel-1.0-"), ".whl"); got != test.want ||
			ok != (test.want != "") {
			t.Errorf("%s without %q takes %q, want %q", test.host.Detail.(*hostDetail).System, test.without, got, test.want)
		}
	}
}

// arrange lays out a wheel of keel 1.0 with some files besides the usual ones; those whose text is "-" are left out.
func arrange(t *testing.T, env string, files map[string]string) (*ecosystem.Arrangement, error) {
	t.Helper()
	all := map[string]string{"keel/__init__.py": "x = 1\n", "keel-1.0.dist-info/METADATA": "Name: keel\nVersion: 1.0\n",
		"keel-1.0.dist-info/WHEEL": "Wheel-Version: 1.0\n"}
	maps.Copy(all, files)
	maps.DeleteFunc(all, func(_, text string) bool { return text == "-" })
	digests := map[string]string{}
	record := ""
	for name, text := range all {
		sum := sha256.Sum256([]byte(text))
		digests[name] = hex.EncodeToString(sum[:])
		if name != "keel-1.0.dist-info/RECORD" {
			record += fmt.Sprintf("%s,sha256=%s,%d\n", name, base64.RawURLEncoding.EncodeToString(sum[:]), len(text))
		}
	}
	if _, given := files["keel-1.0.dist-info/RECORD"]; !given {
		all["keel-1.0.dist-info/RECORD"] = record + "keel-1.0.dist-info/RECORD,,\n"
		digests["keel-1.0.dist-info/RECORD"] = "00"
	}
	p := &ecosystem.LockedPackage{Node: solve.Node{ID: "keel@1.0", Name: "keel", Version: "1.0"}}
	return Python{}.Arrange(hostOf("linux-x86_64", "x86_64", "glibc", "2.36"), p, env, digests,
		func(name string) ([]byte, error) {
			if text, ok := all[name]; ok {
				return []byte(text), nil
			}
			return nil, fmt.Errorf("there is no %s", name)
		})
}

func TestArrange(t *testing.T) {
	a, err := arrange(t, "/srv/office/.venv", map[string]string{
		"keel-1.0.data/scripts/lay": "#!python -s\nprint(1)\n", "keel-1.0.data/scripts/tool.sh": "#!/bin/sh\n",
		"keel-1.0.data/data/share/keel.txt": "a", "keel-1.0.data/purelib/keel/more.py": "b",
		"keel-1.0.data/headers/keel.h": "c",
		"keel-1.0.dist-info/entry_points.txt": "# of keel\n[console_scripts]\nkeel = keel.command:Main.run " +
			"[fast]\n[other]\nx = y\n", "keel-1.0.dist-info/licenses/LICENSE": "d",
	})
	if err != nil {
		t.Fatal(err)
	}
	var links []string
	for _, at := range slices.Sorted(maps.Keys(a.Links)) {
		links = append(links, at+" = "+a.Links[at])
	}
	const site = "lib/python3.11/site-packages/"
	want := []string{"bin/tool.sh = keel-1.0.data/scripts/tool.sh",
		"include/site/python3.11/keel/keel.h = keel-1.0.data/headers/keel.h",
		site + "keel-1.0.dist-info/METADATA = keel-1.0.dist-info/METADATA",
		site + "keel-1.0.dist-info/WHEEL = keel-1.0.dist-info/WHEEL",
		site + "keel-1.0.dist-info/entry_points.txt = keel-1.0.dist-info/entry_points.txt",
		site + "keel-1.0.dist-info/licenses/LICENSE = keel-1.0.dist-info/licenses/LICENSE",
		site + "keel/__init__.py = keel/__init__.py", site + "keel/more.py = keel-1.0.data/purelib/keel/more.py",
		"share/keel.txt = keel-1.0.data/data/share/keel.txt"}
	if !slices.Equal(links, want) {
		t.Errorf("links\n%s\nwant\n%s", strings.Join(links, "\n"), strings.Join(want, "\n"))
	}
	if got := string(a.Made["bin/keel"]); got != "#!/srv/office/.venv/bin/python\nimport sys\n\nfrom keel.command "+
		"import Main\n\nif __name__ == \"__main__\":\n    sys.exit(Main.run())\n" {
		t.Errorf("the script is %s", got)
	}
	if got := string(a.Made["bin/lay"]); got != "#!/srv/office/.venv/bin/python\nprint(1)\n" {
		t.Errorf("the other script is %s", got)
	}
	record := string(a.Made[site+"keel-1.0.dist-info/RECORD"])
	for _, line := range []string{
		"../../../bin/keel,sha256=", "../../../share/keel.txt,sha256=", "keel/more.py,sha256=",
		"keel-1.0.dist-info/RECORD,,\n", "keel-1.0.dist-info/INSTALLER,sha256="} {
		if !strings.Contains(record, line) {
			t.Errorf("the record lacks %s:\n%s", line, record)
		}
	}
	if !slices.Equal(a.Run, []string{"bin/keel", "bin/lay", "bin/tool.sh"}) {
		t.Errorf("people run %q", a.Run)
	}
	if a, err := arrange(t, "/srv/night office/.venv",
		map[string]string{"keel-1.0.data/scripts/lay": "#!python\nprint(1)\n"}); err != nil ||
		!strings.HasPrefix(string(a.Made["bin/lay"]), "#!/bin/sh\n'''exec' '/srv/night office/.venv/bin/python'") {
		t.Errorf("%s, %v", a.Made["bin/lay"], err)
	}
}

// TestHostileWheels has wheels that contradict themselves: none is laid out.
func TestHostileWheels(t *testing.T) {
	for name, test := range map[string]struct {
		files map[string]string
		want  string
	}{
		"no metadata": {map[string]string{"keel-1.0.dist-info/METADATA": "-"}, "its wheel has no METADATA"},
		"other metadata": {map[string]string{"keel-1.0.dist-info/METADATA": "Name: mast\nVersion: 1.0\n"},
			"its metadata says that it is mast 1.0"},
		"two in one": {map[string]string{"mast-2.0.dist-info/METADATA": "Name: mast\nVersion: 2.0\n"},
			"more than one distribution: keel-1.0.dist-info, mast-2.0.dist-info"},
		"no WHEEL": {map[string]string{"keel-1.0.dist-info/WHEEL": "-"}, "its wheel has no file WHEEL"},
		"a newer wheel": {map[string]string{"keel-1.0.dist-info/WHEEL": "Wheel-Version: 2.0\n"},
			"its wheel is of version \"2.0\""},
		"not recorded": {map[string]string{
			"keel-1.0.dist-info/RECORD": "keel-1.0.dist-info/METADATA,,\nkeel-1.0.dist-info/WHEEL,,\n"},
			"its RECORD does not list keel/__init__.py"},
		"another digest": {map[string]string{
			"keel-1.0.dist-info/RECORD": "keel/__init__.py,sha256=AAAA,1\nkeel-1.0.dist-info/METADATA,,\nkeel-1.0.dist-info/WHEEL,,\n"}, "its RECORD states another digest of keel/__init__.py"},
		"unknown place": {map[string]string{"keel-1.0.data/etc/x": ""}, "files for \"etc\""},
		"configuration": {map[string]string{"keel-1.0.data/data/pyvenv.cfg": ""}, "would replace pyvenv.cfg"},
		"bad entry point": {map[string]string{
			"keel-1.0.dist-info/entry_points.txt": "[console_scripts]\nkeel = keel:x; import os\n"}, "cannot be read"},
		"bad script name": {map[string]string{"keel-1.0.dist-info/entry_points.txt": "[console_scripts]\n../keel = keel:x\n"},
			"cannot be read"},
	} {
		if a, err := arrange(t, "/srv/.venv", test.files); err == nil || !strings.Contains(err.Error(), test.want) {
			t.Errorf("%s: %v, %v; want %s", name, a, err, test.want)
		}
	}
}

// TestBuildSystem reads what a source tree says of its building.
func TestBuildSystem(t *testing.T) {
	for text, want := range map[string]string{
		"":                    "setuptools.build_meta:__legacy__ [setuptools>=40.8.0]",
		"[project]\nname='x'": "setuptools.build_meta:__legacy__ [setuptools>=40.8.0]",
		"[build-system]\nrequires=['tarbuild>=1', 'tarbuild<3']\nbuild-backend='tarbuild.api'": "tarbuild.api [tarbuild>=1,<3]",
		"[build-system]\nrequires=['x']\nbuild-backend='x'\nbackend-path=['../y']":             "leads out of it",
		"[build-system]\nrequires=['x @ https://x.example/x.zip']":                             "packages of the registry alone", "[": "its pyproject.toml",
	} {
		src := mapFS(map[string]string{"pyproject.toml": text})
		if text == "" {
			src = mapFS(nil)
		}
		system, err := buildSystemOf(src)
		var texts []string
		if err == nil {
			var needs []universe.Demand
			if needs, err = (Python{}).BuildNeeds(src); err == nil {
				for _, d := range needs {
					texts = append(texts, d.As+d.Text)
				}
			}
		}
		if got := fmt.Sprint(system.Backend, " ", texts); err == nil && got != want ||
			err != nil && !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %s, %v; want %s", text, got, err, want)
		}
	}
}
