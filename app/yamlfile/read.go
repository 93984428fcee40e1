// Package yamlfile reads YAML from outside with care, knows the position of everything in it, and edits it in place: the one package
// in which edits that keep a file's form live.
package yamlfile

import (
	"bytes"
	"errors"
	"fmt"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"

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
		return yamlError(file, err)
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
		return nil, yamlError(file, err)
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

func yamlError(file string, err error) error {
	p := &input.PositionError{File: file, Line: 1, Column: 1, Reason: strings.SplitN(err.Error(), "\n", 2)[0]}
	var at yaml.Error
	if errors.As(err, &at) {
		p.Reason = at.GetMessage()
		if t := at.GetToken(); t != nil {
			p.Line, p.Column = t.Position.Line, t.Position.Column
		}
	}
	return p
}
