package open

import (
	"fmt"
	"maps"
	"os"
	"slices"
	"strings"

	"molt/core/project"
	"molt/core/universe"
	"molt/core/version"
	"molt/ecosystem"
	"molt/input"
)

// Environments lists where the application runs, as far as its ecosystem has conditions about that:
// each that the configuration names, or one. Where that does not say which runtime is there, a
// version file says it, or it is the least that the manifest requires. A lock depends on them, so
// this machine has no say.
func (a *View) Environments() []ecosystem.Environment {
	if _, ok := a.Eco.(ecosystem.Conditional); !ok {
		return nil
	}
	names := map[string]bool{}
	for _, d := range a.Config.Runtime {
		for environment := range d {
			names[environment] = true
		}
	}
	for environment := range a.Config.Platform {
		names[environment] = true
	}
	if len(names) > 1 { // what is said of all is no environment of its own
		delete(names, "")
	}
	if len(names) == 0 {
		names[""] = true
	}
	var all []ecosystem.Environment
	for _, name := range slices.Sorted(maps.Keys(names)) {
		e := ecosystem.Environment{Name: name, Runtimes: map[string]string{}, Platform: firstOf(a.Config.Platform, name, "")}
		for _, r := range ecosystem.Runtimes(a.Eco) {
			if v := firstOf(a.Config.Runtime[r.Name], name, ""); v != "" {
				e.Runtimes[r.Name] = v
			} else if v := requiredOf(a, r); v != "" {
				e.Runtimes[r.Name] = v
			}
		}
		all = append(all, e)
	}
	return all
}

// environmentsAt returns the environments with other versions of runtimes, as far as these say some.
func environmentsAt(a *View, runtimes project.Runtimes) []ecosystem.Environment {
	all := a.Environments()
	for i := range all {
		own := maps.Clone(all[i].Runtimes)
		for name, d := range runtimes {
			v := d[all[i].Name]
			if v == "" {
				v = d[""]
			}
			if v != "" {
				own[name] = v
			}
		}
		all[i].Runtimes = own
	}
	return all
}

// firstOf returns the value of the first key that has one.
func firstOf(all map[string]string, keys ...string) string {
	for _, key := range keys {
		if v := all[key]; v != "" {
			return v
		}
	}
	return ""
}

// requiredOf returns the version of a runtime that files of the application name: a version file,
// else the least that a manifest requires; "" for none.
func requiredOf(a *View, r ecosystem.Runtime) string {
	for _, pin := range a.Pins() {
		if pin.Name == r.Name {
			return pin.Version
		}
	}
	for _, q := range a.Manifest.Runtimes() {
		if q.Name == r.Name {
			if least := r.Least(q.Text); least >= 0 {
				return r.Known[least].String()
			}
		}
	}
	return ""
}

// deployed is what people say is deployed. In an ecosystem with conditions it is what the
// environments have, since resolutions are made for them.
func deployed(a *View) project.Runtimes {
	environments := a.Environments()
	if environments == nil {
		own := project.Runtimes{}
		for name, d := range a.Config.Runtime {
			if !elsewhere(a, name) {
				own[name] = d
			}
		}
		return own
	}
	all := project.Runtimes{}
	for _, e := range environments {
		for runtime, v := range e.Runtimes {
			if all[runtime] == nil {
				all[runtime] = project.Deployed{}
			}
			all[runtime][e.Name] = v
		}
	}
	return all
}

// checkPlatforms makes sure that the platforms of the configuration are known.
func checkPlatforms(a *View) error {
	c, ok := a.Eco.(ecosystem.Conditional)
	for _, environment := range slices.Sorted(maps.Keys(a.Config.Platform)) {
		path := []any{"platform", environment}
		if environment == "" {
			path = path[:1]
		}
		platform := a.Config.Platform[environment]
		switch {
		case !ok && slices.ContainsFunc(
			a.OtherSides(), func(s Side) bool { _, ok := s.Ecosystem.(ecosystem.Conditional); return ok }):
		case !ok:
			return a.Config.Place.At(true,
				fmt.Sprintf("platform: packages of %s have no conditions about platforms that Molt resolves for", a.Eco.Name()),
				path...)
		case !slices.Contains(c.Platforms(), platform):
			return a.Config.Place.At(false,
				fmt.Sprintf("%q: unknown platform; known: %s", platform, strings.Join(c.Platforms(), ", ")), path...)
		}
	}
	return nil
}

// knownRuntime is an error for a runtime that no ecosystem here knows and that nothing requires.
func knownRuntime(a *View, name, environment string) error {
	var known []string
	for _, e := range a.Ecosystems() {
		for _, r := range ecosystem.Runtimes(e) {
			known = append(known, r.Name)
		}
	}
	if texts, err := a.ManifestTexts(); err == nil {
		if m, err := ecosystem.ReadManifests(a.Eco, texts); err == nil {
			for _, q := range m.Runtimes() {
				known = append(known, q.Name)
			}
		}
	}
	if slices.Contains(known, name) {
		return nil
	}
	path := []any{"runtime", environment, name}
	if environment == "" {
		path = path[:1:1]
		path = append(path, name)
	}
	return a.Config.Place.At(true, project.NotAmong(fmt.Sprintf("%q: no such runtime is known here", name), name, known),
		path...)
}

// readLimits reads the files of constraints that the manifests name.
func readLimits(a *View) error {
	a.limits = nil
	l, ok := a.Eco.(ecosystem.Limiter)
	if !ok {
		return nil
	}
	environments := a.Environments()
	for _, name := range a.Manifest.LimitFiles() {
		data, err := a.Files.Read(name, input.Manifest)
		if err != nil {
			return err
		}
		all, err := l.Limits(name, data)
		if err != nil {
			return err
		}
		for _, d := range all {
			if c, ok := a.Eco.(ecosystem.Conditional); !ok || c.Holds(d.When, environments) {
				a.limits = append(a.limits, limit{name, d})
			}
		}
	}
	return nil
}

// limited shows the releases that the files of constraints allow.
func limited(a *View, source universe.Source) universe.Source {
	for _, l := range a.limits {
		c, err := a.Eco.Scheme().Constrain(l.Text)
		if err != nil {
			continue // it was read
		}
		source = universe.FilterFor(source, fmt.Sprintf("are not allowed by %s (%s)", l.file, l.Text),
			func(name string, r *universe.Release) bool {
				return universe.Plain(name) != l.Package || version.Admits(c, r.Version)
			})
	}
	return source
}

// reinstated has what is locked stay admitted though it was withdrawn since.
func reinstated(a *View, source universe.Source) universe.Source {
	if a.Lock == nil {
		return source
	}
	locked := a.Lock.Resolution().Versions()
	return universe.Changed(source, func(p *universe.Package) (*universe.Package, error) {
		return p.Reinstated(locked[p.Name]), nil
	})
}

// Pins lists the versions of runtimes and tools that files of the application name; what cannot be read names none.
func (a *View) Pins() []project.Pin {
	return ecosystem.Pins(a.Eco, os.DirFS(a.Dir), a.Manifest)
}

// divided lists the environments with every choice of groups that are alternatives.
func divided(a *View) []ecosystem.Environment {
	return ecosystem.Divided(a.Environments(), a.Alternatives)
}
