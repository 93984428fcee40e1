package locking

import (
	"context"
	"maps"
	"path"
	"slices"
	"strings"

	"molt/app/open"
	"molt/app/tree"
	"molt/core/fact"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/doc"
	"molt/ecosystem"
)

// mostExtra is how many installed packages that no lock leads to are named; there can be very many.
const mostExtra = 5

// CheckInstalled compares what is installed with the lock, by going through the lock's graph and
// looking each package up as the runtime would.
func CheckInstalled(a *open.View, installed ecosystem.Tree) []open.Finding {
	c := &comparison{View: a, tree: installed, nodes: map[string]*ecosystem.LockedPackage{}, said: map[string]bool{},
		reached: map[string]bool{}, visited: map[[2]string]bool{}}
	whole := a.Lock.Whole()
	for i := range whole.Packages {
		c.nodes[whole.Packages[i].ID] = &whole.Packages[i]
	}
	members := map[string][]solve.Edge{} // the runtime looks from the member's folder
	left := leftOut(a, installed)
	for _, e := range whole.Roots {
		if slices.Contains(left, e.Group) {
			continue
		}
		member := project.GroupOf(e.Group).Member
		if e.Apart != "" {
			e.Name = e.Own
		}
		members[member] = append(members[member], e)
	}
	for _, member := range slices.Sorted(maps.Keys(members)) {
		by := a.Manifest.Chief()
		if member != "" {
			by = member
		}
		c.follow(path.Join(installed.Root(), member), by, members[member])
	}
	var extra []string
	for _, p := range installed.Packages() {
		switch {
		case p.Problem != "":
			c.note(doc.PlaceAtFault, p.Path, p.Problem)
		case p.Bundled, c.reached[p.Place], p.Link != "":
		default:
			extra = append(extra, p.Path+" "+p.Version)
		}
	}
	for _, at := range extra[:min(len(extra), mostExtra)] {
		c.note(doc.NotInLock, at)
	}
	if n := len(extra) - mostExtra; n > 0 {
		c.note(doc.NorMorePackages, n)
	}
	return c.found
}

// leftOut lists the groups that are not installed since an alternative is: all but the one whose packages are there, or
// but the usual one.
func leftOut(a *open.View, installed ecosystem.Tree) (left []string) {
	for _, list := range a.Lock.Alternatives {
		there := slices.IndexFunc(list, func(group string) bool {
			return !slices.ContainsFunc(a.Lock.Whole().Roots, func(e solve.Edge) bool {
				return e.Group == group && e.When == "" && installed.Find(installed.Root(), e.Name) == nil
			})
		})
		for i, group := range list {
			if i != max(there, 0) {
				left = append(left, group)
			}
		}
	}
	return left
}

// checkFiles says which files of installed packages are not as Molt laid them out.
func checkFiles(ctx context.Context, a *open.View) ([]open.Finding, error) {
	kept, err := a.Store()
	if err != nil {
		return nil, err
	}
	var edited []string
	if flat, ok := a.Eco.(ecosystem.Flat); ok {
		edited, _, err = (&tree.Environment{Files: a.Files, Store: kept, Eco: flat}).Edited(ctx, a.Lock.Whole())
	} else if installer, ok := a.Eco.(ecosystem.Installer); ok {
		edited, _, err = (&tree.Tree{Files: a.Files, Store: kept, Eco: installer}).Edited(ctx)
	}
	if err != nil {
		return nil, err
	}
	var found []open.Finding
	for _, file := range edited[:min(len(edited), mostExtra)] {
		found = append(found, open.Finding{
			About: "installed", Says: fact.New(doc.FileEdited, file), File: file})
	}
	if n := len(edited) - mostExtra; n > 0 {
		found = append(found, open.Finding{About: "installed", Says: fact.New(doc.MoreFilesEdited, n)})
	}
	return found, nil
}

// A comparison of a lock with an installed tree.
type comparison struct {
	*open.View
	tree    ecosystem.Tree
	nodes   map[string]*ecosystem.LockedPackage
	found   []open.Finding
	said    map[string]bool
	reached map[string]bool    // places of installed packages
	visited map[[2]string]bool // pairs of a locked package and a folder
}

func (c *comparison) note(kind fact.Kind, of ...any) {
	says := fact.New(kind, of...)
	if key := says.String(); !c.said[key] {
		c.said[key] = true
		c.found = append(c.found, open.Finding{About: "installed", Says: says})
	}
}

// forked reports whether a version is that of another fork of the package that a demand leads to.
func (c *comparison) forked(edges []solve.Edge, e solve.Edge, version string) bool {
	return slices.ContainsFunc(edges, func(x solve.Edge) bool {
		n := c.nodes[x.To]
		return n != nil && n.Version == version && x.Package != e.Package &&
			universe.Plain(x.Package) == universe.Plain(e.Package)
	})
}

// follow looks up the needs of a package from its folder.
func (c *comparison) follow(home, by string, edges []solve.Edge) {
	for _, e := range edges {
		want := c.nodes[e.To]
		if want == nil {
			continue
		}
		got := c.tree.Find(home, e.Name)
		name := universe.Plain(want.Name)
		switch {
		case got != nil && got.Version != want.Version && c.forked(edges, e, got.Version):
			// this machine has that of another environment
			continue
		case got == nil && (e.Optional || e.When != ""): // what has a condition need not be here
			continue
		case got == nil:
			c.note(doc.NotInstalled, name, want.Version, by)
			continue
		}
		c.reached[got.Place] = true
		if got.Problem == "" && (got.Real != name || got.Version != want.Version) {
			c.note(doc.InstalledOther, got.Path, got.Real, got.Version, want.Name, want.Version)
			continue
		}
		if key := [2]string{want.ID, got.Home}; !c.visited[key] {
			c.visited[key] = true
			c.follow(got.Home, want.ID, slices.Concat(want.Needs, want.Peers)) // what nobody declares is there for peers only
		}
	}
}

// checkRuntimes says which runtimes do not suit the locked packages and the application: the deployed ones, and, where
// something is installed and hence runs, the one that this machine has.
func checkRuntimes(ctx context.Context, a *open.View, installed bool) []open.Finding {
	var found []open.Finding
	check := func(name, v string, where fact.Fact) {
		var texts []string
		by := map[string][]string{}
		ask := func(who, text string) {
			if a.Runtime(name).Suits(text, v) {
				return
			}
			if by[text] == nil {
				texts = append(texts, text)
			}
			by[text] = append(by[text], who)
		}
		for _, q := range a.Manifest.Runtimes() {
			if q.Name == name {
				ask(q.File, q.Text)
			}
		}
		for _, p := range a.Lock.Packages {
			for _, q := range p.Runtimes {
				if q.Name == name {
					ask(p.ID, q.Text)
				}
			}
		}
		for _, text := range texts {
			who := by[text]
			kind, names := doc.RuntimeUnfit, fact.Quote(strings.Join(who[:min(3, len(who))], ", "))
			if len(who) > 3 {
				names = fact.New(doc.NamesAndMore, strings.Join(who[:3], ", "), len(who)-3)
			}
			if len(who) > 1 {
				kind = doc.RuntimeUnfits
			}
			found = append(found, open.Finding{About: "runtime", Says: fact.New(kind, name, v, where, names, text)})
		}
	}
	for _, d := range a.Config.Runtime.All() {
		check(d.Runtime, d.Version, fact.New(doc.DeployedThere, d.Where()))
	}
	if name, v := a.RuntimeHere(ctx); installed && v != "" {
		check(name, v, fact.New(doc.RunsHere))
	}
	return found
}
