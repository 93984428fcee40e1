package project

// A Kin is what the name of a package says about its relatives. The ecosystem knows how to read names.
type Kin struct {
	Scope string // the owner that the name names, "" for none
	Stem  string // what the names of relatives begin with, "" for nothing
	// Describes is the package, or the runtime, that this one describes to a tool, as type declarations do; "" for none.
	Describes string
}

// Common says what two packages have in common by their names, "" for nothing.
func (k Kin) Common(other Kin) string {
	switch {
	case k.Scope != "" && k.Scope == other.Scope:
		return "one scope"
	case k.Scope == "" && other.Scope == "" && k.Stem != "" && k.Stem == other.Stem:
		return "one name stem"
	}
	return ""
}
