package universe

import (
	"cmp"
	"fmt"
	"iter"
	"slices"
	"strings"
	"sync/atomic"
	"time"

	"molt/core/version"
)

// releases are those of a package, in one of three forms: all of them in memory, kept in a form
// from which each is read when it is first looked at, or some of another package's.
type releases struct {
	whole         []Release
	someWithdrawn bool // of whole

	kept Kept
	read []atomic.Pointer[Release] // nil where nobody looked yet

	of         *Package
	at         []int        // positions in of
	reinstated map[int]bool // positions in of

	list    atomic.Pointer[version.List]   // nil until all versions are wanted
	index   atomic.Pointer[map[string]int] // positions by version; nil until it is worth having
	lookups atomic.Int32                   // how many there were without it
}

// Kept is a package in a form from which releases are read one at a time, by position. It may be
// used concurrently. What it gives is as NewPackage leaves it: versions ascend and none is there
// twice, and demands are sorted.
type Kept interface {
	Len() int
	Version(i int) string // one that the scheme reads
	Deprecated(i int) bool
	Runtimes(i int) []Requirement
	Needs(i int) []Demand // equal lists are the same list, which makes them quick to compare
	Peers(i int) []Demand
	Release(i int) Release // Version may be missing
}

// Withdrawing is a Kept of which releases may be withdrawn.
type Withdrawing interface {
	Kept
	Withdrawn(i int) bool
}

// Claiming is a Kept of which releases may claim something.
type Claiming interface {
	Kept
	Claims(i int) []Claim
}

// DatedKept is a Kept that tells when a release was published without reading the rest of it.
type DatedKept interface {
	Kept
	Published(i int) time.Time
}

// Costly is a Kept for which it costs a request to look at what a release demands. The search looks
// at the releases that it wants to choose, and at no others in order to learn from them. Where the
// request fails, the release demands a package about which the source reports that.
type Costly interface {
	Kept
	// Dear reports whether a request is not enough to look at a release: a whole archive is fetched, or a build made.
	Dear(i int) bool
	// LookAhead begins to make the requests for releases that will be looked at. It returns at once.
	LookAhead(at []int)
	// About returns what is known of a release without such a request: not what it demands, and not its licence.
	About(i int) Release
}

// NewPackage sorts releases and demands, and drops what is there twice: a version, a name that a release needs or peers
// on (the first stays), a peer that the release needs itself.
func NewPackage(name string, scheme version.Scheme, all []Release) *Package {
	slices.SortStableFunc(all, func(a, b Release) int {
		if c := a.Version.Compare(b.Version); c != 0 {
			return c
		}
		return strings.Compare(a.Version.String(), b.Version.String())
	})
	all = slices.CompactFunc(all, func(a, b Release) bool { return a.Version.String() == b.Version.String() })
	list := make(version.List, len(all))
	for i := range all {
		all[i].Sort()
		list[i] = all[i].Version
	}
	some := slices.ContainsFunc(all, func(r Release) bool { return r.Withdrawn != "" })
	p := &Package{Name: name, Scheme: scheme, releases: releases{whole: all, someWithdrawn: some}}
	if !slices.ContainsFunc(all, func(r Release) bool { return len(r.Peers) > 0 }) {
		p.peerNames = []string{}
	}
	p.list.Store(&list)
	return p
}

// Sort sorts what a release demands, and drops what is there twice. Lists that are in order are not touched.
func (r *Release) Sort() {
	r.Needs, r.Peers = distinct(r.Needs), distinct(r.Peers)
	covered := func(d Demand) bool {
		_, found := slices.BinarySearchFunc(r.Needs, d, byName)
		return found
	}
	if slices.ContainsFunc(r.Peers, covered) {
		for _, d := range r.Peers {
			if covered(d) {
				r.Covered = append(r.Covered, d)
			}
		}
		r.Peers = slices.DeleteFunc(r.Peers, covered)
	}
	r.Covered, r.Tested = distinct(r.Covered), distinct(r.Tested)
	ascending := func(a, b Requirement) int { return cmp.Compare(a.Name, b.Name) }
	if !slices.IsSortedFunc(r.Runtimes, ascending) {
		slices.SortFunc(r.Runtimes, ascending)
	}
}

// distinct sorts demands by name and keeps the first of each.
func distinct(all []Demand) []Demand {
	sorted := true
	for i := 1; i < len(all) && sorted; i++ {
		sorted = all[i-1].As < all[i].As
	}
	if sorted {
		return all
	}
	slices.SortStableFunc(all, byName)
	return slices.CompactFunc(all, func(a, b Demand) bool { return a.As == b.As })
}

func byName(a, b Demand) int { return cmp.Compare(a.As, b.As) }

