package config

import (
	"maps"
	"slices"

	"github.com/goccy/go-yaml/ast"

	"molt/app/yamlfile"
	"molt/core/project"
)

// Runtimes are what is deployed, as molt.yaml has it: a version for each runtime ("node: 20.11.1"),
// or such versions for each of several environments ("production: {node: 20.11.1}").
type Runtimes project.Runtimes

// UnmarshalYAML reads either form.
func (r *Runtimes) UnmarshalYAML(node ast.Node) error {
	*r = Runtimes{}
	add := func(runtime, environment string, v ast.Node) error {
		text, ok := written(v)
		if !ok {
			return yamlfile.Wrong(v, "runtime: %s: expected a version such as 20.11.1", runtime)
		}
		if (*r)[runtime] == nil {
			(*r)[runtime] = project.Deployed{}
		}
		(*r)[runtime][environment] = text
		return nil
	}
	whole, ok := node.(ast.MapNode)
	if !ok {
		return yamlfile.Wrong(node, "runtime: expected a version for each runtime, such as node: 20.11.1")
	}
	for all := whole.MapRange(); all.Next(); {
		name := all.Key().GetToken().Value
		inside, ok := all.Value().(ast.MapNode)
		if !ok {
			if err := add(name, "", all.Value()); err != nil {
				return err
			}
			continue
		}
		for versions := inside.MapRange(); versions.Next(); {
			if err := add(versions.Key().GetToken().Value, name, versions.Value()); err != nil {
				return err
			}
		}
	}
	return nil
}

// written returns a text or a number as it is written: the number 3.10 would be 3.1. It is false for anything else.
func written(node ast.Node) (string, bool) {
	switch node := node.(type) {
	case *ast.StringNode:
		return node.Value, true
	case *ast.IntegerNode, *ast.FloatNode:
		return node.GetToken().Value, true
	}
	return "", false
}

// Platforms are what is deployed on: one, or one for each of several environments ("production: linux-x86_64").
type Platforms map[string]string

// UnmarshalYAML reads either form.
func (p *Platforms) UnmarshalYAML(node ast.Node) error {
	*p = Platforms{}
	if one, ok := written(node); ok {
		(*p)[""] = one
		return nil
	}
	const expected = "platform: expected one, such as linux-x86_64, or one for each environment"
	whole, ok := node.(ast.MapNode)
	if !ok {
		return yamlfile.Wrong(node, expected)
	}
	for all := whole.MapRange(); all.Next(); {
		one, ok := written(all.Value())
		if !ok {
			return yamlfile.Wrong(all.Value(), expected)
		}
		(*p)[all.Key().GetToken().Value] = one
	}
	return nil
}

// A deployment is one version of a runtime in one environment.
type deployment struct{ Runtime, Environment, Version string }

// All lists the deployments, sorted.
func (r Runtimes) All() []deployment {
	var list []deployment
	for _, runtime := range slices.Sorted(maps.Keys(r)) {
		for _, environment := range slices.Sorted(maps.Keys(r[runtime])) {
			list = append(list, deployment{runtime, environment, r[runtime][environment]})
		}
	}
	return list
}

// Of lists the deployments of one runtime.
func (r Runtimes) Of(runtime string) []deployment {
	return slices.DeleteFunc(r.All(), func(d deployment) bool { return d.Runtime != runtime })
}

// Where says in which environment, as " in production"; "" when it has no name.
func (d deployment) Where() string {
	if d.Environment == "" {
		return ""
	}
	return " in " + d.Environment
}

// Stops are lists of releases by package, as they are written ("marram: [4.2, 5.2]").
type Stops map[string][]string

// UnmarshalYAML reads them.
func (s *Stops) UnmarshalYAML(node ast.Node) error {
	*s = Stops{}
	whole, ok := node.(ast.MapNode)
	if !ok {
		return yamlfile.Wrong(node, "stops: expected lists of releases, such as marram: [4.2, 5.2]")
	}
	for all := whole.MapRange(); all.Next(); {
		name := all.Key().GetToken().Value
		list, ok := all.Value().(ast.ArrayNode)
		if !ok {
			return yamlfile.Wrong(all.Value(), "stops: %s: expected a list of releases, such as [4.2, 5.2]", name)
		}
		for one := list.ArrayRange(); one.Next(); {
			text, ok := written(one.Value())
			if !ok {
				return yamlfile.Wrong(one.Value(), "stops: %s: expected releases such as 4.2", name)
			}
			(*s)[name] = append((*s)[name], text)
		}
	}
	return nil
}
