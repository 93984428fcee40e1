// Package yamlfile reads YAML from outside with care, knows the position of everything in it, and
// edits it in place: the one package in which edits that keep a file's form live.
package yamlfile

import (
	"bytes"
	"errors"
	"fmt"
	"reflect"
	"regexp"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"

	"molt/core/project"
	"molt/input"
)

// Read reads a text strictly, or without minding unknown keys. The library ends in a panic on some texts that make no
// sense; that is an error like another.
func Read(file string, data []byte, into any, options ...yaml.DecodeOption) (err error) {
	defer func() {
		if recover() != nil {
			err = &input.PositionError{File: file, Line: 1, Column: 1, Reason: "this cannot be read as YAML"}
		}
	}()
	if _, err := Parse(file, data, 0); err != nil {
		return err
	}
	if err := yaml.UnmarshalWithOptions(data, into, options...); err != nil {
		return yamlError(file, err, keysOf(reflect.TypeOf(into), map[reflect.Type]bool{}))
	}
	return nil
}

// Parse reads the syntax tree of a text, with the same care.
func Parse(file string, data []byte, mode parser.Mode) (tree *ast.File, err error) {
	defer func() {
		if recover() != nil {
			err = &input.PositionError{File: file, Line: 1, Column: 1, Reason: "this cannot be read as YAML"}
		}
	}()
	if err := input.YAMLDepth(file, data); err != nil {
		return nil, err
	}
	if tree, err = parser.ParseBytes(data, mode); err != nil {
		return nil, yamlError(file, err, nil)
	}
	if !bytes.ContainsRune(data, '*') {
		return tree, nil
	}
	anchors := map[string]int{}
	for _, doc := range tree.Docs {
		if expanded(doc.Body, anchors) > input.Expanded {
			return nil, &input.LimitError{Name: file, Limit: fmt.Sprintf("YAML may expand to at most %d values", input.Expanded)}
		}
	}
	return tree, nil
}

// expanded counts the values of a YAML text with every alias replaced by what it refers to, up to a little more than
// input.Expanded.
func expanded(n ast.Node, anchors map[string]int) int {
	total := 1
	add := func(n ast.Node) {
		if total <= input.Expanded {
			total += expanded(n, anchors)
		}
	}
	switch x := n.(type) {
	case *ast.MappingNode:
		for _, pair := range x.Values {
			add(pair)
		}
	case *ast.MappingValueNode:
		add(x.Value)
	case *ast.SequenceNode:
		for _, value := range x.Values {
			add(value)
		}
	case *ast.TagNode:
		add(x.Value)
	case *ast.AnchorNode:
		add(x.Value)
		anchors[x.Name.String()] = total
	case *ast.AliasNode:
		total += anchors[x.Value.String()]
	}
	return total
}

// What the library calls things, and how people do.
var (
	mistyped  = regexp.MustCompile(`^cannot unmarshal (\S+)(?: .*?)? into Go (?:struct field \S+|value) of type (\S+)`)
	misshaped = regexp.MustCompile(`^(\w+) was used where (\w+) is expected`)
	unknown   = regexp.MustCompile(`^unknown field "(.*)"`)
	mistabbed = regexp.MustCompile(`^(?:found a tab character|tab character)`)
	shapes    = map[string]string{
		"sequence": "a list", "mapping": "keys with values", "string": "a text", "scalar": "a text", "null": "nothing"}
)

// kindOf names a type of the library's or of Go's.
func kindOf(text string) string {
	switch {
	case shapes[text] != "":
		return shapes[text]
	case strings.HasPrefix(text, "[]"):
		return "a list"
	case strings.HasPrefix(text, "map"):
		return "keys with values"
	case strings.HasPrefix(text, "int"), strings.HasPrefix(text, "uint"), strings.HasPrefix(text, "float"):
		return "a number"
	case strings.HasPrefix(text, "bool"):
		return "true or false"
	}
	return "another form"
}

// inWords puts what the library says into words. Keys are those that the text may have.
func inWords(says string, keys []string) string {
	if m := mistyped.FindStringSubmatch(says); m != nil {
		return fmt.Sprintf("expected %s, found %s", kindOf(m[2]), kindOf(m[1]))
	}
	if m := misshaped.FindStringSubmatch(says); m != nil {
		return fmt.Sprintf("expected %s, found %s", kindOf(m[2]), kindOf(m[1]))
	}
	if m := unknown.FindStringSubmatch(says); m != nil {
		says = fmt.Sprintf("unknown key %q", m[1])
		if near := project.Nearest(m[1], keys); near != "" {
			says += fmt.Sprintf("; did you mean %q?", near)
		}
		return says
	}
	if mistabbed.MatchString(says) {
		return "a tab: YAML is indented with spaces"
	}
	return says
}

// keysOf lists the keys that a value of a type may have, at any depth.
func keysOf(t reflect.Type, seen map[reflect.Type]bool) (all []string) {
	for t != nil && (t.Kind() == reflect.Pointer || t.Kind() == reflect.Slice || t.Kind() == reflect.Map) {
		t = t.Elem()
	}
	if t == nil || t.Kind() != reflect.Struct || seen[t] {
		return nil
	}
	seen[t] = true
	for i := range t.NumField() {
		f := t.Field(i)
		if name, _, _ := strings.Cut(f.Tag.Get("yaml"), ","); name != "" && name != "-" {
			all = append(append(all, name), keysOf(f.Type, seen)...)
		}
	}
	return all
}

func yamlError(file string, err error, keys []string) error {
	p := &input.PositionError{File: file, Line: 1, Column: 1, Reason: strings.SplitN(err.Error(), "\n", 2)[0]}
	var at yaml.Error
	var own *input.PositionError
	if errors.As(err, &own) { // of a value that reads itself; see Wrong
		return &input.PositionError{File: file, Line: own.Line, Column: own.Column, Reason: own.Reason}
	}
	if errors.As(err, &at) {
		p.Reason = at.GetMessage()
		if t := at.GetToken(); t != nil {
			p.Line, p.Column = t.Position.Line, t.Position.Column
		}
	}
	p.Reason = inWords(p.Reason, keys)
	return p
}

// Wrong is the error of a value that reads itself, at a node of it.
func Wrong(node ast.Node, reason string, args ...any) error {
	at := node.GetToken().Position
	return &input.PositionError{Line: at.Line, Column: at.Column, Reason: fmt.Sprintf(reason, args...)}
}
