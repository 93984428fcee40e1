package ecosystem

import (
	"bytes"
	"encoding/binary"
	"errors"
	"hash/maphash"
	"maps"
	"math"
	"slices"
	"time"

	"molt/core/universe"
)

// A digest is what is kept of a package that was read from a registry: all that universe.Package
// has of it, in a form from which a release is read when it is looked at, without the others.
// Texts, demands and lists of demands stand in it once, as a rule, since most releases of a package
// say the same.
//
// It begins with its own length and the lengths of five tables, then come the tables, then the
// entries and the texts. A table has the position of each entry behind the tables, or of each text
// among the texts, and one more for where the last text ends. All of these are numbers of four
// bytes, least significant first. Entries are varints (encoding/binary); texts, demands and lists
// stand in them as numbers of their tables.

// digestHead is how many bytes stand before the tables.
const digestHead = 6 * 4

// EncodeDigest writes the digest of a package.
func EncodeDigest(p *universe.Package) []byte {
	w := NewDigestWriter()
	lists := map[listSlice]uint32{} // those that are in memory once, however many releases have them
	list := func(all []universe.Demand) uint32 {
		var slice listSlice
		if len(all) > 0 {
			slice = listSlice{&all[0], len(all)}
		}
		n, known := lists[slice]
		if !known {
			numbers := make([]uint32, len(all))
			for i := range all {
				numbers[i] = w.Demand(&all[i])
			}
			n = w.List(numbers)
			lists[slice] = n
		}
		return n
	}
	for r := range p.All() {
		files := make([]DigestFile, len(r.Files))
		for i, f := range r.Files {
			files[i] = DigestFile{w.Text(f.Address), w.Text(f.Integrity), f.Size, w.Text(f.Kind), w.Text(f.When)}
		}
		w.Release(&DigestRelease{
			Version: w.Text(r.Version.String()), Deprecated: w.Text(r.Deprecated), Runtimes: w.Requirements(r.Runtimes),
			Needs: list(r.Needs), Peers: list(r.Peers), Covered: list(r.Covered),
			Published: r.Published, Withdrawn: w.Text(r.Withdrawn), Licence: w.Text(r.Licence), Runs: w.Text(r.Runs),
			Typed: r.Typed, Tested: list(r.Tested),
		}, files...)
	}
	return w.Whole(p)
}

// A listSlice is a list of demands by where it is in memory.
type listSlice struct {
	first *universe.Demand
	n     int
}

// stamp is a time as it is kept, in milliseconds since 1970: 0 for none.
func stamp(t time.Time) int64 {
	if t.IsZero() {
		return 0
	}
	return t.UnixMilli()
}

func flag(b bool) uint64 {
	if b {
		return 1
	}
	return 0
}

// zigzag makes small numbers of both signs small numbers without one.
func zigzag(n int64) uint64 { return uint64(n<<1) ^ uint64(n>>63) }

func unzigzag(n uint64) int64 { return int64(n>>1) ^ -int64(n&1) }

// A DigestWriter puts a digest together. Texts, demands and lists have numbers, by which what is
// written after them refers to them; the empty text is number 0.
type DigestWriter struct {
	seed  maphash.Seed
	known []uint32 // a hash table of texts, by open addressing: their numbers, 0 for a free place
	blob  []byte
	ends  []uint32 // of the texts in blob

	demandAt                     map[demandKey]uint32
	listAt, requirementAt        map[string]uint32 // by the entry
	demands, lists, requirements []uint32          // positions in entries
	releases                     []uint32
	entries                      []byte
	key, scratch                 []byte
}

// A demandKey is a demand, its texts by their numbers.
type demandKey struct{ as, name, text, when, extras, flags uint32 }

// A DigestRelease is a release whose texts and lists have been written.
type DigestRelease struct {
	Version, Deprecated   uint32 // texts
	Runtimes              uint32 // of Requirements
	Needs, Peers, Covered uint32 // of List
	Published             time.Time
	Withdrawn, Licence    uint32 // texts
	Runs                  uint32 // a text
	Typed                 bool
	Tested                uint32 // of List
}

// A DigestFile is a file of a release whose texts have been written.
type DigestFile struct {
	Address, Integrity uint32
	Size               int64
	Kind, When         uint32
}

// NewDigestWriter begins a digest.
func NewDigestWriter() *DigestWriter {
	return &DigestWriter{seed: maphash.MakeSeed(), known: make([]uint32, 64), ends: []uint32{0},
		demandAt: map[demandKey]uint32{}, listAt: map[string]uint32{}, requirementAt: map[string]uint32{}}
}

// put writes an entry and returns its position.
func (w *DigestWriter) put(numbers ...uint64) uint32 {
	at := len(w.entries)
	for _, n := range numbers {
		w.entries = binary.AppendUvarint(w.entries, n)
	}
	return uint32(at)
}

// Text returns the number of a text, which is written unless it was.
func (w *DigestWriter) Text(s string) uint32 {
	w.scratch = append(w.scratch[:0], s...)
	return w.TextOf(w.scratch)
}

// TextOf is Text for the bytes of one, which the caller may change afterwards.
func (w *DigestWriter) TextOf(b []byte) uint32 {
	if len(b) == 0 {
		return 0
	}
	if 4*len(w.ends) > 3*len(w.known) {
		w.rehash()
	}
	for at := int(maphash.Bytes(w.seed, b)); ; at++ {
		at &= len(w.known) - 1
		n := w.known[at]
		if n == 0 {
			n = w.NewText(b)
			w.known[at] = n
			return n
		}
		if bytes.Equal(w.blob[w.ends[n-1]:w.ends[n]], b) {
			return n
		}
	}
}

