package python

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"molt/core/universe"
	"molt/ecosystem"
)

func TestArchiveAddress(t *testing.T) {
	for text, want := range map[string]string{
		"https://pier.example/oar-1.0-py3-none-any.whl":                "https://pier.example/oar-1.0-py3-none-any.whl",
		"https://pier.example/oar-1.0.tar.gz#sha256=ab":                "https://pier.example/oar-1.0.tar.gz",
		"https://pier.example/oar-1.0.tar.gz ; os_name == \"nt\"":      "https://pier.example/oar-1.0.tar.gz",
		"https://pier.example/download?of=oar":                         "",
		"git+https://pier.example/oar.git@v1.0#egg=oar":                "git+https://pier.example/oar.git#v1.0",
		"git+ssh://git@pier.example/oar.git":                           "git+ssh://git@pier.example/oar.git",
		"git+https://pier.example/oar.git@v1.0#egg=oar&subdirectory=x": "",
		"./wheels/oar-1.0-py3-none-any.whl":                            "file:wheels/oar-1.0-py3-none-any.whl",
		"file:wheels/../oar-1.0.zip":                                   "file:oar-1.0.zip",
		"../oar-1.0.zip":                                               "",
		"/srv/oar-1.0.zip":                                             "",
		"file:///srv/oar-1.0.zip":                                      "",
		"./oar":                                                        "",
		">=1.0":                                                        "",
	} {
		if got := (Python{}).ArchiveAddress(text); got != want {
			t.Errorf("%s is the archive %q, want %q", text, got, want)
		}
	}
}

// Of an archive the core metadata is read before a pyproject.toml, and at its top alone.
func TestManifestInArchive(t *testing.T) {
	ranked := []string{"oar-1.0/src/PKG-INFO", "package/pyproject.toml", "oar-1.0/PKG-INFO", "oar-1.0.dist-info/METADATA"}
	for i, file := range ranked {
		if got := (Python{}).ManifestIn(file); got != i {
			t.Errorf("%s tells %d, want %d", file, got, i)
		}
	}
}

// What an archive says is what a registry would state: its needs where the application runs, and what each extra adds.
func TestArchivedRelease(t *testing.T) {
	linux := []ecosystem.Environment{{Runtimes: map[string]string{"python": "3.11"}}}
	const metadata = "Name: Oar_Lock\nVersion: 1.2\nLicense-Expression: MIT\nRequires-Python: >=3.8\nClassifier: " +
		"Framework :: Hull :: 2\nProvides-Extra: fast\n" +
		"Requires-Dist: rope>=1\nRequires-Dist: reg; sys_platform == \"win32\"\nRequires-Dist: engine; extra == " +
		"\"fast\"\n\nRows.\n"
	const project = "[project]\nname = \"Oar_Lock\"\nversion = \"1.2\"\nrequires-python = \">=3.8\"\nlicense = " +
		"\"MIT\"\nclassifiers = [\"Framework :: Hull :: 2\"]\n" +
		"dependencies = [\"rope>=1\", \"reg; sys_platform == 'win32'\"]\n[project.optional-dependencies]\nFast = " +
		"[\"engine\"]\n"
	says := func(all []universe.Demand) string {
		var texts []string
		for _, d := range all {
			texts = append(texts, d.As+d.Text)
		}
		slices.Sort(texts)
		return strings.Join(texts, " ")
	}
	for _, test := range []struct{ address, file, text, kind string }{
		{"https://x.example/oar_lock-1.2-py3-none-any.whl", "oar_lock-1.2.dist-info/METADATA", metadata, wheelKind},
		{"https://x.example/oar_lock-1.2.tar.gz", "oar_lock-1.2/PKG-INFO", "Metadata-Version: 2.2\n" + metadata, sourceKind},
		{"git+https://x.example/oar#abc", "package/pyproject.toml", project, sourceKind},
	} {
		a, err := Python{}.Archived(test.address, test.file, []byte(test.text), linux)
		if err != nil {
			t.Errorf("%s: %v", test.file, err)
			continue
		}
		r := a.Release
		got := fmt.Sprintf("%s %s %s %v %v needs %s; fast adds %s", a.Name, r.Version, r.Licence, r.Runtimes, r.Claims,
			says(r.Needs), says(a.Extras["fast"]))
		if want := "oar-lock 1.2 MIT [{python >=3.8}] [{hull [2]}] needs rope>=1; fast adds engine oar-lock===1.2"; got != want || r.Files[0].Kind != test.kind {
			t.Errorf("%s: %s, of kind %s\nwant %s", test.file, got, r.Files[0].Kind, want)
		}
	}
	for _, bad := range []struct{ address, file, text, says string }{
		{"https://x.example/oar-1.2.tar.gz", "oar-1.2/PKG-INFO", "Metadata-Version: 2.1\nName: oar\nVersion: 1.2\n",
			"known only once it is built"},
		{"https://x.example/oar-1.2.tar.gz", "oar-1.2/PKG-INFO",
			"Metadata-Version: 2.2\nDynamic: Requires-Dist\nName: oar\nVersion: 1.2\n", "known only once it is built"},
		{"git+https://x.example/oar#abc", "package/pyproject.toml", "[project]\nname = \"oar\"\ndynamic = [\"version\"]\n",
			"known only once it is built"},
		{"git+https://x.example/oar#abc", "package/pyproject.toml", "[project\n", "its pyproject.toml"},
		{"https://x.example/sail-1.2-py3-none-any.whl", "oar-1.2.dist-info/METADATA", "Name: oar\nVersion: 1.2\n",
			"its name says sail 1.2, and its metadata oar 1.2"},
		{"https://x.example/oar-1.2-py3-none-any.whl", "oar-1.2.dist-info/METADATA", "Name: oar\n", "no name and version"},
		{"https://x.example/oar-1.2-py3-none-any.whl", "oar-1.2.dist-info/METADATA", "Name: oar\nVersion: first\n",
			"says that it is oar first"},
	} {
		if _, err := (Python{}).Archived(bad.address, bad.file, []byte(bad.text), linux); err == nil ||
			!strings.Contains(err.Error(), bad.says) {
			t.Errorf("%q: %v, want %s", bad.text, err, bad.says)
		}
	}
}