// Keep makes of a package without releases, as the keeper knows it, one with those that are kept.
func Keep(p *Package, kept Kept) *Package {
	p.releases = releases{kept: kept, read: make([]atomic.Pointer[Release], kept.Len())}
	return p
}

// With returns the package with other releases, and all else that is known of it. The releases must
// not be those of another package.
func (p *Package) With(all []Release) *Package {
	q := NewPackage(p.Name, p.Scheme, all)
	q.Tags, q.Current, q.Notes = p.Tags, p.Current, p.Notes
	return q
}

// Only returns the package with the releases for which keep is true.
func (p *Package) Only(keep func(i int) bool) *Package {
	at := make([]int, 0, p.Len())
	for i := range p.Len() {
		if keep(i) {
			at = append(at, i)
		}
	}
	if len(at) == p.Len() {
		return p
	}
	return &Package{Name: p.Name, Scheme: p.Scheme, Tags: p.Tags, Current: p.Current, Notes: p.Notes,
		releases: releases{of: p, at: at}}
}

// Len returns how many releases there are.
func (p *Package) Len() int {
	switch {
	case p.kept != nil:
		return len(p.read)
	case p.of != nil:
		return len(p.at)
	}
	return len(p.whole)
}

// At returns the release at a position. It is the same every time.
func (p *Package) At(i int) *Release {
	if p, i = p.origin(i); p.kept == nil {
		return &p.whole[i]
	}
	if r := p.read[i].Load(); r != nil {
		return r
	}
	r := p.kept.Release(i)
	r.Version = p.Version(i)
	p.read[i].CompareAndSwap(nil, &r)
	return p.read[i].Load()
}

// All goes through the releases.
func (p *Package) All() iter.Seq[*Release] {
	return func(yield func(*Release) bool) {
		for i := range p.Len() {
			if !yield(p.At(i)) {
				return
			}
		}
	}
}

// Copies returns copies of the releases, of which anything but what they refer to may be changed.
func (p *Package) Copies() []Release {
	all := make([]Release, 0, p.Len())
	for r := range p.All() {
		all = append(all, *r)
	}
	return all
}

// Versions returns the versions of the releases, in the same order.
func (p *Package) Versions() version.List {
	if list := p.list.Load(); list != nil {
		return *list
	}
	list := make(version.List, p.Len())
	if p.of != nil {
		all := p.of.Versions()
		for i, k := range p.at {
			list[i] = all[k]
		}
	} else {
		for i := range list {
			list[i] = p.parsed(i)
		}
	}
	p.list.CompareAndSwap(nil, &list)
	return *p.list.Load()
}

// Version returns the version of a release, without reading the rest of it or the others.
func (p *Package) Version(i int) version.Version {
	if list := p.list.Load(); list != nil {
		return (*list)[i]
	}
	if p.of != nil {
		return p.of.Version(p.at[i])
	}
	return p.parsed(i)
}

// parsed reads a version of a package that is kept.
func (p *Package) parsed(i int) version.Version {
	if r := p.read[i].Load(); r != nil {
		return r.Version
	}
	v, err := p.Scheme.Parse(p.kept.Version(i))
	if err != nil { // whoever keeps it has to see to that
		panic(fmt.Sprintf("package %s is kept with a version that its scheme does not read: %v", p.Name, err))
	}
	return v
}

// origin returns the package that has a release, and where (-1 for no release): what is some of
// another package's has none itself.
func (p *Package) origin(i int) (*Package, int) {
	for p.of != nil {
		if i >= 0 {
			i = p.at[i]
		}
		p = p.of
	}
	return p, i
}

// text returns a version as it is written, without reading it.
func (p *Package) text(i int) string {
	if p, i = p.origin(i); p.kept == nil {
		return p.whole[i].Version.String()
	}
	return p.kept.Version(i)
}

// Deprecated reports whether a release is deprecated, without reading the rest of it.
func (p *Package) Deprecated(i int) bool {
	if p, i = p.origin(i); p.kept == nil {
		return p.whole[i].Deprecated != ""
	}
	return p.kept.Deprecated(i)
}

// Withdrawn reports whether a release is withdrawn, without reading the rest of it.
func (p *Package) Withdrawn(i int) bool {
	for p.of != nil {
		if p.reinstated[p.at[i]] {
			return false
		}
		p, i = p.of, p.at[i]
	}
	if p.kept == nil {
		return p.whole[i].Withdrawn != ""
	}
	w, ok := p.kept.(Withdrawing)
	return ok && w.Withdrawn(i)
}

// mayWithdraw reports whether a release may be withdrawn, without a look at them.
func (p *Package) mayWithdraw() bool {
	p, _ = p.origin(-1)
	_, ok := p.kept.(Withdrawing)
	return ok || p.someWithdrawn
}

