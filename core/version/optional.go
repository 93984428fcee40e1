package version

import "regexp"

// What not every scheme has. Each is found by type assertion, and the function next to it answers for
// schemes without it.

// Full is a scheme that has an answer of its own to everything that people meet. Whoever wraps such a scheme embeds its
// type and not the interface Scheme, which would hide these.
type Full interface {
	Scheme
	Completer
	Breaker
	Restyler
	Finder
}

// A Pointwise scheme is one whose constraints decide about each version of a list without looking at the others.
type Pointwise interface {
	Scheme
	Pointwise()
}

// An Evaluator is a scheme that can put a constraint to a list without keeping what it read.
type Evaluator interface {
	Scheme
	// Evaluate returns Constrain(text).Admit(l), and the error of Constrain.
	Evaluate(text string, l List) (Set, error)
}

// Evaluate returns the releases of a list that a constraint admits.
func Evaluate(s Scheme, text string, l List) (Set, error) {
	if e, ok := s.(Evaluator); ok {
		return e.Evaluate(text, l)
	}
	c, err := s.Constrain(text)
	if err != nil {
		return Set{}, err
	}
	return c.Admit(l), nil
}

// A Completer reads versions as people write them.
type Completer interface {
	// Complete reads a version of which the last parts may be missing: 18 is 18.0.0. The error is an *Error.
	Complete(text string) (Version, error)
}

// Complete reads a version as people write it: as it stands, else with up to two parts ".0" behind it.
func Complete(s Scheme, text string) (Version, error) {
	if c, ok := s.(Completer); ok {
		return c.Complete(text)
	}
	v, err := s.Parse(text)
	for longer := text; err != nil && len(longer) < len(text)+len(".0.0"); {
		longer += ".0"
		if w, failed := s.Parse(longer); failed == nil {
			return w, nil
		}
	}
	return v, err
}

// A Breaker has its own idea of which releases are compatible.
type Breaker interface {
	// Breaking reports whether the move leaves the releases that the scheme's convention calls compatible. It may be
	// stricter than Jump: under Semantic Versioning 0.3 to 0.4 is a minor jump, and breaking.
	Breaking(from, to Version) bool
}

// Breaking reports whether a move leaves the releases that are called compatible, which are those of one major.
func Breaking(s Scheme, from, to Version) bool {
	if b, ok := s.(Breaker); ok {
		return b.Breaking(from, to)
	}
	return s.Major(from) != s.Major(to)
}

// A Restyler knows more ways to ask than there are styles.
type Restyler interface {
	// Restyle returns the constraint that asks for version v the way that the given constraint asked: ~2.1.0 at
	// 2.4.3 gives ~2.4.3. A constraint that admits v already is returned unchanged.
	Restyle(constraint string, v Version) string
}

// Restyled returns the constraint that asks for version v the way that the given constraint asked, in its style.
func Restyled(s Scheme, constraint string, v Version) string {
	if r, ok := s.(Restyler); ok {
		return r.Restyle(constraint, v)
	}
	if c, err := s.Constrain(constraint); err == nil && Admits(c, v) {
		return constraint
	}
	style := s.StyleOf(constraint)
	if style == OtherStyle {
		style = NextMinor
	}
	return s.Styled(style, v)
}

// Only returns the constraint that asks for one version only.
func Only(s Scheme, v Version) string { return s.Styled(Exact, v) }

// A Finder finds versions in texts.
type Finder interface {
	// Mentions returns the versions that a constraint names, in the order in which it names them.
	Mentions(constraint string) []Version
	// FindIn returns the versions that a text for people names, in the order in which it names them.
	FindIn(prose string) []Version
}

var numbers = regexp.MustCompile(`[0-9]+(\.[0-9]+)*`)

// Mentions returns the versions that a constraint names, in the order in which it names them.
func Mentions(s Scheme, constraint string) []Version {
	if f, ok := s.(Finder); ok {
		return f.Mentions(constraint)
	}
	return FindIn(s, constraint)
}

// FindIn returns the versions that a text for people names, in the order in which it names them: numbers with dots.
func FindIn(s Scheme, prose string) (all []Version) {
	if f, ok := s.(Finder); ok {
		return f.FindIn(prose)
	}
	for _, text := range numbers.FindAllString(prose, -1) {
		if v, err := Complete(s, text); err == nil {
			all = append(all, v)
		}
	}
	return all
}
