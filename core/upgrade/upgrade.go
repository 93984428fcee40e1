// Package upgrade answers the questions of the job: where does every declared package stand (Survey), what does a goal
// mean for each of them and on what evidence (Assess), and by which stages is it reached (NewPlan). It computes on
// values; files, registries, the clock and the terminal are elsewhere.
//
// Every standing and every stage is decided by solving the whole application, not by reading one line of metadata. The
// words are those of the project's docs/architecture.md.
package upgrade

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
)

// An Application is what Molt knows of one: its declarations, its lock, and what its people decided.
type Application struct {
	Scheme    version.Scheme
	Tenancy   solve.Tenancy
	Declared  []Declared
	Locked    *solve.Resolution   // nil when nothing is locked
	Known     []project.Runtime   // the runtimes that the ecosystem knows, the language's own first
	Runtimes  project.Runtimes    // what is deployed
	Previews  []string            // packages of which prereleases may be used
	Held      []string            // packages that must not move
	Reasons   map[string]string   // why, by name
	Fixed     map[string]string   // releases that are given from outside, by package
	OnDisk    map[string][]string // versions of all that is installed, by package; the baseline where there is no lock
	Installed map[string]string   // versions that are installed, by declared name; nil when nothing is or nobody looked
	Since     time.Time           // a survey notes what was published after; zero for nothing
	Families  [][]string          // packages that move in step, as far as people say so
	Rules     Rules               // of the house
	Guides    []Guide             // what upgrade guides say
	Pins      []project.Pin       // versions of runtimes and tools that files of the application name
	// Frameworks are declared names of which there must be one release in the whole application: what goals are about.
	Frameworks []string
	Overridden bool // the manifest's overrides are not those that the lock was made with
}

