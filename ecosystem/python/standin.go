package python

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"context"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"html"
	"maps"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"molt/core/universe"
	"molt/ecosystem/python/requirement"
	"molt/ecosystem/python/specifiers"
	"molt/ecosystem/standin"
)

// The media types of the simple repository API.
const (
	jsonPage = "application/vnd.pypi.simple.v1+json"
	htmlPage = "text/html"
)

// filesPath is below which the stand-in has files: FILES/NAME/FILE.
const filesPath = "-/files/"

// StandIn serves packages by the simple repository API: GET /NAME/ gives a page, in JSON or HTML as
// the Accept header asks, GET /-/files/NAME/FILE an archive, and with ".metadata" behind it the
// metadata in a wheel. It does not take packages. A release has one wheel, for every interpreter,
// and one source archive; one that is unbuilt has the latter only, of a kind that does not say
// what it needs.
func (Python) StandIn(u standin.Universe) http.Handler {
	var built sync.Map // archives by file name
	archive := func(p *universe.Package, r *universe.Release, kind string) []byte {
		name := archiveName(p, r, kind)
		body, ok := built.Load(name)
		if !ok {
			made := wheelOf(u, p, r)
			if kind == sourceKind {
				made = sourceOf(u, p, r)
			}
			body, _ = built.LoadOrStore(name, made)
		}
		return body.([]byte)
	}
	return serve(u.Table, func(p *universe.Package, r *universe.Release) (all []pageFile) {
		for _, kind := range kindsOf(r) {
			body := archive(p, r, kind)
			sum := sha256.Sum256(body)
			f := pageFile{Name: archiveName(p, r, kind), Hashes: map[string]string{"sha256": hex.EncodeToString(sum[:])},
				Size: int64(len(body))}
			f.URL = "../" + filesPath + p.Name + "/" + f.Name
			all = append(all, f)
		}
		return all
	}, func(_ context.Context, p *universe.Package, r *universe.Release, file string) ([]byte, error) {
		for _, kind := range kindsOf(r) {
			switch name := archiveName(p, r, kind); {
			case file == name:
				return archive(p, r, kind), nil
			case file == name+".metadata" && kind == wheelKind:
				return metadataText(p, r, "2.1"), nil
			}
		}
		return nil, nil
	})
}

// Relay serves packages by the same API, as a lock has them. With a way to get archives it serves the files itself.
func (Python) Relay(packages universe.Table,
	archive func(context.Context, *universe.Package, *universe.Release) ([]byte, error)) http.Handler {
	return serve(packages, func(p *universe.Package, r *universe.Release) (all []pageFile) {
		for _, f := range r.Files {
			one := lockedFile(f)
			if archive != nil {
				one.URL = "../" + filesPath + p.Name + "/" + one.Name
			}
			all = append(all, one)
		}
		return all
	}, func(ctx context.Context, p *universe.Package, r *universe.Release, file string) ([]byte, error) {
		i := slices.IndexFunc(r.Files, func(f universe.File) bool { return fileName(f.Address) == file })
		if archive == nil || i < 0 {
			return nil, nil
		}
		one := *r
		one.Files = r.Files[i : i+1]
		return archive(ctx, p, &one)
	})
}

// Document writes the page of a project in JSON. Files are where the releases say, which may be
// relative to the registry.
func (Python) Document(p *universe.Package) []byte {
	return pageJSON(p, func(_ *universe.Package, r *universe.Release) (all []pageFile) {
		for _, f := range r.Files {
			one := lockedFile(f)
			if !strings.Contains(one.URL, "://") {
				one.URL = "../" + one.URL
			}
			all = append(all, one)
		}
		return all
	})
}

// A pageFile is a file on a page that is written.
type pageFile struct {
	Name, URL string
	Hashes    map[string]string
	Size      int64
}

func lockedFile(f universe.File) pageFile {
	one := pageFile{Name: fileName(f.Address), URL: f.Address, Hashes: map[string]string{}, Size: f.Size}
	for text := range strings.FieldsSeq(f.Integrity) {
		algorithm, sum, _ := strings.Cut(text, "-")
		if data, err := base64.StdEncoding.DecodeString(sum); err == nil {
			one.Hashes[algorithm] = hex.EncodeToString(data)
		}
	}
	return one
}

func kindsOf(r *universe.Release) []string {
	if r.File().Kind == standin.SourceAlone {
		return []string{sourceKind}
	}
	return []string{wheelKind, sourceKind}
}

