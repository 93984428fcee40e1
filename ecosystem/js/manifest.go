package js

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/tailscale/hujson"

	"molt/core/universe"
	"molt/core/version"
	"molt/ecosystem"
	"molt/ecosystem/js/ranges"
	"molt/input"
)

// groups are the fields of a manifest that declare packages, in the order in which Molt lists them.
var groups = []string{"dependencies", "optionalDependencies", "peerDependencies", "devDependencies"}

var _ interface {
	ecosystem.Manifest
	ecosystem.Titled
	ecosystem.Workspace
	ecosystem.Overrider
	ecosystem.Requirer
	ecosystem.Tooled
} = &manifest{}

// A manifest is the text of a package.json with a view laid over it.
type manifest struct {
	file     string
	data     []byte
	name     string
	version  string
	ownFrom  int // offsets of the version with its quotes
	ownTo    int
	entries  []entry
	at       map[string]int // offsets after the opening brace of each group, and of the root under ""
	runtimes []universe.Requirement
	members  []string
	over     []universe.Override
	tool     string // the manifest's word on the tool that works on it, name@version
	toolAt   int    // its line
	lines    input.Lines
}

// An entry with its place in the text.
type entry struct {
	ecosystem.Entry
	nameFrom, from, to int // offsets of the name, and of the constraint with its quotes
}

// byteOrderMark may stand before the text; it is kept.
var byteOrderMark = []byte("\xef\xbb\xbf")

// ReadManifest reads a package.json. Comments and trailing commas are not part of that format. A group that declares
// a name twice is an error, since programs disagree on which of the two counts.
func (JS) ReadManifest(file string, data []byte) (ecosystem.Manifest, error) {
	return readManifest(file, data)
}

func readManifest(file string, data []byte) (*manifest, error) {
	m := &manifest{file: file, data: data, at: map[string]int{}}
	text := bytes.TrimPrefix(data, byteOrderMark)
	shift := len(data) - len(text)
	if err := input.JSONDepth(file, text); err != nil {
		return nil, err
	}
	root, err := hujson.Parse(text)
	if err != nil {
		return nil, m.syntaxError(err)
	}
	if !root.IsStandard() {
		return nil, m.errorAt(shift+firstOddity(text), "a package.json holds neither comments nor trailing commas")
	}
	object, ok := root.Value.(*hujson.Object)
	if !ok {
		return nil, m.errorAt(shift, "expected an object, that is, a text that begins with {")
	}
	m.at[""] = shift + root.StartOffset + 1
	fields := map[string]hujson.Value{}
	for _, member := range object.Members {
		name := textOf(member.Name.Value.(hujson.Literal))
		if _, twice := fields[name]; twice && slices.Contains(groups, name) {
			return nil, m.errorAt(shift+member.Name.StartOffset, fmt.Sprintf("%q stands in the file twice", name))
		}
		fields[name] = member.Value
	}
	m.name, m.version = stringOf(fields["name"]), stringOf(fields["version"])
	m.ownFrom, m.ownTo = shift+fields["version"].StartOffset, shift+fields["version"].EndOffset
	optional := m.optionalPeers(fields["peerDependenciesMeta"])
	for _, group := range groups {
		if err := m.readGroup(group, fields[group], shift, optional); err != nil {
			return nil, err
		}
	}
	if engines, ok := fields["engines"].Value.(*hujson.Object); ok {
		for _, member := range engines.Members {
			m.runtimes = append(m.runtimes,
				universe.Requirement{Name: textOf(member.Name.Value.(hujson.Literal)), Text: stringOf(member.Value)})
		}
	}
	if tool := fields["packageManager"]; tool.Value != nil {
		m.tool = stringOf(tool)
		m.toolAt, _ = m.position(shift + tool.StartOffset)
	}
	m.members = workspaces(fields["workspaces"])
	return m, m.readOverrides(fields["overrides"], shift)
}

// workspaces reads a list of patterns, or an object with one under "packages".
func workspaces(v hujson.Value) (patterns []string) {
	if object, ok := v.Value.(*hujson.Object); ok {
		for _, member := range object.Members {
			if textOf(member.Name.Value.(hujson.Literal)) == "packages" {
				return workspaces(member.Value)
			}
		}
	}
	list, ok := v.Value.(*hujson.Array)
	if !ok {
		return nil
	}
	for _, e := range list.Elements {
		if text := stringOf(e); text != "" {
			patterns = append(patterns, text)
		}
	}
	return patterns
}

