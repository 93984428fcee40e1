package js

import (
	"fmt"
	"io/fs"
	"maps"
	"path"
	"slices"
	"strings"

	"molt/core/project"
	"molt/core/solve"
	"molt/ecosystem"
)

// executables is the folder in which the runtime's tools look for what packages give people to run,
// in each folder of packages.
const executables = ".bin"

// Layout lays a lock out as flat as its graph allows. The runtime looks for a name in the folder of
// the asking package, then in that of the folder above, up to the application's (the module loading
// algorithm of the language's runtimes). So a release is put as far up as it can be: nothing of
// another kind may stand under its name there, nobody below may have looked through that folder for
// another of the name, and what it looks up as a peer, itself or for what it needs, must be the
// same folder there that its dependent sees. A release stands more than once only where one of
// these keeps it down. What the application declares is put to the top before everything else, and
// folders are filled in the order in which they come about, names in theirs, so that the same lock
// gives the same layout. A release that comes again below itself is a link to where it stands:
// releases that need each other in a circle would nest forever.
func (JS) Layout(l *ecosystem.Lock, fits func(*ecosystem.LockedPackage) bool) (*ecosystem.Layout, error) {
	y, err := newLayout(l, fits)
	if err != nil {
		return nil, err
	}
	y.fill()
	if err := y.check(); err != nil {
		return nil, err
	}
	out := &ecosystem.Layout{Executables: executables, Manifest: JS{}.Manifest()}
	for _, f := range y.folders[1:] {
		out.Places = append(out.Places,
			ecosystem.Place{Path: f.path, Name: f.name, Package: f.of.locked, Holder: path.Join(f.parent.path, modules)})
	}
	for _, k := range y.links {
		out.Places = append(out.Places,
			ecosystem.Place{Path: path.Join(k.in.path, modules, k.name), Name: k.name, Package: k.to.of.locked,
				Holder: path.Join(k.in.path, modules), Link: k.to.path})
	}
	for folder, name := range l.Members {
		if !folderName(name) {
			return nil, fmt.Errorf("the lock has a member named %q, which is no name of a folder for a package", name)
		}
		out.Places = append(out.Places,
			ecosystem.Place{Path: path.Join(modules, name), Name: name, Holder: modules, Link: folder})
	}
	for name, folder := range localFolders(l) {
		if l.Members[folder] == name {
			continue // a member of the workspace that is declared by its folder
		}
		out.Places = append(out.Places,
			ecosystem.Place{Path: path.Join(modules, name), Name: name, Holder: modules, Link: folder})
	}
	slices.SortFunc(out.Places, func(a, b ecosystem.Place) int { return strings.Compare(a.Path, b.Path) })
	return out, nil
}

// localFolders lists the folders of the application that it declares in place of packages, by name.
// They are linked like members of a workspace.
func localFolders(l *ecosystem.Lock) map[string]string {
	all := map[string]string{}
	for _, e := range l.Roots {
		member := project.GroupOf(e.Group).Member
		folder := ecosystem.LocalFolder(e)
		if e.Foreign && e.To == "" && member == "" && e.Apart == "" && folder != "" && folderName(e.Name) &&
			!slices.Contains(strings.Split(folder, "/"), modules) {
			all[e.Name] = folder
		}
	}
	return all
}

// A laid package is a node of the lock.
type laid struct {
	locked  *ecosystem.LockedPackage // nil for the application
	needs   map[string]*laid         // that are there
	outside map[string]bool          // needed names that come from elsewhere
	peers   map[string]*laid
	lookups map[string]*laid // what it and what it needs look up above it, by name
	above   []*laid          // who needs it
	out     bool             // it does not fit this platform, or needs what does not
}

// A folder is a place of the layout; the application's has no name.
type folder struct {
	path, name string
	of         *laid
	parent     *folder
	has        map[string]*folder // the packages in it
	through    map[string]*folder // what was found farther up by somebody who looked through it
}

type layout struct {
	folded  bool     // as the lock has it
	members []string // names that lead to members of the workspace
	app     *laid
	apart   map[string]*laid    // what members that stand apart declare so, by their folder
	shared  map[string][]string // names that they find at the top: what they declare and do not have apart
	nodes   map[string]*laid
	ids     []string // of nodes, sorted
	folders []*folder
	parts   []*folder // those of the members that stand apart
	links   []link
}

