package js

import (
	"testing"

	"molt/core/project"
)

func TestKin(t *testing.T) {
	for name, want := range map[string]project.Kin{
		"keel":              {Name: "keel", Stem: "keel"},
		"keel-parts":        {Name: "keel-parts", Stem: "keel"},
		"@quay/rope":        {Scope: "@quay", Owner: "quay", Name: "rope"},
		"@types/keel":       {Name: "keel", Describes: "keel"},
		"@types/quay__rope": {Name: "@quay/rope", Describes: "@quay/rope"},
		"@types/node":       {Name: "node", Describes: "node"},
	} {
		if got := (JS{}).Kin(name); got != want {
			t.Errorf("%s: %+v, want %+v", name, got, want)
		}
	}
}
