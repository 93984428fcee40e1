package ecosystem_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"testing/fstest"

	"molt/core/solve"
	"molt/ecosystem"
	"molt/ecosystem/js"
)

func TestMemberFolders(t *testing.T) {
	dir := fstest.MapFS{}
	for _, folder := range []string{
		"apps/desk", "apps/office", "apps/node_modules/x", "apps/.hidden", "packages/a/b/c", "packages/a/old",
		"readme.md/no"} {
		dir[folder+"/package.json"] = &fstest.MapFile{}
	}
	for patterns, want := range map[string]string{
		"apps/*":                          "apps/desk apps/office",
		"./apps/desk/":                    "apps/desk",
		"apps/d*|apps/*|apps/desk":        "apps/desk apps/office",
		"apps/*|!apps/office":             "apps/desk",
		"packages/**":                     "packages packages/a packages/a/b packages/a/b/c packages/a/old",
		"packages/**/c":                   "packages/a/b/c",
		"packages/**|!packages/**/old":    "packages packages/a packages/a/b packages/a/b/c",
		"!apps/desk|apps/*":               "apps/desk apps/office", // what comes before is all that can be taken out
		"nowhere/*":                       "",
		"apps/desk/package.json":          "",
		"../outside":                      "! \"../outside\"",
		"/etc":                            "! \"/etc\"",
		".":                               "! \".\"",
		"apps/[":                          "! \"apps/[\"",
		"!../x":                           "! \"!../x\"",
		"apps/*|packages/a|packages/a/b/": "apps/desk apps/office packages/a packages/a/b",
	} {
		got, err := ecosystem.MemberFolders(dir, strings.Split(patterns, "|"), "node_modules")
		says := strings.Join(got, " ")
		if err != nil {
			says = "! " + err.Error()
		}
		if !strings.HasPrefix(says, want) || !strings.HasPrefix(want, "!") && says != want {
			t.Errorf("%s: %s, want %s", patterns, says, want)
		}
	}
}

// workspace reads manifests, each "FOLDER: declarations" with names and constraints, and "-" for
// the application itself. A member is named like the last part of its folder, at version 1.2.0.
func workspace(text string) (*ecosystem.Manifests, error) {
	var files []ecosystem.File
	for _, line := range strings.Split(text, "\n") {
		folder, declared, _ := strings.Cut(line, ":")
		f := ecosystem.File{Name: "package.json"}
		if folder != "-" {
			f = ecosystem.File{Name: folder + "/package.json", Member: folder}
		}
		var lines []string
		for _, word := range strings.Fields(declared) {
			name, constraint, _ := strings.Cut(word, "@")
			lines = append(lines, fmt.Sprintf("%q: %q", name, constraint))
		}
		f.Data = fmt.Appendf(nil, "{\"name\": %q, \"version\": \"1.2.0\",\n\"dependencies\": {%s}}",
			folder[strings.LastIndexByte(folder, '/')+1:], strings.Join(lines, ", "))
		files = append(files, f)
	}
	return ecosystem.ReadManifests(js.JS{}, files)
}

