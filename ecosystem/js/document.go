package js

import (
	"bytes"
	"cmp"
	"encoding/base64"
	"encoding/hex"
	"errors"
	"fmt"
	"hash/maphash"
	"io"
	"slices"
	"strings"
	"time"

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

// digestOf reads the registry document of a package, as it comes, into what is kept of it: a
// twentieth of the long ones of packages with many releases. Whatever is no such document, or that
// of another package, is an error.
func digestOf(name string, body io.Reader, base string) ([]byte, error) {
	d := &documentReader{name: name, base: []byte(base + "/"), into: ecosystem.NewDigestWriter(), seed: maphash.MakeSeed(),
		pairAt:   make([]uint32, 64),
		required: map[string]uint32{}, licences: map[string]uint32{}, tested: map[string]uint32{},
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

// A documentReader reads one document, which is JSON, in one pass and without holding it. Fields
// are read as the text that they are, and texts that were met before are not taken apart again:
// most releases of a package say the same. Releases whose version is none by Semantic Versioning
// are left out.
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
	tested   map[string]uint32

	peerMeta []byte          // the text of the last peerDependenciesMeta
	absent   map[string]bool // which names it says need not be there

	needs, optional, peers, covered []line // memory for the lists of a release
	numbers                         []uint32
}

// A documentRelease is a release as it was read, before the others are known.
type documentRelease struct {
	version version.Version
	text    string // as the document writes it
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
	fieldBin
	fieldScripts
	fieldHasScript
	fieldTypes
	fieldTypings
	fieldExports
	fieldDev
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
	case `"bin"`:
		return fieldBin
	case `"scripts"`:
		return fieldScripts
	case `"types"`:
		return fieldTypes
	case `"typings"`:
		return fieldTypings
	case `"exports"`:
		return fieldExports
	case `"devDependencies"`:
		return fieldDev
	case `"hasInstallScript"`:
		return fieldHasScript
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
				r.version, r.text = v, text
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
	eachField(about[`"dist-tags"`], func(tag, v gjson.Result) bool {
		p.Tags[tag.String()] = v.String()
		return true
	})
	p.Current = p.Tags[currentTag]
	p.Notes.About, p.Notes.Homepage = forPeople(about[`"description"`]), forPeople(about[`"homepage"`])
	p.Notes.Repository = forPeople(about[`"repository"`].Get("url"))
	return p, nil
}

// write writes the releases in the order of their versions. Of several spellings of a version the
// exact one counts, else the first by its text, and of one that is there twice the first: the order
// of the document tells nothing.
func (d *documentReader) write(releases []documentRelease) {
	slices.SortStableFunc(releases, func(a, b documentRelease) int {
		if c := a.version.Compare(b.version); c != 0 {
			return c
		}
		if c := strings.Compare(a.version.String(), b.version.String()); c != 0 {
			return c
		}
		if exact := a.version.String(); a.text == exact || b.text == exact {
			return cmp.Compare(btoi(b.text == exact), btoi(a.text == exact))
		}
		return strings.Compare(a.text, b.text)
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

func btoi(b bool) int {
	if b {
		return 1
	}
	return 0
}

// object goes through the fields of an object, for each of which read reads the value. The name is
// as it stands in the document, with its quotes, and only valid until then.
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
	if len(d.fields[fieldBin])+len(d.fields[fieldScripts])+len(d.fields[fieldHasScript]) > 0 {
		field := func(at int) gjson.Result { return gjson.Parse(string(d.fields[at])) }
		r.Runs = d.into.Text(runsOf(programsIn(d.name, field(fieldBin)), field(fieldHasScript).Bool() ||
			len(stepsIn(field(fieldScripts))) > 0))
	}
	r.Tested = d.testedWith()
	r.Typed = typed(d.fields[fieldTypes], d.fields[fieldTypings], d.fields[fieldExports])
	return r, nil
}

// testedWith reads with which relatives, by their names, a release is developed: what else that
// takes says nothing of what it is for.
func (d *documentReader) testedWith() uint32 {
	field := d.fields[fieldDev]
	if len(field) == 0 {
		return d.list(nil)
	}
	n, known := d.tested[string(field)]
	if !known {
		own := JS{}.Kin(d.name)
		lines := slices.DeleteFunc(d.linesOf(field, nil),
			func(l line) bool { return own.Common(JS{}.Kin(string(d.nameOf(l)))) == "" })
		n = d.list(d.distinct(lines))
		d.tested[string(field)] = n
	}
	return n
}

// typed reports whether the fields "types", "typings" or "exports" of a manifest name type declarations: of exports a
// condition of that name does.
func typed(types, typings, exports []byte) bool {
	return unquoted(types) != "" || unquoted(typings) != "" || bytes.Contains(exports, []byte(`"types"`))
}

// requirements reads what a release requires of runtimes.
func (d *documentReader) requirements(v gjson.Result) uint32 {
	var r universe.Release
	eachField(v, func(name, text gjson.Result) bool {
		r.Runtimes = append(r.Runtimes, universe.Requirement{Name: name.String(), Text: text.String()})
		return true
	})
	r.Sort()
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

// forPeople returns a text that is only shown: a copy, on one line, without what a terminal would obey.
func forPeople(v gjson.Result) string {
	return strings.Join(strings.Fields(input.Harmless(v.String())), " ")
}
