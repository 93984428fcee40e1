package semver

import (
	"errors"
	"strings"
	"testing"

	"molt/core/version"
)

func TestPrecedence(t *testing.T) {
	// Ascending; the prereleases are the example of SemVer 2.0.0 §11.4.
	ordered := strings.Fields(`0.0.0-0 0.0.1 0.1.0 1.0.0-alpha 1.0.0-alpha.1 1.0.0-alpha.beta 1.0.0-beta 1.0.0-beta.2
		1.0.0-beta.11 1.0.0-rc.1 1.0.0-rc.1.0 1.0.0 1.0.1 1.9.0 1.10.0 2.0.0-0 2.0.0 9007199254740991.0.0`)
	for i, a := range ordered {
		for j, b := range ordered {
			got, want := mustParse(t, a).Compare(mustParse(t, b)), min(max(i-j, -1), 1)
			if got != want {
				t.Errorf("%s against %s = %d, want %d", a, b, got, want)
			}
		}
	}
	if mustParse(t, "1.0.0+left").Compare(mustParse(t, "1.0.0+right")) != 0 {
		t.Error("build metadata changed the precedence")
	}
}

func TestJump(t *testing.T) {
	tests := []struct {
		from, to string
		jump     version.Jump
		breaking bool
	}{
		{"1.2.3", "1.2.3", version.Same, false}, {"1.2.3", "1.2.4", version.Patch, false},
		{"1.2.3", "1.3.0", version.Minor, false},
		{"1.2.3", "2.0.0", version.Major, true}, {"0.2.3", "0.2.4", version.Patch, false},
		{"0.2.3", "0.3.0", version.Minor, true},
		{"0.0.3", "0.0.4", version.Patch, true}, {"2.0.0", "1.9.9", version.Back, true},
		{"1.0.0-a", "1.0.0", version.Pre, true},
	}
	for _, test := range tests {
		from, to := mustParse(t, test.from), mustParse(t, test.to)
		if got := Jump(from, to); got != test.jump {
			t.Errorf("%s to %s is a %v jump, want %v", test.from, test.to, got, test.jump)
		}
		if got := Breaking(from, to); got != test.breaking {
			t.Errorf("%s to %s breaking: %v, want %v", test.from, test.to, got, test.breaking)
		}
	}
}

func TestNext(t *testing.T) {
	for _, test := range []struct {
		from string
		jump version.Jump
		want string
	}{
		{"2.14.3", version.Patch, "2.14.4"}, {"2.14.3", version.Minor, "2.15.0"}, {"2.14.3", version.Major, "3.0.0"},
		{"0.4.1", version.Major, "1.0.0"},
		{"3.0.0-rc.1", version.Patch, "3.0.0"}, {"3.0.0-rc.1", version.Major, "3.0.0"},
		{"3.1.0-rc.1", version.Major, "4.0.0"}, {"3.1.0-rc.1", version.Minor, "3.1.0"},
		{"3.1.2-rc.1", version.Minor, "3.2.0"},
	} {
		if got := Next(mustParse(t, test.from), test.jump); got != test.want {
			t.Errorf("%s by %s is %s, not %s", test.from, test.jump, got, test.want)
		}
	}
}

func TestErrors(t *testing.T) {
	for text, offset := range map[string]int{
		"": 0, "1": 1, "1.2": 3, "1.2.x": 4, "1.2.3 ": 5, "1.2.3-": 6, "01.2.3": 0, "1.2.3-01": 6, "1.2.3+": 6, "v1.2.3": 0,
		"9007199254740992.0.0": 0,
	} {
		_, err := Parse(text)
		var bad *version.Error
		if !errors.As(err, &bad) || bad.Offset != offset {
			t.Errorf("%q: %v, want an error at offset %d", text, err, offset)
		}
	}
}

func mustParse(t *testing.T, text string) *Version {
	t.Helper()
	v, err := Parse(text)
	if err != nil {
		t.Fatal(err)
	}
	return v
}
