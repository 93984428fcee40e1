package project

import (
	"slices"
	"time"

	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
)

// An Application is what Molt knows of one: its declarations, its lock, and what its people decided.
type Application struct {
	Scheme   version.Scheme
	Strategy solve.Strategy
	Declared []Declared
	Locked   *solve.Resolution     // nil when nothing is locked
	Known    []Runtime             // the runtimes that the ecosystem knows, the language's own first
	Kin      func(name string) Kin // what names say about kinship; nil for nothing
	Runtimes Runtimes              // what is deployed, as people said
	// what is taken to be deployed of runtimes of which people said nothing; binds judgements, and no lock
	InferredRuntimes Runtimes
	InferredFrom     map[string]string // why, by runtime
	Trusted          []string          // declared names whose silence or open range counts as a promise
	Minors           []string          // declared names of which a minor release may break
	// releases by which the way to a goal goes, by declared name, as goals are written
	Stops     map[string][]string
	Waived    []Waiver            // what packages ask of others and people set aside
	Previews  []string            // packages of which prereleases may be used
	Held      []string            // packages that must not move
	Reasons   map[string]string   // why, by name
	Fixed     map[string]string   // releases that are given from outside, by package
	OnDisk    map[string][]string // versions of all that is installed, by package; the baseline where there is no lock
	Installed map[string]string   // versions that are installed, by declared name; nil when nothing is or nobody looked
	Since     time.Time           // a survey notes what was published after; zero for nothing
	Families  [][]string          // packages that move in step, as far as people say so
	Rules     Policy              // of its people
	Guides    []Guide             // what upgrade guides say
	Pins      []Pin               // versions of runtimes and tools that files of the application name
	Ran       []Passed            // with what the application's checks have passed here, the oldest first
	// Frameworks are declared names of which there must be one release in the whole application: what goals are about.
	Frameworks []string
	Linked     []string // names of the workspace's members, which no registry serves here
	Edgeless   bool     // the lock does not tell what its packages need
	Uncapped   bool     // lines that end before the next major are no decisions
	Overrides  []universe.Override
	Overridden bool // the manifest's overrides are not those that the lock was made with
	// Seen returns what the registry has where some runtimes are deployed, which conditions of
	// demands may depend on; nil where it is the same for all.
	Seen func(Runtimes) universe.Source
}

// A Purpose is what an application needs a group of declarations for.
type Purpose int

// The purposes, the one that asks for most first.
const (
	ToRun     Purpose = iota // it does not run without
	ToChoose                 // it runs without, and can do more with it
	ToDevelop                // people who work on it need it
)

// A Passed is what was installed when the application's own checks passed, all of them.
type Passed struct {
	On       time.Time         `json:"on"`
	Lock     string            `json:"lock"`     // SHA-256 of the lock
	Versions map[string]string `json:"versions"` // by declared name
}

// singles returns the declared frameworks with their families, of which a resolution that continues
// another one may have a single release. A package with several releases in that other resolution
// is left out, unless it is to move.
func (app Application) singles(before *solve.Resolution, to map[string]string) []string {
	var names []string
	held := map[string][]string{}
	if before != nil {
		held = before.Versions()
	}
	for _, framework := range app.Frameworks {
		group := []string{framework}
		for _, family := range app.Families {
			if slices.Contains(family, framework) {
				group = family
			}
		}
		_, moves := to[framework]
		if slices.ContainsFunc(app.Declared, func(d Declared) bool { return d.Own == framework && to[d.As] == "" }) {
			continue // a member of a workspace stands apart with another release, and stays there
		}
		for _, name := range group {
			i := slices.IndexFunc(app.Declared, func(d Declared) bool { return d.As == name && Registered(d) })
			if i < 0 || slices.Contains(names, name) {
				continue
			}
			versions := slices.Clone(held[app.Declared[i].Package])
			slices.Sort(versions)
			if moves || len(slices.Compact(versions)) < 2 {
				names = append(names, name)
			}
		}
	}
	return names
}

// keepEdges returns the version that every edge of a resolution leads to, for solve.Problem.
func keepEdges(r *solve.Resolution) map[solve.EdgeKey]string {
	if r == nil {
		return nil
	}
	versions := make(map[string]string, len(r.Packages))
	for i := range r.Packages {
		versions[r.Packages[i].ID] = r.Packages[i].Version
	}
	all := map[solve.EdgeKey]string{}
	note := func(by string, edges []solve.Edge) {
		for _, e := range edges {
			v := versions[e.To]
			switch {
			case v == "":
			case e.Apart != "":
				all[solve.EdgeKey{By: solve.PartName(e.Apart), Name: e.Own}] = v
			default:
				all[solve.EdgeKey{By: by, Name: e.Name}] = v
			}
		}
	}
	note("", r.Roots)
	for i := range r.Packages {
		note(r.Packages[i].Name+"@"+r.Packages[i].Version, r.Packages[i].Needs)
	}
	return all
}

