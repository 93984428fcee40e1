package open

import (
	"context"
	"maps"
	"os/exec"
	"slices"
	"strings"

	"molt/core/plan"
	"molt/core/project"
	"molt/ecosystem"
)

// runtimes lists the runtimes that an ecosystem knows.
func runtimes(e ecosystem.Ecosystem) []project.Runtime {
	var all []project.Runtime
	for _, r := range ecosystem.Runtimes(e) {
		all = append(all, r.Runtime)
	}
	return all
}

// Framework names the package that the goal is about, "" where there is no goal.
func Framework(a *View) string {
	for _, name := range a.Frameworks() {
		return name
	}
	return ""
}

// Suits reports whether a version of a runtime meets what is required of it.
func Suits(a *View, runtime, requirement, version string) bool {
	return a.Runtime(runtime).Suits(requirement, version)
}

// Declared returns the manifest's declarations.
func (a *View) Declared() []project.Declared {
	return a.DeclaredIn(a.Manifest)
}

// DeclaredIn lists what manifests declare for some environment of the application.
func (a *View) DeclaredIn(m *ecosystem.Manifests) []project.Declared {
	return a.DeclaredFor(m, a.Environments())
}

// Stated states an entry of a manifest for the core.
func (a *View) Stated(e ecosystem.Entry) project.Declared {
	d := project.Declared{Demand: e.Demand, Group: e.Group, File: e.File, Apart: e.Apart, Own: e.Own,
		Absent: slices.Contains(a.absent, e.Package)}
	if p := a.archived[e.Text]; p != nil && e.Foreign {
		d.Package, d.Foreign = p[0].Name, false
	}
	if f, ok := a.Eco.(ecosystem.Forker); ok && len(a.Forks) > 0 {
		for i, one := range f.Forked(e.Demand, e.Group, a.Forks, divided(a)) {
			if i == 0 {
				d.Demand = one
				if e.As == e.Package { // alternatives may declare a package each, and have releases of their own
					d.As = one.Package
				}
			} else {
				d.Forks = append(d.Forks, one.Package)
			}
		}
	}
	return d
}

// Application gives the core what it has to know.
func (a *View) Application() project.Application {
	held, _ := a.Config.Held(a.Now())
	apart := apartNames(a)
	u := project.Application{Scheme: a.Eco.Scheme(), Strategy: a.Eco.Strategy(), Declared: a.Declared(),
		Runtimes: deployed(a), Trusted: apart(a.Config.Trust), Minors: apart(a.Config.Minors()),
		Stops: a.Config.Stops, Previews: a.Config.Previews, Known: runtimes(a.Eco), Kin: func(name string) project.Kin {
			return ecosystem.Kin(a.Eco)(project.OwnName(name))
		}, Held: apart(held), Reasons: a.Config.Reasons(), Families: a.Config.Family, Fixed: a.Fixed,
		Rules: a.Config.Rules.Rules(a.Now()), Pins: a.Pins(), Frameworks: a.Frameworks()}
	u.Waived, _ = a.Config.Waived(a.Now())
	u.Linked = slices.Sorted(maps.Values(a.Manifest.Linked()))
	if c, err := a.Runner().Remembered(); err == nil { // what cannot be read proves nothing
		u.Ran = c.Ran
	}
	u.Uncapped = a.Config.Stages.Caps == "lift"
	u.Overrides = a.Manifest.Overrides()
	for _, o := range u.Overrides {
		if o.Shared && o.By == "" {
			u.Frameworks = append(u.Frameworks, o.As)
		}
	}
	for name, reason := range a.Config.Reasons() {
		for _, other := range apart([]string{name})[1:] {
			u.Reasons[other] = reason
		}
	}
	if a.Lock != nil {
		u.Locked = a.Lock.Resolution()
		u.Edgeless = a.Lock.Edgeless
		u.Overridden = !maps.Equal(a.Lock.Overrides, Written(a.Manifest.Overrides())) ||
			slices.ContainsFunc(slices.Collect(maps.Keys(a.Lock.Waived)),
				func(key string) bool { _, still := Waived(u.Waived)[key]; return !still })
		return u
	}
	if tree, err := a.Installed(); err == nil && tree != nil { // what cannot be read is no baseline
		u.OnDisk = ecosystem.Versions(tree)
	}
	return u
}

