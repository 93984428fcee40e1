package requirement

import (
	"slices"
	"strings"

	"molt/ecosystem/python/specifiers"
)

// An Environment gives the variables of markers their values. "extra" is the extra that is asked
// for, "" for none. What is missing is "".
type Environment map[string]string

// versions are the variables that hold versions. They, and no others, are compared as such.
var versions = []string{"python_version", "python_full_version", "implementation_version"}

// Holds reports whether a marker holds in an environment; nil always does.
func (m *Marker) Holds(e Environment) bool {
	switch {
	case m == nil:
		return true
	case m.Join == "and":
		return !slices.ContainsFunc(m.Of, func(one *Marker) bool { return !one.Holds(e) })
	case m.Join == "or":
		return slices.ContainsFunc(m.Of, func(one *Marker) bool { return one.Holds(e) })
	}
	left, right := m.Left.value(e), m.Right.value(e)
	switch {
	case m.Left.Variable == "extra" || m.Right.Variable == "extra":
		left, right = Canonical(left), Canonical(right)
	case m.Right.Variable == "extras" || m.Right.Variable == "dependency_groups":
		has := slices.Contains(strings.Split(right, ","), Canonical(left))
		return m.Op == "in" && has || m.Op == "not in" && !has
	case slices.Contains(versions, m.Left.Variable) || slices.Contains(versions, m.Right.Variable):
		if holds, ok := specifiers.Satisfies(left, m.Op+right); ok {
			return holds
		}
	}
	return compare(left, m.Op, right)
}

func (o Operand) value(e Environment) string {
	if o.Variable != "" {
		return e[o.Variable]
	}
	return o.Text
}

// compare compares texts. Order and compatibility mean nothing between them.
func compare(left, op, right string) bool {
	switch op {
	case "==", "===":
		return left == right
	case "!=":
		return left != right
	case "in":
		return strings.Contains(right, left)
	case "not in":
		return !strings.Contains(right, left)
	case "<=", ">=":
		return left == right
	}
	return false
}

// WithoutExtra returns what is left of a marker when an extra is asked for, "" for none: without
// the comparisons with it. Where nothing is left, the marker is nil; where it cannot hold, ok is
// false.
func (m *Marker) WithoutExtra(extra string) (rest *Marker, ok bool) {
	if m == nil {
		return nil, true
	}
	if m.Join == "" {
		if m.Left.Variable != "extra" && m.Right.Variable != "extra" {
			return m, true
		}
		return nil, m.Holds(Environment{"extra": extra})
	}
	var kept []*Marker
	for _, one := range m.Of {
		part, holds := one.WithoutExtra(extra)
		switch {
		case m.Join == "and" && !holds:
			return nil, false
		case m.Join == "or" && holds && part == nil:
			return nil, true
		case holds && part != nil:
			kept = append(kept, part)
		}
	}
	if m.Join == "or" && len(kept) == 0 {
		return nil, false
	}
	return join(m.Join, kept), true
}

// Extras lists the extras that a marker names.
func (m *Marker) Extras() (names []string) {
	switch {
	case m == nil:
	case m.Left.Variable == "extra":
		names = append(names, Canonical(m.Right.Text))
	case m.Right.Variable == "extra":
		names = append(names, Canonical(m.Left.Text))
	}
	if m != nil {
		for _, one := range m.Of {
			names = append(names, one.Extras()...)
		}
	}
	return names
}

// Without returns what is left of a marker where nobody knows the values of some variables, and any
// comparison with them may hold; nil where it may hold always.
func (m *Marker) Without(variables ...string) *Marker {
	if m == nil || slices.Contains(variables, m.Left.Variable) || slices.Contains(variables, m.Right.Variable) {
		return nil
	}
	if m.Join == "" {
		return m
	}
	var rest []*Marker
	for _, one := range m.Of {
		part := one.Without(variables...)
		if part == nil && m.Join == "or" {
			return nil
		}
		rest = append(rest, part)
	}
	return join(m.Join, rest)
}