// Declared is one line of the manifest. A name may be declared in several groups.
type Declared struct {
	universe.Demand
	Group      string
	File       string // as a Line has it
	Apart, Own string // as a solve.Root has them
	Absent     bool   // it is optional, and the registry has no such package
	// Forks are further packages that a declaration stands for: its own, in environments where that
	// has another release; see universe.Name.
	Forks []string
}

// Breaking reports whether a move of a declared package may break those who use it: as the scheme
// has it, or as people said of the package.
func (app Application) Breaking(name string, from, to version.Version) bool {
	return version.Breaking(app.Scheme, from, to) || slices.Contains(app.Minors, name) && app.Scheme.Jump(from, to) >= version.Minor
}

// JumpOf is the size of a move of a declared package: one that may break is a major one, however it is numbered.
func (app Application) JumpOf(name string, from, to version.Version) version.Jump {
	if from.Compare(to) < 0 && app.Breaking(name, from, to) {
		return version.Major
	}
	return app.Scheme.Jump(from, to)
}

// Assumed is what is deployed, as people said and else as it is inferred.
func (app Application) Assumed() Runtimes {
	all := Runtimes{}
	for name, d := range app.InferredRuntimes {
		all[name] = d
	}
	for name, d := range app.Runtimes {
		all[name] = d
	}
	return all
}

// root states a declaration for the solver, with the releases that will do where its constraint does not say so.
func (d Declared) root(among []string) solve.Root {
	return solve.Root{Demand: d.Demand, Group: d.Group, Apart: d.Apart, Own: d.Own, Among: among}
}

// Root states a declaration for the solver.
func (d Declared) Root() solve.Root { return d.root(nil) }

// Roots states all that a declaration asks for, of which one root is given: its constraint for the
// forks, which need not have the same release, and of each any release with the extras, since the
// declaration itself says which.
func (d Declared) Roots(root solve.Root, forks, anything string) []solve.Root {
	all := []solve.Root{root}
	for _, fork := range d.Forks {
		one := root
		one.As, one.Package, one.Text, one.Among = fork, fork, forks, nil
		all = append(all, one)
	}
	for _, one := range all {
		for _, extra := range one.ForExtras() {
			extra.Text = anything
			all = append(all, solve.Root{Demand: extra, Group: d.Group})
		}
	}
	return all
}

// Line returns the identity of a declaration.
func (d Declared) Line() Line { return Line{d.File, d.Group, d.As, d.When} }

// Registered reports whether a declaration is resolved from the registry.
func Registered(d Declared) bool { return !d.Foreign && !d.Absent }

// Current reports whether there is a lock that was made for the manifest as it stands.
func (app Application) Current() bool {
	if app.Locked == nil || app.Overridden {
		return false
	}
	n := 0
	for _, d := range app.Declared {
		roots := d.Roots(d.Root(), d.Text, app.Scheme.Any())
		n += len(roots)
		for _, r := range roots {
			if !slices.ContainsFunc(app.Locked.Roots, func(e solve.Edge) bool {
				return e.Name == r.As && e.Group == r.Group && e.Constraint == r.Text && e.Package == r.Package
			}) {
				return false
			}
		}
	}
	return n == len(app.Locked.Roots)
}

// Problem states the application as its manifest does, preferring what is locked, or else what is installed.
func (app Application) Problem() solve.Problem {
	p := solve.Problem{Strategy: app.Strategy, Single: app.singles(app.Locked, nil), Outside: app.Linked}
	for _, d := range app.Declared {
		p.Roots = append(p.Roots, d.Roots(d.root(app.heldAt(d)), d.Text, app.Scheme.Any())...)
	}
	p.Keep = app.OnDisk
	if app.Locked != nil {
		p.Keep, p.KeepEdges = app.Locked.Versions(), keepEdges(app.Locked)
	}
	return p
}

// heldAt returns the release at which a declaration is held; nil where it is not, or where people
// have changed its line since it was locked.
func (app Application) heldAt(d Declared) []string {
	if app.Locked == nil || !Registered(d) || !slices.Contains(app.Held, d.As) {
		return nil
	}
	for _, e := range app.Locked.Roots {
		if e.Name == d.As && e.Group == d.Group && e.Constraint == d.Text && e.To != "" {
			return []string{app.Locked.Node(e.To).Version}
		}
	}
	return nil
}

// HeldAt returns the release at which a declared name of a group is held, nil where it is not.
func (app Application) HeldAt(name, group string) version.Version {
	for _, d := range app.Declared {
		if d.As == name && d.Group == group {
			for _, at := range app.heldAt(d) {
				if v, err := app.Scheme.Parse(at); err == nil {
					return v
				}
			}
		}
	}
	return nil
}

// HeldFor names a held package with the reason, where there is one: "lintbuoy (wait for the new rules)".
func (app Application) HeldFor(name string) string {
	if reason := app.Reasons[name]; reason != "" {
		return name + " (" + reason + ")"
	}
	return name
}

// Names lists the names that the application has: declared and locked ones.
func (app Application) Names() []string {
	var names []string
	for _, d := range app.Declared {
		names = append(names, d.As)
	}
	if app.Locked != nil {
		for _, n := range app.Locked.Packages {
			names = append(names, n.Name)
		}
	}
	return names
}
