package solve

import (
	"hash/maphash"

	"molt/core/universe"
)

// A nameTable finds packages by name. It holds their numbers only, with a part of the hash of each
// name, so that a search among very many packages looks at few places: the entry, and the package
// itself, which is wanted anyway. A map would hold the names besides.
type nameTable struct {
	entries []nameEntry // a power of two of them, of which at most half are in use
	used    int
}

// A nameEntry is a package that a name leads to. It stands at the place of its hash, or at the next one that was free.
type nameEntry struct {
	hash   uint32
	number int32 // of the package, from 1; 0 in an entry that is free
}

// nameSeed is of the hash. What a search comes to does not depend on it.
var nameSeed = maphash.MakeSeed()

// fewNames is the least number of entries.
const fewNames = 64

// clear empties the table. It keeps its memory.
func (t *nameTable) clear() {
	clear(t.entries)
	t.entries, t.used = t.entries[:min(len(t.entries), fewNames)], 0
}

// place returns where a hash belongs.
func (t *nameTable) place(hash uint32) int { return int(hash) & (len(t.entries) - 1) }

// put adds a package that is not there.
func (t *nameTable) put(e nameEntry) {
	at := t.place(e.hash)
	for t.entries[at].number != 0 {
		at = t.place(uint32(at + 1))
	}
	t.entries[at] = e
}

// add adds a package that is not there.
func (t *nameTable) add(p *pkg) {
	if t.used++; 2*t.used > len(t.entries) {
		before := t.entries
		n := max(fewNames, 2*len(before))
		t.entries = make([]nameEntry, n)
		for _, e := range before {
			if e.number != 0 {
				t.put(e)
			}
		}
	}
	t.put(nameEntry{uint32(maphash.String(nameSeed, p.Name)), p.id + 1})
}

// demanded returns the package of a demand, or nil while it is not loaded. Where demands have
// numbers, each name is looked up once.
func (s *solver) demanded(d *universe.Demand) *pkg {
	k := int(d.Number)
	if k < len(s.byNumber) {
		if id := s.byNumber[k]; id > 0 {
			if p := s.loaded.at(id - 1); p.Name == d.Package { // a number is not relied upon
				return p
			}
		}
	}
	p := s.named(d.Package)
	if p != nil && k > 0 {
		if k >= len(s.byNumber) {
			before := len(s.byNumber)
			lengthen(&s.byNumber, k+1-before)
			clear(s.byNumber[before:])
		}
		s.byNumber[k] = p.id + 1
	}
	return p
}

// named returns the package of a name, or nil.
func (s *solver) named(name string) *pkg {
	t := &s.byName
	if t.used == 0 {
		return nil
	}
	hash := uint32(maphash.String(nameSeed, name))
	for at := t.place(hash); t.entries[at].number != 0; at = t.place(uint32(at + 1)) {
		if e := t.entries[at]; e.hash == hash {
			if p := s.loaded.at(e.number - 1); p.Name == name {
				return p
			}
		}
	}
	return nil
}
