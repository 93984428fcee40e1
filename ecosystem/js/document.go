package js

import (
	"bytes"
	"encoding/base64"
	"encoding/hex"
	"errors"
	"fmt"
	"hash/maphash"
	"io"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/go-json-experiment/json/jsontext"
	"github.com/tidwall/gjson"

	"molt/core/universe"
	"molt/core/version"
	"molt/ecosystem"
	"molt/ecosystem/js/ranges"
	"molt/input"
)

// currentTag is the tag of the release that registries hand out by default.
const currentTag = "latest"

// digestOf reads the registry document of a package, as it comes, into what is kept of it: a twentieth of the long ones of packages with
// many releases. Whatever is no such document, or that of another package, is an error.
func digestOf(name string, body io.Reader, base string) ([]byte, error) {
	d := &documentReader{name: name, base: []byte(base + "/"), into: ecosystem.NewDigestWriter(), seed: maphash.MakeSeed(), pairAt: make([]uint32, 64),
		required: map[string]uint32{}, licences: map[string]uint32{},
		json: jsontext.NewDecoder(body, jsontext.AllowDuplicateNames(true), jsontext.AllowInvalidUTF8(true))}
	p, err := d.read()
	var syntax *jsontext.SyntacticError
	switch {
	case errors.As(err, &syntax):
		return nil, fmt.Errorf("the document of %s is not JSON: byte %d: %w", name, syntax.ByteOffset+1, syntax.Err)
	case errors.Is(err, io.ErrUnexpectedEOF):
		return nil, fmt.Errorf("the document of %s ends in its middle", name)
	case errors.Is(err, io.EOF):
		return nil, fmt.Errorf("the document of %s is empty", name)
	case err != nil:
		return nil, err
	}
	return d.into.Whole(p), nil
}

// A documentReader reads one document, which is JSON, in one pass and without holding it. Fields are read as the text that they are, and texts that
// were met before are not taken apart again: most releases of a package say the same. Releases whose version is none by Semantic Versioning are left
// out.
type documentReader struct {
	name   string
	base   []byte // ends in a slash
	json   *jsontext.Decoder
	into   *ecosystem.DigestWriter
	fields [fieldCount][]byte // of the release that is being read
	key    []byte
	places []pairPlace

	lists [8]struct { // the ones that were met last, by the texts that they come from
		key []byte
		demandLists
	}
	next     int // the one of them to replace
	seed     maphash.Seed
	pairAt   []uint32 // a hash table of pairs, by open addressing: from 1, 0 for a free place
	pairs    []pair
	texts    []byte // of the pairs
	required map[string]uint32
	licences map[string]uint32

	peerMeta []byte          // the text of the last peerDependenciesMeta
	absent   map[string]bool // which names it says need not be there

	needs, optional, peers, covered []line // memory for the lists of a release
	numbers                         []uint32
}

// demandLists are the numbers of the lists of demands that a release has.
type demandLists struct{ needs, peers, covered uint32 }

// A documentRelease is a release as it was read, before the others are known.
type documentRelease struct {
	version version.Version
	ecosystem.DigestRelease
	file ecosystem.DigestFile
}

// The fields of an entry of "versions" that are read.
const (
	fieldNeeds = iota
	fieldOptional
	fieldPeers
	fieldPeerMeta
	fieldBundle
	fieldBundled
	fieldEngines
	fieldDeprecated
	fieldLicence
	fieldOS
	fieldCPU
	fieldLibc
	fieldCount
)

// fieldOf says which field a quoted name is, or -1. Those before fieldEngines make up the lists of demands.
func fieldOf(quoted []byte) int {
	switch string(quoted) {
	case `"dependencies"`:
		return fieldNeeds
	case `"optionalDependencies"`:
		return fieldOptional
	case `"peerDependencies"`:
		return fieldPeers
	case `"peerDependenciesMeta"`:
		return fieldPeerMeta
	case `"bundleDependencies"`:
		return fieldBundle
	case `"bundledDependencies"`:
		return fieldBundled
	case `"engines"`:
		return fieldEngines
	case `"deprecated"`:
		return fieldDeprecated
	case `"license"`:
		return fieldLicence
	case `"os"`:
		return fieldOS
	case `"cpu"`:
		return fieldCPU
	case `"libc"`:
		return fieldLibc
	}
	return -1
}

