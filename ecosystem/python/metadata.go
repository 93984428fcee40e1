package python

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"
	"time"

	"molt/archive"
	"molt/core/universe"
	"molt/ecosystem/python/requirement"
	"molt/ecosystem/python/specifiers"
	"molt/input"
	"molt/registry"
)

// A metadata is what is kept of a release's core metadata, in the form that the cache has it.
type metadata struct {
	Needs       []string `json:"needs,omitempty"` // Requires-Dist
	Extras      []string `json:"extras,omitempty"`
	Python      string   `json:"python,omitempty"`
	Licence     string   `json:"licence,omitempty"`
	Classifiers []string `json:"classifiers,omitempty"`
	Summary     string   `json:"summary,omitempty"`
	Homepage    string   `json:"homepage,omitempty"`
	Repository  string   `json:"repository,omitempty"`
	Unknown     string   `json:"unknown,omitempty"` // why what the release needs is not known, "" where it is
}

var metadataLimit = input.Limit{What: "the metadata of a release", Bytes: 4 << 20}

// readMetadata reads core metadata (PEP 566, PEP 643): fields as in a message's head, up to an
// empty line. It has to be that of a release.
func readMetadata(name, version string, data []byte) (*metadata, map[string][]string, error) {
	fields := map[string][]string{}
	last := ""
	for line := range bytes.Lines(data) {
		text := strings.TrimRight(string(line), "\r\n")
		if text == "" {
			break
		}
		if text[0] == ' ' || text[0] == '\t' {
			if all := fields[last]; len(all) > 0 {
				all[len(all)-1] += " " + strings.TrimSpace(text)
			}
			continue
		}
		key, value, ok := strings.Cut(text, ":")
		if !ok {
			return nil, nil, fmt.Errorf("%s %s: its metadata has a line that is no field: %q", name, version,
				input.Harmless(text))
		}
		last = strings.ToLower(key)
		fields[last] = append(fields[last], strings.TrimSpace(value))
	}
	first := func(key string) string {
		if all := fields[key]; len(all) > 0 && !strings.EqualFold(all[0], "UNKNOWN") {
			return strings.Join(strings.Fields(input.Harmless(all[0])), " ")
		}
		return ""
	}
	stated, err := specifiers.Parse(first("version"))
	want, wrong := specifiers.Parse(version)
	if requirement.Canonical(first("name")) != name || err != nil || wrong != nil || stated.Compare(want) != 0 {
		return nil, nil, fmt.Errorf("%s %s: its metadata says that it is %s %s", name, version, first("name"),
			first("version"))
	}
	m := &metadata{Needs: fields["requires-dist"], Python: first("requires-python"), Licence: first("license-expression"),
		Classifiers: fields["classifier"], Summary: first("summary"), Homepage: first("home-page")}
	for _, extra := range fields["provides-extra"] {
		m.Extras = append(m.Extras, requirement.Canonical(extra))
	}
	for _, link := range fields["project-url"] {
		label, address, _ := strings.Cut(link, ",")
		label, address = strings.ToLower(strings.TrimSpace(label)), strings.TrimSpace(input.Harmless(address))
		switch {
		case m.Repository == "" && slices.ContainsFunc(
			[]string{"source", "repository", "code", "github"}, func(word string) bool { return strings.Contains(label, word) }):
			m.Repository = address
		case m.Homepage == "" && strings.Contains(label, "home"):
			m.Homepage = address
		}
	}
	return m, fields, nil
}

