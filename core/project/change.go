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

// MemberGroup is the name that a group of a manifest has in the whole application: the group's own,
// and for a member of a workspace with its folder before it, apps/desk:dependencies.
func MemberGroup(member, group string) string {
	if member == "" {
		return group
	}
	return member + ":" + group
}

// SplitGroup undoes MemberGroup. The member is "" for the application itself.
func SplitGroup(group string) (member, bare string) {
	if i := strings.LastIndexByte(group, ':'); i >= 0 {
		return group[:i], group[i+1:]
	}
	return "", group
}

// ApartName is the name that the whole application has for what a member of a workspace declares
// apart: "keel in apps/desk".
func ApartName(own, member string) string { return own + apartWord + member }

// OwnName undoes ApartName: it is the name that stands in the manifest. Names of packages hold no spaces.
func OwnName(name string) string {
	own, _ := SplitApart(name)
	return own
}

// SplitApart returns the two parts of an ApartName, and a name with no member where it is none.
func SplitApart(name string) (own, member string) {
	own, member, _ = strings.Cut(name, apartWord)
	return own, member
}

const apartWord = " in "

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
		maps.DeleteFunc(all, func(name string, _ []string) bool { _, extra := universe.SplitExtra(name); return extra != "" })
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
