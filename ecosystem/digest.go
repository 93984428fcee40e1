package ecosystem

import (
	"encoding/binary"
	"errors"
	"maps"
	"math"
	"slices"
	"time"

	"molt/core/universe"
)

// A digest is what is kept of a package that was read from a registry: all that universe.Package has of it, in a form from which a release
// is read when it is looked at, without the others. Each text stands in it once, and so does each demand and each list of demands, since
// most releases of a package demand the same.
//
// It begins with its own length and the lengths of five tables, then come the tables, then the entries and the texts. A table has the
// position of each entry behind the tables, or of each text among the texts, and one more for where the last text ends. All of these
// are numbers of four bytes, least significant first. Entries are varints (encoding/binary); texts, demands and lists stand in them as
// numbers of their tables.

// digestHead is how many bytes stand before the tables.
const digestHead = 6 * 4

// EncodeDigest writes the digest of a package.
func EncodeDigest(p *universe.Package) []byte {
	w := &digestWriter{texts: map[string]uint64{"": 0}, ends: []uint32{0}, plainAt: map[plainDemand]uint64{}, demandAt: map[universe.Demand]uint64{}, listAt: map[string]uint64{}, requirementAt: map[string]uint64{}, slices: map[listSlice]uint64{}}
	head := []uint64{w.text(p.Name), w.text(p.Current), w.text(p.Notes.About), w.text(p.Notes.Homepage), w.text(p.Notes.Repository), uint64(len(p.Tags))}
	for _, tag := range slices.Sorted(maps.Keys(p.Tags)) {
		head = append(head, w.text(tag), w.text(p.Tags[tag]))
	}
	w.put(head...)
	for r := range p.All() {
		entry := []uint64{w.text(r.Version.String()), w.text(r.Deprecated), w.required(r.Runtimes), w.list(r.Needs), w.list(r.Peers), w.list(r.Covered),
			zigzag(stamp(r.Published)), w.text(r.Withdrawn), w.text(r.Licence), uint64(len(r.Files))}
		for _, f := range r.Files {
			entry = append(entry, w.text(f.Address), w.text(f.Integrity), uint64(f.Size), w.text(f.Kind), w.text(f.When))
		}
		w.releases = append(w.releases, w.put(entry...))
	}
	return w.whole()
}

// stamp is a time as it is kept, in milliseconds since 1970: 0 for none.
func stamp(t time.Time) int64 {
	if t.IsZero() {
		return 0
	}
	return t.UnixMilli()
}

// zigzag makes small numbers of both signs small numbers without one.
func zigzag(n int64) uint64 { return uint64(n<<1) ^ uint64(n>>63) }

func unzigzag(n uint64) int64 { return int64(n>>1) ^ -int64(n&1) }

// A plainDemand is a demand that is under its own name and has no conditions, as nearly all are. It is quicker to look up.
type plainDemand struct {
	as, text          string
	optional, foreign bool
}

type digestWriter struct {
	texts                        map[string]uint64
	blob                         []byte
	ends                         []uint32 // of the texts in blob
	plainAt                      map[plainDemand]uint64
	demandAt                     map[universe.Demand]uint64 // the others
	listAt, requirementAt        map[string]uint64          // by the numbers that they have
	demands, lists, requirements []uint32                   // positions in entries
	slices                       map[listSlice]uint64       // the lists that were met, to look at each once
	releases                     []uint32
	entries                      []byte
}

// put writes an entry and returns its position.
func (w *digestWriter) put(numbers ...uint64) uint32 {
	at := len(w.entries)
	for _, n := range numbers {
		w.entries = binary.AppendUvarint(w.entries, n)
	}
	return uint32(at)
}

func (w *digestWriter) text(s string) uint64 {
	if s == "" {
		return 0
	}
	n, known := w.texts[s]
	if !known {
		n = uint64(len(w.texts))
		w.texts[s] = n
		w.blob = append(w.blob, s...)
		w.ends = append(w.ends, uint32(len(w.blob)))
	}
	return n
}

func (w *digestWriter) demand(d *universe.Demand) uint64 {
	plain := plainDemand{d.As, d.Text, d.Optional, d.Foreign}
	isPlain := d.Package == d.As && d.When == "" && d.Extras == ""
	var n uint64
	var known bool
	if isPlain {
		n, known = w.plainAt[plain]
	} else {
		n, known = w.demandAt[*d]
	}
	if !known {
		flags := uint64(0)
		if d.Optional {
			flags |= 1
		}
		if d.Foreign {
			flags |= 2
		}
		n = uint64(len(w.demands))
		if isPlain {
			w.plainAt[plain] = n
		} else {
			w.demandAt[*d] = n
		}
		as := w.text(d.As)
		name := as
		if d.Package != d.As {
			name = w.text(d.Package)
		}
		w.demands = append(w.demands, w.put(as, name, w.text(d.Text), w.text(d.When), w.text(d.Extras), flags))
	}
	return n
}

// list returns the number of a list of demands.
func (w *digestWriter) list(all []universe.Demand) uint64 {
	var slice listSlice
	if len(all) > 0 {
		slice = listSlice{&all[0], len(all)}
	}
	n, known := w.slices[slice]
	if !known {
		n = w.newList(all)
		w.slices[slice] = n
	}
	return n
}

// A listSlice is a list that is in memory once, however many releases have it.
type listSlice struct {
	first *universe.Demand
	n     int
}

func (w *digestWriter) newList(all []universe.Demand) uint64 {
	entry := []uint64{uint64(len(all))}
	for i := range all {
		entry = append(entry, w.demand(&all[i]))
	}
	return w.shared(entry, w.listAt, &w.lists)
}

// required returns the number of a list of requirements.
func (w *digestWriter) required(all []universe.Requirement) uint64 {
	entry := []uint64{uint64(len(all))}
	for _, q := range all {
		entry = append(entry, w.text(q.Name), w.text(q.Text))
	}
	return w.shared(entry, w.requirementAt, &w.requirements)
}

// shared writes an entry unless its table has one that is equal, and returns its number.
func (w *digestWriter) shared(entry []uint64, known map[string]uint64, table *[]uint32) uint64 {
	var key []byte
	for _, n := range entry {
		key = binary.AppendUvarint(key, n)
	}
	n, there := known[string(key)]
	if !there {
		n = uint64(len(*table))
		known[string(key)] = n
		*table = append(*table, w.put(entry...))
	}
	return n
}

// whole writes what was put together.
func (w *digestWriter) whole() []byte {
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
	for _, table := range tables {
		for _, n := range table {
			out = binary.LittleEndian.AppendUint32(out, n)
		}
	}
	return append(append(out, w.entries...), w.blob...)
}

// mostDigest is how long a digest can be.
const mostDigest = math.MaxUint32

// errDigest reports bytes that are no digest.
var errDigest = errors.New("this is no digest of a package")
