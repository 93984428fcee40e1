// Package universe holds what the resolver knows of the world: packages, their releases, and what each release
// demands. It reads nothing itself; whoever has a registry, a file or a table of a test implements [Source].
package universe

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"
	"time"

	"molt/core/version"
)

// A Source supplies packages. Both methods may be called concurrently, and must give the same answer every time.
type Source interface {
	// Package returns a package with all its releases. A package that does not exist is an *UnknownError; every other
	// error is a failure of the source.
	Package(ctx context.Context, name string) (*Package, error)
	// Hint says which packages will probably be asked for soon, so that the source can fetch them ahead. It returns
	// at once, may do nothing, and does not keep the slice.
	Hint(names ...string)
}

// An UnknownError reports that a source has no package of a name.
type UnknownError struct{ Name string }

func (e *UnknownError) Error() string { return fmt.Sprintf("the registry has no package %q", e.Name) }

// A Package is a name with its releases. It is immutable after NewPackage and may be used concurrently.
type Package struct {
	Name     string
	Releases []Release         // ascending by precedence, no version twice
	Tags     map[string]string // a registry's names for releases
	Current  string            // the version that the registry hands out by default, "" when it says none
	Scheme   version.Scheme
	Notes    Notes

	list  version.List
	mu    sync.Mutex
	admit map[string]admission
	index map[string]int // positions by version; made when first asked for
	// By release and position in its list, the releases that make the same demand; made when first asked for.
	needMakers, peerMakers [][]version.Set
	peerNames              []string // made when first asked for
}

// Notes is what a registry says of a package as a whole, for people.
type Notes struct {
	About, Homepage, Repository string
	Log                         []LogLine // of a stand-in: what its archives say in their change log
	Code                        []Code    // of a stand-in: the files in its archives
}

// A Code is a file in the archives of a package, from one release on until another says otherwise.
type Code struct {
	Release, Name string // the name has slashes
	Text          string // "" where the file goes
}

// CodeOf returns the files in the archive of a release, by name.
func (p *Package) CodeOf(r *Release) map[string]string {
	files := map[string]string{}
	for i := range p.Releases { // a later release has what those before have
		for _, c := range p.Notes.Code {
			if c.Release == p.Releases[i].Version.String() {
				files[c.Name] = c.Text
			}
		}
		if p.Releases[i].Version.Compare(r.Version) == 0 {
			break
		}
	}
	maps.DeleteFunc(files, func(_, text string) bool { return text == "" })
	return files
}

// A LogLine is a line of a change log about one release.
type LogLine struct{ Release, Says string }

// A Release is one published version of a package.
type Release struct {
	Version    version.Version
	Needs      []Demand      // sorted by As
	Peers      []Demand      // sorted by As; never a name that Needs holds
	Covered    []Demand      // peers on names that Needs holds: they bind nobody, and yet state something; sorted by As
	Runtimes   []Requirement // sorted by Name
	Published  time.Time     // zero when the registry does not say
	Deprecated string        // the maintainers' words, "" when it is not deprecated
	Withdrawn  string        // why it may no longer be chosen, "" when it may; what is locked to it stays
	Files      []File        // the first is the one for every platform, where there is one
	Licence    string        // SPDX licence expression, "" when the registry gives none
}

// A File is one form in which a release can be had.
type File struct {
	Address   string // of the archive, relative to the registry's where it lies below it
	Integrity string // W3C subresource-integrity string, of one or several digests; "" when the registry gives none
	Size      int64  // in bytes, 0 when the registry does not say
	Kind      string // which of several forms, as the ecosystem calls it; "" where it has one
	When      string // the platforms for which it is, as the ecosystem writes conditions; "" for all
}

// File returns the first of the files; the zero File when there are none.
func (r *Release) File() File {
	if len(r.Files) == 0 {
		return File{}
	}
	return r.Files[0]
}

