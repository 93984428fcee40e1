package project_test

import (
	"context"
	"testing"

	"molt/core/project"
	"molt/core/universe"
	"molt/core/version"
	"molt/samples/projecttest"
)

// TestNoneFits says of a goal that means no release whether one is there that is withdrawn, and what else there is.
func TestNoneFits(t *testing.T) {
	source, app := projecttest.Sketch(t, "app: hulk@^1\nhulk@1.0.0")
	p := universe.NewPackage("hulk", app.Scheme, releases(app.Scheme, map[string]string{
		"1.0.0": "", "2.0.0": "", "2.1.0": "it sinks", "3.0.0": "it leaks", "3.0.1": "it leaks too", "4.0.0-rc.1": "",
	}))
	for _, test := range []struct{ goal, want string }{
		{"hulk@3", "goal hulk@3: no release of hulk fits that is not withdrawn: 3.0.1 is (it leaks too); published majors: " +
			"1, 2, 3 (withdrawn), 4 (previews only)"},
		{"hulk@>2.0.0 <3", "goal hulk@>2.0.0 <3: no release of hulk fits that is not withdrawn: 2.1.0 is (it sinks); " +
			"published majors: 1, 2, 3 (withdrawn), 4 (previews only)"},
		{"hulk@7", "goal hulk@7: no release of hulk fits; published majors: 1, 2, 3 (withdrawn), 4 (previews only)"},
		{"hulk@seven", "goal hulk@seven: no release of hulk fits; published majors: 1, 2, 3 (withdrawn), 4 (previews only)"},
	} {
		got := project.NoneFits(context.Background(), source, app, project.ParseGoal(test.goal), p)
		if got == nil || got.Error() != test.want {
			t.Errorf("%v\nwant %s", got, test.want)
		}
	}
}

// releases makes releases of versions, with why each is withdrawn.
func releases(scheme version.Scheme, withdrawn map[string]string) (all []universe.Release) {
	for text, reason := range withdrawn {
		v, err := scheme.Parse(text)
		if err != nil {
			panic(err)
		}
		all = append(all, universe.Release{Version: v, Withdrawn: reason})
	}
	return all
}
