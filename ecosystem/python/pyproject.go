package python

import (
	"bytes"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/pelletier/go-toml/v2/unstable"

	"molt/core/universe"
	"molt/ecosystem"
	"molt/ecosystem/python/requirement"
	"molt/ecosystem/python/specifiers"
	"molt/input"
)

// The groups of a pyproject.toml: the application's dependencies, and by these prefixes its
// optional ones and its dependency groups.
const (
	chiefGroup    = "dependencies"
	optionalGroup = "optional-dependencies."
	dependencyGrp = "dependency-groups."
)

var _ interface {
	ecosystem.Manifest
	ecosystem.Titled
	ecosystem.Requirer
} = &pyproject{}

// A pyproject is a pyproject.toml, of which the tables "project" and "dependency-groups" are read:
// specifications "Declaring project metadata" (PEP 621) and "Dependency groups" (PEP 735). Whatever
// tools have there is left alone.
type pyproject struct {
	declarations
	name, version  string
	ownFrom, ownTo int // offsets of the version with its quotes
	groups         []string
	arrays         map[string]tomlArray // by group
	projectEnd     int                  // offset behind the last value of [project], -1 without that table
	includes       map[string][]include
	groupNames     map[string]string // as written, by normal form
	hasProject     bool
}

// A tomlArray is where the elements of an array stand.
type tomlArray struct {
	open, close int // offsets of the brackets
	ends        []int
	starts      []int
}

// An include is a reference of a group to another: of a dependency group, or to an extra of the project itself.
type include struct {
	name string // with its prefix
	at   int
}

// readPyproject reads a pyproject.toml. The error is a *input.PositionError or a *input.LimitError.
func readPyproject(file string, data []byte) (*pyproject, error) {
	if err := input.TOMLDepth(file, data); err != nil {
		return nil, err
	}
	m := &pyproject{declarations: declarations{file: file, data: data}, arrays: map[string]tomlArray{},
		includes: map[string][]include{}, groupNames: map[string]string{}, projectEnd: -1}
	m.groups = []string{chiefGroup}
	if err := walkTOML(file, data, func(_ *unstable.Parser, path []string, _ unstable.Range, v *unstable.Node) error {
		if v.Kind == unstable.String && slices.Equal(path, []string{"project", "name"}) { // by which it may refer to itself
			m.name = string(v.Data)
		}
		return nil
	}); err != nil {
		return nil, err
	}
	if err := walkTOML(file, data, m.value); err != nil {
		return nil, err
	}
	return m, m.checkIncludes()
}

// walkTOML gives every value that is no table, with its keys from the root. Errors have a position.
func walkTOML(file string, data []byte,
	value func(p *unstable.Parser, path []string, whole unstable.Range, v *unstable.Node) error) error {
	var p unstable.Parser
	p.Reset(data)
	var table []string
	var inside func(path []string, e *unstable.Node) error
	inside = func(path []string, e *unstable.Node) error {
		keys, _ := keysOf(e.Key())
		path = slices.Concat(path, keys)
		v := e.Value()
		if v.Kind != unstable.InlineTable {
			return value(&p, path, e.Raw, v)
		}
		for it := v.Children(); it.Next(); {
			if err := inside(path, it.Node()); err != nil {
				return err
			}
		}
		return nil
	}
	for p.NextExpression() {
		switch e := p.Expression(); e.Kind {
		case unstable.Table, unstable.ArrayTable:
			table, _ = keysOf(e.Key())
			if e.Kind == unstable.ArrayTable {
				table = append(table, "[]")
			}
		case unstable.KeyValue:
			if err := inside(table, e); err != nil {
				return err
			}
		}
	}
	err := p.Error()
	if err == nil {
		return nil
	}
	bad := &input.PositionError{File: file, Line: 1, Column: 1, Reason: "this is not TOML: " + err.Error()}
	var at *unstable.ParserError
	if errors.As(err, &at) && len(at.Highlight) > 0 {
		start := p.Shape(p.Range(at.Highlight)).Start
		bad.Line, bad.Column, bad.Reason = start.Line, start.Column, "this is not TOML: "+at.Message
	}
	return bad
}

