package ecosystem

import (
	"encoding/binary"
	"errors"
	"maps"
	"slices"
	"time"

	"molt/core/universe"
	"molt/core/version"
)

// A digest is what is kept of a package that was read from a registry: all that universe.Package has of it, in a form that is read at once. Each
// text stands in it once, and so does each demand and each list of demands, since most releases of a package demand the same. Numbers are
// varints (encoding/binary), texts are numbers of their table. What is read shares texts and lists: nothing of it may be changed.

// EncodeDigest writes the digest of a package.
func EncodeDigest(p *universe.Package) []byte {
	w := &digestWriter{texts: map[string]uint64{}, demands: map[universe.Demand]uint64{}, lists: map[string]uint64{}, requirements: map[string]uint64{}}
	w.text("") // number 0
	var body []byte
	put := func(numbers ...uint64) {
		for _, n := range numbers {
			body = binary.AppendUvarint(body, n)
		}
	}
	put(w.text(p.Name), w.text(p.Current), w.text(p.Notes.About), w.text(p.Notes.Homepage), w.text(p.Notes.Repository), uint64(len(p.Tags)))
	for _, tag := range slices.Sorted(maps.Keys(p.Tags)) {
		put(w.text(tag), w.text(p.Tags[tag]))
	}
	put(uint64(len(p.Releases)))
	for i := range p.Releases {
		r := &p.Releases[i]
		put(w.text(r.Version.String()), w.list(r.Needs), w.list(r.Peers), w.list(r.Covered), w.required(r.Runtimes))
		body = binary.AppendVarint(body, stamp(r.Published))
		put(w.text(r.Deprecated), w.text(r.Withdrawn), w.text(r.Licence), uint64(len(r.Files)))
		for _, f := range r.Files {
			put(w.text(f.Address), w.text(f.Integrity), uint64(f.Size), w.text(f.Kind), w.text(f.When))
		}
	}
	return slices.Concat(w.tables(), body)
}

// stamp is a time as it is kept, in milliseconds since 1970: 0 for none.
func stamp(t time.Time) int64 {
	if t.IsZero() {
		return 0
	}
	return t.UnixMilli()
}

type digestWriter struct {
	texts                           map[string]uint64
	lengths, demandTable, listTable []byte
	requirementTable                []byte
	blob                            []byte
	demands                         map[universe.Demand]uint64
	lists, requirements             map[string]uint64 // by what stands in their tables
	entries                         uint64            // how many demands all lists have
}

func (w *digestWriter) text(s string) uint64 {
	n, known := w.texts[s]
	if !known {
		n = uint64(len(w.texts))
		w.texts[s] = n
		w.lengths = binary.AppendUvarint(w.lengths, uint64(len(s)))
		w.blob = append(w.blob, s...)
	}
	return n
}

func (w *digestWriter) demand(d universe.Demand) uint64 {
	n, known := w.demands[d]
	if !known {
		n = uint64(len(w.demands))
		w.demands[d] = n
		flags := uint64(0)
		if d.Optional {
			flags |= 1
		}
		if d.Foreign {
			flags |= 2
		}
		for _, x := range []uint64{w.text(d.As), w.text(d.Package), w.text(d.Text), w.text(d.When), w.text(d.Extras), flags} {
			w.demandTable = binary.AppendUvarint(w.demandTable, x)
		}
	}
	return n
}

// list returns the number of a list of demands.
func (w *digestWriter) list(all []universe.Demand) uint64 {
	key := binary.AppendUvarint(nil, uint64(len(all)))
	for _, d := range all {
		key = binary.AppendUvarint(key, w.demand(d))
	}
	n, known := w.lists[string(key)]
	if !known {
		n = uint64(len(w.lists))
		w.lists[string(key)] = n
		w.listTable = append(w.listTable, key...)
		w.entries += uint64(len(all))
	}
	return n
}

// required returns the number of a list of requirements.
func (w *digestWriter) required(all []universe.Requirement) uint64 {
	key := binary.AppendUvarint(nil, uint64(len(all)))
	for _, q := range all {
		key = binary.AppendUvarint(binary.AppendUvarint(key, w.text(q.Name)), w.text(q.Text))
	}
	n, known := w.requirements[string(key)]
	if !known {
		n = uint64(len(w.requirements))
		w.requirements[string(key)] = n
		w.requirementTable = append(w.requirementTable, key...)
	}
	return n
}

// tables writes the tables, which stand before all that refers to them.
func (w *digestWriter) tables() []byte {
	var out []byte
	out = binary.AppendUvarint(out, uint64(len(w.texts)))
	out = append(append(out, w.lengths...), w.blob...)
	out = binary.AppendUvarint(out, uint64(len(w.demands)))
	out = append(out, w.demandTable...)
	out = binary.AppendUvarint(binary.AppendUvarint(out, uint64(len(w.lists))), w.entries)
	out = append(out, w.listTable...)
	out = binary.AppendUvarint(out, uint64(len(w.requirements)))
	return append(out, w.requirementTable...)
}

