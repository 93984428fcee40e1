package js

import (
	"bytes"
	"encoding/base64"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"github.com/go-json-experiment/json/jsontext"
	"github.com/tidwall/gjson"

	"molt/core/universe"
	"molt/ecosystem"
	"molt/ecosystem/js/ranges"
	"molt/input"
)

// currentTag is the tag of the release that registries hand out by default.
const currentTag = "latest"

// digestOf reads the registry document of a package, as it comes, into what is kept of it: a twentieth of the long ones of packages with
// many releases. Whatever is no such document, or that of another package, is an error.
func digestOf(name string, body io.Reader, base string) ([]byte, error) {
	p, err := readPackage(name, body, base)
	if err != nil {
		return nil, err
	}
	return ecosystem.EncodeDigest(p), nil
}

// readPackage reads a registry document, which is JSON, in one pass and without holding it. Releases whose version is none by Semantic
// Versioning are left out.
func readPackage(name string, body io.Reader, base string) (*universe.Package, error) {
	d := &documentReader{name: name, base: base + "/", texts: map[string]string{}, required: map[string][]universe.Requirement{},
		demandAt: map[string]int32{}, licences: map[string]string{}, whens: map[string]string{},
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
	}
	return p, err
}

// A documentReader reads one document. Fields are read as the text that they are, and texts that were met before are not taken apart again:
// most releases of a package say the same.
type documentReader struct {
	name, base string // base ends in a slash
	json       *jsontext.Decoder
	fields     [fieldCount][]byte // of the release that is being read
	key        []byte
	places     []pairPlace

	texts map[string]string // one copy of each, so that what was read doesn't hold on to more
	lists [8]struct {       // the ones that were met last, by the texts that they come from
		key []byte
		demandLists
	}
	next     int // the one of them to replace
	demands  []universe.Demand
	demandAt map[string]int32 // positions in demands, by the text of name and constraint
	required map[string][]universe.Requirement
	licences map[string]string
	whens    map[string]string
}

// demandLists are the lists of demands that a release has.
type demandLists struct{ needs, peers, covered []universe.Demand }

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
	var releases []universe.Release
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
				r.Version = v
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
	p := universe.NewPackage(d.name, ranges.Scheme, releases)
	p.Tags = map[string]string{}
	about[`"dist-tags"`].ForEach(func(tag, v gjson.Result) bool {
		p.Tags[tag.String()] = v.String()
		return true
	})
	p.Current = p.Tags[currentTag]
	p.Notes.About, p.Notes.Homepage = forPeople(about[`"description"`]), forPeople(about[`"homepage"`])
	p.Notes.Repository = forPeople(about[`"repository"`].Get("url"))
	return p, nil
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

// one returns the one copy of a text.
func (d *documentReader) one(s string) string {
	if kept, ok := d.texts[s]; ok {
		return kept
	}
	s = strings.Clone(s)
	d.texts[s] = s
	return s
}

