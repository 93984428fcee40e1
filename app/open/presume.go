package open

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"molt/app/config"
	"molt/core/project"
	"molt/ecosystem"
)

// Presume decides what is taken to be deployed of the language's runtime where the configuration does not say: what a version file names, else the
// least major that the manifest requires, else what this machine has. It is for judging goals: no lock depends on it, as that
// would make locks differ between machines.
func (a *App) Presume(ctx context.Context) {
	a.Presumed, a.Grounds = project.Runtimes{}, map[string]string{}
	for _, r := range ecosystem.Runtimes(a.Eco) {
		if _, said := a.Config.Runtime[r.Name]; said || len(r.Ask) == 0 {
			continue
		}
		if version, ground := a.PresumedOf(ctx, r); version != "" {
			a.Presumed[r.Name] = project.Everywhere(version)
			a.Grounds[r.Name] = ground
		}
	}
}

// PresumedOf returns the version of a runtime that is taken to be deployed, with the ground; "" where nothing tells.
func (a *App) PresumedOf(ctx context.Context, r ecosystem.Runtime) (version, ground string) {
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

// Presumptions says what is taken to be deployed though the configuration does not say so, a sentence for each runtime.
func (a *App) Presumptions() []string {
	var all []string
	for _, name := range slices.Sorted(maps.Keys(a.Presumed)) {
		all = append(all, fmt.Sprintf("%s %s is taken to be deployed, as %s; \"runtime:\" in %s says what is", name, a.Presumed[name], a.Grounds[name], config.File))
	}
	return all
}