// A link is a name in a folder that leads to a folder above it.
type link struct {
	in   *folder
	name string
	to   *folder
}

func newLayout(l *ecosystem.Lock, fits func(*ecosystem.LockedPackage) bool) (*layout, error) {
	y := &layout{folded: l.Folded, nodes: make(map[string]*laid, len(l.Packages)),
		members: slices.Sorted(maps.Values(l.Members))}
	for i := range l.Packages {
		p := &l.Packages[i]
		y.nodes[p.ID] = &laid{locked: p, out: !fits(p)}
		y.ids = append(y.ids, p.ID)
	}
	y.members = append(y.members, slices.Sorted(maps.Keys(localFolders(l)))...)
	slices.Sort(y.ids)
	if err := y.leaveOut(l.Roots); err != nil {
		return nil, err
	}
	for _, edges := range append([][]solve.Edge{l.Roots}, edgesOf(l)...) {
		for _, e := range edges {
			if e.To != "" && !folderName(project.OwnName(e.Name)) {
				return nil, fmt.Errorf("the lock has the name %q, which is no name of a folder for a package", e.Name)
			}
			if e.To != "" && e.Group != "" && slices.Contains(y.members, e.Name) {
				return nil, fmt.Errorf("the lock has %s for a member of the workspace and for a package", e.Name)
			}
		}
	}
	lead := func(edges []solve.Edge) (map[string]*laid, map[string]bool) {
		to, outside := map[string]*laid{}, map[string]bool{}
		for _, e := range edges {
			if n := y.nodes[e.To]; n != nil && !n.out {
				to[e.Name] = n
			} else if e.Foreign {
				outside[e.Name] = true
			}
		}
		return to, outside
	}
	y.app, y.apart, y.shared = &laid{}, map[string]*laid{}, map[string][]string{}
	roots := map[string][]solve.Edge{}
	for _, e := range l.Roots {
		if e.Apart != "" {
			e.Name = e.Own
		} else if member := project.GroupOf(e.Group).Member; member != "" {
			y.shared[member] = append(y.shared[member], e.Name)
		}
		roots[e.Apart] = append(roots[e.Apart], e)
	}
	y.app.needs, y.app.outside = lead(roots[""])
	for _, name := range y.members {
		y.app.outside[name] = true
	}
	for member := range roots {
		if _, known := l.Members[member]; member != "" && !known {
			return nil, fmt.Errorf("the lock has declarations of %s apart, which is no member of the workspace", member)
		}
		if member != "" {
			n := &laid{lookups: map[string]*laid{}}
			n.needs, n.outside = lead(roots[member])
			y.apart[member] = n
		}
	}
	for _, id := range y.ids {
		n := y.nodes[id]
		n.needs, n.outside = lead(n.locked.Needs)
		n.peers, _ = lead(n.locked.Peers)
		n.lookups = maps.Clone(n.peers)
	}
	return y, y.lookUp()
}

// edgesOf lists the edges of all packages.
func edgesOf(l *ecosystem.Lock) (all [][]solve.Edge) {
	for i := range l.Packages {
		all = append(all, l.Packages[i].Needs, l.Packages[i].Peers)
	}
	return all
}

// folderName reports whether a name, with its scope, can be the path of a folder in a folder of
// packages, and of nothing else.
func folderName(name string) bool {
	scope, rest, scoped := strings.Cut(name, "/")
	if scoped != strings.HasPrefix(scope, "@") || len(scope) < 2 && scoped {
		return false
	}
	if !scoped {
		rest = scope
	}
	return fs.ValidPath(name) && rest != "." && !strings.HasPrefix(rest, ".") && rest != modules &&
		!strings.Contains(rest, "/") &&
		!strings.ContainsFunc(name, func(c rune) bool { return c <= ' ' || c == 0x7f || strings.ContainsRune(`\:*?"<>|`, c) })
}

