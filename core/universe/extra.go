package universe

import "strings"

// A package with an extra is a package of its own to the resolver: it has the releases of the
// package, each of which needs the same release of the package, and what the extra adds.

// WithExtras adds to demands those that their extras make: one on each package with an extra.
func WithExtras(all []Demand) []Demand {
	out := all
	for _, d := range all {
		out = append(out, d.ForExtras()...)
	}
	return out
}

// ForExtras returns the demands that the extras of a demand make.
func (d Demand) ForExtras() []Demand {
	if d.Extras == "" || d.Foreign {
		return nil
	}
	var all []Demand
	of := NameOf(d.Package)
	for extra := range strings.SplitSeq(d.Extras, ",") {
		name := of.With(extra)
		all = append(all, Demand{As: name, Package: name, Text: d.Text, Optional: d.Optional, When: d.When})
	}
	return all
}
