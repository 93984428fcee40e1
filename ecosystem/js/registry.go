package js

import (
	"context"
	"encoding/base64"
	"encoding/hex"
	"errors"
	"maps"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/tidwall/gjson"

	"molt/core/universe"
	"molt/ecosystem"
	"molt/ecosystem/js/ranges"
	"molt/input"
	"molt/registry"
)

// The media types of the package-registry document protocol: the short document has all that resolving needs, the
// long one adds publication times and notes.
const (
	shortDocument = "application/vnd.npm.install-v1+json; q=1.0, application/json; q=0.8"
	longDocument  = "application/json"
)

// A source reads packages from a registry, each once.
type source struct {
	client *registry.Client
	detail ecosystem.Detail
	ctx    context.Context
	cancel context.CancelFunc
	work   sync.WaitGroup
	mu     sync.Mutex
	known  map[string]*promise
	long   map[string]*promise // long documents of packages that are known by their short ones
}

type promise struct {
	done chan struct{}
	p    *universe.Package
	err  error
}

func openSource(ctx context.Context, client *registry.Client, detail ecosystem.Detail) *source {
	s := &source{client: client, detail: detail, known: map[string]*promise{}, long: map[string]*promise{}}
	s.ctx, s.cancel = context.WithCancel(ctx)
	return s
}

// Close ends what was begun ahead, and waits for it.
func (s *source) Close() {
	s.cancel()
	s.work.Wait()
}

// Hint begins to fetch packages.
func (s *source) Hint(names ...string) {
	for _, name := range names {
		s.promise(name)
	}
}

func (s *source) promise(name string) *promise { return s.promiseIn(s.known, name, s.accepts(name)) }

// promiseIn begins to fetch a document unless it is there or on its way.
func (s *source) promiseIn(known map[string]*promise, name, accept string) *promise {
	s.mu.Lock()
	defer s.mu.Unlock()
	p, ok := known[name]
	if !ok {
		p = &promise{done: make(chan struct{})}
		known[name] = p
		s.work.Go(func() {
			p.p, p.err = s.fetch(name, accept)
			close(p.done)
		})
	}
	return p
}

// accepts returns which document of a package is asked for.
func (s *source) accepts(name string) string {
	if s.detail.Everything || slices.Contains(s.detail.Packages, name) {
		return longDocument
	}
	return shortDocument
}

// Dated returns a package from its long document, which has the publication times.
func (s *source) Dated(ctx context.Context, name string) (*universe.Package, error) {
	if s.accepts(name) == longDocument {
		return s.Package(ctx, name)
	}
	return s.promiseIn(s.long, name, longDocument).wait(ctx)
}

