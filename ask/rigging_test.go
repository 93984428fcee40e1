package ask_test

import (
	"bytes"
	"context"
	"encoding/xml"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"molt/app/open"
	"molt/ask"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
	"molt/ecosystem"
	"molt/ecosystem/registered"
	"molt/input"
	"molt/registry"
)

// rigging is an ecosystem that has what every one has and no more, with a strategy of its own: its manifest is XML, in
// which a constraint may stand in a property that several parts name, and its resolvers take the lowest release.
type rigging struct{ packages universe.Table }

func (rigging) Name() string             { return "rigging" }
func (rigging) Scheme() version.Scheme   { return knots{} }
func (rigging) Strategy() solve.Strategy { return solve.Strategy{Single: true, Takes: solve.Lowest} }
func (rigging) Manifest() string         { return "rigging.xml" }

func (rigging) Detect(dir fs.FS) ([]string, error) {
	if _, err := fs.Stat(dir, "rigging.xml"); err != nil {
		return nil, nil
	}
	return []string{"rigging.xml"}, nil
}

func (r rigging) Protocols() []ecosystem.Protocol {
	return []ecosystem.Protocol{{Name: "rack", Open: func(context.Context, *registry.Registries, ecosystem.Detail) ecosystem.Source {
		return chest{r.packages}
	}}}
}

// rope is a manifest of rigging.
type rope struct {
	file string
	data []byte
	all  []spliced
}

// spliced is an entry, with where its constraint stands.
type spliced struct {
	ecosystem.Entry
	from, to int
}

func (rigging) ReadManifest(file string, data []byte) (ecosystem.Manifest, error) {
	m := &rope{file: file, data: data}
	return m, m.read()
}

// read finds <set NAME="CONSTRAINT"/> properties and <part name="NAME" at="CONSTRAINT or $property"/> entries.
func (m *rope) read() error {
	m.all = nil
	properties := map[string]spliced{}
	d := xml.NewDecoder(bytes.NewReader(m.data))
	for {
		token, err := d.Token()
		if err != nil {
			if err.Error() == "EOF" {
				return nil
			}
			line, column := d.InputPos()
			return &input.PositionError{File: m.file, Line: line, Column: column, Reason: err.Error()}
		}
		element, is := token.(xml.StartElement)
		if !is || element.Name.Local == "rigging" {
			continue
		}
		end := int(d.InputOffset())
		e := spliced{}
		for _, a := range element.Attr {
			from := strings.LastIndex(string(m.data[:end]), `"`+a.Value+`"`) + 1
			switch {
			case element.Name.Local == "set":
				e.Text, e.from, e.to = a.Value, from, from+len(a.Value)
				properties[a.Name.Local] = e
			case a.Name.Local == "name":
				e.As, e.Package = a.Value, a.Value
			default:
				e.Text, e.from, e.to = a.Value, from, from+len(a.Value)
			}
		}
		if element.Name.Local == "part" {
			if name, refers := strings.CutPrefix(e.Text, "$"); refers {
				at := properties[name]
				e.Text, e.from, e.to = at.Text, at.from, at.to
				e.Place = ecosystem.ConstraintPlace{Group: "set", Name: name}
			}
			e.Group, e.Written = "parts", e.Text
			e.Line = 1 + bytes.Count(m.data[:e.from], []byte("\n"))
			e.Column = e.from - bytes.LastIndexByte(m.data[:e.from], '\n')
			m.all = append(m.all, e)
		}
	}
}

func (m *rope) Entries() (all []ecosystem.Entry) {
	for _, e := range m.all {
		all = append(all, e.Entry)
	}
	return all
}

func (m *rope) Set(at ecosystem.ConstraintPlace, constraint string) error {
	for _, e := range m.all {
		if e.At() == at {
			m.data = append(append(bytes.Clone(m.data[:e.from]), constraint...), m.data[e.to:]...)
			return m.read()
		}
	}
	return fmt.Errorf("%s has no %s", m.file, at.Name)
}

