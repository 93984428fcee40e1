package universe

import "strings"

// A package with an extra is a package of its own to the resolver: it has the releases of the
// package, each of which needs the same release of the package, and what the extra adds. Its name
// is that of the package with the extra in brackets, which no package's name has.

// WithExtra returns the name of a package with an extra.
func WithExtra(name, extra string) string { return name + "[" + extra + "]" }

// SplitExtra returns the package and the extra of such a name; the extra is "" for any other.
func SplitExtra(name string) (base, extra string) {
	base, rest, ok := strings.Cut(name, "[")
	if !ok || !strings.HasSuffix(rest, "]") {
		return name, ""
	}
	return base, strings.TrimSuffix(rest, "]")
}

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
	for extra := range strings.SplitSeq(d.Extras, ",") {
		name := WithExtra(d.Package, extra)
		all = append(all, Demand{As: name, Package: name, Text: d.Text, Optional: d.Optional, When: d.When})
	}
	return all
}