// readOverrides reads what is said of edges to a name: a constraint for all of them, on its own or
// as "." in an object, or $NAME for what the application declares under a name; and, in an object,
// of the edges of one package, which may be restricted to some of its releases. What is said for
// edges deeper down, or for edges with some constraint only, is not known and an error.
func (m *manifest) readOverrides(value hujson.Value, shift int) error {
	if value.Value == nil {
		return nil
	}
	object, ok := value.Value.(*hujson.Object)
	if !ok {
		return m.errorAt(shift+value.StartOffset, "\"overrides\": expected an object of names and constraints")
	}
	for _, member := range object.Members {
		name := textOf(member.Name.Value.(hujson.Literal))
		at, v := shift+member.Name.StartOffset, member.Value
		inner, nested := v.Value.(*hujson.Object)
		if !nested {
			if err := m.override(universe.Override{}, name, v, at, shift); err != nil {
				return err
			}
			continue
		}
		by, of := name, ""
		if k := strings.LastIndexByte(name, '@'); k > 0 {
			by, of = name[:k], name[k+1:]
			if _, err := ranges.Scheme.Constrain(of); err != nil {
				return m.errorAt(at, fmt.Sprintf("overrides: %s: %v", name, err))
			}
		}
		for _, below := range inner.Members {
			target, at := textOf(below.Name.Value.(hujson.Literal)), shift+below.Name.StartOffset
			scope := universe.Override{By: by, Of: of}
			if target == "." {
				scope, target = universe.Override{}, name
			}
			if _, deeper := below.Value.Value.(*hujson.Object); deeper {
				return m.errorAt(at, fmt.Sprintf(
					"overrides: %s: what is meant for packages farther down alone is nothing that Molt knows; name the package that "+
						"needs it", target))
			}
			if err := m.override(scope, target, below.Value, at, shift); err != nil {
				return err
			}
		}
	}
	slices.SortFunc(m.over, func(a, b universe.Override) int { return strings.Compare(a.Key(), b.Key()) })
	return nil
}

// override reads one override: what serves a name, for the edges that a scope says.
func (m *manifest) override(o universe.Override, name string, v hujson.Value, at, shift int) error {
	text := stringOf(v)
	place := shift + v.StartOffset
	if strings.LastIndexByte(name, '@') > 0 {
		return m.errorAt(at, fmt.Sprintf(
			"overrides: %s: what is meant for some constraints alone is nothing that Molt knows; say it for all of them", name))
	}
	o.Written = text
	declared := slices.IndexFunc(m.entries, func(e entry) bool { return e.As == name })
	ref, reference := strings.CutPrefix(text, "$")
	meant := text
	o.Shared = reference && ref == name
	if reference && (ref != name || o.By != "") {
		// the constraint that is declared, under another name or for some edges only
		k := slices.IndexFunc(m.entries, func(e entry) bool { return e.As == ref })
		if k < 0 {
			return m.errorAt(place, fmt.Sprintf("overrides: %s: %s refers to a declaration that is not there", name, text))
		}
		reference, meant = false, m.entries[k].Written
	}
	switch {
	case text == "":
		return m.errorAt(place, fmt.Sprintf("overrides: %s: expected a constraint in quotes", name))
	case reference && declared < 0:
		return m.errorAt(place, fmt.Sprintf("overrides: %s: %s refers to a declaration that is not there", name, text))
	case reference:
		o.Demand = universe.Demand{As: name, Package: m.entries[declared].Package, Text: "*"}
	case o.By == "" && declared >= 0 && m.entries[declared].Written != meant:
		return m.errorAt(place, fmt.Sprintf(
			"overrides: %s: %s contradicts the declaration %s in line %d; $%s means whatever is declared", name, text,
			m.entries[declared].Written, m.entries[declared].Line, name))
	default:
		d, err := demand(name, meant)
		if err != nil {
			return m.errorAt(place, fmt.Sprintf("overrides: %s: %v", name, err))
		}
		o.Demand = d
	}
	if o.Shared {
		o.Any = "*"
	}
	m.over = append(m.over, o)
	return nil
}

// Overrides returns what is said of every edge to a name.
func (m *manifest) Overrides() []universe.Override { return m.over }

// Members returns the patterns of a workspace.
func (m *manifest) Members() []string { return m.members }

// textOf returns what a string of JSON says. Most say what they are.
func textOf(l hujson.Literal) string {
	if len(l) >= 2 && l[0] == '"' && utf8.Valid(l) && bytes.IndexByte(l, '\\') < 0 {
		return string(l[1 : len(l)-1])
	}
	return l.String()
}

// stringOf returns a string value, or "" for whatever else.
func stringOf(v hujson.Value) string {
	if l, ok := v.Value.(hujson.Literal); ok && l.Kind() == '"' {
		return textOf(l)
	}
	return ""
}

func (m *manifest) optionalPeers(meta hujson.Value) map[string]bool {
	optional := map[string]bool{}
	object, ok := meta.Value.(*hujson.Object)
	if !ok {
		return optional
	}
	for _, member := range object.Members {
		about, ok := member.Value.Value.(*hujson.Object)
		if !ok {
			continue
		}
		for _, field := range about.Members {
			l, ok := field.Value.Value.(hujson.Literal)
			if ok && textOf(field.Name.Value.(hujson.Literal)) == "optional" && l.Bool() {
				optional[textOf(member.Name.Value.(hujson.Literal))] = true
			}
		}
	}
	return optional
}

