package plan

import (
	"testing"

	"molt/core/project/projecttest"
)

// A family that stands at one number is not torn by a patch or minor stage where the newest release of one member does not
// resolve: its members go to what their maintainers had out at one time.
func TestFamiliesStayEven(t *testing.T) {
	const parts = `
		app: hulk@^3.0.0 tool-a@^1.0.0 tool-b@^1.0.0 mast@^1.0.0
		hulk@3.0
		hulk@4.0
		mast@1.0
		mast@1.1
		tool-a@1.0
		tool-b@1.0
		tool-a@1.0.1
		tool-b@1.0.1
		tool-a@1.1
		tool-b@1.1
		tool-a@1.2
		tool-b@1.2`
	for _, test := range []struct{ name, more, want string }{
		{"the maintainers released a patch of one alone", "\n\t\ttool-a@1.0.2\n\t\ttool-a@1.2.1",
			"patch: tool-a 1.0.0>1.0.2, tool-b 1.0.0>1.0.1; minor: tool-a 1.0.2>1.2.1, tool-b 1.0.1>1.2.0, mast 1.0.0>1.1.0; goal-4: hulk 3.0.0>4.0.0"},
		{"the newest of one does not resolve", "\n\t\ttool-a@1.3: mast@^2\n\t\ttool-b@1.3\n\t\tmast@1.2",
			"patch: tool-a 1.0.0>1.0.1, tool-b 1.0.0>1.0.1; minor: tool-a 1.0.1>1.2.0, tool-b 1.0.1>1.2.0, mast 1.0.0>1.2.0; goal-4: hulk 3.0.0>4.0.0"},
		{"nor do those before", "\n\t\ttool-a@1.3: mast@^2\n\t\ttool-b@1.3\n\t\ttool-b@1.2.1: mast@^2\n\t\ttool-a@1.2.2: mast@^2\n\t\ttool-b@1.2.2",
			"patch: tool-a 1.0.0>1.0.1, tool-b 1.0.0>1.0.1; minor: tool-a 1.0.1>1.2.0, tool-b 1.0.1>1.2.0, mast 1.0.0>1.1.0; goal-4: hulk 3.0.0>4.0.0"},
	} {
		source, app := projecttest.Sketch(t, parts+test.more)
		if got := changes(planFor(t, source, app, Cut{}, "hulk@4")); got != test.want {
			t.Errorf("%s:\ngot  %s\nwant %s", test.name, got, test.want)
		}
	}
}
