package universe

import "testing"

func TestNames(t *testing.T) {
	for _, n := range []Name{{Package: "keel"}, {Package: "@hull/keel", Extra: "fast"}, {Package: "keel", In: "desk+till"},
		{Package: "keel", In: "apps/desk", Extra: "fast"}} {
		if got := NameOf(n.String()); got != n {
			t.Errorf("%q is taken apart as %+v, not %+v", n, got, n)
		}
	}
	for text, want := range map[string]Name{"keel[": {Package: "keel["}, "": {}, "keel[a]b": {Package: "keel[a]b"}} {
		if got := NameOf(text); got != want || got.String() != text {
			t.Errorf("%q is taken apart as %+v, and reads %q", text, got, got)
		}
	}
}
