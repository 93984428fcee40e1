package ecosystem

import (
	"sync/atomic"
	"time"

	"molt/core/universe"
	"molt/core/version"
)

// DecodeDigest returns the package of a digest, of a scheme that reads its versions. The text has
// to be as EncodeDigest made it: whoever kept it has a checksum. One that obviously is not is an
// error.
func DecodeDigest(scheme version.Scheme, data string) (*universe.Package, error) {
	return decodeDigest(scheme, data, nil)
}

// decodeDigest is DecodeDigest, with the numbers for the names of packages.
func decodeDigest(scheme version.Scheme, data string, names *universe.Numbers) (*universe.Package, error) {
	d, err := openDigest(data)
	if err != nil {
		return nil, err
	}
	d.names = names
	e := &entry{digest: d}
	p := &universe.Package{Name: names.Text(e.text()), Scheme: scheme, Current: e.text()}
	p.Notes.About, p.Notes.Homepage, p.Notes.Repository = e.text(), e.text(), e.text()
	n := e.count()
	p.Tags = make(map[string]string, n)
	for range n {
		tag := e.text()
		p.Tags[tag] = e.text()
	}
	if e.bad {
		return nil, errDigest
	}
	return universe.Keep(p, d), nil
}

// CheckDigest reads everything that a digest has.
func CheckDigest(scheme version.Scheme, data string) error {
	d, err := openDigest(data)
	if err != nil {
		return err
	}
	if _, err := DecodeDigest(scheme, data); err != nil {
		return err
	}
	for i := range d.Len() {
		if _, err := scheme.Parse(d.Version(i)); err != nil {
			return err
		}
		if _, ok := d.release(i); !ok {
			return errDigest
		}
	}
	return nil
}

// A digest is one that is open for reading. It is a universe.Kept.
type digest struct {
	entries, blob                                 string
	texts, demands, lists, requirements, releases string // the tables
	demandLists                                   []atomic.Pointer[[]universe.Demand]
	requirementLists                              []atomic.Pointer[[]universe.Requirement]
	names                                         *universe.Numbers
}

func openDigest(data string) (*digest, error) {
	if len(data) < digestHead || uint64(len(data)) > mostDigest || number(data, 0) != len(data) {
		return nil, errDigest
	}
	head, rest := data[:digestHead], data[digestHead:]
	d := &digest{}
	for i, table := range []*string{&d.texts, &d.demands, &d.lists, &d.requirements, &d.releases} {
		size := 4 * number(head, i+1)
		if size > len(rest) {
			return nil, errDigest
		}
		*table, rest = rest[:size], rest[size:]
	}
	n := len(d.texts)/4 - 1
	if n < 0 || number(d.texts, n) > len(rest) {
		return nil, errDigest
	}
	at := len(rest) - number(d.texts, n)
	d.entries, d.blob = rest[:at], rest[at:]
	d.demandLists = make([]atomic.Pointer[[]universe.Demand], len(d.lists)/4)
	d.requirementLists = make([]atomic.Pointer[[]universe.Requirement], len(d.requirements)/4)
	return d, nil
}

// number returns the i-th of numbers of four bytes.
func number(table string, i int) int {
	b := table[4*i : 4*i+4]
	return int(uint32(b[0]) | uint32(b[1])<<8 | uint32(b[2])<<16 | uint32(b[3])<<24)
}

// Len returns how many releases there are.
func (d *digest) Len() int { return len(d.releases) / 4 }

// Version returns the version of a release as it is written.
func (d *digest) Version(i int) string {
	e := d.entry(d.releases, uint64(i))
	return e.text()
}

// Deprecated reports whether a release is deprecated.
func (d *digest) Deprecated(i int) bool {
	e := d.field(i, 1)
	return e.number() != 0
}

// Runtimes returns what a release requires of runtimes.
func (d *digest) Runtimes(i int) []universe.Requirement {
	e := d.field(i, 2)
	return e.required()
}

// Needs returns what a release needs.
func (d *digest) Needs(i int) []universe.Demand {
	e := d.field(i, 3)
	return e.list()
}

// Peers returns what a release expects as peers.
func (d *digest) Peers(i int) []universe.Demand {
	e := d.field(i, 4)
	return e.list()
}

// Published returns when a release was published.
func (d *digest) Published(i int) (day time.Time) {
	e := d.field(i, 6)
	if at := unzigzag(e.number()); at != 0 {
		day = time.UnixMilli(at).UTC()
	}
	return day
}

