package config

import (
	"fmt"
	"maps"
	"slices"

	"go.yaml.in/yaml/v3"

	"molt/core/project"
)

// Runtimes are what is deployed, as molt.yaml has it: a version for each runtime ("node: 20.11.1"), or such versions for
// each of several environments ("production: {node: 20.11.1}").
type Runtimes project.Runtimes

// UnmarshalYAML reads either form.
func (r *Runtimes) UnmarshalYAML(data []byte) error {
	var whole map[string]yaml.Node
	if err := yaml.Unmarshal(data, &whole); err != nil {
		return err
	}
	*r = Runtimes{}
	add := func(runtime, environment string, v yaml.Node) error {
		if v.Kind != yaml.ScalarNode || v.Tag != "!!str" && v.Tag != "!!int" && v.Tag != "!!float" {
			return fmt.Errorf("runtime: %s: expected a version such as 20.11.1", runtime)
		}
		if (*r)[runtime] == nil {
			(*r)[runtime] = project.Deployed{}
		}
		(*r)[runtime][environment] = v.Value // as it is written: the number 3.10 would be 3.1
		return nil
	}
	for _, key := range slices.Sorted(maps.Keys(whole)) {
		node := whole[key]
		if node.Kind != yaml.MappingNode {
			if err := add(key, "", node); err != nil {
				return err
			}
			continue
		}
		var inside map[string]yaml.Node
		if err := node.Decode(&inside); err != nil {
			return err
		}
		for runtime, v := range inside {
			if err := add(runtime, key, v); err != nil {
				return err
			}
		}
	}
	return nil
}

// Platforms are what is deployed on: one, or one for each of several environments ("production: linux-x86_64").
type Platforms map[string]string

// UnmarshalYAML reads either form.
func (p *Platforms) UnmarshalYAML(data []byte) error {
	var one string
	if err := yaml.Unmarshal(data, &one); err == nil {
		*p = Platforms{"": one}
		return nil
	}
	all := map[string]string{}
	if err := yaml.Unmarshal(data, &all); err != nil {
		return fmt.Errorf("platform: expected one, or one for each environment: %w", err)
	}
	*p = all
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
func (s *Stops) UnmarshalYAML(data []byte) error {
	var all map[string][]yaml.Node
	if err := yaml.Unmarshal(data, &all); err != nil {
		return fmt.Errorf("stops: expected lists of releases, such as marram: [4.2, 5.2]: %w", err)
	}
	*s = Stops{}
	for name, list := range all {
		for _, node := range list {
			if node.Kind != yaml.ScalarNode {
				return fmt.Errorf("stops: %s: expected releases such as 4.2", name)
			}
			(*s)[name] = append((*s)[name], node.Value)
		}
	}
	return nil
}