func (m *rope) Remove(_, name string) error { return fmt.Errorf("%s: %s stays", m.file, name) }
func (m *rope) Add(_, name, constraint string) error {
	m.data = bytes.Replace(m.data, []byte("</rigging>"),
		fmt.Appendf(nil, "  <part name=%q at=%q/>\n</rigging>", name, constraint), 1)
	return m.read()
}
func (m *rope) Groups() []string { return []string{"parts"} }
func (m *rope) Bytes() []byte    { return m.data }

// An ecosystem with an XML manifest, properties and resolvers that take the lowest release is one type, and nothing
// elsewhere knows of it: what it does not say has a default, its lock included.
func TestOwnStrategy(t *testing.T) {
	packages, err := universe.Sketch(knots{}, `
		boom@1.0: block@from:1.1
		boom@1.1: block@from:1.2
		boom@2.0: block@from:2
		gaff@1.0: block@from:1
		gaff@2.0: block@from:1.3
		block@1.0
		block@1.1
		block@1.2
		block@1.3
		block@2.0`)
	if err != nil {
		t.Fatal(err)
	}
	old := registered.Ecosystems
	registered.Ecosystems = append([]ecosystem.Ecosystem{rigging{packages}}, old...)
	defer func() { registered.Ecosystems = old }()
	dir, state := t.TempDir(), t.TempDir()
	manifest := filepath.Join(dir, "rigging.xml")
	before := "<rigging>\n  <set spars=\"like:1.0.0\"/>\n  <part name=\"boom\" at=\"$spars\"/>\n  <part name=\"gaff\" " +
		"at=\"$spars\"/>\n</rigging>\n"
	if err := os.WriteFile(manifest, []byte(before), 0o644); err != nil {
		t.Fatal(err)
	}
	set := ask.Settings{Settings: open.Settings{Dir: dir, Jobs: 1, Env: func(name string) string {
		return map[string]string{"MOLT_REGISTRY_RIGGING": "http://127.0.0.1:1", "MOLT_STATE": state}[name]
	}}, Say: func(format string, args ...any) { t.Logf(format, args...) }}
	in := func(do func(ctx context.Context, s *ask.Session) error) {
		t.Helper()
		s, err := ask.Open(t.Context(), set, ask.Needs{Write: true, Declared: true})
		if err != nil {
			t.Fatal(err)
		}
		defer s.Close()
		if err := do(t.Context(), s); err != nil {
			t.Fatal(err)
		}
	}
	releases := func() string {
		data, err := os.ReadFile(filepath.Join(dir, ecosystem.MoltLock))
		if err != nil {
			t.Fatal(err)
		}
		l, err := ecosystem.DecodeMoltLock(ecosystem.MoltLock, data)
		if err != nil {
			t.Fatal(err)
		}
		var all []string
		for _, p := range l.Packages {
			all = append(all, p.PURL)
		}
		return strings.Join(all, " ")
	}
	in(func(ctx context.Context, s *ask.Session) error {
		_, err := s.Relock(ctx, false, nil)
		return err
	})
	if want := "pkg:generic/block@1.1.0 pkg:generic/boom@1.0.0 pkg:generic/gaff@1.0.0"; releases() != want {
		t.Errorf("locked %s, want %s", releases(), want)
	}
	in(func(ctx context.Context, s *ask.Session) error {
		p, err := s.Want(ctx, []string{"boom@like:2.0.0"}, "", "", "", false)
		if err == nil {
			err = p.Write(ctx)
		}
		return err
	})
	if want := "pkg:generic/block@2.0.0 pkg:generic/boom@2.0.0 pkg:generic/gaff@2.0.0"; releases() != want {
		t.Errorf("locked %s, want %s", releases(), want)
	}
	after, err := os.ReadFile(manifest)
	if want := strings.Replace(before, "like:1.0.0", "like:2.0.0", 1); err != nil || string(after) != want {
		t.Errorf("the manifest is %s, want %s (%v)", after, want, err)
	}
}