// field begins to read the entry of a release behind so many fields.
func (d *digest) field(i, behind int) entry {
	e := d.entry(d.releases, uint64(i))
	for range behind {
		e.number()
	}
	return e
}

// Release reads a release. One that cannot be read is one that may not be chosen.
func (d *digest) Release(i int) universe.Release {
	r, ok := d.release(i)
	if !ok {
		return universe.Release{Withdrawn: "what the cache keeps of it cannot be read"}
	}
	return r
}

// release reads all of a release but its version.
func (d *digest) release(i int) (r universe.Release, ok bool) {
	e := d.entry(d.releases, uint64(i))
	e.number() // the version
	r.Deprecated, r.Runtimes = e.text(), e.required()
	r.Needs, r.Peers, r.Covered = e.list(), e.list(), e.list()
	if at := unzigzag(e.number()); at != 0 {
		r.Published = time.UnixMilli(at).UTC()
	}
	r.Withdrawn, r.Licence, r.Runs = e.text(), e.text(), e.text()
	r.Typed, r.Tested = e.number() == 1, e.list()
	n := e.count()
	if n > 0 {
		r.Files = make([]universe.File, 0, n)
	}
	for range n {
		r.Files = append(r.Files, universe.File{
			Address: e.text(), Integrity: e.text(), Size: int64(e.number()), Kind: e.text(), When: e.text()})
	}
	return r, !e.bad
}

// entry begins to read an entry of a table.
func (d *digest) entry(table string, n uint64) entry {
	e := entry{digest: d}
	if n >= uint64(len(table)/4) {
		e.fail()
		return e
	}
	e.at = number(table, int(n))
	return e
}

// An entry is one that is being read. What cannot be read is zero, and bad says so.
type entry struct {
	*digest
	at  int
	bad bool
}

func (e *entry) fail() { e.bad, e.at = true, len(e.entries) }

func (e *entry) number() uint64 {
	var n uint64
	for shift := 0; shift < 64; shift += 7 {
		if e.at >= len(e.entries) {
			break
		}
		b := e.entries[e.at]
		e.at++
		n |= uint64(b&0x7f) << shift
		if b < 0x80 {
			return n
		}
	}
	e.fail()
	return 0
}

// count reads how many of something follow, of which each takes a byte at least.
func (e *entry) count() int {
	n := e.number()
	if e.at > len(e.entries) || n > uint64(len(e.entries)-e.at) {
		e.fail()
		return 0
	}
	return int(n)
}

func (e *entry) text() string {
	n := e.number()
	if n+1 >= uint64(len(e.texts)/4) {
		e.fail()
		return ""
	}
	from, to := number(e.texts, int(n)), number(e.texts, int(n)+1)
	if from > to || to > len(e.blob) {
		e.fail()
		return ""
	}
	return e.blob[from:to]
}

func (e *entry) list() []universe.Demand {
	n := e.number()
	if n >= uint64(len(e.demandLists)) {
		e.fail()
		return nil
	}
	if known := e.demandLists[n].Load(); known != nil {
		return *known
	}
	list := e.entry(e.lists, n)
	var all []universe.Demand
	if n := list.count(); n > 0 {
		all = make([]universe.Demand, n)
	}
	for i := range all {
		one := e.entry(e.demands, list.number())
		d := universe.Demand{As: one.text(), Package: one.text(), Text: one.text(), When: one.text(), Extras: one.text()}
		flags := one.number()
		d.Optional, d.Foreign = flags&1 != 0, flags&2 != 0
		e.names.Enter(&d)
		all[i] = d
		list.bad = list.bad || one.bad
	}
	if list.bad {
		e.fail()
		return nil
	}
	e.demandLists[n].CompareAndSwap(nil, &all)
	return *e.demandLists[n].Load()
}

func (e *entry) required() []universe.Requirement {
	n := e.number()
	if n >= uint64(len(e.requirementLists)) {
		e.fail()
		return nil
	}
	if known := e.requirementLists[n].Load(); known != nil {
		return *known
	}
	list := e.entry(e.requirements, n)
	var all []universe.Requirement
	for range list.count() {
		all = append(all, universe.Requirement{Name: list.text(), Text: list.text()})
	}
	if list.bad {
		e.fail()
		return nil
	}
	e.requirementLists[n].CompareAndSwap(nil, &all)
	return *e.requirementLists[n].Load()
}
