package project

import (
	"maps"
	"slices"
	"strings"

	"molt/core/fact"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
)

// A Change is what a stage does to one declaration. From is zero for an added one, To for a removed one.
type Change struct {
	Name     string
	Group    string
	From, To Point
	Jump     version.Jump
	Standing Standing
	Reason   fact.Fact // why it moves
}

// A Point is a constraint with the release that it leads to.
type Point struct{ Constraint, Version string }

// Moves counts what a stage does to the lock.
type Moves struct{ Added, Removed, Moved int }

// A Line is the one identity of a declaration: a name may be declared in several files and groups, and under several
// conditions.
type Line struct {
	File  string // of the manifest, relative to the application; "" where there is one
	Group string
	Name  string
	When  string // the condition under which it holds, "" for always
}

// A Group is a group of a manifest in the whole application, taken apart. As a text it is the group's own name, and for
// a member of a workspace with its folder before it, apps/desk:dependencies.
type Group struct {
	Member string // its folder; "" for the application itself
	Name   string // in the manifest
}

// GroupOf takes a group apart.
func GroupOf(text string) Group {
	if i := strings.LastIndexByte(text, ':'); i >= 0 {
		return Group{text[:i], text[i+1:]}
	}
	return Group{Name: text}
}

// String returns the text: GroupOf(g.String()) is g.
func (g Group) String() string {
	if g.Member == "" {
		return g.Name
	}
	return g.Member + ":" + g.Name
}

// OwnName returns the name that stands in the manifest, of one that a member of a workspace has apart: keel of "keel in
// apps/desk".
func OwnName(name string) string { return universe.NameOf(name).Package }

// Draft is the application between two stages.
type Draft struct {
	Lines  map[Line]string // constraints of the manifest
	Locked *solve.Resolution
	Gone   map[string]bool
	Added  []Declared
}

// Clone returns a draft that can be changed without changing this one.
func (s Draft) Clone() Draft {
	return Draft{maps.Clone(s.Lines), s.Locked, maps.Clone(s.Gone), slices.Clone(s.Added)}
}

// MovesBetween compares two resolutions package by package: a package at another release has moved.
// One with an extra moves with the package, and is not counted.
func MovesBetween(before, after *solve.Resolution) Moves {
	var m Moves
	was, is := map[string][]string{}, after.Versions()
	if before != nil {
		was = before.Versions()
	}
	for _, all := range []map[string][]string{was, is} {
		maps.DeleteFunc(all, func(name string, _ []string) bool { return universe.NameOf(name).Extra != "" })
	}
	for name, versions := range is {
		slices.Sort(versions)
		old := was[name]
		slices.Sort(old)
		switch {
		case old == nil:
			m.Added++
		case !slices.Equal(slices.Compact(old), slices.Compact(versions)):
			m.Moved++
		}
	}
	for name := range was {
		if is[name] == nil {
			m.Removed++
		}
	}
	return m
}
