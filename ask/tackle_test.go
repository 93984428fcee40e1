package ask_test

import (
	"bytes"
	"context"
	"fmt"
	"io/fs"
	"slices"
	"strconv"
	"strings"

	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
	"molt/core/version/semver"
	"molt/ecosystem"
	"molt/input"
	"molt/registry"
)

// tackle is a tiny ecosystem that has as little as one can have, and nothing as JavaScript has it:
// one release of each package for the whole application, names in several spellings, constraints of
// its own, two manifests of plain lines, a lock that lists releases and no edges, no installed
// tree, no imports, no runtimes, no kinship of names. That everything works on it is the proof that
// the core is neutral.
type tackle struct{ packages universe.Table }

func (tackle) Name() string             { return "tackle" }
func (tackle) Scheme() version.Scheme   { return knots{} }
func (tackle) Strategy() solve.Strategy { return solve.Single }
func (tackle) Manifest() string         { return "tackle.list" }
func (tackle) Lock() string             { return "tackle.lock" }

// Canonical writes a name in small letters, with hyphens.
func (tackle) Canonical(name string) string {
	return strings.NewReplacer("_", "-", ".", "-").Replace(strings.ToLower(name))
}

// Detect finds the list, and beside it that of the spare tackle.
func (tackle) Detect(dir fs.FS) (names []string, err error) {
	for _, name := range []string{"tackle.list", "spare.list"} {
		if _, err := fs.Stat(dir, name); err == nil {
			names = append(names, name)
		}
	}
	return names, nil
}

// EncodeLock writes a line for each release.
func (tackle) EncodeLock(l *ecosystem.Lock) []byte {
	var b bytes.Buffer
	for _, p := range l.Packages {
		fmt.Fprintln(&b, p.Name, p.Version)
	}
	return b.Bytes()
}

func (t tackle) DecodeLock(file string, data []byte) (*ecosystem.Lock, error) {
	l := &ecosystem.Lock{Ecosystem: "tackle", Edgeless: true}
	for line := range strings.Lines(string(data)) {
		name, v, ok := strings.Cut(strings.TrimSpace(line), " ")
		if !ok {
			return nil, &input.PositionError{File: file, Line: 1, Column: 1, Reason: "expected a name and a version"}
		}
		l.Packages = append(l.Packages,
			ecosystem.LockedPackage{PURL: ecosystem.PackageURL(t, name, v), Node: solve.Node{ID: name + "@" + v, Name: name, Version: v}})
	}
	return l, nil
}

func (t tackle) Protocols() []ecosystem.Protocol {
	return []ecosystem.Protocol{{Name: "chest", Open: t.open}}
}

func (t tackle) open(context.Context, *registry.Registries, ecosystem.Detail) ecosystem.Source {
	return chest{t.packages}
}

// A chest is a registry that is a table.
type chest struct{ universe.Table }

func (chest) Close() {}

func (t tackle) ReadManifest(file string, data []byte) (ecosystem.Manifest, error) {
	m := &list{eco: t, file: file, lines: strings.SplitAfter(string(data), "\n")}
	for _, line := range m.lines {
		if words := strings.Fields(line); len(words) != 0 && len(words) != 2 {
			return nil, &input.PositionError{
				File: file, Line: 1 + strings.Count(string(data[:bytes.Index(data, []byte(line))]), "\n"), Column: 1,
				Reason: "expected a name and a constraint"}
		}
	}
	return m, nil
}

// A list is a manifest: a line for each package, with a name and a constraint, all of one group.
type list struct {
	eco   tackle
	file  string
	lines []string
}

func (m *list) Entries() (all []ecosystem.Entry) {
	for i, line := range m.lines {
		if words := strings.Fields(line); len(words) == 2 {
			name := m.eco.Canonical(words[0])
			all = append(all, ecosystem.Entry{
				Demand: universe.Demand{As: name, Package: name, Text: words[1]}, Group: m.Groups()[0], Written: words[1],
				Line: i + 1, Column: 1 + strings.Index(line, words[1])})
		}
	}
	return all
}