// errDigest reports bytes that are no digest.
var errDigest = errors.New("this is no digest of a package")

// DecodeDigest reads a digest. The package is the one that was written, of a scheme that reads its versions.
func DecodeDigest(scheme version.Scheme, data []byte) (*universe.Package, error) {
	r := &digestReader{data: data}
	r.tables()
	name := r.text()
	p := universe.Restored{Name: name, Scheme: scheme, Current: r.text()}
	p.Notes.About, p.Notes.Homepage, p.Notes.Repository = r.text(), r.text(), r.text()
	p.Tags = make(map[string]string, min(r.left(), 64))
	for range r.count(2) {
		tag := r.text()
		p.Tags[tag] = r.text()
	}
	n := r.count(9)
	p.Releases = make([]universe.Release, n)
	files := make([]universe.File, 0, n)
	for i := range p.Releases {
		one := &p.Releases[i]
		v, err := scheme.Parse(r.text())
		if err != nil {
			return nil, errDigest
		}
		one.Version = v
		one.Needs, one.Peers, one.Covered = r.list(), r.list(), r.list()
		if k := r.number(); k < uint64(len(r.requirements)) {
			one.Runtimes = r.requirements[k]
		} else {
			r.bad = true
		}
		if at := r.signed(); at != 0 {
			one.Published = time.UnixMilli(at).UTC()
		}
		one.Deprecated, one.Withdrawn, one.Licence = r.text(), r.text(), r.text()
		from := len(files)
		for range r.count(5) {
			files = append(files, universe.File{Address: r.text(), Integrity: r.text(), Size: int64(r.number()), Kind: r.text(), When: r.text()})
		}
		one.Files = files[from:len(files):len(files)]
		if r.bad {
			return nil, errDigest
		}
	}
	if r.bad || len(r.data) > 0 {
		return nil, errDigest
	}
	return p.Package(), nil
}

type digestReader struct {
	data         []byte
	bad          bool
	texts        []string
	lists        [][]universe.Demand
	requirements [][]universe.Requirement
}

func (r *digestReader) left() int { return len(r.data) }

func (r *digestReader) number() uint64 {
	n, size := binary.Uvarint(r.data)
	if size <= 0 {
		r.bad, r.data = true, nil
		return 0
	}
	r.data = r.data[size:]
	return n
}

func (r *digestReader) signed() int64 {
	n, size := binary.Varint(r.data)
	if size <= 0 {
		r.bad, r.data = true, nil
		return 0
	}
	r.data = r.data[size:]
	return n
}

// count reads how many of something follow, of which each takes so many bytes at least.
func (r *digestReader) count(each int) int {
	n := r.number()
	if n > uint64(len(r.data)/each) {
		r.bad, r.data = true, nil
		return 0
	}
	return int(n)
}

func (r *digestReader) text() string {
	n := r.number()
	if n >= uint64(len(r.texts)) {
		r.bad = true
		return ""
	}
	return r.texts[n]
}

func (r *digestReader) list() []universe.Demand {
	n := r.number()
	if n >= uint64(len(r.lists)) {
		r.bad = true
		return nil
	}
	return r.lists[n]
}

func (r *digestReader) tables() {
	n := r.count(1)
	lengths := make([]uint64, n)
	total := uint64(0)
	for i := range lengths {
		lengths[i] = r.number()
		if total += lengths[i]; total > uint64(len(r.data)) {
			r.bad, r.data = true, nil
			return
		}
	}
	blob := string(r.data[:total])
	r.data = r.data[total:]
	r.texts = make([]string, n)
	for i, size := range lengths {
		r.texts[i], blob = blob[:size], blob[size:]
	}
	demands := make([]universe.Demand, r.count(6))
	for i := range demands {
		d := &demands[i]
		d.As, d.Package, d.Text, d.When, d.Extras = r.text(), r.text(), r.text(), r.text(), r.text()
		flags := r.number()
		d.Optional, d.Foreign = flags&1 != 0, flags&2 != 0
	}
	r.lists = make([][]universe.Demand, r.count(1))
	all := make([]universe.Demand, 0, r.count(1))
	for i := range r.lists {
		from := len(all)
		for range r.count(1) {
			k := r.number()
			if k >= uint64(len(demands)) {
				r.bad = true
				return
			}
			all = append(all, demands[k])
		}
		if len(all) > from {
			r.lists[i] = all[from:len(all):len(all)]
		}
	}
	r.requirements = make([][]universe.Requirement, r.count(1))
	for i := range r.requirements {
		for range r.count(2) {
			r.requirements[i] = append(r.requirements[i], universe.Requirement{Name: r.text(), Text: r.text()})
		}
	}
}
