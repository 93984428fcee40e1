package open

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"molt/core/project"
)

// canonicalNames gives the names that people wrote into the configuration the form that the
// ecosystem's names have. Two holds on one name in different spellings are an error, as are two
// waivers.
func canonicalNames(a *View) error {
	canonical := a.Canonical
	each := func(names []string) {
		for i := range names {
			names[i] = canonical(names[i])
		}
	}
	for _, name := range slices.Sorted(maps.Keys(a.Config.Hold)) {
		if c := canonical(name); c != name {
			if _, twice := a.Config.Hold[c]; twice {
				return a.Config.Place.At(true, fmt.Sprintf("%q: %s is held already, under another spelling", name, c), "hold", name)
			}
			a.Config.Hold[c] = a.Config.Hold[name]
			delete(a.Config.Hold, name)
			if a.spelled == nil {
				a.spelled = map[string]string{}
			}
			a.spelled[c] = name
		}
	}
	for _, key := range slices.Sorted(maps.Keys(a.Config.Waive)) {
		p, of, _ := strings.Cut(key, " on ") // it was checked
		if c := (project.Waiver{Package: canonical(p), Of: canonical(of)}).Key(); c != key {
			if _, twice := a.Config.Waive[c]; twice {
				return a.Config.Place.At(true, fmt.Sprintf("%q: %s is waived already, under another spelling", key, c), "waive",
					key)
			}
			a.Config.Waive[c] = a.Config.Waive[key]
			delete(a.Config.Waive, key)
		}
	}
	each(a.Config.Previews)
	each(a.Config.Trust)
	for _, name := range a.Config.Minors() {
		if c := canonical(name); c != name {
			a.Config.Breaking[c] = a.Config.Breaking[name]
			delete(a.Config.Breaking, name)
		}
	}
	for _, family := range a.Config.Family {
		each(family)
	}
	for _, task := range a.Config.Stages.Tasks {
		each(task.With)
	}
	goals := strings.Fields(a.Config.Goal)
	for i, text := range goals {
		goals[i] = a.ParseGoal(text).String()
	}
	a.Config.Goal = strings.Join(goals, " ")
	return nil
}

// AsSpelled returns names of held packages the way that the configuration spells them.
func (a *View) AsSpelled(names ...string) []string {
	all := slices.Clone(names)
	for i, name := range all {
		if spelled := a.spelled[name]; spelled != "" {
			all[i] = spelled
		}
	}
	return all
}

// ParseGoal reads a goal, with the name in its canonical form.
func (a *View) ParseGoal(text string) project.Goal {
	g := project.ParseGoal(text)
	g.Name = a.Canonical(g.Name)
	return g
}