func keysOf(it unstable.Iterator) (keys []string, at int) {
	for it.Next() {
		if keys == nil {
			at = int(it.Node().Raw.Offset)
		}
		keys = append(keys, string(it.Node().Data))
	}
	return keys, at
}

// value takes one value of the file.
func (m *pyproject) value(p *unstable.Parser, path []string, whole unstable.Range, v *unstable.Node) error {
	if path[0] == "project" {
		m.hasProject = true
		m.projectEnd = max(m.projectEnd, int(whole.Offset+whole.Length))
	}
	switch key := strings.Join(path, "."); {
	case key == "project.version" && v.Kind == unstable.String:
		m.version, m.ownFrom, m.ownTo = string(v.Data), int(v.Raw.Offset), int(v.Raw.Offset+v.Raw.Length)
	case key == "project.requires-python":
		if v.Kind != unstable.String {
			return m.errorAt(int(whole.Offset), "requires-python: expected a text, such as \">=3.9\"")
		}
		if at, reason := specifiers.Check(string(v.Data)); reason != "" {
			return m.errorAt(int(v.Raw.Offset)+1+at, fmt.Sprintf("requires-python %q: %s", v.Data, reason))
		}
		m.runtimes = append(m.runtimes, universe.Requirement{Name: runtimeName, Text: string(v.Data)})
	case key == "project.dynamic" && v.Kind == unstable.Array:
		for it := v.Children(); it.Next(); {
			if field := string(it.Node().Data); field == "dependencies" || field == "optional-dependencies" ||
				field == "requires-python" {
				m.notes = append(m.notes, fmt.Sprintf("%s says that its build backend works out %q: Molt does not see those",
					m.file, field))
			}
		}
	case key == "project.dependencies":
		return m.array(p, chiefGroup, whole, v)
	case len(path) == 3 && path[0] == "project" && path[1] == "optional-dependencies":
		return m.array(p, optionalGroup+path[2], whole, v)
	case len(path) == 2 && path[0] == "dependency-groups":
		return m.array(p, dependencyGrp+path[1], whole, v)
	}
	return nil
}

// array reads the requirements of a group.
func (m *pyproject) array(p *unstable.Parser, group string, whole unstable.Range, v *unstable.Node) error {
	if v.Kind != unstable.Array {
		return m.errorAt(int(whole.Offset), fmt.Sprintf("%s: expected a list of requirements", group))
	}
	prefix, name, _ := strings.Cut(group, ".")
	if name != "" && !requirement.IsName(name) {
		return m.errorAt(int(whole.Offset),
			fmt.Sprintf("%q is no name of a group: letters, digits, and between them hyphens, underscores and dots", name))
	}
	normal := prefix + "." + requirement.Canonical(name)
	if other, twice := m.groupNames[normal]; twice {
		return m.errorAt(int(whole.Offset), fmt.Sprintf("%s and %s are the same name", other, group))
	}
	m.groupNames[normal] = group
	if !slices.Contains(m.groups, group) {
		m.groups = append(m.groups, group)
	}
	end := int(whole.Offset + whole.Length)
	a := tomlArray{open: end - 1, close: end - 1}
	first := true
	for it := v.Children(); it.Next(); {
		e := it.Node()
		from, to := int(e.Raw.Offset), int(e.Raw.Offset+e.Raw.Length)
		if e.Kind == unstable.InlineTable && prefix == "dependency-groups" {
			if err := m.include(group, e); err != nil {
				return err
			}
			continue
		}
		if e.Kind != unstable.String {
			return m.errorAt(max(from, int(whole.Offset)), fmt.Sprintf("%s: expected a requirement in quotes", group))
		}
		if first {
			a.open = from
		}
		first = false
		a.starts, a.ends = append(a.starts, from), append(a.ends, to)
		inset := 1
		if to-from >= 6 && m.data[from] == m.data[from+1] && m.data[from] == m.data[from+2] {
			inset = 3
		}
		text := string(e.Data)
		if r, err := requirement.Parse(text); err == nil && m.name != "" &&
			requirement.Canonical(r.Name) == requirement.Canonical(m.name) {
			for _, extra := range r.Extras { // the application itself, of which no registry is asked
				m.includes[group] = append(m.includes[group], include{optionalGroup + extra, from})
			}
			continue
		}
		escaped := to-from < 2*inset || string(m.data[from+inset:to-inset]) != text
		if err := m.add(group, text, from, to, inset, escaped); err != nil {
			return err
		}
	}
	a.open = int(whole.Offset) + bytes.IndexByte(m.data[whole.Offset:], '=')
	a.open += bytes.IndexByte(m.data[a.open:], '[')
	m.arrays[group] = a
	return nil
}

