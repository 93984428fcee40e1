package yamlfile

import (
	"encoding/json"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"
	"github.com/goccy/go-yaml/token"

	"molt/input"
)

// A Text is a YAML text with its syntax tree laid over it. Edits change the lines concerned and
// leave everything else, comments and form included. Paths are written as YAMLPath does:
// "$.stages[2].id". A form that an edit does not know is a *FormError.
type Text struct {
	File  string
	Lines []string // with their ends
	Tree  *ast.File
}

// A FormError reports a text that says the same as another, which could be edited.
type FormError struct{ input.PositionError }

// Open reads a text for editing.
func Open(file string, data []byte) (*Text, error) {
	t := &Text{File: file, Lines: slices.Collect(strings.Lines(string(data)))}
	return t, t.Reread()
}

// Reread reads the lines again, after somebody changed them.
func (t *Text) Reread() error {
	tree, err := Parse(t.File, t.Bytes(), parser.ParseComments)
	if err == nil {
		t.Tree = tree
	}
	return err
}

// Node returns what stands at a path, or nil.
func (t *Text) Node(path string) ast.Node {
	p, err := yaml.PathString(path)
	if err != nil {
		return nil
	}
	n, err := p.FilterFile(t.Tree)
	if err != nil {
		return nil
	}
	return n
}

// Sequence returns the list at a path, or nil.
func (t *Text) Sequence(path string) *ast.SequenceNode {
	s, _ := t.Node(path).(*ast.SequenceNode)
	return s
}

// First returns the index of the line on which a node begins.
func (t *Text) First(n ast.Node) int { return t.Key(n).Line - 1 }

// Key returns the position of a mapping's first key, or where anything else begins.
func (t *Text) Key(n ast.Node) *token.Position {
	if m, ok := n.(*ast.MappingNode); ok && len(m.Values) > 0 {
		return m.Values[0].Key.GetToken().Position
	}
	if m, ok := n.(*ast.MappingValueNode); ok {
		return m.Key.GetToken().Position
	}
	return n.GetToken().Position
}

// End returns the index of the line after a key of the document and all below it.
func (t *Text) End(path string) int {
	n := t.Node(path)
	if n == nil {
		return len(t.Lines)
	}
	for i := t.First(n); i < len(t.Lines); i++ {
		if line := t.Lines[i]; line[0] != ' ' && line[0] != '-' && line[0] != '#' && strings.TrimSpace(line) != "" {
			return i
		}
	}
	return len(t.Lines)
}

// SequenceEnd returns the index of the line after a list inside a stage: the first that is indented
// less than its items. Sequence returns the list at a path, or nil.
func (t *Text) SequenceEnd(list *ast.SequenceNode, limit int) int {
	if list == nil || len(list.Values) == 0 {
		return limit
	}
	at := t.First(list.Values[0])
	dash := indentOf(t.Lines[at])
	for i := at + 1; i < limit; i++ {
		line := t.Lines[i]
		text := strings.TrimSpace(line)
		if text != "" && text[0] != '#' && (indentOf(line) < dash || indentOf(line) == dash && text[0] != '-') {
			return i
		}
	}
	return limit
}

func indentOf(line string) int { return len(line) - len(strings.TrimLeft(line, " ")) }

// ErrorAt points at what stands at a path, or at the nearest thing above it.
func (t *Text) ErrorAt(path, reason string) error {
	p := &input.PositionError{File: t.File, Line: 1, Column: 1, Reason: reason}
	for path != "$" {
		if n := t.Node(path); n != nil {
			at := t.Key(n)
			p.Line, p.Column = at.Line, at.Column
			return p
		}
		cut := max(strings.LastIndexByte(path, '.'), strings.LastIndexByte(path, '['))
		path = path[:cut]
	}
	return p
}