// leaveOut marks what needs something that is left out, up to where it is optional.
func (y *layout) leaveOut(roots []solve.Edge) error {
	lost := func(edges []solve.Edge) *solve.Edge {
		for i := range edges {
			if n := y.nodes[edges[i].To]; n != nil && n.out && !edges[i].Optional {
				return &edges[i]
			}
		}
		return nil
	}
	for grew := true; grew; {
		grew = false
		for _, id := range y.ids {
			if n := y.nodes[id]; !n.out && (lost(n.locked.Needs) != nil || lost(n.locked.Peers) != nil) {
				n.out, grew = true, true
			}
		}
	}
	if e := lost(roots); e != nil {
		return fmt.Errorf("%s is not for this platform, or needs what is not, and the application needs it", e.To)
	}
	return nil
}

// lookUp finds out what is looked up above every node: its peers, and what its needs look up and it
// does not need itself.
func (y *layout) lookUp() error {
	todo := make([]*laid, 0, len(y.ids))
	for _, n := range y.apart {
		for _, c := range n.needs {
			c.above = append(c.above, n)
		}
	}
	for _, id := range y.ids {
		n := y.nodes[id]
		for _, c := range n.needs {
			c.above = append(c.above, n)
		}
		todo = append(todo, n)
	}
	for len(todo) > 0 {
		n := todo[len(todo)-1]
		todo = todo[:len(todo)-1]
		for _, up := range n.above {
			grew := false
			for name, to := range n.lookups {
				if own := up.needs[name]; own != nil || up.outside[name] {
					if own != nil && !y.same(own, to) {
						return fmt.Errorf("the lock has %s see %s as %s, and %s needs another: molt verify says more", n.locked.ID,
							to.locked.ID, name, idOf(up))
					}
					continue
				}
				if up.lookups[name] == nil {
					up.lookups[name], grew = to, true
				}
			}
			if grew {
				todo = append(todo, up)
			}
		}
	}
	return nil
}

// fill places everything that the application reaches.
func (y *layout) fill() {
	top := &folder{of: y.app, has: map[string]*folder{}, through: map[string]*folder{}}
	y.folders = []*folder{top}
	for _, name := range y.members { // nothing else may stand there
		top.has[name] = &folder{path: path.Join(modules, name), name: name, of: &laid{}, parent: top}
	}
	for _, name := range slices.Sorted(maps.Keys(y.app.needs)) {
		y.put(top, name, y.app.needs[name])
	}
	for _, member := range slices.Sorted(maps.Keys(y.apart)) {
		y.parts = append(y.parts, &folder{
			path: member, of: y.apart[member], parent: top, has: map[string]*folder{}, through: map[string]*folder{}})
	}
	provide := func(of *laid) { // what the application provides though it does not declare it
		for _, name := range slices.Sorted(maps.Keys(of.lookups)) {
			if top.has[name] == nil && !y.app.outside[name] {
				y.put(top, name, of.lookups[name])
			}
		}
	}
	for _, f := range y.parts {
		provide(f.of)
	}
	for n := 1; n < len(y.folders); n++ { // that can look something up in turn
		provide(y.folders[n].of)
	}
	for _, f := range y.folders[1:] {
		y.settle(f, top)
	}
	for _, f := range y.parts {
		for _, name := range slices.Concat(slices.Collect(maps.Keys(f.of.lookups)), y.shared[f.path], y.members) {
			if found := f.find(name); found != nil {
				f.keep(name, found)
			}
		}
	}
	for _, f := range y.parts {
		y.needsOf(f)
	}
	for n := 1; n < len(y.folders); n++ {
		y.needsOf(y.folders[n])
	}
}

// put makes a folder for a node in another, or a link where the node stands above. It returns nil for a link.
func (y *layout) put(in *folder, name string, n *laid) *folder {
	for at := in; at != nil; at = at.parent {
		if at.of == n {
			in.has[name] = at
			y.links = append(y.links, link{in, name, at})
			return nil
		}
	}
	f := &folder{path: path.Join(in.path, modules, name), name: name, of: n, parent: in, has: map[string]*folder{},
		through: map[string]*folder{}}
	in.has[name] = f
	y.folders = append(y.folders, f)
	return f
}