// metadataOf reads the metadata of a release, from the cache or, as it never changes, once from the
// registry: by its own address (PEP 658, also where the index doesn't announce it), else from a
// wheel, of which parts are asked for, else from the source archive.
func metadataOf(ctx context.Context, client *registry.Client, name, version string,
	r *universe.Release) (*metadata, error) {
	file, ok := metadataFile(r.Files)
	switch {
	case !ok:
		return &metadata{Unknown: "has no file that can be used"}, nil
	case file.Kind == sourceKind && !r.Published.IsZero() && r.Published.Before(staticMetadata):
		return &metadata{Unknown: unbuilt}, nil
	}
	text, err := client.Derived(ctx, "metadata "+name+" "+version+" "+file.Address,
		func(ctx context.Context) ([]byte, error) {
			m, err := fetchMetadata(ctx, client, name, version, file)
			if err != nil {
				return nil, err
			}
			return json.Marshal(m)
		})
	if err != nil {
		return nil, err
	}
	m := &metadata{}
	if err := json.Unmarshal([]byte(text), m); err != nil {
		return nil, fmt.Errorf("%s %s: what the cache has of its metadata cannot be read: %w; molt cache --clear empties it",
			name, version, err)
	}
	return m, nil
}

// metadataFile returns the file whose metadata stands for a release: the wheel that most can use,
// else the source archive.
func metadataFile(files []universe.File) (universe.File, bool) {
	var best universe.File
	found := false
	for _, f := range files {
		switch {
		case !found, f.Kind == wheelKind &&
			(best.Kind != wheelKind || strings.HasSuffix(f.When, "-none-any") && !strings.HasSuffix(best.When, "-none-any")):
			best, found = f, true
		}
	}
	return best, found
}

func fetchMetadata(ctx context.Context, client *registry.Client, name, version string,
	file universe.File) (*metadata, error) {
	if file.Kind == wheelKind {
		if !file.Bare {
			data, err := client.File(ctx, file.Address+".metadata", metadataLimit)
			if err == nil {
				m, _, err := readMetadata(name, version, data)
				return m, err
			}
			if ctx.Err() != nil { // else it may be that the server has none, however it says so
				return nil, err
			}
		}
		data, err := wheelMetadata(ctx, client, name, version, file)
		if err != nil {
			return nil, err
		}
		m, _, err := readMetadata(name, version, data)
		return m, err
	}
	return sourceMetadata(ctx, client, name, version, file)
}

// wheelMetadata reads METADATA in a wheel: of its list of files at the end, where the server gives
// parts, and of that file.
func wheelMetadata(ctx context.Context, client *registry.Client, name, version string,
	file universe.File) ([]byte, error) {
	var from io.ReaderAt
	var size int64
	switch parts, err := client.Parts(ctx, file.Address); {
	case err == nil:
		from, size = parts, parts.Size()
	case errors.Is(err, errors.ErrUnsupported):
		data, err := client.File(ctx, file.Address, input.Archive)
		if err != nil {
			return nil, err
		}
		if err := archive.Check(file.Address, data, file.Integrity); file.Integrity != "" && err != nil {
			return nil, err
		}
		from, size = bytes.NewReader(data), int64(len(data))
	default:
		return nil, err
	}
	return metadataIn(from, size, name, version, file.Address)
}

// metadataIn reads METADATA in a wheel.
func metadataIn(from io.ReaderAt, size int64, name, version, address string) ([]byte, error) {
	all, err := zip.NewReader(from, size)
	if err != nil {
		return nil, fmt.Errorf("%s %s: its wheel is no archive: %w", name, version, err)
	}
	for _, f := range all.File {
		dir, base := path.Split(f.Name)
		stem, ok := strings.CutSuffix(strings.TrimSuffix(dir, "/"), ".dist-info")
		if !ok || base != "METADATA" || strings.Contains(stem, "/") {
			continue
		}
		if distribution, _, _ := strings.Cut(stem, "-"); requirement.Canonical(distribution) != name {
			continue
		}
		body, err := f.Open()
		if err != nil {
			return nil, err
		}
		defer body.Close()
		data, err := io.ReadAll(io.LimitReader(body, metadataLimit.Bytes+1))
		if int64(len(data)) > metadataLimit.Bytes {
			return nil, metadataLimit.Exceeded(address)
		}
		return data, err
	}
	return nil, fmt.Errorf("%s %s: its wheel has no METADATA", name, version)
}