// Set gives a key of a mapping a value that needs no quotes; the key is added after another where it is missing. The
// mapping may have a line for each key, or all of them between braces.
func (t *Text) Set(mapping, key, value, after string) error {
	if n := t.Node(mapping + "." + key); n != nil {
		line, from, to, ok := t.span(n)
		if !ok {
			return t.ErrorAt(mapping+"."+key, fmt.Sprintf("expected \"%s: VALUE\" on one line", key))
		}
		if from == to {
			value = " " + value
		}
		t.Lines[line] = t.Lines[line][:from] + value + t.Lines[line][to:]
		return t.Reread()
	}
	n := t.Node(mapping + "." + after)
	if n == nil {
		return t.ErrorAt(mapping, fmt.Sprintf("expected %q here", after))
	}
	line, _, to, ok := t.span(n)
	if !ok {
		return t.ErrorAt(mapping+"."+after, fmt.Sprintf("expected \"%s: VALUE\" on one line", after))
	}
	whole := t.Node(mapping)
	if m, is := whole.(*ast.MappingNode); is && m.IsFlowStyle {
		t.Lines[line] = t.Lines[line][:to] + ", " + key + ": " + value + t.Lines[line][to:]
		return t.Reread()
	}
	indent := strings.Repeat(" ", t.Key(whole).Column-1)
	t.Lines = slices.Insert(t.Lines, line+1, indent+key+": "+value+"\n")
	return t.Reread()
}

// span returns where a scalar stands: the index of its line, and from which byte of the line to before which. It is not
// ok for what goes over several lines.
func (t *Text) span(n ast.Node) (line, from, to int, ok bool) {
	tk := n.GetToken()
	line = tk.Position.Line - 1
	text := t.Lines[line]
	characters := []rune(strings.TrimRight(text, "\r\n"))
	from = len(string(characters[:min(tk.Position.Column-1, len(characters))]))
	if _, null := n.(*ast.NullNode); null && !strings.HasPrefix(text[from:], "null") {
		// nothing is written, perhaps not even a colon
		return line, from, from, strings.HasSuffix(strings.TrimRight(text[:from], " \t"), ":")
	}
	written := strings.TrimSpace(tk.Origin)
	return line, from, from + len(written), strings.HasPrefix(text[from:], written) && !strings.HasPrefix(written, "|") &&
		!strings.HasPrefix(written, ">")
}

// Bytes returns the text.
func (t *Text) Bytes() []byte { return []byte(strings.Join(t.Lines, "")) }

// Append puts an item at the front of a list of plain values at the top of the document, or at the
// end of one in brackets. Where the key is missing, or has no value, it is added at the end.
func (t *Text) Append(key, item string) error {
	written := String(item)
	n := t.Node("$." + key)
	list, isList := n.(*ast.SequenceNode)
	switch {
	case n == nil || isNull(n):
		return t.fresh(key, n, "["+written+"]", nil)
	case !isList:
		return t.form(n, "expected a list")
	case list.IsFlowStyle:
		end := list.End.Position
		if end.Line != list.Start.Position.Line {
			return t.form(n, "a list over several lines")
		}
		line := t.Lines[end.Line-1]
		at := byteOf(line, end.Column)
		if len(list.Values) > 0 {
			written = ", " + written
		}
		before := strings.TrimRight(line[:at], " \t")
		t.Lines[end.Line-1] = before + written + line[at:]
	default:
		first := list.Start.Position.Line - 1
		indent := t.Lines[first][:indentOf(t.Lines[first])]
		t.Lines = slices.Insert(t.Lines, first, indent+"- "+written+"\n")
	}
	return t.Reread()
}

