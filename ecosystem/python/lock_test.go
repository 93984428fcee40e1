package python

import (
	"context"
	"errors"
	"reflect"
	"strings"
	"testing"

	"molt/core/solve"
	"molt/core/universe"
	"molt/ecosystem"
	"molt/ecosystem/python/requirement"
	"molt/input"
)

// lockedPier locks an application of the packages in source_test.go.
func lockedPier(t *testing.T) *ecosystem.Lock {
	t.Helper()
	environments := []ecosystem.Environment{
		{Name: "desk", Runtimes: map[string]string{"python": "3.9"}, Platform: "windows-x86_64"},
		{Name: "production", Runtimes: map[string]string{"python": "3.11"}}}
	source := served(t, nil, environments...)
	problem := solve.Problem{Strategy: solve.Single}
	for group, text := range map[string]string{
		"dependencies": "marram", "dependency-groups.test": "tern", "optional-dependencies.more": "sketch"} {
		d := universe.Demand{As: text, Package: text, Text: ">=1"}
		if text == "marram" {
			d.Extras = "argon"
		}
		problem.Roots = append(problem.Roots, solve.Root{Demand: d, Group: group})
		for _, extra := range d.ForExtras() {
			extra.Text = ""
			problem.Roots = append(problem.Roots, solve.Root{Demand: extra, Group: group})
		}
	}
	problem.Roots = append(problem.Roots,
		solve.Root{Group: "dependencies", Demand: universe.Demand{
			As: "kit", Package: "kit", Text: "https://skerry.example/kit.zip", Foreign: true}})
	r, err := solve.Resolve(context.Background(), source, problem)
	if err != nil {
		t.Fatal(err)
	}
	l, err := ecosystem.NewLock(context.Background(), Python{}, source, r, nil)
	if err != nil {
		t.Fatal(err)
	}
	l.Environments, l.Index = environments, "https://packages.skerry.example/simple"
	l.Requires = []universe.Requirement{{Name: "python", Text: ">=3.9"}}
	return l
}

// TestLock decodes what was encoded, and reads in it what the standard has others look for.
func TestLock(t *testing.T) {
	l := lockedPier(t)
	l.Origins = map[string]string{
		"default": "https://packages.skerry.example/simple/", "skerry-*": "https://ours.skerry.example/simple/"}
	data := Python{}.EncodeLock(l)
	again, err := Python{}.DecodeLock("pylock.toml", data)
	if err != nil {
		t.Fatal(err)
	}
	for i := range l.Environments { // what is usual is written out
		if l.Environments[i].Platform == "" {
			l.Environments[i].Platform = usualPlatform
		}
	}
	if !reflect.DeepEqual(l, again) {
		t.Errorf("encoded\n%s\nwhich is decoded as\n%+v\nand not\n%+v", data, again, l)
	}
	if second := (Python{}).EncodeLock(again); string(second) != string(data) {
		t.Errorf("encoded again:\n%s", changed(string(data), string(second)))
	}
	for _, want := range []string{
		"lock-version = \"1.0\"\n", "requires-python = \">=3.9\"\nextras = [\"more\"]\ndependency-groups = [\"test\"]\n",
		"    'python_version == \"3.11\" and sys_platform == \"linux\" and platform_machine == \"x86_64\"',\n",
		"name = \"tzlist\"\nversion = \"1.0\"\nmarker = 'python_version == \"3.9\" and sys_platform == \"win32\" and " +
			"platform_machine == \"AMD64\"'\n",
		"name = \"sketch\"\nversion = \"1.0.post1\"\nmarker = '\"more\" in extras'\n",
		"name = \"tern\"\nversion = \"1.4\"\nmarker = '\"test\" in dependency_groups'\n",
		"url = \"https://packages.skerry.example/simple/-/files/argon/argon-2!0.1-py3-none-any.whl\"",
		"dependencies = [\n    { name = \"argon\" },\n    { name = \"ropewalk\" },\n    { name = \"tzlist\" },\n]\n",
	} {
		if !strings.Contains(string(data), want) {
			t.Errorf("the lock lacks %s", want)
		}
	}
}

const foreign = `lock-version = "1.0"
created-by = "somebody"
default-groups = ["test"]
[[packages]]
name = "Marram"
version = "4.02"
dependencies = [{name = "ropewalk"}]
index = "https://packages.skerry.example/simple/"
wheels = [{url = "https://packages.skerry.example/simple/m/marram-4.2-py3-none-any.whl", hashes = {sha256 = "00"}}]
attestation-identities = [{kind = "somebody", since = 2024-01-01T00:00:00Z}]
[packages.tool.somebody]
note = "kept"
[[packages]]
name = "ropewalk"
version = "1.1"
sdist = {path = "./ropewalk-1.1.tar.gz", hashes = {sha256 = "00"}}
[[packages]]
name = "kit"
directory = {path = "kit"}
[tool.somebody]
level = 3
`