// include reads a reference to another dependency group.
func (m *pyproject) include(group string, table *unstable.Node) error {
	at := int(table.Raw.Offset)
	var found []include
	for it := table.Children(); it.Next(); {
		keys, _ := keysOf(it.Node().Key())
		if len(keys) != 1 || keys[0] != "include-group" || it.Node().Value().Kind != unstable.String {
			return m.errorAt(at, group+": expected a requirement in quotes, or { include-group = \"NAME\" }")
		}
		found = append(found, include{dependencyGrp + string(it.Node().Value().Data), at})
	}
	if len(found) != 1 {
		return m.errorAt(at, group+": expected { include-group = \"NAME\" }")
	}
	m.includes[group] = append(m.includes[group], found...)
	return nil
}

// checkIncludes makes sure that included groups exist and don't include one another in a circle.
func (m *pyproject) checkIncludes() error {
	done := map[string]bool{}
	var follow func(group string, way []string) error
	follow = func(group string, way []string) error {
		if done[group] {
			return nil
		}
		for _, inc := range m.includes[group] {
			next, ok := m.named(inc.name)
			switch {
			case !ok && strings.HasPrefix(inc.name, optionalGroup):
				return m.errorAt(inc.at, fmt.Sprintf("%s asks for the extra %q of the project itself, which it does not have",
					group, inc.name[len(optionalGroup):]))
			case !ok:
				return m.errorAt(inc.at, fmt.Sprintf("%s includes %q, which is no dependency group here", group,
					inc.name[len(dependencyGrp):]))
			case slices.Contains(way, next) || next == group:
				return m.errorAt(inc.at, fmt.Sprintf("the dependency groups include one another in a circle: %s",
					strings.Join(append(way, group, next), " includes ")))
			}
			if err := follow(next, append(way, group)); err != nil {
				return err
			}
		}
		done[group] = true
		return nil
	}
	for _, group := range m.groups {
		if err := follow(group, nil); err != nil {
			return err
		}
	}
	return nil
}

// named returns the group of a name in whatever spelling.
func (m *pyproject) named(group string) (string, bool) {
	prefix, name, _ := strings.Cut(group, ".")
	as, ok := m.groupNames[prefix+"."+requirement.Canonical(name)]
	return as, ok
}

// Included returns the groups that others bring along, all of them: by a reference to a group, or
// to an extra of the project itself.
func (m *pyproject) Included() map[string][]string {
	all := map[string][]string{}
	for group := range m.includes {
		var follow func(of string)
		follow = func(of string) {
			for _, inc := range m.includes[of] {
				if next, ok := m.named(inc.name); ok && !slices.Contains(all[group], next) {
					all[group] = append(all[group], next)
					follow(next)
				}
			}
		}
		follow(group)
		slices.Sort(all[group])
	}
	return all
}

// Name is the project's name.
func (m *pyproject) Name() string { return m.name }

// Version is the project's version.
func (m *pyproject) Version() string { return m.version }

// Groups lists the groups that the file has; the first is there even when nothing is in it yet.
func (m *pyproject) Groups() []string { return m.groups }