// Put puts an entry before the first of a mapping at the top of the document. The value is given as
// YAML of one line. Where the key is missing, or has no value, it is added at the end.
func (t *Text) Put(key, name, value string) error {
	entry := String(name) + ": " + value
	n := t.Node("$." + key)
	mapping, isMapping := n.(*ast.MappingNode)
	switch {
	case n == nil || isNull(n) || isMapping && len(mapping.Values) == 0:
		return t.fresh(key, n, "", []string{"  " + entry + "\n"})
	case !isMapping:
		return t.form(n, "expected a mapping")
	case mapping.IsFlowStyle:
		start := mapping.Start.Position
		line := t.Lines[start.Line-1]
		at := byteOf(line, start.Column) + 1
		t.Lines[start.Line-1] = line[:at] + entry + ", " + line[at:]
	default:
		first := t.First(n)
		t.Lines = slices.Insert(t.Lines, first, t.Lines[first][:indentOf(t.Lines[first])]+entry+"\n")
	}
	return t.Reread()
}

// Cut takes an entry out of a mapping at the top of the document, with its lines. It does nothing
// where the entry is missing.
func (t *Text) Cut(key, name string) error {
	n := t.Node("$." + key)
	mapping, isMapping := n.(*ast.MappingNode)
	if !isMapping {
		return nil
	}
	at := slices.IndexFunc(mapping.Values, func(pair *ast.MappingValueNode) bool {
		return pair.Key.GetToken().Value == name
	})
	switch {
	case at < 0:
		return nil
	case mapping.IsFlowStyle:
		return t.form(n, "a mapping in braces")
	}
	from := mapping.Values[at].Key.GetToken().Position.Line - 1
	to := t.End("$." + key)
	if at+1 < len(mapping.Values) {
		to = mapping.Values[at+1].Key.GetToken().Position.Line - 1
		for to > from+1 && strings.HasPrefix(strings.TrimSpace(t.Lines[to-1]), "#") { // the comment belongs to the next
			to--
		}
	} else {
		for to > from+1 && strings.TrimSpace(t.Lines[to-1]) == "" {
			to--
		}
	}
	t.Lines = slices.Delete(t.Lines, from, to)
	return t.Reread()
}

// fresh writes a key that is missing or has no value: with a value on its line, or lines below it.
func (t *Text) fresh(key string, n ast.Node, value string, below []string) error {
	head := strings.TrimSuffix(key+": "+value, " ")
	at := len(t.Lines)
	if n != nil {
		at = t.keyLine(key)
		if n.GetToken().Position.Line-1 != at && !isNull(n) {
			return t.form(n, "a value below its key")
		}
		if _, comment, found := strings.Cut(strings.TrimSuffix(t.Lines[at], "\n"), " #"); found {
			head += " #" + comment
		}
		t.Lines = slices.Delete(t.Lines, at, at+1)
	} else if at > 0 && !strings.HasSuffix(t.Lines[at-1], "\n") {
		t.Lines[at-1] += "\n"
	}
	t.Lines = slices.Insert(t.Lines, at, append([]string{head + "\n"}, below...)...)
	return t.Reread()
}

// keyLine returns the index of the line of a key at the top of the document.
func (t *Text) keyLine(key string) int {
	for _, doc := range t.Tree.Docs {
		for _, pair := range pairsOf(doc.Body) {
			if pair.Key.GetToken().Value == key {
				return pair.Key.GetToken().Position.Line - 1
			}
		}
	}
	return len(t.Lines)
}

func (t *Text) form(n ast.Node, reason string) error {
	at := t.Key(n)
	return &FormError{input.PositionError{File: t.File, Line: at.Line, Column: at.Column, Reason: reason}}
}

func isNull(n ast.Node) bool { return n.Type() == ast.NullType }

// byteOf returns the byte of a line at which a column begins, which counts characters from 1.
func byteOf(line string, column int) int {
	characters := []rune(line)
	return len(string(characters[:min(column-1, len(characters))]))
}

var plain = regexp.MustCompile(`^[A-Za-z][A-Za-z0-9_./-]*$`)

// String writes a string the way that YAML reads it back: JSON's way, where it is not a plain word.
func String(s string) string {
	if plain.MatchString(s) && s != "null" && s != "true" && s != "false" && s != "yes" && s != "no" {
		return s
	}
	data, _ := json.Marshal(s) // a string always has an encoding
	return string(data)
}