// Siblings are served by members; one release serves the workspace under a name as long as what is asked for meets.
func TestWorkspace(t *testing.T) {
	for _, test := range []struct{ name, manifests, entries, siblings string }{
		{"one for all", "-: keel@^1\na/desk: keel@^1.2.0\na/office: keel@>=1", "keel keel keel", ""},
		{"a sibling by its range", "-:\na/desk: words@^1.0.0 keel@1\na/words:", "keel", "words"},
		{"a sibling by protocol", "-: words@workspace:~\na/desk: words@workspace:^1.0.0\na/office: " +
			"words@workspace:*\na/words:", "", "words words words"},
		{"from the registry", "-:\na/desk: words@^2.0.0\na/words:", "words", ""},
		{"both", "-:\na/desk: words@^2.0.0 keel@1\na/office: words@^1.0.0\na/words:", "words in a/desk, keel", "words"},
		{"the most agree", "-: rope@1\na/desk: keel@^1 rope@1\na/office: keel@^1\na/shop: keel@^2 rope@1 oar@1",
			"rope keel rope keel keel in a/shop, rope oar", ""},
		{"the application has the say", "-: keel@^2\na/desk: keel@^1\na/office: keel@^1",
			"keel keel in a/desk, keel in a/office", ""},
		{"three opinions", "-:\na/x: keel@^1\na/y: keel@^2\na/z: keel@^3", "keel keel in a/y, keel in a/z", ""},
		{"unbounded meets all but what is below", "-: keel@>1.0.0\na/x: keel@^1.0.0\na/y: keel@*\na/z: keel@<=1.0.0",
			"keel keel keel keel in a/z", ""},
		{"a tag is nobody's enemy", "-: keel@latest\na/x: keel@^1.0.0", "keel keel", ""},
		{"an address", "-: keel@file:../keel\na/x: keel@^1.0.0", "keel keel", ""},
		{"nothing by itself", "-: keel@^1 \na/desk: words@^1.0.0", "keel words", ""},
	} {
		m, err := workspace(test.manifests)
		if err != nil {
			t.Errorf("%s: %v", test.name, err)
			continue
		}
		var entries, siblings []string
		for _, e := range m.Entries() {
			name := e.As
			if e.Apart != "" {
				name += ","
			}
			entries = append(entries, name)
		}
		for _, s := range m.Siblings() {
			siblings = append(siblings, s.As)
		}
		if got := strings.TrimSuffix(strings.Join(entries, " "), ","); got != test.entries ||
			strings.Join(siblings, " ") != test.siblings {
			t.Errorf("%s: %s; siblings %v", test.name, got, siblings)
		}
	}
	for manifests, want := range map[string]string{
		"-:\na/desk: wrods@workspace:^\na/words:": "a/desk/package.json:2:27: wrods: no member of the workspace " +
			"has this name; they are desk, words",
		"-:\na/desk: words@workspace:^2.0.0\na/words:": "words: the member a/words has the version 1.2.0, which " +
			"workspace:^2.0.0 does not admit",
		"-: words@^2.0.0\na/desk: words@^1.0.0\na/words:": "package.json:2:27: words ^2.0.0: ^1.0.0 (line 2 of " +
			"a/desk/package.json) gets the member a/words 1.2.0 under this name",
		"-:\na/words:\nb/words:": "b/words/package.json:1:1: the members of a workspace have a name each, and " +
			"a/words/package.json has the name words too",
		"-:\na/words: words@workspace:*": "words: a member of the workspace cannot need itself",
	} {
		if _, err := workspace(manifests); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", manifests, err)
		}
	}
}

// An edit goes to the file that has the line, and may make members stand apart or end that.
func TestWorkspaceEdits(t *testing.T) {
	m, err := workspace("-: keel@^1.0.0\na/desk: keel@^1.0.0")
	if err != nil {
		t.Fatal(err)
	}
	names := func() string {
		var all []string
		for _, e := range m.Entries() {
			all = append(all, e.Group+" "+e.As+" "+e.Text)
		}
		slices.Sort(all)
		return strings.Join(all, "; ")
	}
	for _, test := range []struct {
		edit func() error
		want string
	}{
		{func() error { return m.Set("a/desk:dependencies", "keel", "^2.0.0") },
			"a/desk:dependencies keel in a/desk ^2.0.0; dependencies keel ^1.0.0"},
		{func() error { return m.Add("a/desk:devDependencies", "oar", "^1.0.0") },
			"a/desk:dependencies keel in a/desk ^2.0.0; a/desk:devDependencies oar ^1.0.0; dependencies keel ^1.0.0"},
		{func() error {
			return m.SetApart([]solve.Edge{{Apart: "a/desk", Own: "oar"}, {Apart: "a/desk", Own: "keel"}})
		}, "a/desk:dependencies keel in a/desk ^2.0.0; a/desk:devDependencies oar in a/desk ^1.0.0; dependencies keel ^1.0.0"},
		{func() error { return m.Set("a/desk:dependencies", "keel in a/desk", "^1.2.0") }, "a/desk:dependencies keel in " +
			"a/desk ^1.2.0; a/desk:devDependencies oar in a/desk ^1.0.0; dependencies keel ^1.0.0"},
		{func() error { return m.SetApart(nil) },
			"a/desk:dependencies keel ^1.2.0; a/desk:devDependencies oar ^1.0.0; dependencies keel ^1.0.0"},
		{func() error { return m.Remove("a/desk:devDependencies", "oar") },
			"a/desk:dependencies keel ^1.2.0; dependencies keel ^1.0.0"},
	} {
		if err := test.edit(); err != nil || names() != test.want {
			t.Errorf("%s, %v; want %s", names(), err, test.want)
		}
	}
	if m.FileOf("a/desk:peerDependencies") != "a/desk/package.json" || m.FileOf("peerDependencies") != "package.json" {
		t.Error("a group belongs to another file")
	}
}
