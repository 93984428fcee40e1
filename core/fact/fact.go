// Package fact has what was found out as a value: its kind, and what it is about. The rooms that find things out say
// what holds, and none of them says how that reads: a sentence for each kind is in render/words. So tests compare what
// was found out, and a better sentence changes one line.
//
// Kinds are declared by whoever finds such things out, each with a comment that lists what it is about, in order. What
// is about a fact may itself be a fact, so that one may qualify another: what a release asks for, published when, and
// that this is no promise.
package fact

import (
	"fmt"
	"reflect"
	"slices"
	"strings"
)

// A Kind is what a fact says. No two kinds have the same name.
type Kind string

// A Fact is something that was found out. The zero Fact is none.
type Fact struct {
	Kind Kind
	Of   []any // texts, numbers, lists of texts, and facts
}

// New returns a fact of a kind, which is about some things. What has a text, as a version has, is kept as that text.
func New(kind Kind, of ...any) Fact {
	of = slices.Clone(of) // whoever gave them has a use for them
	for i, one := range of {
		if _, is := one.(Fact); is {
			continue
		}
		if text, has := one.(fmt.Stringer); has {
			of[i] = text.String()
		}
	}
	return Fact{kind, of}
}

// Told is what somebody else said, as it was said: the text.
const Told Kind = "told"

// Quote returns the fact that somebody else said something; none for "".
func Quote(text string) Fact {
	if text == "" {
		return Fact{}
	}
	return New(Told, text)
}

// None reports whether there is no fact.
func (f Fact) None() bool { return f.Kind == "" }

// Is reports whether a fact is of a kind, or qualifies one that is: its kind, or that of a fact that it is about.
func (f Fact) Is(kind Kind) bool {
	return f.Kind == kind || slices.ContainsFunc(f.Of, func(of any) bool {
		inner, ok := of.(Fact)
		return ok && inner.Is(kind)
	})
}

// Equal reports whether two facts say the same of the same.
func (f Fact) Equal(g Fact) bool { return reflect.DeepEqual(f, g) }

// String writes a fact for whoever looks for a mistake of Molt's: its kind, and what it is about in parentheses. It is
// the same for equal facts.
func (f Fact) String() string {
	if f.None() || f.Kind == Told && len(f.Of) == 1 {
		return fmt.Sprint(f.Of...)
	}
	var of []string
	for _, one := range f.Of {
		of = append(of, fmt.Sprint(one))
	}
	if of == nil {
		return string(f.Kind)
	}
	return string(f.Kind) + "(" + strings.Join(of, ", ") + ")"
}

// A Counted is a number of things, whose noun is in the singular: 2 of "stage".
type Counted struct {
	N  int
	Of string
}

// Together is several facts, to be read one after the other: those facts.
const Together Kind = "together"

// Joined returns facts that hold together; the only one itself, and none for none.
func Joined(all ...Fact) Fact {
	all = slices.DeleteFunc(slices.Clone(all), Fact.None)
	switch len(all) {
	case 0:
		return Fact{}
	case 1:
		return all[0]
	}
	return List(Together, all)
}

// List returns a fact about several others.
func List(kind Kind, all []Fact) Fact {
	of := make([]any, len(all))
	for i, f := range all {
		of[i] = f
	}
	return Fact{kind, of}
}
