package js

import (
	"bytes"
	"hash/maphash"
	"slices"
	"unicode/utf8"

	"github.com/tidwall/gjson"
)

// demandLists are the numbers of the lists of demands that a release has.
type demandLists struct{ needs, peers, covered uint32 }

// A pair is a name and a constraint, of which there may be very many.
type pair struct {
	at, name, end uint32 // in documentReader.texts: where it begins, its name ends, and its constraint ends
	number        uint32 // of the demand, from 1; 0 as long as there is none
	optional      uint32 // of the same demand when it is optional
	hash          uint32
}

// A line is a demand of a release before its lists are in order.
type line struct {
	pair     uint32
	optional bool
}

// nameOf returns the name of a line. The caller must not change it.
func (d *documentReader) nameOf(l line) []byte {
	p := &d.pairs[l.pair]
	return d.texts[p.at:p.name]
}

// pair returns the number of a pair. Its hash is that of its text in the document.
func (d *documentReader) pair(name, text []byte, hash uint32) uint32 {
	if 4*len(d.pairs) >= 3*len(d.pairAt) {
		d.pairAt = make([]uint32, 2*len(d.pairAt))
		for k := range d.pairs {
			at := d.pairs[k].hash
			for ; d.pairAt[at&uint32(len(d.pairAt)-1)] != 0; at++ {
			}
			d.pairAt[at&uint32(len(d.pairAt)-1)] = uint32(k + 1)
		}
	}
	for at := hash; ; at++ {
		at &= uint32(len(d.pairAt) - 1)
		n := d.pairAt[at]
		if n == 0 {
			from := len(d.texts)
			d.texts = append(append(d.texts, name...), text...)
			d.pairs = append(d.pairs, pair{
				at: uint32(from), name: uint32(from + len(name)), end: uint32(len(d.texts)), hash: hash})
			d.pairAt[at] = uint32(len(d.pairs))
			return uint32(len(d.pairs) - 1)
		}
		if p := &d.pairs[n-1]; p.hash == hash && bytes.Equal(d.texts[p.at:p.name], name) &&
			bytes.Equal(d.texts[p.name:p.end], text) {
			return n - 1
		}
	}
}

// mostPairs is how many pairs are remembered. A document with more is one whose releases have
// little in common, of which remembering saves nothing.
const mostPairs = 1 << 17

// forget empties the memory of pairs when it is full. A demand that comes again is written again.
func (d *documentReader) forget() {
	if len(d.pairs) > mostPairs {
		d.pairs, d.texts = d.pairs[:0], d.texts[:0]
		clear(d.pairAt)
	}
}

// number returns the number of the demand that a line makes.
func (d *documentReader) number(l line) uint32 {
	p := &d.pairs[l.pair]
	number := &p.number
	if l.optional {
		number = &p.optional
	}
	if *number == 0 {
		name, text := d.texts[p.at:p.name], d.texts[p.name:p.end]
		if isPlain(text) {
			*number = d.into.NewDemand(name, text, l.optional) + 1
		} else {
			one := lineOf(string(name), string(text))
			one.Optional = l.optional
			*number = d.into.Demand(&one) + 1
		}
	}
	return *number - 1
}

// isPlain reports whether lineOf makes of a constraint nothing but what it says: it is no alias and
// no address, and has no space around it.
func isPlain(text []byte) bool {
	for _, c := range text {
		if c == '/' || c == ':' || c >= utf8.RuneSelf {
			return false
		}
	}
	return len(text) > 0 && text[0] > ' ' && text[0] != '.' && text[len(text)-1] > ' '
}

// list writes a list of lines, and returns its number.
func (d *documentReader) list(all []line) uint32 {
	d.numbers = d.numbers[:0]
	for _, l := range all {
		d.numbers = append(d.numbers, d.number(l))
	}
	return d.into.List(d.numbers)
}