// GoalText is the goal that the plan names, else that of the configuration; "" for none.
func (a *View) GoalText() string {
	if goal := a.planGoal(); goal != "" {
		return goal
	}
	return strings.Join(a.Configured(), " ")
}

// Frameworks names what goals are about: that of the configuration, and that of the plan. A plan of
// which the head cannot be read names none.
func (a *View) Frameworks() []string {
	var names []string
	goals := []string{strings.Join(a.Configured(), " "), a.planGoal()}
	for _, text := range goals {
		if words := strings.Fields(text); len(words) > 0 {
			if name := a.ParseGoal(words[0]).Name; !slices.Contains(names, name) {
				names = append(names, name)
			}
		}
	}
	return names
}

// DeclaredPackages returns the names of the packages that the manifest declares from the registry.
func (a *View) DeclaredPackages() []string {
	var names []string
	for _, d := range a.Declared() {
		if project.Registered(d) {
			names = append(names, d.Package)
		}
	}
	return names
}

// Runtime returns the runtime of a name. One that the ecosystem doesn't know has the versions that packages have.
func (a *View) Runtime(name string) project.Runtime {
	for _, r := range ecosystem.Runtimes(a.Eco) {
		if r.Name == name {
			return r.Runtime
		}
	}
	return project.Runtime{Name: name, Scheme: a.Eco.Scheme()}
}

// RuntimeHere asks the language runtime on this machine for its version; "" when there is none.
func (a *View) RuntimeHere(ctx context.Context) (name, version string) {
	for _, r := range ecosystem.Runtimes(a.Eco) {
		if len(r.Ask) == 0 {
			continue
		}
		out, err := exec.CommandContext(ctx, r.Ask[0], r.Ask[1:]...).Output()
		if err != nil {
			continue
		}
		if v, err := r.Scheme.Parse(strings.TrimSpace(string(out))); err == nil {
			return r.Name, v.String()
		}
	}
	return "", ""
}

// DeclaredFor is declaredIn for some environments.
func (a *View) DeclaredFor(m *ecosystem.Manifests, environments []ecosystem.Environment) (all []project.Declared) {
	c, conditional := a.Eco.(ecosystem.Conditional)
	for _, e := range m.Entries() {
		if !conditional || c.Holds(e.When, environments) {
			all = append(all, a.Stated(e))
		}
	}
	return all
}

// Configured lists the goals of the configuration, without those of other sides.
func (a *View) Configured() []string {
	return slices.DeleteFunc(strings.Fields(a.Config.Goal),
		func(text string) bool { return elsewhere(a, a.ParseGoal(text).Name) })
}

// apartNames returns a function that adds to names of packages those that members which stand apart have for them.
func apartNames(a *View) func(names []string) []string {
	others := map[string][]string{}
	for _, e := range a.Manifest.Entries() {
		if e.Apart != "" {
			others[e.Own] = append(others[e.Own], e.As)
		}
	}
	return func(names []string) []string {
		if len(others) == 0 {
			return names
		}
		all := slices.Clone(names)
		for _, name := range names {
			all = append(all, others[name]...)
		}
		return all
	}
}

// DeclaredWith returns the declarations as they are when members of the workspace ask for what is
// wanted, which may make them stand apart or end that. What is wanted gets the names that it has
// then.
func DeclaredWith(a *View, wanted []plan.Wanted) ([]project.Declared, error) {
	m, err := a.Manifest.Clone()
	if err != nil {
		return nil, err
	}
	place := func(w plan.Wanted) (ecosystem.Entry, bool) {
		i := slices.IndexFunc(m.Entries(),
			func(e ecosystem.Entry) bool { return KeyOf(e.Group, e.As) == KeyOf(w.Group, w.Name) })
		if i < 0 {
			return ecosystem.Entry{}, false
		}
		return m.Entries()[i], true
	}
	for _, w := range wanted {
		if member := project.GroupOf(w.Group).Member; member == "" || w.Constraint == "" {
			continue
		}
		if _, there := place(w); there {
			err = m.Set(w.Group, w.Name, w.Constraint)
		} else {
			err = m.Add(w.Group, w.Name, w.Constraint)
		}
		if err != nil {
			return nil, err
		}
	}
	for i, w := range wanted {
		if e, there := place(w); there {
			wanted[i].Name = e.As
		}
	}
	return a.DeclaredIn(m), nil
}
