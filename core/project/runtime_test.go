package project

import (
	"testing"

	"molt/ecosystem/js/ranges"
)

func TestSuits(t *testing.T) {
	for _, test := range []struct {
		constraint, v string
		want          bool
	}{{">=18", "18", true}, {">=18.1", "18", false}, {"^20 || >=22", "21.5", false}, {"harbour", "18", true},
		{">=18", "harbour", false}} {
		if got := (Runtime{Scheme: ranges.Scheme}).Suits(test.constraint, test.v); got != test.want {
			t.Errorf("%s suits %s: %v", test.v, test.constraint, got)
		}
	}
}