// A Demand is a name that a release needs or peers on, with a constraint.
type Demand struct {
	As       string // the name under which the dependent sees the package
	Package  string // the package of that name; differs from As for an alias
	Text     string // the constraint as written; may be a tag
	Optional bool   // it may go unserved
	When     string // the condition under which it holds, in the canonical form of the ecosystem's conditions; "" for always
	Extras   string // the extras of the package that are wanted, canonical, sorted, with commas; "" for none
	Foreign  bool   // Text is no constraint over a registry's releases (a path, an address): Molt leaves it alone
}

// A Requirement is a constraint on a language runtime or tool.
type Requirement struct{ Name, Text string }

type admission struct {
	set version.Set
	err error
}

// NewPackage sorts releases and demands, and drops what is there twice: a version, a name that a release needs or peers
// on (the first stays), a peer that the release needs itself.
func NewPackage(name string, scheme version.Scheme, releases []Release) *Package {
	slices.SortStableFunc(releases, func(a, b Release) int {
		if c := a.Version.Compare(b.Version); c != 0 {
			return c
		}
		return strings.Compare(a.Version.String(), b.Version.String())
	})
	releases = slices.CompactFunc(releases, func(a, b Release) bool { return a.Version.String() == b.Version.String() })
	p := &Package{Name: name, Releases: releases, Scheme: scheme}
	for i := range releases {
		r := &releases[i]
		r.Needs, r.Peers = distinct(r.Needs), distinct(r.Peers)
		r.Peers = slices.DeleteFunc(r.Peers, func(d Demand) bool {
			_, found := slices.BinarySearchFunc(r.Needs, d, byName)
			if found {
				r.Covered = append(r.Covered, d)
			}
			return found
		})
		r.Covered = distinct(r.Covered)
		slices.SortFunc(r.Runtimes, func(a, b Requirement) int { return cmp.Compare(a.Name, b.Name) })
		p.list = append(p.list, r.Version)
	}
	return p
}

// Restored is a package as it was, read from where it was kept: its releases are sorted and complete, as NewPackage leaves them.
type Restored struct {
	Name     string
	Scheme   version.Scheme
	Releases []Release
	Tags     map[string]string
	Current  string
	Notes    Notes
}

// Package returns the package.
func (r Restored) Package() *Package {
	p := &Package{Name: r.Name, Releases: r.Releases, Scheme: r.Scheme, Tags: r.Tags, Current: r.Current, Notes: r.Notes, list: make(version.List, len(r.Releases))}
	for i := range r.Releases {
		p.list[i] = r.Releases[i].Version
	}
	return p
}

// With returns the package with other releases, and all else that is known of it. The releases must not be those of another
// package.
func (p *Package) With(releases []Release) *Package {
	q := NewPackage(p.Name, p.Scheme, releases)
	q.Tags, q.Current, q.Notes = p.Tags, p.Current, p.Notes
	return q
}

// distinct sorts demands by name and keeps the first of each.
func distinct(all []Demand) []Demand {
	slices.SortStableFunc(all, byName)
	return slices.CompactFunc(all, func(a, b Demand) bool { return a.As == b.As })
}

func byName(a, b Demand) int { return cmp.Compare(a.As, b.As) }

// Versions returns the versions of the releases, in the same order.
func (p *Package) Versions() version.List { return p.list }