// listsOf reads what the release demands. A name among the optional dependencies overrides the same
// name among the dependencies; what is needed is not asked for as a peer as well; bundled
// dependencies come with the archive.
func (d *documentReader) listsOf() demandLists {
	d.key = d.key[:0]
	for _, field := range d.fields[:fieldEngines] {
		d.key = append(append(d.key, field...), 0)
	}
	for i := range d.lists {
		if bytes.Equal(d.lists[i].key, d.key) {
			return d.lists[i].demandLists
		}
	}
	d.forget()
	bundled := map[string]bool{}
	for _, field := range []int{fieldBundle, fieldBundled} {
		gjson.Parse(string(d.fields[field])).ForEach(func(_, name gjson.Result) bool {
			bundled[name.String()] = true
			return true
		})
	}
	keep := func(all []line) []line { // of two lines on one name the first stays
		if len(bundled) > 0 {
			all = slices.DeleteFunc(all, func(l line) bool { return bundled[string(d.nameOf(l))] })
		}
		return d.distinct(all)
	}
	d.optional = keep(d.linesOf(d.fields[fieldOptional], d.optional[:0]))
	for i := range d.optional {
		d.optional[i].optional = true
	}
	d.needs = keep(d.linesOf(d.fields[fieldNeeds], append(d.needs[:0], d.optional...)))
	// What is needed may be stated as a peer too; it comes from the archive only when it is bundled.
	d.peers = keep(d.linesOf(d.fields[fieldPeers], d.peers[:0]))
	d.markOptional(d.peers)
	d.covered = d.covered[:0]
	d.peers = slices.DeleteFunc(d.peers, func(l line) bool {
		_, needed := slices.BinarySearchFunc(d.needs, l, d.byName)
		if needed {
			d.covered = append(d.covered, l)
		}
		return needed
	})
	last := &d.lists[d.next%len(d.lists)]
	d.next++
	last.key, last.demandLists = append(last.key[:0], d.key...),
		demandLists{d.list(d.needs), d.list(d.peers), d.list(d.covered)}
	return last.demandLists
}

// eachField goes through what is an object.
func eachField(v gjson.Result, do func(name, value gjson.Result) bool) {
	if v.IsObject() {
		v.ForEach(do)
	}
}

// markOptional marks the peers that need not be there.
func (d *documentReader) markOptional(peers []line) {
	field := d.fields[fieldPeerMeta]
	if len(field) == 0 {
		return
	}
	if !bytes.Equal(field, d.peerMeta) {
		d.peerMeta, d.absent = append(d.peerMeta[:0], field...), map[string]bool{}
		eachField(gjson.Parse(string(field)), func(name, meta gjson.Result) bool {
			if _, again := d.absent[name.String()]; !again { // of two the first counts
				d.absent[name.String()] = meta.Get("optional").Bool()
			}
			return true
		})
	}
	for i := range peers {
		peers[i].optional = d.absent[string(d.nameOf(peers[i]))]
	}
}

func (d *documentReader) byName(a, b line) int { return bytes.Compare(d.nameOf(a), d.nameOf(b)) }

// distinct sorts lines by name and keeps the first of each.
func (d *documentReader) distinct(all []line) []line {
	for i := 1; i < len(all); i++ {
		if d.byName(all[i-1], all[i]) >= 0 {
			slices.SortStableFunc(all, d.byName)
			return slices.CompactFunc(all, func(a, b line) bool { return d.byName(a, b) == 0 })
		}
	}
	return all
}

// linesOf reads an object of names and constraints, or a list of names, as very old releases have
// it: any release of each will do. What is no text is passed over, and what cannot be read as a
// constraint admits nothing; a release may say so.
func (d *documentReader) linesOf(object []byte, into []line) []line {
	places, plain := stringPairs(object, d.places[:0])
	d.places = places
	if !plain {
		v := gjson.Parse(string(object))
		list := v.IsArray()
		v.ForEach(func(name, text gjson.Result) bool {
			if text.Type != gjson.String {
				return true
			}
			if list {
				name, text = text, gjson.Result{Raw: `"*"`, Type: gjson.String, Str: "*"}
			} else if !v.IsObject() {
				return false
			}
			into = append(into, line{pair: d.pair(
				[]byte(name.String()), []byte(text.String()), uint32(maphash.String(d.seed, name.Raw+text.Raw)))})
			return true
		})
		return into
	}
	for _, p := range places {
		into = append(into, line{pair: d.pair(
			object[p.name:p.nameEnd], object[p.value:p.end], uint32(maphash.Bytes(d.seed, object[p.name:p.end])))})
	}
	return into
}

// A pairPlace is where the name and the value of a field stand, without their quotes.
type pairPlace struct{ name, nameEnd, value, end int }

// stringPairs finds the fields of an object, which is JSON, as long as all values are texts, and
// nothing in them is escaped.
func stringPairs(object []byte, into []pairPlace) (places []pairPlace, plain bool) {
	if len(object) == 0 || object[0] != '{' || bytes.IndexByte(object, '\\') >= 0 {
		return into, len(object) == 0
	}
	for at := 1; ; {
		for ; object[at] != '"'; at++ {
			switch object[at] {
			case '}':
				return into, true
			case ' ', '\t', '\r', '\n', ',', ':':
			default:
				return into, false // a value that is no text
			}
		}
		var p pairPlace
		p.name = at + 1
		p.nameEnd = p.name + bytes.IndexByte(object[p.name:], '"')
		at = p.nameEnd + 1
		for ; object[at] != '"'; at++ {
			switch object[at] {
			case ' ', '\t', '\r', '\n', ':':
			default:
				return into, false
			}
		}
		p.value = at + 1
		p.end = p.value + bytes.IndexByte(object[p.value:], '"')
		at = p.end + 1
		into = append(into, p)
	}
}