func (m *manifest) readGroup(group string, value hujson.Value, shift int, optional map[string]bool) error {
	if value.Value == nil {
		return nil
	}
	object, ok := value.Value.(*hujson.Object)
	if !ok {
		return m.errorAt(shift+value.StartOffset, fmt.Sprintf("%q: expected an object of names and constraints", group))
	}
	m.at[group] = shift + value.StartOffset + 1
	seen := make(map[string]bool, len(object.Members))
	m.entries = slices.Grow(m.entries, len(object.Members))
	for _, member := range object.Members {
		name := textOf(member.Name.Value.(hujson.Literal))
		at := shift + member.Value.StartOffset
		l, ok := member.Value.Value.(hujson.Literal)
		switch {
		case !ok || l.Kind() != '"':
			return m.errorAt(at, fmt.Sprintf("%s: expected a constraint in quotes", name))
		case seen[name]:
			return m.errorAt(shift+member.Name.StartOffset, fmt.Sprintf("%s is declared twice in %q", name, group))
		case name == "":
			return m.errorAt(shift+member.Name.StartOffset, "a package has a name")
		}
		seen[name] = true
		d, err := demand(name, textOf(l))
		var bad *version.Error
		if errors.As(err, &bad) {
			return m.errorAt(at+1+bad.Offset+strings.Index(textOf(l), bad.Text), fmt.Sprintf("%s: %v", name, err))
		}
		d.Optional = group == "optionalDependencies" || group == "peerDependencies" && optional[name]
		e := entry{nameFrom: shift + member.Name.StartOffset, from: at, to: shift + member.Value.EndOffset}
		e.Entry = ecosystem.Entry{Demand: d, Group: group, Written: textOf(l)}
		if want, ok := strings.CutPrefix(d.Text, sibling); ok {
			if at := strings.LastIndexByte(want, '@'); at > 0 {
				e.Package, want = want[:at], want[at+1:]
			}
			if e.Sibling = want; want == "" || !isRange(want) { // an operator only, or where it lies
				e.Sibling = ranges.Scheme.Any()
			}
		}
		e.Line, e.Column = m.position(at)
		m.entries = append(m.entries, e)
	}
	return nil
}

// firstOddity finds where the text stops being standard JSON.
func firstOddity(text []byte) int {
	var syntax *json.SyntaxError
	var any json.RawMessage
	if err := json.Unmarshal(text, &any); errors.As(err, &syntax) {
		return int(max(syntax.Offset-1, 0))
	}
	return 0
}

var placeInError = regexp.MustCompile(`line (\d+), column (\d+): (.*)`)

func (m *manifest) syntaxError(err error) error {
	p := &input.PositionError{File: m.file, Line: 1, Column: 1, Reason: err.Error()}
	if parts := placeInError.FindStringSubmatch(err.Error()); parts != nil {
		p.Line, _ = strconv.Atoi(parts[1])
		p.Column, _ = strconv.Atoi(parts[2])
		p.Reason = "this is not JSON: " +
			strings.TrimPrefix(strings.ReplaceAll(parts[3], "unexpected EOF", "it ends too early"), "parsing value: ")
	}
	return p
}

func (m *manifest) errorAt(offset int, reason string) error {
	line, column := m.position(offset)
	return &input.PositionError{File: m.file, Line: line, Column: column, Reason: reason}
}

// position returns the line and the column of an offset, from 1.
func (m *manifest) position(offset int) (line, column int) { return m.lines.Place(m.data, offset) }

func (m *manifest) Name() string                     { return m.name }
func (m *manifest) Version() string                  { return m.version }
func (m *manifest) Runtimes() []universe.Requirement { return m.runtimes }
func (m *manifest) Bytes() []byte                    { return m.data }

func (m *manifest) Entries() []ecosystem.Entry {
	all := make([]ecosystem.Entry, len(m.entries))
	for i, e := range m.entries {
		all[i] = e.Entry
	}
	return all
}

func (m *manifest) find(group, name string) (*entry, error) {
	for i := range m.entries {
		if e := &m.entries[i]; e.Group == group && e.As == name {
			return e, nil
		}
	}
	return nil, fmt.Errorf("%s: %s is not declared in %q", m.file, name, group)
}

// replace changes bytes from to to, and reads the result again.
func (m *manifest) replace(from, to int, text string) error {
	data := slices.Concat(m.data[:from], []byte(text), m.data[to:])
	next, err := readManifest(m.file, data)
	if err != nil {
		return err
	}
	*m = *next
	return nil
}

