package solve

// A Strategy is how an ecosystem's resolvers decide what demands leave open. The zero Strategy gives
// every dependent a release of its own where that is needed, and takes the newest.
type Strategy struct {
	// Single says that the whole application has one release of a name. Else tenancy is nested: every dependent may get its
	// own release of a name, and the peer of a package is what its dependent sees under that name.
	Single bool
	// Takes says which release is taken of those that all demands admit, where none is locked.
	Takes Taken
}

// Taken says which of the admitted releases a resolver takes. A deprecated release, or a prerelease, is taken only where
// there is no other.
type Taken int

const (
	Newest Taken = iota
	// Lowest takes the release that is just enough. Where demands are lower bounds that do not fall from one release to the
	// next, that is the least solution there is, in which every release is the highest that somebody names (Cox, "Minimal
	// version selection", 2018).
	Lowest
)

// Nested and Single are the strategies that take the newest.
var Nested, Single = Strategy{}, Strategy{Single: true}
