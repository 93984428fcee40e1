package prose

import (
	"fmt"
	"testing"
)

func ExampleSuccessor() {
	fmt.Println(Successor("renamed to mast-two, which goes on"))
	// Output: mast-two
}

func TestProse(t *testing.T) {
	for text, want := range map[string]string{
		"use `@skerry/mast` instead": "@skerry/mast", "Superseded by rope.": "rope", "use the native one": "",
		"no longer maintained": "", "please use another package": "", "lives on as keel.js": "keel.js",
	} {
		if got := Successor(text); got != want {
			t.Errorf("%q sends people to %q, want %q", text, got, want)
		}
	}
	for text, want := range map[string]bool{
		"now part of hull": true, "built into hull since 4": true, "hull is better": false, "part of something": false,
	} {
		if got := Absorbed(text, "hull"); got != want {
			t.Errorf("%q: absorbed %v, want %v", text, got, want)
		}
	}
	if Absorbed("now part of it", "") {
		t.Error("nobody absorbs")
	}
	for line, want := range map[string]bool{
		"BREAKING: serve() is gone": true, "this breaks old plugins": true, "incompatible with 3": true,
		"a breakwater was drawn": false,
	} {
		if got := Breaks(line); got != want {
			t.Errorf("%q: a break %v, want %v", line, got, want)
		}
	}
}