// MayHave reports whether a group of a name may be added: an extra, or a dependency group.
func (m *pyproject) MayHave(group string) bool {
	for _, prefix := range []string{optionalGroup, dependencyGrp} {
		if name, ok := strings.CutPrefix(group, prefix); ok && requirement.IsName(name) {
			return true
		}
	}
	return false
}

// replace takes a new text, which is read again.
func (m *pyproject) replace(data []byte) error {
	next, err := readPyproject(m.file, data)
	if err != nil {
		return err
	}
	*m = *next
	return nil
}

// Set replaces the constraint of an entry.
func (m *pyproject) Set(at ecosystem.ConstraintPlace, constraint string) error {
	e, err := m.find(at.Group, at.Name)
	if err != nil {
		return err
	}
	if e.Foreign {
		return fmt.Errorf("%s: %s comes from %s", m.file, at.Name, e.Text)
	}
	return m.replace(m.with(e, constraint, quoteTOML))
}

// quoteTOML writes a basic string. Requirements hold no control characters.
func quoteTOML(text string) string { return strconv.Quote(text) }

// Remove deletes an entry with the comma that it no longer needs, and its line when nothing else stands there.
func (m *pyproject) Remove(group, name string) error {
	e, err := m.find(group, name)
	if err != nil {
		return err
	}
	from, to := e.from, e.to
	rest := m.data[to:]
	if blank := len(rest) - len(bytes.TrimLeft(rest, " \t")); blank < len(rest) && rest[blank] == ',' {
		to += blank + 1
	} else if a := m.arrays[group]; len(a.starts) > 1 && a.starts[len(a.starts)-1] == from {
		// the last, without a comma: that of the one before goes
		before := a.ends[len(a.ends)-2]
		if comma := bytes.IndexByte(m.data[before:from], ','); comma >= 0 &&
			!bytes.Contains(m.data[before+comma:from], []byte("#")) {
			return m.replace(slices.Concat(m.data[:before+comma], m.data[to:]))
		}
	}
	lineFrom := bytes.LastIndexByte(m.data[:from], '\n') + 1
	alone := len(bytes.TrimSpace(m.data[lineFrom:from])) == 0
	rest = m.data[to:]
	end := len(rest) - len(bytes.TrimLeft(rest, " \t"))
	if tail := rest[end:]; alone && len(tail) > 0 {
		if tail[0] == '#' { // what is said of the entry goes with it
			if nl := bytes.IndexByte(tail, '\n'); nl >= 0 {
				return m.replace(slices.Concat(m.data[:lineFrom], tail[nl+1:]))
			}
		}
		if tail[0] == '\n' || tail[0] == '\r' {
			return m.replace(slices.Concat(m.data[:lineFrom], tail[bytes.IndexByte(tail, '\n')+1:]))
		}
	}
	return m.replace(slices.Concat(m.data[:from], m.data[to+end:]))
}

// Add puts a requirement into a group, before the first that follows it in the alphabet where the
// group is in order, else at its end.
func (m *pyproject) Add(group, name, constraint string) error {
	if _, err := m.find(group, name); err == nil {
		return fmt.Errorf("%s: %s is declared in %q already", m.file, name, group)
	}
	text := quoteTOML(name + constraint)
	a, there := m.arrays[group]
	switch {
	case !there:
		return m.addGroup(group, text)
	case len(a.starts) == 0:
		return m.replace(slices.Concat(m.data[:a.open+1], []byte(text), m.data[a.close:]))
	}
	first := bytes.LastIndexByte(m.data[:a.starts[0]], '\n') + 1
	indent := string(m.data[first:a.starts[0]])
	onLines := strings.TrimSpace(indent) == "" && first > a.open
	if at := m.place(group, name); at >= 0 {
		between := ", "
		if onLines {
			between = "," + m.newline() + indent
		}
		return m.replace(slices.Concat(m.data[:at], []byte(text+between), m.data[at:]))
	}
	last := a.ends[len(a.ends)-1]
	rest := m.data[last:a.close]
	comma := bytes.IndexByte(rest, ',')
	if hash := bytes.IndexByte(rest, '#'); hash >= 0 && hash < comma {
		comma = -1
	}
	switch {
	case !onLines && comma < 0:
		return m.replace(slices.Concat(m.data[:last], []byte(", "+text), m.data[last:]))
	case !onLines:
		return m.replace(slices.Concat(m.data[:last+comma+1], []byte(" "+text), m.data[last+comma+1:]))
	}
	line := last + len(rest)
	if nl := bytes.IndexByte(m.data[last:], '\n'); nl >= 0 && last+nl < a.close {
		line = last + nl + 1
	}
	added, head := indent+text+","+m.newline(), m.data[:line]
	if comma < 0 {
		head = slices.Concat(m.data[:last], []byte(","), m.data[last:line])
		added = indent + text + m.newline()
	}
	return m.replace(slices.Concat(head, []byte(added), m.data[line:]))
}