// Set replaces the constraint of an entry. The prefix and name of an alias stay.
func (m *manifest) Set(at ecosystem.ConstraintPlace, constraint string) error {
	e, err := m.find(at.Group, at.Name)
	if err != nil {
		return err
	}
	if strings.HasPrefix(e.Written, alias) {
		constraint = alias + e.Package + "@" + constraint
	}
	return m.replace(e.from, e.to, quote(constraint))
}

// Tool reads "name@version", to which a checksum may be added.
func (m *manifest) Tool() (name, release string, line int) {
	name, release, _ = strings.Cut(m.tool, "@")
	release, _, _ = strings.Cut(release, "+")
	return name, release, m.toolAt
}

// SetVersion replaces the version.
func (m *manifest) SetVersion(release string) error {
	if m.version == "" {
		return fmt.Errorf("%s has no version", m.file)
	}
	return m.replace(m.ownFrom, m.ownTo, quote(release))
}

func quote(s string) string {
	var b bytes.Buffer
	enc := json.NewEncoder(&b)
	enc.SetEscapeHTML(false)
	_ = enc.Encode(s) // a string always has an encoding
	return strings.TrimSuffix(b.String(), "\n")
}

// Remove deletes an entry, the comma that it no longer needs, and its line when nothing else stands there.
func (m *manifest) Remove(group, name string) error {
	e, err := m.find(group, name)
	if err != nil {
		return err
	}
	from, to := e.nameFrom, e.to
	after := to + len(m.data[to:]) - len(bytes.TrimLeft(m.data[to:], " \t\r\n"))
	if m.data[after] == ',' {
		// The text up to the next entry goes; it takes the place of this one.
		to = after + 1
		to += len(m.data[to:]) - len(bytes.TrimLeft(m.data[to:], " \t\r\n"))
		return m.replace(from, to, "")
	}
	before := len(bytes.TrimRight(m.data[:from], " \t\r\n"))
	if m.data[before-1] == ',' {
		return m.replace(before-1, to, "")
	}
	return m.replace(before, after, "") // the only one
}

// Groups returns the names of the groups that a manifest can have.
func (m *manifest) Groups() []string { return groups }

// addFirst puts an entry into a group that is empty or missing. A missing one goes to the end of the manifest.
func (m *manifest) addFirst(group, line string) error {
	if !slices.Contains(groups, group) {
		return fmt.Errorf("%s: a manifest has no group %q", m.file, group)
	}
	indent := "  "
	if rest := m.data[m.at[""]:]; len(rest) > 0 {
		gap := rest[:len(rest)-len(bytes.TrimLeft(rest, " \t\r\n"))]
		if at := bytes.LastIndexByte(gap, '\n'); at >= 0 && len(gap) > at+1 {
			indent = string(gap[at+1:])
		}
	}
	newline := "\n"
	if bytes.Contains(m.data, []byte("\r\n")) {
		newline = "\r\n"
	}
	inside := newline + indent + indent + line + newline + indent
	if from, there := m.at[group]; there {
		to := from + bytes.IndexByte(m.data[from:], '}')
		return m.replace(from, to, inside)
	}
	end := bytes.LastIndexByte(m.data, '}')
	last := len(bytes.TrimRight(m.data[:end], " \t\r\n"))
	comma := ","
	if m.data[last-1] == '{' {
		comma = ""
	}
	return m.replace(last, end, comma+newline+indent+quote(group)+": {"+inside+"}"+newline)
}

// Add puts an entry before the first of its group that follows it in the alphabet, written as that group is written.
func (m *manifest) Add(group, name, constraint string) error {
	if _, err := m.find(group, name); err == nil {
		return fmt.Errorf("%s: %s is declared in %q already", m.file, name, group)
	}
	line := quote(name) + ": " + quote(constraint)
	var all []entry
	for _, e := range m.entries {
		if e.Group == group {
			all = append(all, e)
		}
	}
	if len(all) == 0 {
		return m.addFirst(group, line)
	}
	between := ", "
	if len(all) > 1 {
		gap := m.data[all[0].to:all[1].nameFrom]
		between = string(gap)
	} else if before := m.data[:all[0].nameFrom]; bytes.ContainsRune(
		before[len(bytes.TrimRight(before, " \t\r\n")):], '\n') {
		between = "," + string(before[len(bytes.TrimRight(before, " \t\r\n")):])
	}
	if colon := string(m.data[all[0].nameFrom+len(quote(all[0].As)) : all[0].from]); strings.TrimSpace(colon) == ":" {
		line = quote(name) + colon + quote(constraint)
	}
	for _, e := range all {
		if e.As > name {
			return m.replace(e.nameFrom, e.nameFrom, line+between)
		}
	}
	last := all[len(all)-1]
	return m.replace(last.to, last.to, between+line)
}