// serve serves packages; files lists those of a release, archive gets one by its name.
func serve(packages universe.Table, files func(*universe.Package, *universe.Release) []pageFile,
	archive func(context.Context, *universe.Package, *universe.Release, string) ([]byte, error)) http.Handler {
	return standin.Handler(func(r *http.Request, _ string) (string, []byte, error) {
		path := strings.TrimPrefix(r.URL.Path, "/")
		if rest, ok := strings.CutPrefix(path, filesPath); ok {
			name, file, _ := strings.Cut(rest, "/")
			p := packages[name]
			if p == nil {
				return "", nil, nil
			}
			for release := range p.All() {
				if body, err := archive(r.Context(), p, release, file); body != nil || err != nil {
					return "application/octet-stream", body, err
				}
			}
			return "", nil, nil
		}
		p := packages[requirement.Canonical(strings.TrimSuffix(path, "/"))]
		switch {
		case p == nil:
			return "", nil, nil
		case strings.Contains(r.Header.Get("Accept"), jsonPage):
			return jsonPage, pageJSON(p, files), nil
		}
		return htmlPage, pageHTML(p, files), nil
	})
}

func pageJSON(p *universe.Package, files func(*universe.Package, *universe.Release) []pageFile) []byte {
	all, versions := []any{}, []string{}
	for r := range p.All() {
		versions = append(versions, r.Version.String())
		for _, f := range files(p, r) {
			entry := map[string]any{"filename": f.Name, "url": f.URL, "hashes": f.Hashes, "yanked": false}
			if f.Size > 0 {
				entry["size"] = f.Size
			}
			if r.Withdrawn != "" {
				entry["yanked"] = strings.TrimPrefix(r.Withdrawn, "yanked: ")
			}
			if !r.Published.IsZero() {
				entry["upload-time"] = r.Published.Format(time.RFC3339)
			}
			for _, q := range r.Runtimes {
				if q.Name == runtimeName {
					entry["requires-python"] = q.Text
				}
			}
			all = append(all, entry)
		}
	}
	data, err := json.Marshal(map[string]any{
		"meta": map[string]string{"api-version": "1.1"}, "name": p.Name, "versions": versions, "files": all})
	if err != nil {
		panic(fmt.Sprintf("a page of strings has no JSON: %v", err))
	}
	return data
}

func pageHTML(p *universe.Package, files func(*universe.Package, *universe.Release) []pageFile) []byte {
	var b strings.Builder
	b.WriteString("<!DOCTYPE html>\n<html><head><meta name=\"pypi:repository-version\" content=\"1.0\"></head><body>\n")
	for r := range p.All() {
		for _, f := range files(p, r) {
			attributes := ""
			for _, q := range r.Runtimes {
				if q.Name == runtimeName {
					attributes += ` data-requires-python="` + html.EscapeString(q.Text) + `"`
				}
			}
			if r.Withdrawn != "" {
				attributes += ` data-yanked="` + html.EscapeString(strings.TrimPrefix(r.Withdrawn, "yanked: ")) + `"`
			}
			fmt.Fprintf(&b, "<a href=\"%s#sha256=%s\"%s>%s</a>\n", html.EscapeString(f.URL), f.Hashes["sha256"], attributes,
				html.EscapeString(f.Name))
		}
	}
	return []byte(b.String() + "</body></html>\n")
}

// distribution is a name as file names have it.
func distribution(name string) string { return strings.ReplaceAll(name, "-", "_") }

func archiveName(p *universe.Package, r *universe.Release, kind string) string {
	stem := distribution(p.Name) + "-" + r.Version.(*specifiers.Version).Normal()
	if kind == sourceKind {
		return stem + ".tar.gz"
	}
	return stem + "-py3-none-any.whl"
}

