package upgrade

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"

	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
)

// Runtimes are the versions that are deployed, by runtime.
type Runtimes map[string]Deployed

// Deployed are the versions of one runtime by environment. The only environment may have no name.
type Deployed map[string]string

// Everywhere is one version of a runtime, in an environment without a name.
func Everywhere(version string) Deployed { return Deployed{"": version} }

// suits reports whether a requirement admits what every environment has.
func (d Deployed) suits(scheme version.Scheme, constraint string) bool {
	for _, v := range d {
		if !Suits(scheme, constraint, v) {
			return false
		}
	}
	return true
}

// String names the versions, and the environments when these have names: "20.11.1", "production 20.11.1, staging 22.1.0".
func (d Deployed) String() string {
	var all []string
	for _, environment := range slices.Sorted(maps.Keys(d)) {
		all = append(all, strings.TrimSpace(environment+" "+d[environment]))
	}
	return strings.Join(all, ", ")
}

// A RuntimeNeed is a demand on a runtime by something that the goal brings along.
type RuntimeNeed struct {
	Name     string
	Needs    string
	By       string   // release that asks
	Deployed Deployed // what configuration says is deployed, nil when it does not say
	Met      bool     // whether Deployed is known and fits everywhere
	Pins     []Pinned // what files of the application say of it
}

// A Pinned is a version that a file names, and whether it fits.
type Pinned struct {
	Pin
	Met bool
}

// Environments lists the environments with names that have the runtime, with whether each fits.
func (n RuntimeNeed) Environments(scheme version.Scheme) []Pinned {
	var all []Pinned
	for _, environment := range slices.Sorted(maps.Keys(n.Deployed)) {
		if v := n.Deployed[environment]; environment != "" {
			all = append(all, Pinned{Pin{n.Name, v, environment}, Suits(scheme, n.Needs, v)})
		}
	}
	return all
}

// pinned adds what files of the application say of each runtime.
func (a *advisor) pinned(needs []RuntimeNeed) []RuntimeNeed {
	for i := range needs {
		n := &needs[i]
		for _, pin := range a.app.Pins {
			if pin.Name == n.Name {
				n.Pins = append(n.Pins, Pinned{pin, Suits(a.app.Scheme, n.Needs, pin.Version)})
			}
		}
	}
	return needs
}

// Runnable shows of a source only the releases that the deployed runtimes suit, as far as people said what is deployed.
// What a release requires of a runtime that nobody spoke of, or in words that cannot be read, is not held against it.
func Runnable(source universe.Source, app Application) universe.Source {
	return runnableFrom(source, app, nil)
}

// runnableFrom is Runnable for what goes on from a resolution: its releases run already, as far as anyone can tell, and stay
// to be seen.
func runnableFrom(source universe.Source, app Application, before *solve.Resolution) universe.Source {
	source = Permitted(source, app)
	runs := map[string][]string{}
	if before != nil {
		runs = before.Versions()
	}
	if len(app.Runtimes) == 0 {
		return source
	}
	var known sync.Map // whether a requirement is met; a source may be used concurrently
	return universe.Filter(source, func(name string, r *universe.Release) bool {
		if slices.Contains(runs[name], r.Version.String()) {
			return true
		}
		for _, q := range r.Runtimes {
			deployed, ok := app.Runtimes[q.Name]
			if !ok {
				continue
			}
			suits, seen := known.Load(q)
			if !seen {
				suits = deployed.suits(app.Scheme, q.Text)
				known.Store(q, suits)
			}
			if !suits.(bool) {
				return false
			}
		}
		return true
	})
}

// resolveRunnable resolves with releases that the deployed runtimes suit.
func resolveRunnable(ctx context.Context, source universe.Source, app Application, p solve.Problem) (*solve.Resolution, error) {
	r, err := solve.Resolve(ctx, Runnable(source, app), p)
	if asTangle(err) != nil && len(app.Runtimes) > 0 {
		if told := runtimeTangle(ctx, source, app, p); told != nil {
			return nil, told
		}
	}
	return r, err
}

// RuntimeGroup is the group of the demands in a tangle that are deployed runtimes, and not lines of the manifest.
const RuntimeGroup = "runtime"

