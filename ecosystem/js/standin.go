package js

import (
	"archive/tar"
	"bytes"
	"compress/gzip"
	"context"
	"crypto/sha512"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"maps"
	"net/http"
	"net/url"
	"path"
	"slices"
	"strings"
	"sync"
	"time"

	"molt/core/universe"
	"molt/ecosystem/standin"
)

// StandIn serves packages by the package-registry document protocol: GET /NAME gives a document,
// short or long as the Accept header asks, and GET /NAME/-/FILE.tgz an archive whose checksum the
// document states. It does not take packages, and has no search and no accounts. It is for this
// machine: a Host that is no loopback name is refused (a page in a browser could have resolved a
// name of its own to it), and the addresses in documents are those of the listener, whatever a
// request says. What it keeps in memory is bounded by what it serves.
func (JS) StandIn(u standin.Universe) http.Handler {
	var sums sync.Map // integrity strings of archives, by package and version
	return serve(u.Table, func(p *universe.Package, r *universe.Release, base string) map[string]any {
		key := p.Name + "@" + r.Version.String()
		integrity, known := sums.Load(key)
		if !known {
			sum := sha512.Sum512(archiveOf(u, p, r))
			integrity, _ = sums.LoadOrStore(key, "sha512-"+base64.StdEncoding.EncodeToString(sum[:]))
		}
		about := packageJSON(p, r, u.Files(p, r))
		about["dist"] = map[string]any{"tarball": archiveAddress(base, p, r), "integrity": integrity}
		return about
	}, func(_ context.Context, p *universe.Package, r *universe.Release) ([]byte, error) {
		return archiveOf(u, p, r), nil
	})
}

// Relay serves packages by the same protocol and under the same rules, as a lock has them: their
// archives are where the releases' files say, or, with a way to get them, here. The packages are
// changed, and must be nobody else's.
func (JS) Relay(packages universe.Table,
	archive func(context.Context, *universe.Package, *universe.Release) ([]byte, error)) http.Handler {
	for _, p := range packages { // what programs take that ask for no release by name
		if newest := p.Newest(); newest != nil && p.Tags[currentTag] == "" {
			p.Tags = maps.Clone(p.Tags)
			if p.Tags == nil {
				p.Tags = map[string]string{}
			}
			p.Tags[currentTag] = newest.Version.String()
		}
	}
	return serve(packages, func(p *universe.Package, r *universe.Release, base string) map[string]any {
		dist := map[string]any{"tarball": r.File().Address}
		if archive != nil {
			dist["tarball"] = archiveAddress(base, p, r)
		}
		if r.File().Integrity != "" {
			dist["integrity"] = r.File().Integrity
		}
		about := packageJSON(p, r, nil)
		about["dist"] = dist
		return about
	}, archive)
}

// Document writes the long document of a package. Archives are where the releases' files say, which
// may be relative to the registry.
func (JS) Document(p *universe.Package) []byte {
	return document(p, false, func(r *universe.Release) map[string]any {
		dist := map[string]any{"tarball": r.File().Address}
		if r.File().Integrity != "" {
			dist["integrity"] = r.File().Integrity
		}
		about := packageJSON(p, r, nil)
		about["dist"] = dist
		return about
	})
}

func archiveAddress(base string, p *universe.Package, r *universe.Release) string {
	return base + "/" + (&url.URL{Path: p.Name}).EscapedPath() + "/-/" + archiveName(p.Name, r.Version.String())
}

// serve serves packages; entry is a release's in the document, with where its archive is and how to check it, archive
// gets that, where it is here.
func serve(packages universe.Table, entry func(p *universe.Package, r *universe.Release, base string) map[string]any,
	archive func(context.Context, *universe.Package, *universe.Release) ([]byte, error)) http.Handler {
	var documents sync.Map // of bytes, by package, listener and length
	return standin.Handler(func(r *http.Request, base string) (kind string, body []byte, err error) {
		name, file, wantsArchive := strings.Cut(strings.TrimPrefix(r.URL.Path, "/"), "/-/")
		p := packages[name]
		if p == nil {
			return "", nil, nil
		}
		if wantsArchive {
			for i := range p.Len() {
				if archive != nil && archiveName(p.Name, p.Version(i).String()) == file {
					body, err = archive(r.Context(), p, p.At(i))
				}
			}
			return "application/octet-stream", body, err
		}
		short := strings.Contains(r.Header.Get("Accept"), "application/vnd.npm.install-v1+json")
		key := fmt.Sprint(name, " ", base, short)
		kept, ok := documents.Load(key)
		if !ok {
			kept, _ = documents.LoadOrStore(
				key, document(p, short, func(r *universe.Release) map[string]any { return entry(p, r, base) }))
		}
		return "application/json", kept.([]byte), nil
	})
}

func archiveName(name, version string) string { return path.Base(name) + "-" + version + ".tgz" }