// release reads one entry of "versions". Of fields that are there twice the last counts.
func (d *documentReader) release() (r universe.Release, err error) {
	for i := range d.fields {
		d.fields[i] = d.fields[i][:0]
	}
	var file universe.File
	err = d.object(func(field []byte) error {
		if string(field) == `"dist"` && d.json.PeekKind() == '{' {
			file, err = d.file()
			return err
		}
		at := fieldOf(field)
		if at < 0 {
			return d.json.SkipValue()
		}
		value, err := d.json.ReadValue()
		d.fields[at] = append(d.fields[at][:0], value...)
		return err
	})
	if err != nil {
		return r, err
	}
	known := d.listsOf()
	r.Needs, r.Peers, r.Covered = known.needs, known.peers, known.covered
	r.Runtimes = remembered(d.required, d.fields[fieldEngines], func(v gjson.Result) (all []universe.Requirement) {
		if v.IsObject() {
			v.ForEach(func(name, text gjson.Result) bool {
				all = append(all, universe.Requirement{Name: d.one(name.String()), Text: d.one(text.String())})
				return true
			})
		}
		return all
	})
	if v := gjson.ParseBytes(d.fields[fieldDeprecated]); v.Type == gjson.String {
		r.Deprecated = d.one(forPeople(v))
	} else if v.Bool() {
		r.Deprecated = "deprecated"
	}
	r.Licence = remembered(d.licences, d.fields[fieldLicence], func(v gjson.Result) string {
		if v.IsObject() {
			v = v.Get("type")
		}
		return forPeople(v)
	})
	if len(d.fields[fieldOS])+len(d.fields[fieldCPU])+len(d.fields[fieldLibc]) > 0 {
		list := func(field int) []string { return stringsIn(gjson.Parse(string(d.fields[field]))) }
		file.When = d.one(platforms(list(fieldOS), list(fieldCPU), list(fieldLibc)))
	}
	r.Files = []universe.File{file}
	return r, nil
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
func (d *documentReader) file() (file universe.File, err error) {
	var shasum string
	err = d.object(func(field []byte) error {
		into := new(string)
		switch string(field) {
		case `"tarball"`:
			into = &file.Address
		case `"integrity"`:
			into = &file.Integrity
		case `"shasum"`:
			into = &shasum
		default:
			return d.json.SkipValue()
		}
		value, err := d.json.ReadValue()
		*into = unquoted(value)
		return err
	})
	file.Address = strings.TrimPrefix(file.Address, d.base)
	if sum, err := hex.DecodeString(shasum); file.Integrity == "" && err == nil && len(sum) > 0 {
		file.Integrity = "sha1-" + base64.StdEncoding.EncodeToString(sum)
	}
	return file, err
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
	var r universe.Release
	d.pairs(d.fields[fieldOptional], &r.Needs, func(one *universe.Demand) bool {
		one.Optional = true
		return !slices.Contains(bundled, one.As)
	})
	optional := r.Needs
	d.pairs(d.fields[fieldNeeds], &r.Needs, func(one *universe.Demand) bool {
		return !slices.Contains(bundled, one.As) && !slices.ContainsFunc(optional, func(x universe.Demand) bool { return x.As == one.As })
	})
	meta := gjson.Parse(string(d.fields[fieldPeerMeta]))
	d.pairs(d.fields[fieldPeers], &r.Peers, func(one *universe.Demand) bool {
		one.Optional = meta.Exists() && meta.Get(gjson.Escape(one.As)+".optional").Bool()
		return !slices.Contains(bundled, one.As) // what is needed may be stated as a peer too; it comes from the archive only when it is bundled
	})
	r.Order()
	last := &d.lists[d.next%len(d.lists)]
	d.next++
	last.key, last.demandLists = append(last.key[:0], d.key...), demandLists{r.Needs, r.Peers, r.Covered}
	return last.demandLists
}

// pairs reads an object of names and constraints. What is no text is passed over, and what cannot be read as a constraint admits nothing; a
// release may say so.
func (d *documentReader) pairs(object []byte, into *[]universe.Demand, keep func(*universe.Demand) bool) {
	places, plain := stringPairs(object, d.places[:0])
	d.places = places
	if !plain {
		gjson.Parse(string(object)).ForEach(func(name, text gjson.Result) bool {
			one := lineOf(d.one(name.String()), d.one(text.String()))
			if text.Type == gjson.String && keep(&one) {
				*into = append(*into, one)
			}
			return true
		})
		return
	}
	*into = slices.Grow(*into, len(places))
	for _, p := range places {
		key := object[p.name:p.end]
		at, ok := d.demandAt[string(key)]
		if !ok {
			at = int32(len(d.demands))
			d.demands = append(d.demands, lineOf(d.one(string(object[p.name:p.nameEnd])), d.one(string(object[p.value:p.end]))))
			d.demandAt[string(key)] = at
		}
		one := d.demands[at]
		if keep(&one) {
			*into = append(*into, one)
		}
	}
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
