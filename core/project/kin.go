package project

import (
	"strings"

	"molt/core/fact"
)

// What two packages have in common by their names.
const (
	OneScope fact.Kind = "one scope"
	OneStem  fact.Kind = "one name stem"
	OneAfter fact.Kind = "one named after the other"
)

// A Kin is what the name of a package says about its relatives. The ecosystem knows how to read names.
type Kin struct {
	Scope string // the owner that the name names, "" for none
	Owner string // the name of the package that an owner of this scope would be named after, "" for none
	Name  string // the name without its owner; its parts have hyphens between them
	Stem  string // what the names of relatives begin with, "" for nothing
	// Describes is the package, or the runtime, that this one describes to a tool, as type declarations do; "" for none.
	Describes string
}

// Common returns what two packages have in common by their names, "" for nothing.
func (k Kin) Common(other Kin) fact.Kind {
	switch {
	case k.Describes != "" || other.Describes != "":
		return ""
	case k.Scope != "" && k.Scope == other.Scope:
		return OneScope
	case k.Scope == "" && other.Scope == "" && k.Stem != "" && k.Stem == other.Stem:
		return OneStem
	case k.Scope == "" && other.Scope == "" && (k.within(other) || other.within(k)), k.Scope == "" && k.Name != "" &&
		other.Owner == k.Name, other.Scope == "" && other.Name != "" && k.Owner == other.Name:
		return OneAfter
	}
	return ""
}

// Near reports whether two packages have something in common by their names, or one's scope is named after the other's:
// "@hull-lint" after "@hull".
func (k Kin) Near(other Kin) bool {
	scope := Kin{Name: k.Scope}
	return k.Common(other) != "" || k.Describes == "" && other.Scope != "" && (Kin{Name: other.Scope}).within(scope)
}

// within reports whether a name is a part of another.
func (k Kin) within(other Kin) bool {
	return k.Name != "" && strings.Contains("-"+other.Name+"-", "-"+k.Name+"-")
}