// find looks a name up from a folder, as the runtime does.
func (f *folder) find(name string) *folder {
	for at := f; at != nil; at = at.parent {
		if found := at.has[name]; found != nil {
			return found
		}
	}
	return nil
}

// keep has a name lead from a folder to where it leads now: nothing of that name may be put between.
func (f *folder) keep(name string, found *folder) {
	for at := f; at != nil && at.has[name] != found; at = at.parent {
		at.through[name] = found
	}
}

// needsOf places what the package of a folder needs.
func (y *layout) needsOf(f *folder) {
	left := slices.Sorted(maps.Keys(f.of.needs))
	for len(left) > 0 {
		var later []string
		for _, name := range left {
			n := f.of.needs[name]
			waits := slices.ContainsFunc(left, func(other string) bool {
				return other != name && n.lookups[other] == f.of.needs[other] && n.lookups[other] != nil
			})
			if waits { // what it looks up must have its place first
				later = append(later, name)
				continue
			}
			y.place(f, name, n)
		}
		if len(later) == len(left) { // they look each other up
			y.together(f, later)
			return
		}
		left = later
	}
}

// place finds the place for a need of a folder's package.
func (y *layout) place(f *folder, name string, n *laid) {
	there := f.find(name)
	if there != nil && there.of == n && y.sees(there, n, f) {
		f.keep(name, there)
		return
	}
	var levels []*folder
	for at := f; at != nil && (there == nil || at != there.parent); at = at.parent {
		levels = append(levels, at)
	}
	for _, in := range slices.Backward(levels) {
		if in != f && (in.has[name] != nil || in.through[name] != nil || !y.sees(in, n, f)) {
			continue
		}
		if at := y.put(in, name, n); at != nil {
			y.settle(at, f)
		}
		return
	}
}

// sees reports whether a node finds the same folders for what it looks up from one folder as from another.
func (y *layout) sees(from *folder, n *laid, as *folder) bool {
	for name := range n.lookups {
		a, b := from.find(name), as.find(name)
		if a != b && (len(y.folders) < mostFolders*len(y.nodes) || a == nil || b == nil || a.of != b.of) {
			return false
		}
	}
	return true
}

// mostFolders is how many folders there may be for each package of the lock before another copy of
// the same release, with the same peers, will do for a peer: packages that look each other up in
// many circles could stand in more folders than there is room for.
const mostFolders = 20

// settle keeps what a new folder sees, and that its dependent finds it.
func (y *layout) settle(at, dependent *folder) {
	dependent.keep(at.name, at)
	for name := range at.of.lookups {
		if found := at.find(name); found != nil {
			at.keep(name, found)
		}
	}
}

// together places needs that look each other up: where all of them are already, or else in the folder itself.
func (y *layout) together(f *folder, names []string) {
	all := true
	for _, name := range names {
		n, there := f.of.needs[name], f.find(name)
		all = all && there != nil && there.of == n
		for look := range n.lookups {
			all = all && there.find(look) == f.find(look)
		}
	}
	var made []*folder
	for _, name := range names {
		if all {
			f.keep(name, f.find(name))
		} else {
			if at := y.put(f, name, f.of.needs[name]); at != nil {
				made = append(made, at)
			}
		}
	}
	for _, at := range made {
		y.settle(at, f)
	}
}

// check looks every edge up.
func (y *layout) check() error {
	for _, f := range slices.Concat(y.folders, y.parts) {
		for _, edges := range []map[string]*laid{f.of.needs, f.of.peers} {
			for _, name := range slices.Sorted(maps.Keys(edges)) {
				if found := f.find(name); found == nil || !y.same(found.of, edges[name]) {
					return fmt.Errorf("%s cannot be laid out so that %s finds %s", edges[name].locked.ID, idOf(f.of), name)
				}
			}
		}
	}
	return nil
}

// same reports whether two nodes are one; in a folded lock, whose edges lead to the right release
// and not always to the right node of it, whether they are one release.
func (y *layout) same(a, b *laid) bool {
	return a == b || y.folded && a.locked != nil && b.locked != nil && a.locked.Name == b.locked.Name &&
		a.locked.Version == b.locked.Version
}

func idOf(n *laid) string {
	if n.locked == nil {
		return "the application"
	}
	return n.locked.ID
}
