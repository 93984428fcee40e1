package js

import (
	"strings"
	"testing"

	"molt/core/solve"
	"molt/ecosystem"
)

func TestContradicts(t *testing.T) {
	p := &ecosystem.LockedPackage{Node: solve.Node{ID: "keel@1.0.0", Name: "keel", Version: "1.0.0", Needs: []solve.Edge{
		{Name: "oar", Package: "oar", Constraint: "^1.0.0"}, {Name: "sail", Package: "sail", Constraint: "*", Optional: true},
		{Name: "mast", Package: "spar", Constraint: "1"}}}}
	const rest = `"name": "keel", "version": "1.0.0"`
	for _, test := range []struct{ manifest, says string }{
		{`{` + rest + `, "dependencies": {"oar": " ^1.0.0", "mast": "alias:spar@1"}, "optionalDependencies": {"sail": ""}}`,
			""},
		{`{` + rest + `, "dependencies": {"oar": "^1.0.0", "mast": "alias:spar@1", "chart": "1"}, "bundleDependencies": ["chart"]}`, ""},
		{`{"name": "keel", "version": "v1.0.0", "bundledDependencies": true}`, ""},
		{`{"name": "kee1", "version": "1.0.0"}`, `its manifest calls it "kee1"`},
		{`{"name": "keel", "version": "1.0.1"}`, `its manifest calls its version "1.0.1"`},
		{`{` + rest + `, "dependencies": {"oar": "^1.0.0", "mast": "alias:spar@1", "evil": "^6"}}`,
			`its manifest needs evil "^6", of which the registry said nothing`},
		{`{` + rest + `, "dependencies": {"oar": "^2.0.0", "mast": "alias:spar@1"}}`,
			`its manifest needs oar "^2.0.0", and the registry said "^1.0.0"`},
		{`{` + rest + `, "dependencies": {"mast": "alias:spar@1"}}`, `the registry said that it needs oar ^1.0.0`},
		{`{`, "cannot be read"},
	} {
		if says := (JS{}).Contradicts(p, []byte(test.manifest), nil); !strings.HasPrefix(says, test.says) &&
			!strings.Contains(says, test.says) || test.says == "" && says != "" {
			t.Errorf("%s: %q, want %q", test.manifest, says, test.says)
		}
	}
	plain := &ecosystem.LockedPackage{Node: solve.Node{Name: "keel", Version: "1.0.0"}}
	for _, test := range []struct{ stated, manifest, says string }{
		{"keel", `"bin": "cli.js"`, ""},
		{"keel oar", `"bin": {"oar": "./oar.js"}`, ""},
		{"", `"bin": {"oar": "./oar.js"}`, `its manifest has a program "oar", of which the registry said nothing`},
		{":install", `"scripts": {"postinstall": "make"}`, ""},
		{"keel", `"scripts": {"test": "make", "postinstall": "make"}`,
			`its manifest has a script "postinstall" for its installation, and the registry said of none`},
		{ecosystem.RunsUntold, `"scripts": {"install": "make"}, "bin": "cli.js"`, ""},
	} {
		if plain.Runs = test.stated; (JS{}).Contradicts(plain, []byte(`{`+rest+`, `+test.manifest+`}`), nil) != test.says {
			t.Errorf("%s with %q: not %q", test.manifest, test.stated, test.says)
		}
	}
	if says := (JS{}).Contradicts(p, []byte(`{`+rest+`, "dependencies": {"oar": "^9", "mast": "1"}}`),
		map[string]string{"oar": "1.0.0"}); says != "" {
		t.Errorf("what is overridden: %s", says)
	}
}
