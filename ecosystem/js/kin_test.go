package js

import (
	"testing"

	"molt/core/project"
)

func TestKin(t *testing.T) {
	for name, want := range map[string]project.Kin{
		"keel":              {Stem: "keel"},
		"keel-parts":        {Stem: "keel"},
		"@quay/rope":        {Scope: "@quay"},
		"@types/keel":       {Describes: "keel"},
		"@types/quay__rope": {Describes: "@quay/rope"},
		"@types/node":       {Describes: "node"},
	} {
		if got := (JS{}).Kin(name); got != want {
			t.Errorf("%s: %+v, want %+v", name, got, want)
		}
	}
}