// singles returns the frameworks with their families, as far as they are declared, for a resolution that goes on from
// another. One of which that has several releases already is left out, unless it is to move.
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
		for _, name := range group {
			i := slices.IndexFunc(app.Declared, func(d Declared) bool { return d.As == name && registered(d) })
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

// keepEdges says what every edge of a resolution leads to, for solve.Problem.
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
			if v := versions[e.To]; v != "" {
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
	Group string
	File  string // as a Line has it
}

// line returns the identity of a declaration.
func (d Declared) line() line { return line{d.File, d.Group, d.As, d.When} }

// A Goal is a package and the constraint it is to reach.
type Goal struct {
	Name       string
	Constraint string
}

// ParseGoal reads "name@constraint"; a bare name has the constraint "".
func ParseGoal(text string) Goal {
	if at := strings.LastIndexByte(text, '@'); at > 0 {
		return Goal{text[:at], text[at+1:]}
	}
	return Goal{Name: text}
}

func (g Goal) String() string {
	if g.Constraint == "" {
		return g.Name
	}
	return g.Name + "@" + g.Constraint
}

// A GoalError says why a goal cannot be meant.
type GoalError struct {
	Goal   Goal
	Reason string
}

func (e *GoalError) Error() string { return fmt.Sprintf("goal %s: %s", e.Goal, e.Reason) }

// An advisor computes on one application.
type advisor struct {
	ctx    context.Context
	source universe.Source
	full   universe.Source // also what the deployed runtimes do not suit
	app    Application
	goal   Goal
	also   map[string][]string        // further goals: the releases that these packages may have in the end
	raised map[string]version.Version // further goals: versions to which runtimes are to be raised
	base   *solve.Resolution

	forward    bool              // nothing goes back to a release before the one in use
	fewestBack bool              // as little as can be goes back
	company    choice            // the packages in whose company pair solves; nil for none
	beside     choice            // the same with the goal, beside which they may have less to choose from
	meant      []string          // the releases of the goal
	witness    *solve.Resolution // all of them together with the goal; nil when there is none
	together   choice            // those that should go with the goal together
}

// registered reports whether a declaration is resolved from the registry.
func registered(d Declared) bool { return !d.Foreign }

// names returns the declared names that the registry serves, each once, in the order of the manifest.
func (a *advisor) names() []string {
	var all []string
	for _, d := range a.app.Declared {
		if registered(d) && !slices.Contains(all, d.As) {
			all = append(all, d.As)
		}
	}
	return all
}

// declaration returns the first declaration of a name.
func (a *advisor) declaration(name string) Declared {
	for _, d := range a.app.Declared {
		if d.As == name {
			return d
		}
	}
	return Declared{}
}

func (a *advisor) pkg(name string) (*universe.Package, error) {
	return a.full.Package(a.ctx, a.declaration(name).Package)
}

// locked returns the version that a declared name has in the base, "" for none.
func (a *advisor) locked(name string) string { return versionOf(a.base, name) }

func versionOf(r *solve.Resolution, name string) string {
	if r == nil {
		return ""
	}
	if n := r.Root(name); n != nil {
		return n.Version
	}
	return ""
}

// usable returns the releases of a package that a plan may choose: stable ones, the given current one, and
// prereleases where someone said so.
func (a *advisor) usable(p *universe.Package, current string) version.Set {
	s := p.Stable()
	if slices.Contains(a.app.Previews, p.Name) {
		s = version.FullSet(len(p.Releases))
	}
	if i := p.Index(current); i >= 0 {
		s.Add(i)
	}
	return s
}

// choosable is usable for a declared name: one that is held has the release that it has and no other.
func (a *advisor) choosable(name string, p *universe.Package, current string) version.Set {
	i := p.Index(current)
	if i < 0 || !slices.Contains(a.app.Held, name) {
		return a.usable(p, current)
	}
	s := version.NewSet(len(p.Releases))
	s.Add(i)
	return s
}

func texts(p *universe.Package, s version.Set) []string {
	all := []string{} // not nil: no release is not the same as no choice
	for i := range s.All() {
		all = append(all, p.Releases[i].Version.String())
	}
	return all
}

// A choice says which releases each declared name may have; a name that is not in it is left out.
type choice map[string][]string

// problem states the application with a choice of releases. The goal and its family are single.
func (a *advisor) problem(c choice, keep map[string][]string) solve.Problem {
	p := solve.Problem{Tenancy: a.app.Tenancy, Keep: keep, Single: []string{a.goal.Name}}
	for _, family := range a.app.Families {
		if slices.Contains(family, a.goal.Name) {
			p.Single = family
		}
	}
	for _, d := range a.app.Declared {
		root := solve.Root{Demand: d.Demand, Group: d.Group}
		if registered(d) {
			among, ok := c[d.As]
			if !ok {
				continue
			}
			root.Among = among
			switch { // what a tangle shall say of it
			case d.As == a.goal.Name && len(among) > 1:
				root.Text = a.goal.Constraint
			case len(among) == 1:
				root.Text = among[0]
			default:
				root.Text = "*"
			}
		}
		p.Roots = append(p.Roots, root)
	}
	return p
}

// solve returns a resolution, or nil and the declared names that the refutation rests on.
func (a *advisor) solve(c choice, keep map[string][]string) (*solve.Resolution, []string, error) {
	return solve.Try(a.ctx, a.source, a.problem(c, keep))
}

// Baseline returns the application's lock, or, when it has none or one that does not fit its manifest, a resolution of
// the manifest near to it.
func Baseline(ctx context.Context, source universe.Source, app Application) (*solve.Resolution, error) {
	if app.Current() {
		return app.Locked, nil
	}
	return Relock(ctx, source, app)
}

// Relock resolves the manifest as it stands, near to what is locked, with releases that the deployed runtimes suit. A lock
// that was made for the manifest and still holds is the result: relocking is at rest.
func Relock(ctx context.Context, source universe.Source, app Application) (*solve.Resolution, error) {
	p := app.Problem()
	if app.Current() {
		ordered := *app.Locked
		ordered.Roots = nil
		for _, r := range p.Roots { // the lock lists them in an order of its own
			i := slices.IndexFunc(app.Locked.Roots, func(e solve.Edge) bool { return e.Name == r.As && e.Group == r.Group })
			ordered.Roots = append(ordered.Roots, app.Locked.Roots[i])
		}
		if solve.Verify(ctx, Runnable(source, app), p, &ordered) == nil {
			return &ordered, ctx.Err()
		}
	}
	r, err := resolveRunnable(ctx, source, app, p)
	if len(p.Single) > 0 && asTangle(err) != nil { // it may not have one framework yet
		p.Single = nil
		if other, failed := solve.Resolve(ctx, Runnable(source, app), p); failed == nil {
			return other, nil
		}
	}
	return r, err
}

// Current reports whether there is a lock that was made for the manifest as it stands.
func (app Application) Current() bool {
	if app.Locked == nil || app.Overridden || len(app.Locked.Roots) != len(app.Declared) {
		return false
	}
	for _, d := range app.Declared {
		if !slices.ContainsFunc(app.Locked.Roots, func(e solve.Edge) bool {
			return e.Name == d.As && e.Group == d.Group && e.Constraint == d.Text && e.Package == d.Package
		}) {
			return false
		}
	}
	return true
}

// Problem states the application as its manifest does, preferring what is locked, or else what is installed.
func (app Application) Problem() solve.Problem {
	p := solve.Problem{Tenancy: app.Tenancy, Single: app.singles(app.Locked, nil)}
	for _, d := range app.Declared {
		p.Roots = append(p.Roots, solve.Root{Demand: d.Demand, Group: d.Group, Among: app.heldAt(d)})
	}
	p.Keep = app.OnDisk
	if app.Locked != nil {
		p.Keep, p.KeepEdges = app.Locked.Versions(), keepEdges(app.Locked)
	}
	return p
}

// heldAt returns the release at which a declaration is held, nil for any: one whose line people changed since it was locked
// goes where they said.
func (app Application) heldAt(d Declared) []string {
	if app.Locked == nil || !registered(d) || !slices.Contains(app.Held, d.As) {
		return nil
	}
	for _, e := range app.Locked.Roots {
		if e.Name == d.As && e.Group == d.Group && e.Constraint == d.Text && e.To != "" {
			return []string{app.Locked.Node(e.To).Version}
		}
	}
	return nil
}

// newAdvisor checks the goal, and gives one without a constraint its newest stable major.
func newAdvisor(ctx context.Context, source universe.Source, app Application, goal Goal) (*advisor, error) {
	if !slices.Contains(app.Frameworks, goal.Name) {
		app.Frameworks = append(slices.Clone(app.Frameworks), goal.Name)
	}
	original := source
	source = Permitted(source, app)
	a := &advisor{ctx: ctx, source: source, full: source, app: app, goal: goal}
	var names []string
	for _, d := range app.Declared {
		names = append(names, d.As)
	}
	if !slices.Contains(names, goal.Name) {
		return nil, &GoalError{goal, notAmong("no declared package has this name", goal.Name, names)}
	}
	if d := a.declaration(goal.Name); !registered(d) {
		return nil, &GoalError{goal, fmt.Sprintf("%s does not come from the registry (%s)", goal.Name, d.Text)}
	}
	p, err := a.pkg(goal.Name)
	if err != nil {
		return nil, err
	}
	if goal.Constraint == "" {
		newest := p.Newest()
		if newest == nil {
			return nil, &GoalError{goal, "it has no releases"}
		}
		a.goal.Constraint = app.Scheme.Major(newest.Version)
	}
	if _, err := app.Scheme.Goal(a.goal.Constraint); err != nil {
		return nil, &GoalError{goal, err.Error()}
	}
	if set, err := a.target(p); err != nil || set.Empty() {
		return nil, noneFits(ctx, original, app, goal, p)
	}
	if a.base, err = Baseline(ctx, source, app); err != nil {
		return nil, err
	}
	if set, err := a.target(p); err != nil || set.Max() < p.Index(a.locked(goal.Name)) {
		return nil, &GoalError{a.goal, fmt.Sprintf("it is older than what is in use, %s; molt back and molt want lead back", a.locked(goal.Name))}
	}
	return a, nil
}

// target returns the releases that the goal means.
func (a *advisor) target(p *universe.Package) (version.Set, error) {
	set, err := p.Admit(a.goal.Constraint)
	if err != nil {
		return set, err
	}
	if set.Empty() { // a major of which there are only previews, when these are allowed
		set = version.NewSet(len(p.Releases))
		for i := range a.usable(p, "").All() {
			if a.app.Scheme.Major(p.Releases[i].Version) == a.goal.Constraint {
				set.Add(i)
			}
		}
	}
	return set, nil
}

// noneFits says that no release is meant by a goal: what there is, and what is hidden and why.
func noneFits(ctx context.Context, source universe.Source, app Application, goal Goal, p *universe.Package) error {
	says := fmt.Sprintf("no release of %s fits", goal.Name)
	hidden, err := Hidden(ctx, source, app, p.Name)
	switch {
	case err != nil:
		return err
	case hidden != "":
		return &GoalError{goal, says + " that may be used: " + hidden + "; what is left has the majors " + majors(p, app.Scheme)}
	}
	return &GoalError{goal, says + "; published majors: " + majors(p, app.Scheme)}
}

func majors(p *universe.Package, scheme version.Scheme) string {
	var all []string
	stable := map[string]bool{}
	for i := range p.Releases {
		m := scheme.Major(p.Releases[i].Version)
		if !slices.Contains(all, m) {
			all = append(all, m)
		}
		stable[m] = stable[m] || !p.Releases[i].Version.Prerelease()
	}
	for i, m := range all {
		if !stable[m] {
			all[i] = m + " (previews only)"
		}
	}
	return strings.Join(all, ", ")
}

// notAmong adds the nearest of the names to a message.
func notAmong(message, name string, names []string) string {
	if near := Nearest(name, names); near != "" && near != name {
		return message + "; did you mean " + near + "?"
	}
	return message
}

// Nearest returns the name with the least edit distance to a given one, or "" when none is near.
func Nearest(name string, names []string) string {
	best, distance := "", len(name)/2+1
	for _, n := range slices.Sorted(slices.Values(names)) {
		if d := editDistance(name, n); d < distance {
			best, distance = n, d
		}
	}
	return best
}

// editDistance is the Levenshtein distance in bytes.
func editDistance(a, b string) int {
	row := make([]int, len(b)+1)
	for j := range row {
		row[j] = j
	}
	for i := range len(a) {
		diagonal := row[0]
		row[0] = i + 1
		for j := range len(b) {
			change := diagonal
			if a[i] != b[j] {
				change++
			}
			diagonal = row[j+1]
			row[j+1] = min(change, row[j]+1, row[j+1]+1)
		}
	}
	return row[len(b)]
}

// asTangle returns the tangle in an error, or nil.
func asTangle(err error) *solve.Tangle {
	var t *solve.Tangle
	if errors.As(err, &t) {
		return t
	}
	return nil
}

// heldFor names a held package with the reason, where there is one: "lintbuoy (wait for the new rules)".
func (app Application) heldFor(name string) string {
	if reason := app.Reasons[name]; reason != "" {
		return name + " (" + reason + ")"
	}
	return name
}

// known lists the names that the application has: declared and locked ones.
func (app Application) known() []string {
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
