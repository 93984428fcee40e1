package ecosystem

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"molt/archive"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/input"
)

// A Lock is what an application is locked to: every release with its identity, checksum, source and edges.
type Lock struct {
	Ecosystem string
	Folded    bool              // as solve.Resolution has it
	Edgeless  bool              // the format does not tell what packages need; Roots are what Bind makes of the manifests
	Overrides map[string]string // of the manifest that it was made for, as written
	Waived    map[string]string // what packages ask of others and people set aside, "lamp on hull", with the reason
	Members   map[string]string // of the workspace: names by folder, which installing links; nil where it is none
	Roots     []solve.Edge      // sorted by group and name
	Packages  []LockedPackage   // sorted by ID
	// Of formats that tell them: the environments that it was made for, what the application
	// requires of runtimes, and the address of the registry below which relative sources lie.
	Environments []Environment
	// Wider are environments in which people work on the application, besides the deployed ones.
	// What is needed there alone is in Wide, and not in the lock that the rest of Molt judges and
	// plans with; nil where there is no more.
	Wider []Environment
	Wide  *Lock
	Forks Forks
	// Alternatives are groups of which at most one of each list is ever installed; the first is the usual one.
	Alternatives [][]string
	Requires     []universe.Requirement
	Included     map[string][]string // groups that others bring along; what was read of a lock does not tell
	Index        string
	// addresses of the registries that people named, by scope or pattern, "default" for all other packages
	Origins map[string]string
	Kept    any // what the format's reader found and does not know, for its writer
}

// A LockedPackage is one node of the locked graph.
type LockedPackage struct {
	solve.Node
	PURL      string
	Integrity string // W3C subresource-integrity string
	Source    string // address of the archive, relative to the registry's where it lies below it
	When      string // the platforms that the archive is for, as universe.File has it
	Only      string // the condition under which this release of a package is the one, of several that a foreign lock has
	Runtimes  []universe.Requirement
	Runs      string          // as universe.Release has it; RunsUntold in a lock of a format that does not tell
	Files     []universe.File // all forms in which the release can be had, of formats that tell more than one
	Kept      any             // as Lock has it
}

// RunsUntold is what a package runs whose lock does not tell.
const RunsUntold = "?"

// An IntegrityError is an alarm: the registry states another checksum for releases than the lock does. A release never
// changes once it is published, so either somebody changed what the registry serves, or the lock.
type IntegrityError struct{ Changed []ChangedIntegrity }

// A ChangedIntegrity is a release with the checksum that the lock has, and the one that is stated now.
type ChangedIntegrity struct{ Release, Locked, Stated string }

func (e *IntegrityError) Error() string {
	lines := []string{"the checksums of releases are not those that are locked; a published release does not change, so " +
		"find out who changed what before you go on:"}
	for _, c := range e.Changed {
		lines = append(lines, fmt.Sprintf("  %s\n    locked  %s\n    stated  %s", c.Release, c.Locked, c.Stated))
	}
	lines = append(lines, "to accept one on purpose: molt relock --accept-checksum "+e.Changed[0].Release)
	return strings.Join(lines, "\n")
}

// An OriginError is an alarm: packages would come from another registry than those that are locked.
type OriginError struct{ Changed []string }

func (e *OriginError) Error() string {
	return "packages would come from elsewhere than when they were locked:\n  " + strings.Join(e.Changed, "\n  ") +
		"\nif that is meant: molt relock --accept-registry"
}

// Unchanged compares the checksums of the releases that two locks have in common. The error is an
// *IntegrityError; releases that are accepted (name@version) are not part of it, and neither are
// those that declarations name by another address than before.
func Unchanged(before, after *Lock, accepted []string) error {
	if before == nil {
		return nil
	}
	locked := map[string]*LockedPackage{}
	for i := range before.Packages {
		p := &before.Packages[i]
		locked[p.Name+"@"+p.Version] = p
	}
	named := map[string]bool{} // addresses in declarations
	for _, e := range after.Roots {
		named[e.To+" "+e.Constraint] = true
	}
	var changed []ChangedIntegrity
	for _, p := range after.Packages {
		release := p.Name + "@" + p.Version
		one := locked[release]
		if one == nil || one.Source != p.Source &&
			(strings.HasPrefix(p.Source, "git+") || strings.HasPrefix(p.Source, "file:") || named[p.ID+" "+p.Source]) {
			continue
		}
		was, is := one.Integrity, p.Integrity
		alike := slices.ContainsFunc(changed, func(c ChangedIntegrity) bool { return c.Release == release })
		if (archive.Differ(was, is) || was != "" && is == "") && !alike && !slices.Contains(accepted, release) {
			if is == "" {
				is = "nothing"
			}
			changed = append(changed, ChangedIntegrity{release, was, is})
		}
	}
	if changed == nil {
		return nil
	}
	return &IntegrityError{changed}
}