// asPackage is the name under which a tangle speaks of a runtime in an environment. No registry has such a package.
func asPackage(runtime, environment string) string {
	if environment == "" {
		return runtime + " (runtime)"
	}
	return runtime + " (runtime, " + environment + ")"
}

// mostMajors is as far as anyone numbers runtimes.
const mostMajors = 100

// runtimeOf is the inverse of asPackage.
func runtimeOf(name string) (string, bool) {
	runtime, _, found := strings.Cut(name, " (runtime")
	return runtime, found
}

// runtimeTangle solves a problem again that has no resolution with what is deployed. Runtimes are packages this time, of
// which the application declares the deployed version, so that the tangle tells where they stand in the way. It is nil
// where a deployed version is none.
func runtimeTangle(ctx context.Context, source universe.Source, app Application, p solve.Problem) error {
	d := &demanding{Source: source, app: app, runtimes: universe.Table{}, seen: map[string]*universe.Package{}}
	for _, name := range slices.Sorted(maps.Keys(app.Runtimes)) {
		for _, environment := range slices.Sorted(maps.Keys(app.Runtimes[name])) {
			v := loosely(app.Scheme, app.Runtimes[name][environment])
			if v == nil {
				continue
			}
			name := asPackage(name, environment)
			releases := []universe.Release{{Version: v}}
			for major := range mostMajors { // so that a requirement is not the only side of its tangle
				if v := loosely(app.Scheme, strconv.Itoa(major)); v != nil {
					releases = append(releases, universe.Release{Version: v})
				}
			}
			d.runtimes[name] = universe.NewPackage(name, app.Scheme, releases)
			p.Single = append(slices.Clip(p.Single), name)
			p.Roots = append(p.Roots, solve.Root{Demand: universe.Demand{As: name, Package: name, Text: v.String()}, Group: RuntimeGroup})
		}
	}
	_, err := solve.Resolve(ctx, d, p)
	return err
}

// demanding is a source whose releases need runtimes like packages. It is used by one goroutine.
type demanding struct {
	universe.Source
	app      Application
	runtimes universe.Table
	seen     map[string]*universe.Package
}

// Hint passes on what the registry knows.
func (d *demanding) Hint(names ...string) {
	for _, name := range names {
		if d.runtimes[name] == nil {
			d.Source.Hint(name)
		}
	}
}

// Package returns a package with what it requires of runtimes among its needs.
func (d *demanding) Package(ctx context.Context, name string) (*universe.Package, error) {
	if p := d.runtimes[name]; p != nil {
		return p, nil
	}
	if p := d.seen[name]; p != nil {
		return p, nil
	}
	whole, err := d.Source.Package(ctx, name)
	if err != nil {
		return nil, err
	}
	releases := slices.Clone(whole.Releases)
	for i := range releases {
		r := &releases[i]
		r.Needs, r.Peers = slices.Clone(r.Needs), slices.Clone(r.Peers)
		for _, q := range r.Runtimes {
			if _, err := d.app.Scheme.Constrain(q.Text); err != nil {
				continue
			}
			for _, environment := range slices.Sorted(maps.Keys(d.app.Runtimes[q.Name])) {
				if name := asPackage(q.Name, environment); d.runtimes[name] != nil {
					r.Needs = append(r.Needs, universe.Demand{As: name, Package: name, Text: q.Text})
				}
			}
		}
	}
	p := universe.NewPackage(name, whole.Scheme, releases)
	p.Tags, p.Notes = whole.Tags, whole.Notes
	d.seen[name] = p
	return p, nil
}

var versionInText = regexp.MustCompile(`[0-9]+(\.[0-9]+)*`)

