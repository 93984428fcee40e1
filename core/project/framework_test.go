package project_test

import (
	"testing"

	"molt/samples/projecttest"
)

// TestFramework guesses what an application stands on.
func TestFramework(t *testing.T) {
	for _, test := range []struct{ name, universe, want string }{
		{"most peers", `
			app: hulk@^1 keel@^1 mast@^1 oar@^1
			hulk@1.0.0
			keel@1.0.0: peer:hulk@^1
			mast@1.0.0: peer:hulk@^1 peer:oar@^1
			oar@1.0.0`, "hulk"},
		{"needs of declared packages, where nothing has peers", `
			app: hulk@^1 keel@^1 mast@^1
			hulk@1.0.0
			keel@1.0.0: hulk@^1
			mast@1.0.0: hulk@^1`, "hulk"},
		{"one is not enough", `
			app: hulk@^1 keel@^1
			hulk@1.0.0
			keel@1.0.0: peer:hulk@^1`, ""},
		{"what nobody declares is none", `
			app: keel@^1 mast@^1
			hulk@1.0.0
			keel@1.0.0: hulk@^1
			mast@1.0.0: hulk@^1`, ""},
	} {
		_, app := projecttest.Sketch(t, test.universe)
		if got := app.Framework(); got != test.want {
			t.Errorf("%s: %q, want %q", test.name, got, test.want)
		}
	}
	_, app := projecttest.Sketch(t, "app: keel@^1\nkeel@1.0.0")
	if app.Locked = nil; app.Framework() != "" {
		t.Error("without a lock nothing tells")
	}
}