// rehash doubles the table of texts. Those that were never looked for stay out of it.
func (w *DigestWriter) rehash() {
	before := w.known
	w.known = make([]uint32, 2*len(before))
	for _, n := range before {
		if n == 0 {
			continue
		}
		at := int(maphash.Bytes(w.seed, w.blob[w.ends[n-1]:w.ends[n]])) & (len(w.known) - 1)
		for w.known[at] != 0 {
			at = (at + 1) & (len(w.known) - 1)
		}
		w.known[at] = n
	}
}

// NewText is TextOf without a look at whether the text stands there already.
func (w *DigestWriter) NewText(b []byte) uint32 {
	if len(b) == 0 {
		return 0
	}
	w.blob = append(w.blob, b...)
	w.ends = append(w.ends, uint32(len(w.blob)))
	return uint32(len(w.ends) - 1)
}

// Demand returns the number of a demand.
func (w *DigestWriter) Demand(d *universe.Demand) uint32 {
	key := demandKey{as: w.Text(d.As), text: w.Text(d.Text), when: w.Text(d.When), extras: w.Text(d.Extras)}
	key.name = key.as
	if d.Package != d.As {
		key.name = w.Text(d.Package)
	}
	if d.Optional {
		key.flags |= 1
	}
	if d.Foreign {
		key.flags |= 2
	}
	n, known := w.demandAt[key]
	if !known {
		n = w.newDemand(key)
		w.demandAt[key] = n
	}
	return n
}

// NewDemand writes a demand on a package under its own name, without conditions, and without a look
// at whether it stands there already.
func (w *DigestWriter) NewDemand(name, text []byte, optional bool) uint32 {
	key := demandKey{as: w.TextOf(name), text: w.TextOf(text)}
	key.name = key.as
	if optional {
		key.flags |= 1
	}
	return w.newDemand(key)
}

func (w *DigestWriter) newDemand(key demandKey) uint32 {
	w.demands = append(w.demands, w.put(uint64(key.as), uint64(key.name), uint64(key.text), uint64(key.when),
		uint64(key.extras), uint64(key.flags)))
	return uint32(len(w.demands) - 1)
}

// List returns the number of a list of demands, which are given by theirs.
func (w *DigestWriter) List(demands []uint32) uint32 {
	w.key = binary.AppendUvarint(w.key[:0], uint64(len(demands)))
	for _, n := range demands {
		w.key = binary.AppendUvarint(w.key, uint64(n))
	}
	return w.shared(w.listAt, &w.lists)
}

// Requirements returns the number of a list of requirements.
func (w *DigestWriter) Requirements(all []universe.Requirement) uint32 {
	w.key = binary.AppendUvarint(w.key[:0], uint64(len(all)))
	for _, q := range all {
		w.key = binary.AppendUvarint(w.key, uint64(w.Text(q.Name)))
		w.key = binary.AppendUvarint(w.key, uint64(w.Text(q.Text)))
	}
	return w.shared(w.requirementAt, &w.requirements)
}

// shared writes the entry in key unless its table has one that is equal, and returns its number.
func (w *DigestWriter) shared(known map[string]uint32, table *[]uint32) uint32 {
	n, there := known[string(w.key)]
	if !there {
		n = uint32(len(*table))
		known[string(w.key)] = n
		*table = append(*table, uint32(len(w.entries)))
		w.entries = append(w.entries, w.key...)
	}
	return n
}

// Release writes a release. They have to come in the order of the package.
func (w *DigestWriter) Release(r *DigestRelease, files ...DigestFile) {
	at := w.put(uint64(r.Version), uint64(r.Deprecated), uint64(r.Runtimes), uint64(r.Needs), uint64(r.Peers),
		uint64(r.Covered),
		zigzag(stamp(r.Published)), uint64(r.Withdrawn), uint64(r.Licence), uint64(r.Runs), flag(r.Typed), uint64(r.Tested),
		uint64(len(files)))
	for i := range files {
		f := &files[i]
		w.put(uint64(f.Address), uint64(f.Integrity), uint64(f.Size), uint64(f.Kind), uint64(f.When))
	}
	w.releases = append(w.releases, at)
}

// Whole returns the digest. Of the package it takes what is said of it as a whole, and not the releases.
func (w *DigestWriter) Whole(p *universe.Package) []byte {
	releases := len(w.entries)
	head := []uint64{uint64(w.Text(p.Name)), uint64(w.Text(p.Current)), uint64(w.Text(p.Notes.About)),
		uint64(w.Text(p.Notes.Homepage)), uint64(w.Text(p.Notes.Repository)), uint64(len(p.Tags))}
	for _, tag := range slices.Sorted(maps.Keys(p.Tags)) {
		head = append(head, uint64(w.Text(tag)), uint64(w.Text(p.Tags[tag])))
	}
	w.put(head...)
	before := uint32(len(w.entries) - releases) // the head goes before the entries
	starts := append([]uint32{0}, w.ends...)
	tables := [][]uint32{starts, w.demands, w.lists, w.requirements, w.releases}
	size := digestHead + len(w.entries) + len(w.blob)
	for _, table := range tables {
		size += 4 * len(table)
	}
	out := binary.LittleEndian.AppendUint32(make([]byte, 0, size), uint32(size))
	for _, table := range tables {
		out = binary.LittleEndian.AppendUint32(out, uint32(len(table)))
	}
	for i, table := range tables {
		for _, n := range table {
			if i > 0 {
				n += before
			}
			out = binary.LittleEndian.AppendUint32(out, n)
		}
	}
	return append(append(append(out, w.entries[releases:]...), w.entries[:releases]...), w.blob...)
}

// mostDigest is how long a digest can be.
const mostDigest = math.MaxUint32

// errDigest reports bytes that are no digest.
var errDigest = errors.New("this is no digest of a package")