// leastRuntime returns the lowest version that all requirements of a resolution on a runtime admit, among those that they
// mention; "" when there is none.
func leastRuntime(ctx context.Context, source universe.Source, scheme version.Scheme, r *solve.Resolution, name string) (string, error) {
	var texts []string
	for _, n := range r.Packages {
		p, err := source.Package(ctx, n.Name)
		if err != nil {
			return "", err
		}
		for _, q := range p.Release(n.Version).Runtimes {
			if q.Name == name && !slices.Contains(texts, q.Text) {
				texts = append(texts, q.Text)
			}
		}
	}
	var mentioned []version.Version
	for _, text := range texts {
		for _, numbers := range versionInText.FindAllString(text, -1) {
			if v := loosely(scheme, numbers); v != nil {
				mentioned = append(mentioned, v)
			}
		}
	}
	for _, v := range version.Sort(mentioned) {
		if !slices.ContainsFunc(texts, func(text string) bool { return !Suits(scheme, text, v.String()) }) {
			return v.String(), nil
		}
	}
	return "", nil
}

// runtimeNeeds lists what a new resolution requires of runtimes and what the old one did not, or what is not met.
// Only releases that are not in the old resolution count, so that a runtime is not demanded by what runs already. For
// each runtime what is not met comes first, and then what asks for most.
func runtimeNeeds(ctx context.Context, source universe.Source, app Application, before, after *solve.Resolution) ([]RuntimeNeed, error) {
	var all []RuntimeNeed
	known := map[string]bool{}
	if before != nil {
		for _, n := range before.Packages {
			known[n.Name+"@"+n.Version] = true
		}
	}
	for _, n := range after.Packages {
		p, err := source.Package(ctx, n.Name)
		if err != nil {
			return nil, err
		}
		if known[n.Name+"@"+n.Version] {
			continue
		}
		for _, q := range p.Release(n.Version).Runtimes {
			deployed, ok := app.Runtimes[q.Name]
			if !ok && !slices.Contains(runtimesOf(app), q.Name) {
				continue
			}
			need := RuntimeNeed{Name: q.Name, Needs: q.Text, By: n.Name + " " + n.Version, Deployed: deployed}
			need.Met = ok && deployed.suits(app.Scheme, q.Text)
			if !slices.ContainsFunc(all, func(x RuntimeNeed) bool { return x.Name == need.Name && x.Needs == need.Needs }) {
				all = append(all, need)
			}
		}
	}
	slices.SortStableFunc(all, func(a, b RuntimeNeed) int {
		return cmp.Or(cmp.Compare(a.Name, b.Name), compareBool(a.Met, b.Met), cmp.Compare(lowest(app.Scheme, b.Needs), lowest(app.Scheme, a.Needs)))
	})
	return all, nil
}

// compareBool puts false before true.
func compareBool(a, b bool) int {
	switch {
	case a == b:
		return 0
	case a:
		return 1
	}
	return -1
}

// lowest returns the lowest major that a constraint admits in some release, as far as anyone numbers runtimes.
func lowest(scheme version.Scheme, constraint string) int {
	c, err := scheme.Constrain(constraint)
	if err != nil {
		return 0
	}
	for major := range mostMajors {
		if v, err := scheme.Parse(fmt.Sprintf("%d.999.999", major)); err == nil && c.Admits(v) {
			return major
		}
	}
	return 0
}

func runtimesOf(app Application) []string {
	var names []string
	for name := range app.Runtimes {
		names = append(names, name)
	}
	for _, pin := range app.Pins {
		if !slices.Contains(names, pin.Name) {
			names = append(names, pin.Name)
		}
	}
	return append(names, mainRuntime)
}

// mainRuntime is the runtime that is always looked at, configured or not.
const mainRuntime = "node"

// Suits reports whether a requirement admits a version of a runtime, whose last numbers may be missing: 18 is 18.0.0. A
// requirement that cannot be read is not held against it.
func Suits(scheme version.Scheme, constraint, v string) bool {
	c, err := scheme.Constrain(constraint)
	if err != nil {
		return true // nobody can tell
	}
	parsed := loosely(scheme, v)
	return parsed != nil && c.Admits(parsed)
}

// IsRuntimeVersion reports whether a text can be a deployed version.
func IsRuntimeVersion(scheme version.Scheme, text string) bool { return loosely(scheme, text) != nil }

// loosely reads a version of which the last numbers may be missing: 18 is 18.0.0. It returns nil for what is none.
func loosely(scheme version.Scheme, text string) version.Version {
	for range 3 {
		if v, err := scheme.Parse(text); err == nil {
			return v
		}
		text += ".0"
	}
	return nil
}