// Reinstated returns the package with some releases, by version, not withdrawn.
func (p *Package) Reinstated(versions []string) *Package {
	at := make([]int, p.Len())
	again := map[int]bool{}
	for i := range at {
		at[i] = i
		if p.Withdrawn(i) && slices.Contains(versions, p.text(i)) {
			again[i] = true
		}
	}
	if len(again) == 0 {
		return p
	}
	return &Package{Name: p.Name, Scheme: p.Scheme, Tags: p.Tags, Current: p.Current, Notes: p.Notes,
		releases: releases{of: p, at: at, reinstated: again}}
}

// costly returns the keeper of a package for which it costs a request to look at demands, with the
// position there; else nil.
func (p *Package) costly(i int) (Costly, int) {
	p, i = p.origin(i)
	c, _ := p.kept.(Costly)
	return c, i
}

// IsCostly reports whether it costs a request to look at what a release demands.
func (p *Package) IsCostly() bool {
	if p.Len() == 0 {
		return false
	}
	c, _ := p.costly(0)
	return c != nil
}

// IsDear reports whether it costs more than a request to look at what a release demands.
func (p *Package) IsDear(i int) bool {
	c, at := p.costly(i)
	return c != nil && c.Dear(at)
}

// LookAhead says that releases of the package will be looked at.
func (p *Package) LookAhead(at []int) {
	if !p.IsCostly() {
		return
	}
	c, _ := p.costly(0)
	origins := make([]int, len(at))
	for k, i := range at {
		_, origins[k] = p.costly(i)
	}
	c.LookAhead(origins)
}

// Published returns when a release was published; zero when the registry does not say.
func (p *Package) Published(i int) time.Time {
	switch {
	case p.of != nil:
		return p.of.Published(p.at[i])
	case p.kept != nil:
		if d, ok := p.kept.(DatedKept); ok {
			return d.Published(i)
		}
	}
	return p.About(i).Published
}

// About returns a release for a look at anything but what it demands and its licence, which may be missing.
func (p *Package) About(i int) *Release {
	if c, at := p.costly(i); c != nil {
		if origin, _ := p.origin(i); origin.read[at].Load() == nil {
			r := c.About(at)
			r.Version = p.Version(i)
			return &r
		}
	}
	return p.At(i)
}

// Runtimes returns what a release requires of runtimes, without reading the rest of it.
func (p *Package) Runtimes(i int) []Requirement {
	if p, i = p.origin(i); p.kept == nil {
		return p.whole[i].Runtimes
	}
	return p.kept.Runtimes(i)
}

// Needs returns what a release needs, without reading the rest of it.
func (p *Package) Needs(i int) []Demand {
	if p, i = p.origin(i); p.kept == nil {
		return p.whole[i].Needs
	}
	return p.kept.Needs(i)
}

// Claims returns what a release claims.
func (p *Package) Claims(i int) []Claim {
	if p, i = p.origin(i); p.kept == nil {
		return p.whole[i].Claims
	}
	if c, ok := p.kept.(Claiming); ok {
		return c.Claims(i)
	}
	return nil
}

// Peers returns what a release expects as peers, without reading the rest of it.
func (p *Package) Peers(i int) []Demand {
	if p, i = p.origin(i); p.kept == nil {
		return p.whole[i].Peers
	}
	return p.kept.Peers(i)
}

// fewLookups is how many versions are looked for one by one before a map of them is made.
const fewLookups = 4

// Index returns the position of a version by its text, or -1.
func (p *Package) Index(text string) int {
	if p.of != nil { // which has the map for all that are made of it
		i, found := slices.BinarySearch(p.at, p.of.Index(text))
		if !found {
			return -1
		}
		return i
	}
	index := p.index.Load()
	if index == nil && p.Len() > 8 && p.lookups.Add(1) > fewLookups {
		made := make(map[string]int, p.Len())
		for i := range p.Len() {
			made[p.text(i)] = i
		}
		p.index.CompareAndSwap(nil, &made)
		index = p.index.Load()
	}
	if index != nil {
		if i, ok := (*index)[text]; ok {
			return i
		}
		return -1
	}
	for i := p.Len() - 1; i >= 0; i-- { // what is asked about is mostly one of the newest
		if p.text(i) == text {
			return i
		}
	}
	return -1
}

// Known returns the release of that version as About does, or nil.
func (p *Package) Known(text string) *Release {
	if i := p.Index(text); i >= 0 {
		return p.About(i)
	}
	return nil
}

// Release returns the release of that version, or nil.
func (p *Package) Release(text string) *Release {
	if i := p.Index(text); i >= 0 {
		return p.At(i)
	}
	return nil
}