// read reads the document. Of fields that are there twice the first counts.
func (d *documentReader) read() (*universe.Package, error) {
	if d.json.PeekKind() != '{' {
		if err := d.json.SkipValue(); err != nil {
			return nil, err
		}
		return nil, fmt.Errorf("the document of %s is no JSON object", d.name)
	}
	seen := map[string]bool{}
	about := map[string]gjson.Result{} // of the fields that are about the whole package
	published := map[string]time.Time{}
	var releases []documentRelease
	var texts []string // the versions of releases, as the document writes them
	err := d.object(func(field []byte) error {
		name := string(field)
		if seen[name] {
			return d.json.SkipValue()
		}
		seen[name] = true
		switch name {
		case `"versions"`:
			if d.json.PeekKind() != '{' {
				return fmt.Errorf("the document of %s lists no versions", d.name)
			}
			return d.object(func(field []byte) error {
				text := unquoted(field)
				v, err := ranges.Scheme.Parse(text)
				if err != nil || d.json.PeekKind() != '{' {
					return d.json.SkipValue()
				}
				r, err := d.release()
				if err != nil {
					return err
				}
				r.version = v
				releases, texts = append(releases, r), append(texts, text)
				return nil
			})
		case `"time"`:
			if d.json.PeekKind() != '{' {
				return d.json.SkipValue()
			}
			return d.object(func(field []byte) error {
				text := unquoted(field)
				value, err := d.json.ReadValue()
				if err != nil {
					return err
				}
				if at, err := time.Parse(time.RFC3339, unquoted(value)); err == nil && at.UnixMilli() != 0 {
					published[text] = time.UnixMilli(at.UnixMilli()).UTC()
				}
				return nil
			})
		case `"name"`, `"dist-tags"`, `"description"`, `"homepage"`, `"repository"`:
			value, err := d.json.ReadValue()
			about[name] = gjson.Parse(string(value))
			return err
		}
		return d.json.SkipValue()
	})
	if err == nil {
		_, err = d.json.ReadToken()
		if err == nil {
			return nil, fmt.Errorf("the document of %s goes on behind its end", d.name)
		}
	}
	switch stated := about[`"name"`]; {
	case !errors.Is(err, io.EOF):
		return nil, err
	case !seen[`"versions"`]:
		return nil, fmt.Errorf("the document of %s lists no versions", d.name)
	case stated.Exists() && stated.String() != d.name:
		return nil, fmt.Errorf("the document of %s is that of another package, %q", d.name, stated.String())
	}
	for i, text := range texts {
		releases[i].Published = published[text]
	}
	d.write(releases)
	p := &universe.Package{Name: d.name, Tags: map[string]string{}}
	about[`"dist-tags"`].ForEach(func(tag, v gjson.Result) bool {
		p.Tags[tag.String()] = v.String()
		return true
	})
	p.Current = p.Tags[currentTag]
	p.Notes.About, p.Notes.Homepage = forPeople(about[`"description"`]), forPeople(about[`"homepage"`])
	p.Notes.Repository = forPeople(about[`"repository"`].Get("url"))
	return p, nil
}

// write writes the releases in the order of their versions. Of a version that is there twice the first counts.
func (d *documentReader) write(releases []documentRelease) {
	slices.SortStableFunc(releases, func(a, b documentRelease) int {
		if c := a.version.Compare(b.version); c != 0 {
			return c
		}
		return strings.Compare(a.version.String(), b.version.String())
	})
	for i := range releases {
		r := &releases[i]
		if i > 0 && r.version.String() == releases[i-1].version.String() {
			continue
		}
		r.Version = d.into.Text(r.version.String())
		d.into.Release(&r.DigestRelease, r.file)
	}
}

