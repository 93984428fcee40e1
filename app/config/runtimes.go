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
	var whole map[string]any
	if err := yaml.Unmarshal(data, &whole); err != nil {
		return err
	}
	*r = Runtimes{}
	add := func(runtime, environment string, v any) error {
		switch v.(type) {
		case string, int, uint64, float64:
		default:
			return fmt.Errorf("runtime: %s: expected a version such as 20.11.1", runtime)
		}
		if (*r)[runtime] == nil {
			(*r)[runtime] = project.Deployed{}
		}
		(*r)[runtime][environment] = fmt.Sprint(v)
		return nil
	}
	for _, key := range slices.Sorted(maps.Keys(whole)) {
		inside, environment := whole[key].(map[string]any)
		if !environment {
			if err := add(key, "", whole[key]); err != nil {
				return err
			}
			continue
		}
		for runtime, v := range inside {
			if err := add(runtime, key, v); err != nil {
				return err
			}
		}
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
