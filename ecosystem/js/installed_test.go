package js

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"testing/fstest"

	"molt/ecosystem"
)

// tree writes files into a folder; a text "-> x" makes a link.
func tree(t *testing.T, files map[string]string) string {
	t.Helper()
	dir := t.TempDir()
	for name, text := range files {
		file := filepath.Join(dir, filepath.FromSlash(name))
		if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
			t.Fatal(err)
		}
		var err error
		if to, link := strings.CutPrefix(text, "-> "); link {
			err = os.Symlink(filepath.FromSlash(to), file)
		} else {
			err = os.WriteFile(file, []byte(text), 0o644)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	return dir
}

func pkgJSON(name, version string) string {
	return fmt.Sprintf(`{"name": %q, "version": %q}`, name, version)
}

func TestInstalled(t *testing.T) {
	dir := tree(t, map[string]string{
		"node_modules/.bin/keel":                              "#!/bin/sh\n",
		"node_modules/keel/package.json":                      pkgJSON("keel", "1.0.0"),
		"node_modules/keel/node_modules/rope/package.json":    pkgJSON("rope", "2.0.0"),
		"node_modules/rope/package.json":                      pkgJSON("rope", "1.0.0"),
		"node_modules/@quay/lamp/package.json":                pkgJSON("@quay/lamp", "3.0.0"),
		"node_modules/other/package.json":                     pkgJSON("rope", "1.5.0"), // an alias
		"node_modules/boxed/package.json":                     `{"name": "boxed", "version": "1.0.0", "bundleDependencies": ["inside"]}`,
		"node_modules/boxed/node_modules/inside/package.json": pkgJSON("inside", "0.1.0"),
		"node_modules/silent/package.json":                    `{"name": "silent"}`,
		"node_modules/number/package.json":                    `{"name": 7, "version": {}}`,
		"node_modules/empty/readme.txt":                       "",
		"node_modules/plain.txt":                              "a file, not a folder",
		"node_modules/ring":                                   "-> ../node_modules",
		"node_modules/skiff":                                  "-> ../boats/skiff",
		"boats/skiff/package.json":                            `{"name": "skiff"}`,
		"node_modules/lost":                                   "-> ../boats/lost",
	})
	got, err := JS{}.Installed(dir)
	if err != nil {
		t.Fatal(err)
	}
	var all []string
	for _, p := range got.Packages() {
		line := fmt.Sprintf("%s %s %s", strings.TrimPrefix(p.Path, "node_modules/"), p.Real, p.Version)
		if p.Bundled {
			line += " bundled"
		}
		if p.Problem != "" {
			line += " (" + p.Problem + ")"
		}
		all = append(all, line)
	}
	want := []string{"@quay/lamp @quay/lamp 3.0.0", "boxed boxed 1.0.0", "boxed/node_modules/inside inside 0.1.0 bundled",
		"empty   (a folder without package.json)",
		"keel keel 1.0.0", "keel/node_modules/rope rope 2.0.0", "lost   (a link that leads nowhere)",
		"number   (its package.json gives no version)", "other rope 1.5.0",
		"ring   (a folder without package.json)", "rope rope 1.0.0", "silent silent  (its package.json gives no version)",
		"skiff skiff "}
	if strings.Join(all, "\n") != strings.Join(want, "\n") {
		t.Errorf("installed are\n%s\nwant\n%s", strings.Join(all, "\n"), strings.Join(want, "\n"))
	}
	for _, test := range []struct{ from, name, want string }{
		{"", "rope", "1.0.0"}, {"node_modules/keel", "rope", "2.0.0"},
		{"node_modules/keel/node_modules/rope", "rope", "2.0.0"},
		{"node_modules/@quay/lamp", "keel", "1.0.0"}, {"node_modules/boxed", "inside", "0.1.0"}, {"", "inside", ""},
		{"boats/skiff", "other", "1.5.0"},
	} {
		found := ""
		if p := got.Find(strings.TrimSuffix(got.Root()+"/"+test.from, "/"), test.name); p != nil {
			found = p.Version
		}
		if found != test.want {
			t.Errorf("from %q the runtime finds %s %q, want %q", test.from, test.name, found, test.want)
		}
	}
	if got := ecosystem.Versions(got); len(got["rope"]) != 3 || len(got["silent"]) != 0 {
		t.Errorf("versions are %v", got)
	}
	if none, err := (JS{}).Installed(t.TempDir()); none != nil || err != nil {
		t.Errorf("in an empty folder %v is installed, %v", none, err)
	}
}

func TestImports(t *testing.T) {
	source := fstest.MapFS{}
	for name, text := range map[string]string{
		"src/a.ts": "import keel, { type Plank } from 'keel';\nimport type Rope from " +
			"\"@quay/rope/knots\";\nexport * from './b';\nexport type { Lamp } from 'lamp';\nimport type from " +
			"'typed';\nimport 'node:fs';\nimport '#own';\n",
		"src/b.jsx": "const late = () => import('late');\nexport default <p>{require('keel')}</p>;\n",
		"src/c.mjs": "const name = 'computed';\nawait import(name);\n// import 'comment'\nconst text = " +
			"\"import 'text'\";\n",
		"src/broken.js": "import { from 'broken';\n",
		"src/d.tsx": "import x = require('old');\nexport const y: string = <b>{x as unknown as " +
			"string}</b> as never;\n",
		"node_modules/keel/index.js": "require('hidden');\n",
		".cache/e.js":                "require('hidden');\n",
		"page.html":                  "<script>import 'hidden'</script>",
	} {
		source[name] = &fstest.MapFile{Data: []byte(text)}
	}
	all, err := JS{}.Imports(source)
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, i := range all {
		got = append(got, fmt.Sprintf("%s:%d %s", i.File, i.Line, i.Package))
	}
	want := "src/a.ts:1 keel; src/a.ts:2 @quay/rope; src/a.ts:4 lamp; src/a.ts:5 typed; src/b.jsx:1 late; src/b.jsx:2 " +
		"keel; src/d.tsx:1 old"
	if strings.Join(got, "; ") != want {
		t.Errorf("imports are\n%s\nwant\n%s", strings.Join(got, "; "), want)
	}
	if none, err := (JS{}).Imports(fstest.MapFS{}); none != nil || err != nil {
		t.Errorf("an empty folder imports %v, %v", none, err)
	}
}

func TestPackageOf(t *testing.T) {
	for specifier, want := range map[string]string{
		"keel": "keel", "keel/parts/oak": "keel", "@quay/lamp": "@quay/lamp", "@quay/lamp/x": "@quay/lamp",
		"@quay": "", "./x": "", "../x": "", "/x": "", "#x": "", "node:fs": "", "https://quay.example/x.js": "", "": ""} {
		if got := packageOf(specifier); got != want {
			t.Errorf("%q leads into %q, want %q", specifier, got, want)
		}
	}
}

func TestWorkspaces(t *testing.T) {
	for text, want := range map[string]string{
		`{"workspaces": ["boats/*", "./quay/", "!boats/old"]}`: "boats/* ./quay/ !boats/old",
		`{"workspaces": {"packages": ["boats/*"]}}`:            "boats/*",
		`{"workspaces": "boats"}`:                              "",
		`{}`:                                                   "",
	} {
		if got := strings.Join(mustRead(t, text).Members(), " "); got != want {
			t.Errorf("%s has members %q, want %q", text, got, want)
		}
	}
}
