package open

import (
	"context"
	"fmt"

	"molt/core/project"
	"molt/ecosystem"
)

// InferRuntimes decides what is taken to be deployed of the language's runtime where the configuration
// does not say: what a version file names, else the least major that the manifest requires, else
// what this machine has. It is for judging goals: no lock depends on it, as that would make locks
// differ between machines.
func InferRuntimes(ctx context.Context, a *View) (inferred project.Runtimes, from map[string]string) {
	inferred, from = project.Runtimes{}, map[string]string{}
	for _, r := range ecosystem.Runtimes(a.Eco) {
		if _, said := a.Config.Runtime[r.Name]; said || len(r.Ask) == 0 {
			continue
		}
		if version, ground := InferRuntime(ctx, a, r); version != "" {
			inferred[r.Name] = project.Everywhere(version)
			from[r.Name] = ground
		}
	}
	return inferred, from
}

// InferRuntime returns the version of a runtime that is taken to be deployed, with the ground; "" where nothing tells.
func InferRuntime(ctx context.Context, a *View, r ecosystem.Runtime) (version, ground string) {
	for _, pin := range a.Pins() {
		if pin.Name == r.Name {
			return pin.Version, pin.Where + " names it"
		}
	}
	for _, q := range a.Manifest.Runtimes() {
		if q.Name != r.Name {
			continue
		}
		if least := r.Least(q.Text); least >= 0 {
			return r.Deployable(r.Known[least]), fmt.Sprintf("%s requires %s", q.File, q.Text)
		}
	}
	if name, v := a.RuntimeHere(ctx); name == r.Name && v != "" {
		return v, "this machine has it"
	}
	return "", ""
}
