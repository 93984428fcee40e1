// Package versiontest checks what the schemes of versions have in common.
package versiontest

import (
	"strings"
	"testing"

	"molt/core/version"
)

// Check tries cases on a scheme. Each is a constraint, versions that it admits, and versions that
// it refuses, separated by spaces. Put to all of them at once, the constraint has to admit the same
// whether it is kept or not.
func Check(t *testing.T, scheme version.Scheme, cases [][3]string) {
	t.Helper()
	for _, test := range cases {
		constraint := test[0]
		c, err := scheme.Constrain(constraint)
		if err != nil {
			t.Errorf("%q: %v", constraint, err)
			continue
		}
		var all []version.Version
		for _, half := range []struct {
			versions string
			want     bool
		}{{test[1], true}, {test[2], false}} {
			for _, text := range strings.Fields(half.versions) {
				v, err := scheme.Parse(text)
				if err != nil {
					t.Fatal(err)
				}
				all = append(all, v)
				if got := version.Admits(c, v); got != half.want {
					t.Errorf("%q admits %s: %v, want %v", constraint, text, got, half.want)
				}
			}
		}
		list := version.Sort(all)
		if got, err := version.Evaluate(scheme, constraint, list); err != nil || !got.Equal(c.Admit(list)) {
			t.Errorf("%q admits %s of %s; evaluated at once %s, %v", constraint, list.Describe(c.Admit(list)),
				list, list.Describe(got), err)
		}
	}
}