// object goes through the fields of an object, for each of which read reads the value. The name is as it stands in the document, with
// its quotes, and only valid until then.
func (d *documentReader) object(read func(field []byte) error) error {
	if _, err := d.json.ReadToken(); err != nil {
		return err
	}
	for d.json.PeekKind() != '}' {
		field, err := d.json.ReadValue()
		if err != nil {
			return err
		}
		if err := read(field); err != nil {
			return err
		}
	}
	_, err := d.json.ReadToken()
	return err
}

// unquoted returns what a JSON string says; "" for what is none.
func unquoted(value []byte) string {
	if len(value) == 0 || value[0] != '"' {
		return ""
	}
	if bytes.IndexByte(value, '\\') < 0 {
		return string(value[1 : len(value)-1])
	}
	return gjson.ParseBytes(value).String()
}

// release reads one entry of "versions". Of fields that are there twice the last counts.
func (d *documentReader) release() (r documentRelease, err error) {
	for i := range d.fields {
		d.fields[i] = d.fields[i][:0]
	}
	err = d.object(func(field []byte) error {
		if string(field) == `"dist"` && d.json.PeekKind() == '{' {
			r.file, err = d.file()
			return err
		}
		at := fieldOf(field)
		value, err := d.json.ReadValue() // which is quicker than to skip it, and it is short
		if at >= 0 {
			d.fields[at] = append(d.fields[at][:0], value...)
		}
		return err
	})
	if err != nil {
		return r, err
	}
	known := d.listsOf()
	r.Needs, r.Peers, r.Covered = known.needs, known.peers, known.covered
	r.Runtimes = remembered(d.required, d.fields[fieldEngines], d.requirements)
	if v := gjson.ParseBytes(d.fields[fieldDeprecated]); v.Type == gjson.String {
		r.Deprecated = d.into.Text(forPeople(v))
	} else if v.Bool() {
		r.Deprecated = d.into.Text("deprecated")
	}
	r.Licence = remembered(d.licences, d.fields[fieldLicence], func(v gjson.Result) uint32 {
		if v.IsObject() {
			v = v.Get("type")
		}
		return d.into.Text(forPeople(v))
	})
	if len(d.fields[fieldOS])+len(d.fields[fieldCPU])+len(d.fields[fieldLibc]) > 0 {
		list := func(field int) []string { return stringsIn(gjson.Parse(string(d.fields[field]))) }
		r.file.When = d.into.Text(platforms(list(fieldOS), list(fieldCPU), list(fieldLibc)))
	}
	return r, nil
}

// requirements reads what a release requires of runtimes.
func (d *documentReader) requirements(v gjson.Result) uint32 {
	var r universe.Release
	if v.IsObject() {
		v.ForEach(func(name, text gjson.Result) bool {
			r.Runtimes = append(r.Runtimes, universe.Requirement{Name: name.String(), Text: text.String()})
			return true
		})
	}
	r.Order()
	return d.into.Requirements(r.Runtimes)
}

// remembered looks up what a text was read as before, or reads it.
func remembered[T any](known map[string]T, text []byte, read func(gjson.Result) T) T {
	v, ok := known[string(text)]
	if !ok {
		v = read(gjson.Parse(string(text)))
		known[string(text)] = v
	}
	return v
}

// file reads what an entry says of its archive.
func (d *documentReader) file() (file ecosystem.DigestFile, err error) {
	var shasum string
	err = d.object(func(field []byte) error {
		var into *uint32
		var sum, address bool
		switch string(field) {
		case `"tarball"`:
			into, address = &file.Address, true
		case `"integrity"`:
			into = &file.Integrity
		case `"shasum"`:
			sum = true
		}
		value, err := d.json.ReadValue()
		if into == nil && !sum {
			return err
		}
		text := bytesOf(value)
		switch {
		case sum:
			shasum = string(text)
		case address:
			*into = d.into.NewText(bytes.TrimPrefix(text, d.base)) // that of another release is another
		default:
			*into = d.into.NewText(text)
		}
		return err
	})
	if sum, err := hex.DecodeString(shasum); file.Integrity == 0 && err == nil && len(sum) > 0 {
		file.Integrity = d.into.Text("sha1-" + base64.StdEncoding.EncodeToString(sum))
	}
	return file, err
}