// metadataText writes the core metadata of a release.
func metadataText(p *universe.Package, r *universe.Release, version string) []byte {
	var b strings.Builder
	line := func(key, value string) {
		if value != "" {
			fmt.Fprintf(&b, "%s: %s\n", key, value)
		}
	}
	line("Metadata-Version", version)
	line("Name", p.Name)
	line("Version", r.Version.(*specifiers.Version).Normal())
	line("Summary", p.Notes.About)
	line("Home-page", p.Notes.Homepage)
	if p.Notes.Repository != "" {
		line("Project-URL", "Source, "+p.Notes.Repository)
	}
	line("License-Expression", r.Licence)
	for _, q := range r.Runtimes {
		if q.Name == runtimeName {
			line("Requires-Python", q.Text)
		}
	}
	for _, c := range r.Claims {
		for _, v := range c.Versions {
			line("Classifier", framework+strings.ToUpper(c.Package[:1])+c.Package[1:]+" :: "+v)
		}
	}
	extras := map[string]bool{}
	for _, d := range r.Needs {
		text := d.Package
		if d.Extras != "" {
			text += "[" + d.Extras + "]"
		}
		text += d.Text
		if d.When != "" {
			text += " ; " + d.When
			if m, err := requirement.ParseMarker(d.When); err == nil {
				for _, extra := range m.Extras() {
					extras[extra] = true
				}
			}
		}
		line("Requires-Dist", text)
	}
	for _, extra := range slices.Sorted(maps.Keys(extras)) {
		line("Provides-Extra", extra)
	}
	fmt.Fprintf(&b, "\n%s\n", p.Notes.About)
	return []byte(b.String())
}

// codeOf returns the modules of a release, by name.
func codeOf(u standin.Universe, p *universe.Package, r *universe.Release) map[string]string {
	code := u.Files(p, r)
	if len(code) == 0 {
		code[distribution(p.Name)+"/__init__.py"] = fmt.Sprintf("__version__ = %q\n", r.Version)
	}
	return code
}

// entryPoints is the file of a wheel that says what it gives people to run.
const entryPoints = "entry_points.txt"

// wheelOf builds the wheel of a release, the same bytes every time.
func wheelOf(u standin.Universe, p *universe.Package, r *universe.Release) []byte {
	info := distribution(p.Name) + "-" + r.Version.(*specifiers.Version).Normal() + ".dist-info/"
	files := map[string]string{info + "METADATA": string(metadataText(p, r, "2.1")),
		info + "WHEEL": "Wheel-Version: 1.0\nGenerator: molt-stand-in\nRoot-Is-Purelib: true\nTag: py3-none-any\n"}
	for name, text := range codeOf(u, p, r) {
		if name == entryPoints {
			name = info + name
		}
		files[name] = text
	}
	var record strings.Builder
	var buffer bytes.Buffer
	out := zip.NewWriter(&buffer)
	add := func(name, text string) { // writing to memory does not fail
		w, _ := out.CreateHeader(&zip.FileHeader{
			Name: name, Method: zip.Deflate, Modified: time.Date(1980, 1, 1, 0, 0, 0, 0, time.UTC)})
		_, _ = w.Write([]byte(text))
	}
	for _, name := range slices.SortedFunc(maps.Keys(files), func(a, b string) int {
		inA, inB := strings.HasPrefix(a, info), strings.HasPrefix(b, info) // the metadata comes last
		if inA != inB {
			if inA {
				return 1
			}
			return -1
		}
		return strings.Compare(a, b)
	}) {
		sum := sha256.Sum256([]byte(files[name]))
		fmt.Fprintf(&record, "%s,sha256=%s,%d\n", name, base64.RawURLEncoding.EncodeToString(sum[:]), len(files[name]))
		add(name, files[name])
	}
	fmt.Fprintf(&record, "%sRECORD,,\n", info)
	add(info+"RECORD", record.String())
	_ = out.Close()
	return buffer.Bytes()
}

// sourceOf builds the source archive of a release. That of one that is unbuilt is of the time
// before archives said what is built of them.
func sourceOf(u standin.Universe, p *universe.Package, r *universe.Release) []byte {
	version := "2.2"
	if r.File().Kind == standin.SourceAlone {
		version = "2.1"
	}
	stem := strings.TrimSuffix(archiveName(p, r, sourceKind), ".tar.gz")
	files := map[string]string{"PKG-INFO": string(metadataText(p, r, version))}
	maps.Copy(files, codeOf(u, p, r))
	var buffer bytes.Buffer
	compressed := gzip.NewWriter(&buffer)
	out := tar.NewWriter(compressed)
	for _, name := range slices.Sorted(maps.Keys(files)) {
		_ = out.WriteHeader(&tar.Header{
			Name: stem + "/" + name, Mode: 0o644, Size: int64(len(files[name])), Format: tar.FormatUSTAR})
		_, _ = out.Write([]byte(files[name]))
	}
	_ = out.Close()
	_ = compressed.Close()
	return buffer.Bytes()
}