func (m *list) Set(at ecosystem.ConstraintPlace, constraint string) error {
	for _, e := range m.Entries() {
		if e.As == at.Name {
			line := m.lines[e.Line-1]
			m.lines[e.Line-1] = line[:e.Column-1] + constraint + line[e.Column-1+len(e.Written):]
			return nil
		}
	}
	return fmt.Errorf("%s has no %s", m.file, at.Name)
}

func (m *list) Remove(_, name string) error {
	for _, e := range m.Entries() {
		if e.As == name {
			m.lines = slices.Delete(m.lines, e.Line-1, e.Line)
			return nil
		}
	}
	return fmt.Errorf("%s has no %s", m.file, name)
}

func (m *list) Add(_, name, constraint string) error {
	m.lines = append([]string{name + " " + constraint + "\n"}, m.lines...)
	return nil
}

func (m *list) Groups() []string {
	return []string{map[string]string{"tackle.list": "main", "spare.list": "spare"}[m.file]}
}
func (m *list) Bytes() []byte { return []byte(strings.Join(m.lines, "")) }

// knots is a scheme whose constraints look like none of JavaScript's: "any", "is:1.2.0",
// "from:1.2.0" and "like:1.2.0", which is up to the next major. Prereleases are admitted only where
// there is nothing else: a rule about the whole list.
type knots struct{}

type knot struct {
	text, kind string
	v          *semver.Version
}

func (k knot) String() string { return k.text }
func (k knot) Bounded() bool  { return k.kind == "is" || k.kind == "like" }

func (k knot) Admit(l version.List) version.Set {
	all, stable := version.NewSet(len(l)), version.NewSet(len(l))
	for i, v := range l {
		v := v.(*semver.Version)
		if k.kind == "any" || k.kind == "is" && v.Precedence(k.v) == 0 || k.kind != "is" && v.Precedence(k.v) >= 0 &&
			(k.kind == "from" || v.Major == k.v.Major) {
			all.Add(i)
			if !v.Prerelease() || k.kind == "is" {
				stable.Add(i)
			}
		}
	}
	if stable.Empty() {
		return all
	}
	return stable
}

func (knots) Parse(text string) (version.Version, error) {
	v, err := semver.Parse(text)
	if err != nil {
		return nil, err
	}
	return v, nil
}

func (s knots) Constrain(text string) (version.Constraint, error) {
	if text == "any" {
		return knot{text, "any", nil}, nil
	}
	kind, rest, _ := strings.Cut(text, ":")
	if kind != "is" && kind != "from" && kind != "like" {
		return nil, &version.Error{Kind: "constraint", Text: text, Reason: "expected any, is:, from: or like:"}
	}
	v, err := version.Complete(s, rest)
	if err != nil {
		return nil, err
	}
	return knot{text, kind, v.(*semver.Version)}, nil
}

func (s knots) Goal(text string) (version.Constraint, error) { return s.Constrain("like:" + text) }

func (knots) Jump(from, to version.Version) version.Jump {
	return semver.Jump(from.(*semver.Version), to.(*semver.Version))
}

func (knots) Major(v version.Version) string {
	return strconv.FormatUint(v.(*semver.Version).Major, 10)
}

func (knots) Next(v version.Version, j version.Jump) string {
	return semver.Next(v.(*semver.Version), j)
}
func (knots) Any() string { return "any" }

func (knots) AtLeast(v version.Version) string { return "from:" + v.String() }

func (s knots) Styled(style version.Style, v version.Version) string {
	switch style {
	case version.Any:
		return s.Any()
	case version.Exact:
		return "is:" + v.String()
	}
	return "like:" + v.String()
}

func (knots) StyleOf(constraint string) version.Style {
	kind, _, _ := strings.Cut(constraint, ":")
	return map[string]version.Style{"any": version.Any, "is": version.Exact, "like": version.NextMinor}[kind]
}

var _ ecosystem.Ecosystem = tackle{}
