// Package universe holds what the resolver knows of the world: packages, their releases, and what each release
// demands. It reads nothing itself; whoever has a registry, a file or a table of a test implements [Source].
package universe

import (
	"context"
	"fmt"
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

// A Package is a name with its releases, ascending by precedence, no version twice. What it says never
// changes, so it may be used concurrently; what was worked out for one caller is kept for the next.
type Package struct {
	Name    string
	Tags    map[string]string // a registry's names for releases
	Current string            // the version that the registry hands out by default, "" when it says none
	Scheme  version.Scheme
	Notes   Notes

	releases
	mu    sync.Mutex
	admit []admission          // of the first few constraints that were asked about
	more  map[string]admission // of the others
	// By release and position in its list, the releases that make the same demand; made when first asked for.
	needMakers, peerMakers makers
	peerNames              []string // made when first asked for
}

// Notes is what a registry says of a package as a whole, for people.
type Notes struct{ About, Homepage, Repository string }

// A Release is one published version of a package.
type Release struct {
	Version version.Version
	Needs   []Demand // sorted by As
	Peers   []Demand // sorted by As; never a name that Needs holds
	// peers on names that Needs holds, and what the manifest overrides: they bind nobody, and yet
	// state something; sorted by As
	Covered    []Demand
	Runtimes   []Requirement // sorted by Name
	Published  time.Time     // zero when the registry does not say
	Deprecated string        // the maintainers' words, "" when it is not deprecated
	Withdrawn  string        // why no constraint but an exact one admits it any more, "" when all may
	Files      []File        // the first is the one for every platform, where there is one
	Licence    string        // SPDX licence expression, "" when the registry gives none
	Claims     []Claim       // sorted by package
	Runs       string        // what the registry says that can be run of it, as the ecosystem writes it; "" for nothing
	// relatives, by their names, with which its authors develop it: no demand, and yet a sign; sorted by As
	Tested []Demand
	Typed  bool // the registry says that it brings its own type declarations
}

// A Claim is what a release says about another package without asking for it: versions of that
// package that its authors name as ones that it is for.
type Claim struct {
	Package  string
	Versions []string // as goals are written: "4.2" is every release of 4.2; in the order in which they are named
}

// A File is one form in which a release can be had.
type File struct {
	Address   string // of the archive, relative to the registry's where it lies below it
	Integrity string // W3C subresource-integrity string, of one or several digests; "" when the registry gives none
	Size      int64  // in bytes, 0 when the registry does not say
	Kind      string // which of several forms, as the ecosystem calls it; "" where it has one
	When      string // the platforms for which it is, as the ecosystem writes conditions; "" for all
	Name      string // of the file, where its address does not end in it
	Bare      bool   // the registry says that what the file needs can be read nowhere but in it
	Direct    bool   // a declaration names it by its address, so that it is the only one
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
	Foreign  bool   // Text is no constraint over a registry's releases (a path, an address): Molt leaves it alone
	// of Package, as the Numbers of the source have it; 0 when it has none. It only helps to find the package
	Number int32
	When   string // the condition under which it holds, in the canonical form of the ecosystem's conditions; "" for always
	Extras string // the extras of the package that are wanted, canonical, sorted, with commas; "" for none
}

// A Requirement is a constraint on a language runtime or tool.
type Requirement struct{ Name, Text string }

// An admission is what a constraint admits.
type admission struct {
	text string
	set  version.Set
	err  error
}

// fewConstraints is how many constraints are looked up one by one; most packages meet no more.
const fewConstraints = 6

// Admit returns the releases that a constraint, or a tag of this package, admits. The error is that of the scheme,
// when the text is neither.
func (p *Package) Admit(text string) (version.Set, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	for i := range p.admit {
		if a := &p.admit[i]; a.text == text {
			return a.set, a.err
		}
	}
	if a, ok := p.more[text]; ok {
		return a.set, a.err
	}
	a := admission{text: text}
	a.set, a.err = p.evaluate(text)
	switch {
	case len(p.admit) < fewConstraints:
		p.admit = append(p.admit, a)
	case p.more == nil:
		p.more = map[string]admission{text: a}
	default:
		p.more[text] = a
	}
	return a.set, a.err
}

func (p *Package) evaluate(text string) (version.Set, error) {
	set, err := version.Evaluate(p.Scheme, text, p.Versions())
	if err == nil {
		return p.withoutWithdrawn(text, set), nil
	}
	if tagged, ok := p.Tags[strings.TrimSpace(text)]; ok {
		if i := p.Versions().Index(tagged); i >= 0 {
			s := version.NewSet(p.Len())
			s.Add(i)
			return s, nil
		}
	}
	if set, err, ok := p.evaluateAsOf(text); ok {
		return set, err
	}
	if set, err, ok := p.evaluateOrOlder(text); ok {
		return set, err
	}
	return version.NewSet(p.Len()), err
}

// withoutWithdrawn takes the withdrawn releases out of what a constraint admits, unless it is an
// exact one. When only these are left, a prerelease may be admitted that was not before, so the
// constraint is put to the others only.
func (p *Package) withoutWithdrawn(text string, admitted version.Set) version.Set {
	if !p.mayWithdraw() {
		return admitted
	}
	standing := p.Standing()
	if standing.Count() == p.Len() || p.Scheme.StyleOf(text) == version.Exact {
		return admitted
	}
	left := p.Only(standing.Has)
	c, err := p.Scheme.Constrain(text)
	if err != nil {
		return admitted
	}
	set := version.NewSet(p.Len())
	for k := range c.Admit(left.Versions()).All() {
		set.Add(left.at[k])
	}
	return set
}

// PeerNames returns the names on which some release peers, sorted.
func (p *Package) PeerNames() []string {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.peerNames == nil {
		p.peerNames = []string{}
		var last []Demand
		for i := range p.Len() {
			peers := p.Peers(i)
			if len(peers) > 0 && SameLists(peers, last) {
				continue
			}
			last = peers
			for k := range peers {
				if name := peers[k].As; !slices.Contains(p.peerNames, name) {
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
	return p.making(&p.needMakers, w, k, p.Needs)
}

// MakingPeer returns the releases that make the same demand as the k-th peer of release w.
func (p *Package) MakingPeer(w, k int) version.Set {
	return p.making(&p.peerMakers, w, k, p.Peers)
}

// making looks a set up by release and position, and when it is not there yet puts it wherever it belongs.
func (p *Package) making(m *makers, w, k int, of func(i int) []Demand) version.Set {
	p.mu.Lock()
	defer p.mu.Unlock()
	if m.sets == nil {
		m.sets = make([][]version.Set, p.Len())
	}
	if known := m.sets[w]; known != nil && known[k].Size() > 0 {
		return known[k]
	}
	if c, _ := p.costly(w); c != nil {
		one := version.NewSet(p.Len())
		one.Add(w)
		return one
	}
	d := &of(w)[k]
	s := version.NewSet(p.Len())
	if m.scans++; m.scans > mostScans {
		for _, i := range m.by(p, of)[*d] {
			s.Add(int(i))
		}
		return s
	}
	var last []Demand
	at, makes := k, false
	for i := range p.Len() {
		all := of(i)
		if len(all) == 0 || !SameLists(all, last) {
			last = all
			at = under(all, d.As, at)
			makes = at >= 0 && all[at].Text == d.Text && all[at] == *d
		}
		if !makes {
			continue
		}
		s.Add(i)
		if m.sets[i] == nil {
			m.sets[i] = make([]version.Set, len(all))
		}
		m.sets[i][at] = s
	}
	return s
}

// makers know which releases of a package make a demand.
type makers struct {
	sets  [][]version.Set    // by release and position, as far as they were asked for
	scans int                // how often all releases were gone through
	index map[Demand][]int32 // the releases by demand, once that was often
}

// mostScans is how often the releases are gone through one by one. Few packages make so many different demands.
const mostScans = 200

// by returns the index.
func (m *makers) by(p *Package, of func(i int) []Demand) map[Demand][]int32 {
	if m.index == nil {
		m.index = map[Demand][]int32{}
		for i := range p.Len() {
			if c, _ := p.costly(i); c != nil {
				continue
			}
			for _, d := range of(i) {
				m.index[d] = append(m.index[d], int32(i))
			}
		}
	}
	return m.index
}

// fewDemands is how many demands are compared one by one, which is quicker than halving as most names differ in length.
const fewDemands = 6

// under finds the demand under a name, which probably is near a position, as it was in the list
// before; -1 where there is none.
func under(all []Demand, name string, near int) int {
	if near >= 0 && near < len(all) && all[near].As == name {
		return near
	}
	if len(all) <= fewDemands {
		for i := range all {
			if sameName(all[i].As, name) {
				return i
			}
		}
		return -1
	}
	from, to := 0, len(all)
	for from < to {
		if middle := int(uint(from+to) >> 1); all[middle].As < name {
			from = middle + 1
		} else {
			to = middle
		}
	}
	if from == len(all) || all[from].As != name {
		return -1
	}
	return from
}

// sameName is a == b, with a look at the last letter first: names of one length often begin alike.
func sameName(a, b string) bool {
	return len(a) == len(b) && (a == "" || a[len(a)-1] == b[len(b)-1]) && a == b
}

// SameLists reports whether two lists are known to be equal without comparing them: they are one list, or empty.
func SameLists(a, b []Demand) bool { return len(a) == len(b) && (len(a) == 0 || &a[0] == &b[0]) }

// Stable returns the set of releases that are neither prereleases nor withdrawn.
func (p *Package) Stable() version.Set {
	s := version.NewSet(p.Len())
	for i, v := range p.Versions() {
		if !v.Prerelease() && !p.Withdrawn(i) {
			s.Add(i)
		}
	}
	return s
}

// Previews returns the prereleases that are not withdrawn.
func (p *Package) Previews() version.Set { return p.Standing().Minus(p.Stable()) }

// Standing returns the releases that are not withdrawn.
func (p *Package) Standing() version.Set {
	if !p.mayWithdraw() {
		return version.FullSet(p.Len())
	}
	s := version.NewSet(p.Len())
	for i := range p.Len() {
		if !p.Withdrawn(i) {
			s.Add(i)
		}
	}
	return s
}

// Newest returns the newest release that is neither a prerelease, withdrawn nor deprecated, else
// the newest that is neither of the first two, else the newest of all; nil when there is none.
func (p *Package) Newest() *Release {
	best := -1
	for i := range p.Len() {
		if best < 0 || p.rank(i) >= p.rank(best) {
			best = i
		}
	}
	if best < 0 {
		return nil
	}
	return p.At(best)
}

// rank orders releases by how much they are wanted; usedRank and keptRank are above all of them.
func (p *Package) rank(i int) int {
	switch {
	case p.Version(i).Prerelease(), p.Withdrawn(i):
		return 0
	case p.Deprecated(i):
		return 1
	}
	return usedRank - 1
}

const (
	usedRank = 3
	keptRank = 4
)
