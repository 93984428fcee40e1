package yamlfile

import (
	"errors"
	"fmt"

	"github.com/goccy/go-yaml/ast"

	"molt/input"
)

// A Place finds positions in the syntax tree of a YAML text.
type Place struct {
	File string
	Tree *ast.File
}

// At returns an error about the value at a path of keys and indices, or about its key when asked
// for that. Where the path ends early it is about the last part that is there.
func (y Place) At(key bool, reason string, path ...any) error {
	p := &input.PositionError{File: y.File, Line: 1, Column: 1, Reason: reason}
	point := func(n ast.Node) {
		if n != nil && n.GetToken() != nil {
			p.Line, p.Column = n.GetToken().Position.Line, n.GetToken().Position.Column
		}
	}
	for _, doc := range y.Tree.Docs {
		node := doc.Body
		for i, part := range path {
			next := ast.Node(nil)
			switch part := part.(type) {
			case string:
				for _, pair := range pairsOf(node) {
					if pair.Key.GetToken().Value == part {
						point(pair.Key)
						next = pair.Value
					}
				}
			case int:
				if list, ok := node.(*ast.SequenceNode); ok && part < len(list.Values) {
					next = list.Values[part]
					if pairs := pairsOf(next); len(pairs) > 0 {
						point(pairs[0].Key)
					} else {
						point(next)
					}
				}
			}
			if node = next; node == nil {
				break
			}
			if i == len(path)-1 && !key {
				if _, scalar := node.(ast.ScalarNode); scalar {
					point(node)
				}
			}
		}
	}
	return p
}

func pairsOf(n ast.Node) []*ast.MappingValueNode {
	switch m := n.(type) {
	case *ast.MappingNode:
		return m.Values
	case *ast.MappingValueNode:
		return []*ast.MappingValueNode{m}
	case *ast.AnchorNode:
		return pairsOf(m.Value)
	}
	return nil
}

// Value returns the value of a key at the top, nil where there is none.
func (y Place) Value(key string) ast.Node {
	if y.Tree == nil {
		return nil
	}
	for _, doc := range y.Tree.Docs {
		for _, pair := range pairsOf(doc.Body) {
			if pair.Key.GetToken().Value == key {
				return pair.Value
			}
		}
	}
	return nil
}

// Line says where the value at a path stands, as FILE:LINE; "" where there is none.
func (y Place) Line(path ...any) string {
	if first, ok := path[0].(string); !ok || y.Value(first) == nil {
		return ""
	}
	var at *input.PositionError
	if !errors.As(y.At(true, "", path...), &at) {
		return ""
	}
	return fmt.Sprintf("%s:%d", at.File, at.Line)
}