func (p *promise) wait(ctx context.Context) (*universe.Package, error) {
	select {
	case <-p.done:
		return p.p, p.err
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// Package returns a package from the registry.
func (s *source) Package(ctx context.Context, name string) (*universe.Package, error) {
	return s.promise(name).wait(ctx)
}

func (s *source) fetch(name, accept string) (*universe.Package, error) {
	var instead []string
	if accept == shortDocument {
		instead = []string{longDocument}
	}
	body, err := s.client.Fetch(s.ctx, registry.Request{Path: documentPath(name), Accept: accept, Instead: instead,
		Understand: func(body []byte) ([]byte, error) { return digestOf(name, body, s.client.Base()) }})
	var missing *registry.NotFoundError
	if errors.As(err, &missing) {
		return nil, &universe.UnknownError{Name: name}
	}
	if err != nil {
		return nil, err
	}
	p, err := ecosystem.DecodeDigest(ranges.Scheme, body)
	if err != nil {
		return nil, &registry.UnreachableError{URL: name, Err: err}
	}
	return p, nil
}

// documentPath writes a name as one segment of a path, the way that the protocol does: the "@" of a scope stays.
func documentPath(name string) string { return segment.Replace(url.PathEscape(name)) }

var segment = strings.NewReplacer("%40", "@", "%2F", "%2f")

// currentTag is the tag of the release that registries hand out by default.
const currentTag = "latest"

// readPackage reads a registry document, which is JSON. Releases whose version is none by Semantic Versioning are left out.
func readPackage(name string, body []byte, base string) (*universe.Package, error) {
	doc := map[string]gjson.Result{} // in one pass: documents are long
	gjson.ParseBytes(body).ForEach(func(field, v gjson.Result) bool {
		if _, again := doc[field.String()]; !again {
			doc[field.String()] = v
		}
		return true
	})
	if !doc["versions"].IsObject() {
		return nil, errors.New("the document of " + name + " lists no versions")
	}
	times := map[string]string{}
	doc["time"].ForEach(func(v, at gjson.Result) bool {
		times[v.String()] = at.String()
		return true
	})
	var releases []universe.Release
	texts := texts{map[string]string{}, map[[2]string]universe.Demand{}}
	doc["versions"].ForEach(func(v, about gjson.Result) bool {
		parsed, err := ranges.Scheme.Parse(strings.Clone(v.String()))
		if err != nil || !about.IsObject() {
			return true
		}
		r := readRelease(about, base, texts)
		r.Version = parsed
		if at, err := time.Parse(time.RFC3339, times[v.String()]); err == nil && at.UnixMilli() != 0 {
			r.Published = time.UnixMilli(at.UnixMilli()).UTC()
		}
		releases = append(releases, r)
		return true
	})
	p := universe.NewPackage(name, ranges.Scheme, releases)
	p.Tags = map[string]string{}
	doc["dist-tags"].ForEach(func(tag, v gjson.Result) bool {
		p.Tags[strings.Clone(tag.String())] = strings.Clone(v.String())
		return true
	})
	p.Current = p.Tags[currentTag]
	p.Notes.About, p.Notes.Homepage = forPeople(doc["description"]), forPeople(doc["homepage"])
	p.Notes.Repository = forPeople(doc["repository"].Get("url"))
	return p, nil
}

// forPeople returns a text that is only shown: a copy, on one line, without what a terminal would obey.
func forPeople(v gjson.Result) string {
	return strings.Join(strings.Fields(input.Harmless(v.String())), " ")
}

// texts keeps one copy of each text, so that what was read does not hold on to the document, in which names and
// constraints stand hundreds of times, and reads each demand once.
type texts struct {
	kept    map[string]string
	demands map[[2]string]universe.Demand // by name and text
}

func (t texts) one(s string) string {
	if kept, ok := t.kept[s]; ok {
		return kept
	}
	s = strings.Clone(s)
	t.kept[s] = s
	return s
}

// demand reads a line of a registry document. What cannot be read admits nothing; a release may say so.
func (t texts) demand(as, text string) universe.Demand {
	key := [2]string{as, text}
	d, ok := t.demands[key]
	if !ok {
		as, text = t.one(as), t.one(text)
		d, _ = demand(as, text)
		t.demands[[2]string{as, text}] = d
	}
	return d
}

// A releaseDoc is the part of an entry of "versions" that counts, as it stands in the document.
type releaseDoc struct {
	needs, optional, peers, peerMeta, engines, bundle, bundled, deprecated, dist, licence gjson.Result
	os, cpu, libc                                                                         gjson.Result
}

// part returns the place for a field, or nil.
func (d *releaseDoc) part(field string) *gjson.Result {
	switch field {
	case "dependencies":
		return &d.needs
	case "optionalDependencies":
		return &d.optional
	case "peerDependencies":
		return &d.peers
	case "peerDependenciesMeta":
		return &d.peerMeta
	case "engines":
		return &d.engines
	case "bundleDependencies":
		return &d.bundle
	case "bundledDependencies":
		return &d.bundled
	case "deprecated":
		return &d.deprecated
	case "dist":
		return &d.dist
	case "license":
		return &d.licence
	case "os":
		return &d.os
	case "cpu":
		return &d.cpu
	case "libc":
		return &d.libc
	}
	return nil
}

// readRelease reads one entry of "versions". A name among the optional dependencies overrides the same name among the
// dependencies; what is needed is not asked for as a peer as well; bundled dependencies come with the archive.
func readRelease(about gjson.Result, base string, texts texts) universe.Release {
	var doc releaseDoc
	about.ForEach(func(field, value gjson.Result) bool {
		if p := doc.part(field.String()); p != nil {
			*p = value
		}
		return true
	})
	var r universe.Release
	taken := map[string]bool{} // names that are bundled, or read already
	for _, list := range []gjson.Result{doc.bundle, doc.bundled} {
		list.ForEach(func(_, name gjson.Result) bool {
			taken[name.String()] = true
			return true
		})
	}
	bundled := maps.Clone(taken)
	read := func(group gjson.Result, into *[]universe.Demand, optional func(string) bool) {
		var names []string
		group.ForEach(func(name, text gjson.Result) bool {
			as := name.String()
			if text.Type == gjson.String && !taken[as] {
				d := texts.demand(as, text.String())
				d.Optional = optional(as)
				*into = append(*into, d)
				names = append(names, d.As)
			}
			return true
		})
		for _, name := range names {
			taken[name] = true
		}
	}
	read(doc.optional, &r.Needs, func(string) bool { return true })
	read(doc.needs, &r.Needs, func(string) bool { return false })
	for name := range taken { // what is needed may be stated as a peer too; it comes from the archive only when it is bundled
		if !bundled[name] {
			delete(taken, name)
		}
	}
	read(doc.peers, &r.Peers, func(name string) bool { return doc.peerMeta.Get(gjson.Escape(name) + ".optional").Bool() })
	if doc.engines.IsObject() {
		doc.engines.ForEach(func(name, text gjson.Result) bool {
			r.Runtimes = append(r.Runtimes, universe.Requirement{Name: texts.one(name.String()), Text: texts.one(text.String())})
			return true
		})
	}
	if doc.deprecated.Type == gjson.String {
		r.Deprecated = texts.one(forPeople(doc.deprecated))
	} else if doc.deprecated.Bool() {
		r.Deprecated = "deprecated"
	}
	if doc.licence.IsObject() {
		doc.licence = doc.licence.Get("type")
	}
	r.Licence = texts.one(forPeople(doc.licence))
	var file universe.File
	var tarball, shasum string
	doc.dist.ForEach(func(field, v gjson.Result) bool {
		switch field.String() {
		case "tarball":
			tarball = v.String()
		case "integrity":
			file.Integrity = strings.Clone(v.String())
		case "shasum":
			shasum = v.String()
		}
		return true
	})
	file.Address = strings.Clone(strings.TrimPrefix(tarball, base+"/"))
	if sum, err := hex.DecodeString(shasum); file.Integrity == "" && err == nil && len(sum) > 0 {
		file.Integrity = "sha1-" + base64.StdEncoding.EncodeToString(sum)
	}
	file.When = texts.one(platforms(stringsIn(doc.os), stringsIn(doc.cpu), stringsIn(doc.libc)))
	r.Files = []universe.File{file}
	return r
}
