package universe

import "strings"

// Where no release of a package suits all environments of an application, the package is forked: it
// is several packages to the resolver, each with the releases of the package, and each for some of
// the environments. The first has the package's own name, the others are named by their environments (Name.In).

// A Name is what a package is called in a resolution, taken apart. As a text, which is what it is known by, it is
// "keel", "keel[fast]", "keel in desk" or "keel in desk[fast]": no package of a registry has a space or a bracket in
// its name.
type Name struct {
	Package string // as its registry knows it
	// In is where it is another package than elsewhere: the environments of a fork, or the member of a workspace that
	// has it apart; "" for everywhere.
	In    string
	Extra string // what is added to it; "" for the package itself
}

const inWord = " in "

// NameOf takes a name apart.
func NameOf(text string) Name {
	base, extra, has := strings.Cut(text, "[")
	if !has || !strings.HasSuffix(extra, "]") {
		base, extra = text, ""
	}
	n := Name{Extra: strings.TrimSuffix(extra, "]")}
	n.Package, n.In, _ = strings.Cut(base, inWord)
	return n
}

// Base returns the name without the extra.
func (n Name) Base() string {
	if n.In == "" {
		return n.Package
	}
	return n.Package + inWord + n.In
}

// String returns the text of a name: NameOf(n.String()) is n.
func (n Name) String() string {
	if n.Extra == "" {
		return n.Base()
	}
	return n.Base() + "[" + n.Extra + "]"
}

// With returns the text of the name with an extra.
func (n Name) With(extra string) string {
	n.Extra = extra
	return n.String()
}

// Plain returns the name that a registry knows a package by.
func Plain(name string) string { return NameOf(name).Package }