// place returns the offset of the entry before which a name belongs, -1 where it belongs at the end.
func (m *pyproject) place(group, name string) int {
	var names []string
	at := -1
	for _, e := range m.entries {
		if e.Group != group {
			continue
		}
		names = append(names, e.Package)
		if at < 0 && e.Package > name {
			at = e.from
		}
	}
	if !slices.IsSorted(names) {
		return -1
	}
	return at
}

// addGroup puts a group with one requirement into the file.
func (m *pyproject) addGroup(group, text string) error {
	nl := m.newline()
	list := " = [" + nl + "    " + text + "," + nl + "]" + nl
	prefix, name, _ := strings.Cut(group, ".")
	known := ""
	for other := range m.arrays {
		if p, _, ok := strings.Cut(other, "."); ok && p == prefix {
			known = max(known, other)
		}
	}
	end := m.data
	if len(end) > 0 && end[len(end)-1] != '\n' {
		end = append(slices.Clip(end), nl...)
	}
	switch {
	case group == chiefGroup && m.hasProject:
		at := m.projectEnd
		if at > len(m.data) {
			at = len(m.data)
		}
		if rest := bytes.IndexByte(m.data[at:], '\n'); rest >= 0 {
			at += rest + 1
		}
		if bytes.Contains(m.data, []byte("[project.")) { // the plain keys come before the tables below
			at = bytes.Index(m.data, []byte("[project]")) + len("[project]")
			at += bytes.IndexByte(m.data[at:], '\n') + 1
		}
		return m.replace(slices.Concat(m.data[:at], []byte(chiefGroup+list), m.data[at:]))
	case group == chiefGroup || name == "" || prefix+"." != optionalGroup && prefix+"." != dependencyGrp:
		return fmt.Errorf("%s: it has no group %q; there can be %s, %sNAME and %sNAME", m.file, group, chiefGroup,
			optionalGroup, dependencyGrp)
	case known != "":
		at := m.arrays[known].close + 1
		if rest := bytes.IndexByte(m.data[at:], '\n'); rest >= 0 {
			at += rest + 1
		}
		return m.replace(slices.Concat(m.data[:at], []byte(name+list), m.data[at:]))
	}
	table := map[string]string{optionalGroup: "[project.optional-dependencies]",
		dependencyGrp: "[dependency-groups]"}[prefix+"."]
	return m.replace(slices.Concat(end, []byte(nl+table+nl+name+list)))
}

// SetVersion replaces the version.
func (m *pyproject) SetVersion(version string) error {
	if m.version == "" {
		return fmt.Errorf("%s has no version", m.file)
	}
	return m.replace(slices.Concat(m.data[:m.ownFrom], []byte(quoteTOML(version)), m.data[m.ownTo:]))
}

var _ ecosystem.Manifest = (*pyproject)(nil)

// ExtraGroup returns the table of optional dependencies of an extra.
func (Python) ExtraGroup(extra string) string { return optionalGroup + extra }
