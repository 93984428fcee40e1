package project

import (
	"maps"
	"slices"

	"molt/core/solve"
	"molt/core/version"
)

// A Change is what a stage does to one declaration. From is zero for an added one, To for a removed one.
type Change struct {
	Name     string
	Group    string
	From, To Point
	Jump     version.Jump
	Standing Standing
	Reason   string
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
func MovesBetween(before, after *solve.Resolution) Moves {
	var m Moves
	was, is := map[string][]string{}, after.Versions()
	if before != nil {
		was = before.Versions()
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