// Index returns the position of a version by its text, or -1.
func (p *Package) Index(text string) int {
	if len(p.list) <= 8 { // fewer than a map is worth
		return slices.IndexFunc(p.list, func(v version.Version) bool { return v.String() == text })
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.index == nil {
		p.index = make(map[string]int, len(p.list))
		for i, v := range p.list {
			p.index[v.String()] = i
		}
	}
	if i, ok := p.index[text]; ok {
		return i
	}
	return -1
}

// Release returns the release of that version, or nil.
func (p *Package) Release(text string) *Release {
	if i := p.Index(text); i >= 0 {
		return &p.Releases[i]
	}
	return nil
}

// Admit returns the releases that a constraint, or a tag of this package, admits. The error is that of the scheme,
// when the text is neither.
func (p *Package) Admit(text string) (version.Set, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	a, ok := p.admit[text]
	if !ok {
		a.set, a.err = p.evaluate(text)
		if p.admit == nil {
			p.admit = map[string]admission{}
		}
		p.admit[text] = a
	}
	return a.set, a.err
}

func (p *Package) evaluate(text string) (version.Set, error) {
	c, err := p.Scheme.Constrain(text)
	if err == nil {
		return c.Admit(p.list), nil
	}
	if tagged, ok := p.Tags[strings.TrimSpace(text)]; ok {
		if i := p.list.Index(tagged); i >= 0 {
			s := version.NewSet(len(p.list))
			s.Add(i)
			return s, nil
		}
	}
	return version.NewSet(len(p.list)), err
}

// PeerNames returns the names on which some release peers, sorted.
func (p *Package) PeerNames() []string {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.peerNames == nil {
		p.peerNames = []string{}
		for i := range p.Releases {
			for k := range p.Releases[i].Peers {
				if name := p.Releases[i].Peers[k].As; !slices.Contains(p.peerNames, name) {
					p.peerNames = append(p.peerNames, name)
				}
			}
		}
		slices.Sort(p.peerNames)
	}
	return p.peerNames
}

// MakingNeed returns the releases that make the same demand as the k-th need of release w.
func (p *Package) MakingNeed(w, k int) version.Set {
	return p.making(&p.needMakers, w, k, func(r *Release) []Demand { return r.Needs })
}

// MakingPeer returns the releases that make the same demand as the k-th peer of release w.
func (p *Package) MakingPeer(w, k int) version.Set {
	return p.making(&p.peerMakers, w, k, func(r *Release) []Demand { return r.Peers })
}

// making looks a set up by release and position, and when it is not there yet puts it wherever it belongs.
func (p *Package) making(makers *[][]version.Set, w, k int, of func(*Release) []Demand) version.Set {
	p.mu.Lock()
	defer p.mu.Unlock()
	if *makers == nil {
		*makers = make([][]version.Set, len(p.Releases))
	}
	if known := (*makers)[w]; known != nil && known[k].Size() > 0 {
		return known[k]
	}
	d := of(&p.Releases[w])[k]
	s := version.NewSet(len(p.Releases))
	for i := range p.Releases {
		all := of(&p.Releases[i])
		at := k
		if at >= len(all) || all[at].As != d.As {
			var found bool
			if at, found = slices.BinarySearchFunc(all, d.As, func(x Demand, as string) int { return strings.Compare(x.As, as) }); !found {
				continue
			}
		}
		if all[at] != d {
			continue
		}
		s.Add(i)
		if (*makers)[i] == nil {
			(*makers)[i] = make([]version.Set, len(all))
		}
		(*makers)[i][at] = s
	}
	return s
}

// Stable returns the set of releases that are not prereleases.
func (p *Package) Stable() version.Set {
	s := version.NewSet(len(p.list))
	for i, v := range p.list {
		if !v.Prerelease() {
			s.Add(i)
		}
	}
	return s
}

// Newest returns the newest release that is neither a prerelease nor deprecated, else the newest that is no
// prerelease, else the newest of all; nil when there is none.
func (p *Package) Newest() *Release {
	best := -1
	for i := range p.Releases {
		if best < 0 || p.rank(i) >= p.rank(best) {
			best = i
		}
	}
	if best < 0 {
		return nil
	}
	return &p.Releases[best]
}

// rank orders releases by how much they are wanted; usedRank and keptRank are above all of them.
func (p *Package) rank(i int) int {
	switch r := &p.Releases[i]; {
	case r.Version.Prerelease():
		return 0
	case r.Deprecated != "":
		return 1
	}
	return usedRank - 1
}

const (
	usedRank = 3
	keptRank = 4
)