// bytesOf is unquoted without a copy.
func bytesOf(value []byte) []byte {
	if len(value) < 2 || value[0] != '"' || bytes.IndexByte(value, '\\') >= 0 {
		return []byte(unquoted(value))
	}
	return value[1 : len(value)-1]
}

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
			d.pairs = append(d.pairs, pair{at: uint32(from), name: uint32(from + len(name)), end: uint32(len(d.texts)), hash: hash})
			d.pairAt[at] = uint32(len(d.pairs))
			return uint32(len(d.pairs) - 1)
		}
		if p := &d.pairs[n-1]; p.hash == hash && bytes.Equal(d.texts[p.at:p.name], name) && bytes.Equal(d.texts[p.name:p.end], text) {
			return n - 1
		}
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

// isPlain reports whether lineOf makes of a constraint nothing but what it says: it is no alias and no address, and has no space around it.
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

// listsOf reads what the release demands. A name among the optional dependencies overrides the same name among the dependencies; what is
// needed is not asked for as a peer as well; bundled dependencies come with the archive.
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
	var bundled []string
	for _, field := range []int{fieldBundle, fieldBundled} {
		gjson.Parse(string(d.fields[field])).ForEach(func(_, name gjson.Result) bool {
			bundled = append(bundled, name.String())
			return true
		})
	}
	isBundled := func(l line) bool { return slices.Contains(bundled, string(d.nameOf(l))) }
	keep := func(all []line) []line {
		if bundled != nil {
			all = slices.DeleteFunc(all, isBundled)
		}
		return d.distinct(all)
	}
	d.optional = keep(d.linesOf(d.fields[fieldOptional], d.optional[:0]))
	for i := range d.optional {
		d.optional[i].optional = true
	}
	d.needs = keep(append(append(d.needs[:0], d.optional...), d.linesOf(d.fields[fieldNeeds], d.peers[:0])...)) // of two lines on one name the first stays
	d.peers = keep(d.linesOf(d.fields[fieldPeers], d.peers[:0]))                                                // what is needed may be stated as a peer too; it comes from the archive only when it is bundled
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
	last.key, last.demandLists = append(last.key[:0], d.key...), demandLists{d.list(d.needs), d.list(d.peers), d.list(d.covered)}
	return last.demandLists
}

// markOptional marks the peers that need not be there.
func (d *documentReader) markOptional(peers []line) {
	field := d.fields[fieldPeerMeta]
	if len(field) == 0 {
		return
	}
	if !bytes.Equal(field, d.peerMeta) {
		d.peerMeta, d.absent = append(d.peerMeta[:0], field...), map[string]bool{}
		gjson.Parse(string(field)).ForEach(func(name, meta gjson.Result) bool {
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

// linesOf reads an object of names and constraints. What is no text is passed over, and what cannot be read as a constraint admits nothing; a
// release may say so.
func (d *documentReader) linesOf(object []byte, into []line) []line {
	places, plain := stringPairs(object, d.places[:0])
	d.places = places
	if !plain {
		gjson.Parse(string(object)).ForEach(func(name, text gjson.Result) bool {
			if text.Type == gjson.String {
				into = append(into, line{pair: d.pair([]byte(name.String()), []byte(text.String()), uint32(maphash.String(d.seed, name.Raw+text.Raw)))})
			}
			return true
		})
		return into
	}
	for _, p := range places {
		into = append(into, line{pair: d.pair(object[p.name:p.nameEnd], object[p.value:p.end], uint32(maphash.Bytes(d.seed, object[p.name:p.end])))})
	}
	return into
}

// A pairPlace is where the name and the value of a field stand, without their quotes.
type pairPlace struct{ name, nameEnd, value, end int }

// stringPairs finds the fields of an object, which is JSON, as long as all values are texts, and nothing in them is escaped.
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

// forPeople returns a text that is only shown: a copy, on one line, without what a terminal would obey.
func forPeople(v gjson.Result) string {
	return strings.Join(strings.Fields(input.Harmless(v.String())), " ")
}
