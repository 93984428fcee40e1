package project

import "testing"

func TestEditDistance(t *testing.T) {
	for _, test := range []struct {
		a, b string
		want int
	}{{"", "abc", 3}, {"hulk", "hulk", 0}, {"hluk", "hulk", 2}, {"kitten", "sitting", 3}} {
		if got := editDistance(test.a, test.b); got != test.want {
			t.Errorf("%s to %s: %d, want %d", test.a, test.b, got, test.want)
		}
	}
	if got := Nearest("brackwter", []string{"brackwater", "breakwater-x"}); got != "brackwater" {
		t.Errorf("the nearest is %q", got)
	}
	if got := Nearest("zzzzzz", []string{"brackwater"}); got != "" {
		t.Errorf("%q is near", got)
	}
}