// NewLock makes the lock of a resolution, with what the source knows of its releases. Their
// checksums must be those of the lock before, which may be nil, but for releases that are accepted;
// otherwise the error is an *IntegrityError.
func NewLock(ctx context.Context, e Ecosystem, source universe.Source, r *solve.Resolution, before *Lock,
	accepted ...string) (*Lock, error) {
	l := &Lock{Ecosystem: e.Name(), Folded: r.Folded, Roots: slices.Clone(r.Roots)}
	var changed []ChangedIntegrity
	sortRoots(l.Roots)
	for _, n := range r.Packages {
		p, err := source.Package(ctx, n.Name)
		if err != nil {
			return nil, err
		}
		release := p.Release(n.Version)
		if universe.NameOf(n.Name).Extra != "" { // the package itself has the rest
			l.Packages = append(l.Packages, LockedPackage{Node: n, Runtimes: release.Runtimes})
			continue
		}
		if _, ok := e.(MultiFile); ok {
			was := before.block(n.ID)
			changed = append(changed, changedFiles(was, release.Files, accepted)...)
			l.Packages = append(l.Packages, newMultiFile(e, n, release, was))
			continue
		}
		l.Packages = append(l.Packages, LockedPackage{Node: n, PURL: PackageURL(e, n.Name, n.Version),
			Integrity: release.File().Integrity, Source: release.File().Address, When: release.File().When,
			Runtimes: release.Runtimes, Runs: release.Runs})
	}
	if changed != nil {
		return l, &IntegrityError{changed}
	}
	return l, Unchanged(before, l, accepted)
}

// A MultiFile is an ecosystem whose releases consist of several files, all of which its lock lists.
type MultiFile interface{ ListsFiles() }

// newMultiFile makes the package of a lock with the files that the lock before has of the release,
// as long as the registry has them too: one that was added since does not change a lock.
func newMultiFile(e Ecosystem, n solve.Node, r *universe.Release, was *LockedPackage) LockedPackage {
	p := LockedPackage{Node: n, PURL: PackageURL(e, universe.Plain(n.Name), n.Version), Runtimes: r.Runtimes,
		Files: r.Files}
	direct := func(files []universe.File) universe.File {
		if i := slices.IndexFunc(files, func(f universe.File) bool { return f.Direct }); i >= 0 {
			return files[i]
		}
		return universe.File{}
	}
	if was != nil && len(was.Files) > 0 && direct(was.Files).Address == direct(r.Files).Address {
		p.Files, p.Kept = was.Files, was.Kept
	}
	if len(p.Files) > 0 {
		p.Integrity, p.Source, p.When = p.Files[0].Integrity, p.Files[0].Address, p.Files[0].When
	}
	return p
}

// changedFiles lists the files of a locked release of which the registry states other checksums now.
func changedFiles(was *LockedPackage, files []universe.File, accepted []string) (changed []ChangedIntegrity) {
	if was == nil {
		return nil
	}
	stated := map[string]string{}
	for _, f := range files {
		if f.Direct && !slices.ContainsFunc(was.Files, func(x universe.File) bool { return x.Address == f.Address }) {
			continue // a declaration names another one
		}
		stated[path.Base(f.Address)] = f.Integrity
	}
	for i := range was.Files {
		f := &was.Files[i]
		name := path.Base(f.Address)
		is, there := stated[name]
		switch {
		case !there, !archive.Differ(f.Integrity, is) && (f.Integrity == "" || is != ""):
		case slices.Contains(accepted, was.Name+"@"+was.Version):
			f.Integrity = is
		default:
			if is == "" {
				is = "nothing"
			}
			changed = append(changed, ChangedIntegrity{was.Name + "@" + was.Version, f.Integrity + "  " + name, is})
		}
	}
	return changed
}

func sortRoots(roots []solve.Edge) {
	slices.SortFunc(roots, func(a, b solve.Edge) int {
		if c := strings.Compare(a.Group, b.Group); c != 0 {
			return c
		}
		return strings.Compare(a.Name, b.Name)
	})
}

// Bind gives a lock without edges the roots that declarations have in it: what each asks for, and
// the release that the lock has of that package. Where it has several, possible says whether the
// condition of a declaration and that of a release may hold together.
func (l *Lock) Bind(declared []Entry, possible func(when, only string) bool) {
	if !l.Edgeless {
		return
	}
	l.Roots = nil
	for _, d := range declared {
		e := solve.Edge{Name: d.As, Package: d.Package, Constraint: d.Text, Group: d.Group, Optional: d.Optional,
			Foreign: d.Foreign}
		bound := false
		for i := range l.Packages {
			p := &l.Packages[i]
			if universe.Plain(p.Name) != d.Package || d.Foreign || p.Only != "" && !possible(d.When, p.Only) {
				continue
			}
			one := e
			if one.To, one.When = p.ID, p.Only; bound {
				one.Name, one.Package = p.Name, p.Name
			}
			l.Roots = append(l.Roots, one)
			bound = true
		}
		if !bound {
			l.Roots = append(l.Roots, e)
		}
	}
	sortRoots(l.Roots)
}