// unbuilt is why it is not known what a release needs that has source archives only.
const unbuilt = "has no wheel, so what it needs is known only once it is built"

// staticMetadata is when version 2.2 of core metadata was accepted (PEP 643). No archive from
// before says that what it states is static.
var staticMetadata = time.Date(2020, time.October, 1, 0, 0, 0, 0, time.UTC)

// sourceMetadata reads PKG-INFO in a source archive. What it says of needs is what will be built
// when it is of version 2.2 at least and does not list them as dynamic (PEP 643).
func sourceMetadata(ctx context.Context, client *registry.Client, name, version string,
	file universe.File) (*metadata, error) {
	data, err := client.File(ctx, file.Address, input.Archive)
	if err != nil {
		return nil, err
	}
	if err := archive.Check(file.Address, data, file.Integrity); file.Integrity != "" && err != nil {
		return nil, err
	}
	var info []byte
	err = archive.Read(ctx, path.Base(file.Address), bytes.NewReader(data), int64(len(data)),
		func(h archive.Header, body io.Reader) error {
			if parts := strings.Split(h.Name, "/"); len(parts) == 2 && parts[1] == "PKG-INFO" {
				var err error
				info, err = io.ReadAll(io.LimitReader(body, metadataLimit.Bytes))
				return err
			}
			return nil
		})
	if err != nil {
		return nil, err
	}
	if info == nil {
		return &metadata{Unknown: unbuilt}, nil
	}
	m, fields, err := readMetadata(name, version, info)
	if err != nil {
		return nil, err
	}
	if !static(fields) {
		m.Needs, m.Unknown = nil, unbuilt
	}
	return m, nil
}

// static reports whether the metadata of a source archive is that of what will be built of it.
func static(fields map[string][]string) bool {
	since, known := specifiers.Satisfies(strings.Join(fields["metadata-version"], ""), ">=2.2")
	return known && since && !slices.ContainsFunc(
		fields["dynamic"], func(field string) bool { return strings.EqualFold(field, "Requires-Dist") })
}

// framework is how classifiers begin that name a framework and, behind it, a version.
const framework = "Framework :: "

// claims reads the trove classifiers that name a version of a framework. A framework is taken for
// the package of its name.
func (m *metadata) claims() []universe.Claim {
	var all []universe.Claim
	for _, text := range m.Classifiers {
		rest, ok := strings.CutPrefix(text, framework)
		name, v, versioned := strings.Cut(rest, " :: ")
		if _, err := specifiers.Parse(v); !ok || !versioned || err != nil {
			continue
		}
		name = requirement.Canonical(strings.ReplaceAll(name, " ", "-"))
		i := slices.IndexFunc(all, func(c universe.Claim) bool { return c.Package == name })
		if i < 0 {
			all, i = append(all, universe.Claim{Package: name}), len(all)
		}
		all[i].Versions = append(all[i].Versions, v)
	}
	slices.SortFunc(all, func(a, b universe.Claim) int { return strings.Compare(a.Package, b.Package) })
	return all
}

// text writes what is kept of core metadata as such.
func (m *metadata) text(name, version string) []byte {
	var b strings.Builder
	line := func(key string, values ...string) {
		for _, v := range values {
			if v != "" {
				fmt.Fprintf(&b, "%s: %s\n", key, v)
			}
		}
	}
	line("Metadata-Version", "2.1")
	line("Name", name)
	line("Version", version)
	line("Summary", m.Summary)
	line("Home-page", m.Homepage)
	if m.Repository != "" {
		line("Project-URL", "Source, "+m.Repository)
	}
	line("License-Expression", m.Licence)
	line("Requires-Python", m.Python)
	line("Classifier", m.Classifiers...)
	line("Provides-Extra", m.Extras...)
	line("Requires-Dist", m.Needs...)
	return []byte(b.String())
}
