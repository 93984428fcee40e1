package python

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"molt/core/universe"
	"molt/ecosystem"
	"molt/ecosystem/python/requirement"
	"molt/input"
)

// A declarations is the text of a file with the requirements that stand in it. Files of different forms share it.
type declarations struct {
	file     string
	data     []byte
	entries  []declaration
	runtimes []universe.Requirement
	notes    []string
	lines    input.Lines
}

// A declaration is a requirement with its place in the text.
type declaration struct {
	ecosystem.Entry
	*requirement.Requirement
	text     string // of the requirement, as it is read
	from, to int    // offsets of what stands for it in the file, with quotes where it has some
	escaped  bool   // it stands there in another form than text
	inset    int    // from is so far before the requirement's first byte
	options  string // what follows a requirement on its line, such as hashes
}

// add reads a requirement that stands at an offset of the file.
func (m *declarations) add(group, text string, from, to, inset int, escaped bool) error {
	r, err := requirement.Parse(text)
	var bad *requirement.Error
	if errors.As(err, &bad) {
		at := from
		if !escaped {
			at += inset + bad.Offset
		}
		return m.errorAt(at, fmt.Sprintf("%q: %s", text, bad.Reason))
	}
	d := declaration{Requirement: r, text: text, from: from, to: to, inset: inset, escaped: escaped}
	d.Demand = demandOf(r)
	d.Group, d.Written = group, r.Specifier
	if r.Address != "" {
		d.Text, d.Written, d.Foreign = r.Address, "@ "+r.Address, true
	}
	at := from
	if !escaped {
		at += inset + r.SpecifierFrom
	}
	d.Line, d.Column = m.position(at)
	for i := range m.entries {
		e := &m.entries[i]
		if e.Group != group || e.Package != d.Package {
			continue
		}
		if e.When == d.When || e.When == "" || d.When == "" {
			return m.errorAt(from, fmt.Sprintf(
				"%s is declared twice in %q, the first time in line %d; two declarations of a package need markers that tell "+
					"them apart", d.Package, group, e.Line))
		}
		d.As = d.Package + " ; " + d.When
	}
	m.entries = append(m.entries, d)
	return nil
}

// demandOf makes a demand of a requirement, whose condition is its whole marker.
func demandOf(r *requirement.Requirement) universe.Demand {
	name := requirement.Canonical(r.Name)
	d := universe.Demand{As: name, Package: name, Text: r.Specifier, Extras: strings.Join(r.Extras, ",")}
	if r.Marker != nil {
		d.When = r.Marker.String()
	}
	return d
}

func (m *declarations) errorAt(offset int, reason string) error {
	line, column := m.position(offset)
	return &input.PositionError{File: m.file, Line: line, Column: column, Reason: reason}
}

// position returns the line and the column of an offset, from 1.
func (m *declarations) position(offset int) (line, column int) { return m.lines.Place(m.data, offset) }

// Entries lists the declarations.
func (m *declarations) Entries() []ecosystem.Entry {
	all := make([]ecosystem.Entry, len(m.entries))
	for i, e := range m.entries {
		all[i] = e.Entry
	}
	return all
}

func (m *declarations) find(group, name string) (*declaration, error) {
	for i := range m.entries {
		if e := &m.entries[i]; e.Group == group && e.As == name {
			return e, nil
		}
	}
	return nil, fmt.Errorf("%s: %s is not declared in %q", m.file, name, group)
}

// with returns the text of the file with another constraint for an entry; write makes what stands
// in the file for a requirement that stands in it in another form.
func (m *declarations) with(e *declaration, constraint string, write func(string) string) []byte {
	from, to := e.SpecifierFrom, e.SpecifierTo
	if constraint == "" { // nothing is left in parentheses
		if open := strings.LastIndexByte(e.text[:from], '('); open >= e.NameEnd {
			from, to = open, strings.IndexByte(e.text[to:], ')')+to+1
		}
	}
	if e.escaped {
		return slices.Concat(m.data[:e.from], []byte(write(e.text[:from]+constraint+e.text[to:])), m.data[e.to:])
	}
	at := e.from + e.inset
	return slices.Concat(m.data[:at+from], []byte(constraint), m.data[at+to:])
}

// Runtimes lists what the application requires of the interpreter.
func (m *declarations) Runtimes() []universe.Requirement { return m.runtimes }

// Bytes returns the text.
func (m *declarations) Bytes() []byte { return m.data }

// Notes lists what about the file people should know.
func (m *declarations) Notes() []string { return m.notes }

// newline is how lines of the file end.
func (m *declarations) newline() string {
	if strings.Contains(string(m.data), "\r\n") {
		return "\r\n"
	}
	return "\n"
}