// TestForeignLock reads a lock of another program, and keeps what only that one knows.
func TestForeignLock(t *testing.T) {
	l, err := Python{}.DecodeLock("pylock.toml", []byte(foreign))
	if err != nil {
		t.Fatal(err)
	}
	if len(l.Packages) != 2 || !l.Edgeless || l.Packages[0].ID != "marram@4.2" ||
		l.Packages[0].Needs[0].To != "ropewalk@1.1" || l.Packages[0].Source != "m/marram-4.2-py3-none-any.whl" {
		t.Errorf("%+v", l)
	}
	data := string(Python{}.EncodeLock(l))
	for _, want := range []string{
		"default-groups = [\"test\"]\n", "attestation-identities = [{ kind = \"somebody\", since = 2024-01-01T00:00:00Z }]\n",
		"[packages.tool.somebody]\nnote = \"kept\"\n", "[tool.somebody]\nlevel = 3\n",
		"[[packages]]\ndirectory = { path = \"kit\" }\nname = \"kit\"\n",
		"{ name = \"ropewalk-1.1.tar.gz\", path = \"./ropewalk-1.1.tar.gz\""} {
		if !strings.Contains(data, want) {
			t.Errorf("%s is lost of\n%s", want, data)
		}
	}
}

func TestLockErrors(t *testing.T) {
	one := "lock-version = \"1.0\"\n[[packages]]\nname = \"keel\"\nversion = \"1.0\"\n"
	for text, want := range map[string]string{
		"":                       "l:1:1: this is no pylock.toml: lock-version is missing or no version",
		"lock-version = 1":       "l:1:1: this is no pylock.toml",
		"lock-version = \"2.1\"": "l is written in format 2",
		"[":                      "l:1:1: this is not TOML",
		"lock-version = \"1.0\"\n[[packages]]\nname = \"-\"":                                                    "l:2:1: a package has a name, and \"-\" is none",
		one + "wheels = [{url = \"https://x.example/other-1.0-py3-none-any.whl\"}]":                             "l:2:1: keel 1.0: the file \"other-1.0-py3-none-any.whl\" is none of this release",
		one + "wheels = [{url = \"https://x.example/keel-1.1-py3-none-any.whl\"}]":                              "l:2:1: keel 1.0: the file",
		one + "wheels = [{url = \"https://x.example/keel-1.0-py3-none-any.whl\", hashes = {sha256 = \"xyz\"}}]": "l:2:1: keel: the sha256 of keel-1.0-py3-none-any.whl is not in hexadecimal digits",
		one + "[tool.molt]\nalternatives = [" + strings.Repeat("[\"a\", \"b\"],", 30) +
			"]": "l:1:1: its alternatives are not lists",
		one + "[tool.molt]\nalternatives = [[\"a\", \"b\", \"c\"], [\"d\", \"e\"], [\"f\", \"g\"]]": "l:1:1: its alternatives are not lists",
		one + "[tool.molt]\nalternatives = [[\"a\"]]":                                               "l:1:1: its alternatives are not lists",
		one + "[tool.molt]\nmembers = { \"../else\" = \"keel\" }":                                   "l:1:1: members: \"../else\" is no folder below the application",
		one + "sdist = 3": "l:2:1: keel: expected a table",
		one + "sdist = {url = \"https://x.example/keel-1.0.tar.gz\"}\n[packages.tool.molt]\nneeds = [\"rope 3\"]": "l:2:1: keel: requirement \"rope 3\", byte 6",
		one + "sdist = {url = \"https://x.example/keel-1.0.tar.gz\"}\n[packages.tool.molt]\nneeds = " +
			"[\"rope\"]\n[tool.molt.application]\ndependencies=[\"keel\"]": "l:1:1: keel needs rope, which is not in the lock",
		one + "sdist = {url = \"https://x.example/keel-1.0.tar.gz\"}\n" + one[strings.Index(one, "[["):] +
			"sdist = {url = \"https://x.example/keel-1.0.tar.gz\"}": "l:6:1: keel is there twice, and no condition about the " +
			"environment tells which is meant",
	} {
		_, err := Python{}.DecodeLock("l", []byte(text))
		var place *input.PositionError
		var newer *ecosystem.NewerLockError
		if err == nil || !strings.HasPrefix(err.Error(), want) || !errors.As(err, &place) && !errors.As(err, &newer) {
			t.Errorf("%q: %v, want %s", text, err, want)
		}
	}
}

const forked = `lock-version = "1.0"
[[packages]]
name = "keel"
version = "1.0"
wheels = [{url = "https://x.example/keel-1.0-py3-none-any.whl", hashes = {}}]
[packages.tool.molt]
environments = ["desk"]
extras.bell = ["keel"]
[[packages]]
name = "keel"
version = "2.0"
wheels = [{url = "https://x.example/keel-2.0-py3-none-any.whl", hashes = {}}]
[packages.tool.molt]
environments = ["here"]
[tool.molt]
environments = [{name = "desk", python = "3.9"}, {name = "here", python = "3.12"}]
[tool.molt.application]
dependencies = ["keel>=1", "keel[bell]>=1 ; python_version < '3.10'"]
[tool.molt.by-environment]
keel = [["desk"], ["here"]]
`