// Resolution returns the locked graph.
func (l *Lock) Resolution() *solve.Resolution {
	r := &solve.Resolution{Roots: l.Roots, Folded: l.Folded, Packages: make([]solve.Node, 0, len(l.Packages))}
	for _, p := range l.Packages {
		r.Packages = append(r.Packages, p.Node)
	}
	return r
}

// Releases lists the packages of the lock that are releases of a registry, without those that stand for extras.
func (l *Lock) Releases() []LockedPackage {
	return slices.DeleteFunc(slices.Clone(l.Packages), func(p LockedPackage) bool {
		extra := universe.NameOf(p.Name).Extra
		return extra != ""
	})
}

// Declarations lists the roots without those that stand for extras or further forks.
func (l *Lock) Declarations() []solve.Edge {
	var all []solve.Edge
	for _, e := range l.Roots {
		extra := universe.NameOf(e.Package).Extra
		further := e.Name == e.Package && universe.Plain(e.Name) != e.Name &&
			slices.ContainsFunc(all, func(first solve.Edge) bool {
				return first.Group == e.Group && universe.Plain(first.Package) == universe.Plain(e.Package)
			})
		if extra == "" && !further {
			all = append(all, e)
		}
	}
	return all
}

// block returns the package with an ID, or nil. The lock may be nil.
func (l *Lock) block(id string) *LockedPackage {
	if l == nil {
		return nil
	}
	i, found := slices.BinarySearchFunc(
		l.Packages, id, func(p LockedPackage, id string) int { return strings.Compare(p.ID, id) })
	if !found {
		return nil
	}
	return &l.Packages[i]
}

// Universe returns the packages that the lock holds and no others, so that it can be checked
// without a registry: what they demand, and not where they come from. A constraint that is a tag is
// taken to have named the release that it got.
func (l *Lock) Universe(e Ecosystem) (universe.Table, error) {
	releases := make(map[string][]universe.Release, len(l.Packages))
	seen := make(map[[2]string]bool, len(l.Packages))
	tags := map[string]map[string]string{}
	read := map[string]bool{} // whether a constraint can be read, else it is a tag
	readable := func(constraint string) bool {
		ok, known := read[constraint]
		if !known {
			_, err := e.Scheme().Constrain(constraint)
			ok = err == nil
			read[constraint] = ok
		}
		return ok
	}
	demands := func(edges []solve.Edge) (all []universe.Demand) {
		all = make([]universe.Demand, 0, len(edges))
		for _, edge := range edges {
			all = append(all, universe.Demand{
				As: edge.Name, Package: edge.Package, Text: edge.Constraint, Optional: edge.Optional, Foreign: edge.Foreign})
			if edge.To == "" || readable(edge.Constraint) {
				continue
			}
			if to := l.block(edge.To); to != nil {
				if tags[to.Name] == nil {
					tags[to.Name] = map[string]string{}
				}
				tags[to.Name][edge.Constraint] = to.Version
			}
		}
		return all
	}
	demands(l.Roots)
	for i := range l.Packages {
		p := &l.Packages[i]
		needs, peers := demands(p.Needs), demands(p.Peers)
		if release := [2]string{p.Name, p.Version}; seen[release] {
			continue
		} else {
			seen[release] = true
		}
		v, err := e.Scheme().Parse(p.Version)
		if err != nil {
			return nil, err
		}
		releases[p.Name] = append(releases[p.Name],
			universe.Release{Version: v, Needs: needs, Peers: peers, Runtimes: p.Runtimes, Runs: p.Runs})
	}
	t := make(universe.Table, len(releases))
	for name, all := range releases {
		t[name] = universe.NewPackage(name, e.Scheme(), all)
		t[name].Tags = tags[name]
	}
	return t, nil
}

// MoltLock is the name of a lock in Molt's own format.
const MoltLock = "molt.lock"