// document builds the registry document of a package.
func document(p *universe.Package, short bool, entry func(*universe.Release) map[string]any) []byte {
	versions, times := map[string]any{}, map[string]string{}
	for i := range p.Len() {
		r := p.At(i)
		v := r.Version.String()
		versions[v] = entry(r)
		if !r.Published.IsZero() {
			times[v] = r.Published.Format(time.RFC3339Nano)
		}
	}
	doc := map[string]any{"name": p.Name, "dist-tags": p.Tags, "versions": versions}
	if !short {
		doc["time"], doc["description"], doc["homepage"] = times, p.Notes.About, p.Notes.Homepage
		doc["repository"] = map[string]string{"type": "git", "url": p.Notes.Repository}
	}
	data, err := json.Marshal(doc)
	if err != nil {
		panic(fmt.Sprintf("a document of strings has no JSON: %v", err))
	}
	return data
}

// packageJSON builds the manifest of a release with some files, which is also its entry in the document.
func packageJSON(p *universe.Package, r *universe.Release, files map[string]string) map[string]any {
	about := map[string]any{"name": p.Name, "version": r.Version.String()}
	put := func(field string, d universe.Demand) {
		text := d.Text
		if d.As != d.Package {
			text = alias + d.Package + "@" + text
		}
		m, _ := about[field].(map[string]string)
		if m == nil {
			m = map[string]string{}
			about[field] = m
		}
		m[d.As] = text
	}
	for _, d := range r.Needs {
		if d.Optional {
			put("optionalDependencies", d)
		} else {
			put("dependencies", d)
		}
	}
	meta := map[string]any{}
	for _, d := range slices.Concat(r.Peers, r.Covered) {
		put("peerDependencies", d)
		if d.Optional {
			meta[d.As] = map[string]bool{"optional": true}
		}
	}
	if len(meta) > 0 {
		about["peerDependenciesMeta"] = meta
	}
	for _, d := range r.Tested {
		put("devDependencies", d)
	}
	for _, q := range r.Runtimes {
		put("engines", universe.Demand{As: q.Name, Package: q.Name, Text: q.Text})
	}
	if r.Deprecated != "" {
		about["deprecated"] = r.Deprecated
	}
	if r.Licence != "" {
		about["license"] = r.Licence
	}
	for _, name := range slices.Sorted(maps.Keys(files)) { // what is run, by its name, and what is imported
		switch {
		case strings.HasPrefix(name, "bin/"):
			bin, _ := about["bin"].(map[string]string)
			if bin == nil {
				bin = map[string]string{}
				about["bin"] = bin
			}
			bin[strings.TrimSuffix(path.Base(name), path.Ext(name))] = name
		case strings.HasSuffix(name, "index.d.ts"):
			about["types"] = name
		case strings.TrimSuffix(name, path.Ext(name)) == "index":
			about["main"] = name
		}
	}
	for _, part := range strings.Fields(r.File().When) {
		field, names, _ := strings.Cut(part, ":")
		about[field] = strings.Split(names, ",")
	}
	return about
}

// archiveOf builds the archive of a release, the same bytes every time.
func archiveOf(u standin.Universe, p *universe.Package, r *universe.Release) []byte {
	code := u.Files(p, r)
	manifest, err := json.MarshalIndent(packageJSON(p, r, code), "", "  ")
	if err != nil {
		panic(fmt.Sprintf("a manifest of strings has no JSON: %v", err))
	}
	var buffer bytes.Buffer
	compressed := gzip.NewWriter(&buffer)
	archive := tar.NewWriter(compressed)
	files := []struct{ name, text string }{
		{"package.json", string(manifest) + "\n"},
		{"README.md", fmt.Sprintf("# %s %s\n\n%s\n", p.Name, r.Version, p.Notes.About)},
	}
	if len(code) == 0 {
		code["index.js"] = fmt.Sprintf("module.exports = { name: %q, version: %q };\n", p.Name, r.Version)
	}
	for _, name := range slices.Sorted(maps.Keys(code)) {
		files = append(files, struct{ name, text string }{name, code[name]})
	}
	if log := changeLog(u.Log(p), p, r); log != "" {
		files = append(files, struct{ name, text string }{"CHANGELOG.md", log})
	}
	for _, f := range files { // writing to memory does not fail
		_ = archive.WriteHeader(&tar.Header{
			Name: "package/" + f.name, Mode: 0o644, Size: int64(len(f.text)), Format: tar.FormatUSTAR})
		_, _ = archive.Write([]byte(f.text))
	}
	_ = archive.Close()
	_ = compressed.Close()
	return buffer.Bytes()
}

// changeLog writes what the package says of the releases up to one, the newest first; "" for nothing.
func changeLog(lines []standin.LogLine, p *universe.Package, r *universe.Release) string {
	text := strings.Builder{}
	for i := p.Index(r.Version.String()); i >= 0; i-- {
		v := p.Version(i).String()
		heading := false
		for _, l := range lines {
			if l.Release != v {
				continue
			}
			if !heading {
				fmt.Fprintf(&text, "\n## %s\n\n", v)
				heading = true
			}
			fmt.Fprintf(&text, "- %s\n", l.Says)
		}
	}
	if text.Len() == 0 {
		return ""
	}
	return "# Changes to " + p.Name + "\n" + text.String()
}