const twice = `lock-version = "1.0"
created-by = "somebody"
[[packages]]
name = "keel"
version = "1.0"
marker = 'python_version < "3.10" and "test" in dependency_groups'
wheels = [{url = "https://x.example/keel-1.0-py3-none-any.whl", hashes = {sha256 = "00"}}]
[[packages]]
name = "keel"
version = "2.0"
marker = 'python_version >= "3.10"'
wheels = [{url = "https://x.example/keel-2.0-py3-none-any.whl", hashes = {sha256 = "00"}}]
[[packages]]
name = "mast"
version = "1.0"
dependencies = [{name = "keel", version = "2.0"}, {name = "rope"}]
wheels = [{url = "https://x.example/mast-1.0-py3-none-any.whl", hashes = {sha256 = "00"}}]
[[packages]]
name = "rope"
version = "1.0"
marker = 'sys_platform == "win32"'
wheels = [{url = "https://x.example/rope-1.0-py3-none-any.whl", hashes = {sha256 = "00"}}]
`

// TestForeignForks reads a lock of another program with two releases of a package, and finds which
// of them an interpreter is to have.
func TestForeignForks(t *testing.T) {
	l, err := Python{}.DecodeLock("pylock.toml", []byte(twice))
	if err != nil {
		t.Fatal(err)
	}
	possible := func(when, only string) bool { return when == "" }
	l.Bind([]ecosystem.Entry{{Demand: universe.Demand{As: "keel", Package: "keel", Text: ">=1"}},
		{Demand: universe.Demand{As: "mast", Package: "mast"}}}, possible)
	for version, want := range map[string]string{"3.9": "keel@1.0 mast@1.0", "3.12": "keel@2.0 mast@1.0"} {
		h := &ecosystem.Host{Detail: &hostDetail{
			Markers: requirement.Environment{"python_version": version, "sys_platform": "linux"}}}
		var got []string
		for _, p := range (Python{}).Wanted(l, h) {
			got = append(got, p.ID)
		}
		if strings.Join(got, " ") != want {
			t.Errorf("Python %s is to have %s, want %s", version, got, want)
		}
	}
	data := Python{}.EncodeLock(l)
	if again, err := (Python{}).DecodeLock("pylock.toml", data); err != nil || len(again.Packages) != 4 {
		t.Errorf("%v\n%s", err, data)
	}
}

// FuzzLock encodes whatever could be read, and reads that again.
func FuzzLock(f *testing.F) {
	f.Add(foreign)
	f.Add(twice)
	f.Add(forked)
	f.Add("lock-version = \"1.0\"\n[[packages]]\nname = \"keel\"\nversion = \"1.0\"\nwheels = [{name = " +
		"\"keel-1.0-py3-none-any.whl\", url = \"https://x.example/keel-1.0-py3-none-any.whl\", size = 3, hashes = " +
		"{}}]\n[packages.tool.molt]\nneeds = []\n[tool.molt]\nenvironments = [{python = " +
		"\"3.9\"}]\n[tool.molt.application]\n\"r.txt\" = [\"keel>=1\"]\n")
	f.Fuzz(func(t *testing.T, text string) {
		l, err := Python{}.DecodeLock("l", []byte(text))
		if err != nil {
			return
		}
		data := Python{}.EncodeLock(l)
		again, err := Python{}.DecodeLock("l", data)
		if err != nil {
			t.Fatalf("%q is encoded\n%s\nwhich cannot be read: %v", text, data, err)
		}
		if second := (Python{}).EncodeLock(again); string(second) != string(data) {
			t.Fatalf("%q is encoded\n%s\nand then\n%s", text, data, second)
		}
	})
}

// TestAddressWithoutName keeps the name of a file whose address does not end in it, and the registry of each release.
func TestAddressWithoutName(t *testing.T) {
	text := `lock-version = "1.0"
created-by = "other"
[[packages]]
name = "keel"
version = "1.0"
index = "https://a.example/simple"
wheels = [{ name = "keel-1.0-py3-none-any.whl", url = "https://a.example/download/7", hashes = {} }]
[[packages]]
name = "oar"
version = "2.0"
index = "https://b.example/simple"
wheels = [{ url = "https://b.example/simple/oar-2.0-py3-none-any.whl", hashes = {} }]
`
	l, err := Python{}.DecodeLock("pylock.toml", []byte(text))
	if err != nil {
		t.Fatal(err)
	}
	data := string(Python{}.EncodeLock(l))
	for _, want := range []string{
		`{ name = "keel-1.0-py3-none-any.whl", url = "https://a.example/download/7"`,
		`{ name = "oar-2.0-py3-none-any.whl", url = "https://b.example/simple/oar-2.0-py3-none-any.whl"`,
		`index = "https://b.example/simple"`,
	} {
		if !strings.Contains(data, want) {
			t.Errorf("%s is not in\n%s", want, data)
		}
	}
	if l.Packages[0].Files[0].When == "" {
		t.Error("the platforms of keel's wheel are not read from its name")
	}
}