// EncodeMoltLock writes a lock in the molt.lock format, which docs/formats.md describes: the same bytes for the same
// lock, one block a package, one line an edge, so that two branches seldom touch the same line.
func EncodeMoltLock(l *Lock) []byte {
	var b strings.Builder
	fmt.Fprintf(&b, "# Which releases this application is locked to. Molt writes this file; people review and commit it.\n")
	fmt.Fprintf(&b, "molt-lock = %d\necosystem = %s\n", newestLockFormat(), quoted(l.Ecosystem))
	if l.Folded {
		fmt.Fprintf(&b, "folded = true\n")
	}
	if len(l.Overrides) > 0 {
		fmt.Fprintf(&b, "\n[overrides]\n")
		for _, name := range slices.Sorted(maps.Keys(l.Overrides)) {
			fmt.Fprintf(&b, "%s = %s\n", quoted(name), quoted(l.Overrides[name]))
		}
	}
	if len(l.Waived) > 0 {
		fmt.Fprintf(&b, "\n[waived]\n")
		for _, key := range slices.Sorted(maps.Keys(l.Waived)) {
			fmt.Fprintf(&b, "%s = %s\n", quoted(key), quoted(l.Waived[key]))
		}
	}
	if len(l.Members) > 0 {
		fmt.Fprintf(&b, "\n[members]\n")
		for _, folder := range slices.Sorted(maps.Keys(l.Members)) {
			fmt.Fprintf(&b, "%s = %s\n", quoted(folder), quoted(l.Members[folder]))
		}
	}
	if len(l.Origins) > 0 {
		fmt.Fprintf(&b, "\n[registries]\n")
		for _, key := range slices.Sorted(maps.Keys(l.Origins)) {
			fmt.Fprintf(&b, "%s = %s\n", quoted(key), quoted(l.Origins[key]))
		}
	}
	for i, r := range l.Roots {
		if i == 0 || r.Group != l.Roots[i-1].Group {
			fmt.Fprintf(&b, "\n[application.%s]\n", quoted(r.Group))
		}
		fmt.Fprintf(&b, "%s = %s\n", quoted(edgeKey(r)), quoted(r.To))
	}
	for _, p := range l.Packages {
		fmt.Fprintf(&b, "\n[%s]\n", quoted("at "+p.ID))
		fmt.Fprintf(&b, "purl = %s\n", quoted(p.PURL))
		if p.Integrity != "" {
			fmt.Fprintf(&b, "integrity = %s\n", quoted(p.Integrity))
		}
		if p.Source != "" {
			fmt.Fprintf(&b, "archive = %s\n", quoted(p.Source))
		}
		if p.When != "" {
			fmt.Fprintf(&b, "when = %s\n", quoted(p.When))
		}
		if p.Runs != "" && p.Runs != RunsUntold {
			fmt.Fprintf(&b, "runs = %s\n", quoted(p.Runs))
		}
		for _, q := range p.Runtimes {
			fmt.Fprintf(&b, "runtime.%s = %s\n", quoted(q.Name), quoted(q.Text))
		}
		for _, edge := range p.Needs {
			fmt.Fprintf(&b, "need.%s = %s\n", quoted(edgeKey(edge)), quoted(edge.To))
		}
		for _, edge := range p.Peers {
			fmt.Fprintf(&b, "peer.%s = %s\n", quoted(edgeKey(edge)), quoted(edge.To))
		}
	}
	return []byte(b.String())
}

// quoted writes a TOML basic string, whose escapes are those of JSON.
func quoted(s string) string {
	if !strings.ContainsFunc(s, func(r rune) bool { return r < ' ' || r > '~' || r == '"' || r == '\\' }) {
		return `"` + s + `"`
	}
	var b strings.Builder
	enc := json.NewEncoder(&b)
	enc.SetEscapeHTML(false)
	_ = enc.Encode(s) // a string always has an encoding
	return string(input.EscapeJSON([]byte(strings.TrimSuffix(b.String(), "\n"))))
}

// edgeKey writes an edge's own side: "name constraint", "name=package constraint" for an alias,
// with "maybe " before it when the edge is optional, "outside " when it leads out of the registry,
// and "apart " where the member of a workspace that declares it stands apart.
func edgeKey(e solve.Edge) string {
	key := e.Name
	if e.Apart != "" {
		key = e.Own
	}
	if e.Package != key {
		key += "=" + e.Package
	}
	key += " " + e.Constraint
	if e.Foreign {
		key = "outside " + key
	}
	if e.Optional {
		key = "maybe " + key
	}
	if e.Apart != "" {
		key = "apart " + key
	}
	return key
}

func readEdge(key, to, group string) solve.Edge {
	e := solve.Edge{To: to, Group: group}
	key, apart := strings.CutPrefix(key, "apart ")
	key, e.Optional = strings.CutPrefix(key, "maybe ")
	key, e.Foreign = strings.CutPrefix(key, "outside ")
	e.Name, e.Constraint, _ = strings.Cut(key, " ")
	e.Package = e.Name
	if as, name, ok := strings.Cut(e.Name, "="); ok {
		e.Name, e.Package = as, name
	}
	if member := project.GroupOf(group).Member; apart && member != "" {
		e.Apart, e.Own, e.Name = member, e.Name, universe.Name{Package: e.Name, In: member}.String()
	}
	return e
}
