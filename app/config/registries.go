package config

import (
	"maps"
	"molt/app/yamlfile"
	"path"
	"slices"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
)

// Registries are the addresses under "registry:": one for all packages, or one for each of several
// scopes and patterns of names, and "default" for the rest.
type Registries struct {
	Default string
	Some    map[string]string // by scope or pattern
}

// defaultRegistry is the key of the address for all other packages.
const defaultRegistry = "default"

// UnmarshalYAML reads either form.
func (r *Registries) UnmarshalYAML(node ast.Node) error {
	*r = Registries{}
	if address, ok := written(node); ok {
		r.Default = address
		return nil
	}
	if err := yaml.NodeToValue(node, &r.Some); err != nil {
		return yamlfile.Wrong(node,
			"registry: expected an address, or addresses by scope: {default: https://…, \"@skerry\": https://…}")
	}
	r.Default = r.Some[defaultRegistry]
	delete(r.Some, defaultRegistry)
	return nil
}

// Keys lists the scopes and patterns that have an address of their own.
func (r Registries) Keys() []string { return slices.Sorted(maps.Keys(r.Some)) }

func (r Registries) valid(bad func(value, reason string, where ...any) error) error {
	for _, key := range r.Keys() {
		if _, err := path.Match(key, ""); err != nil || key == "" {
			return bad(key, "expected default, a scope such as @skerry, or names in which * stands for any letters but a slash",
				"registry", key)
		}
	}
	return nil
}
