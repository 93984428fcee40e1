package open

import (
	"bytes"
	"context"
	"crypto/sha256"
	"crypto/sha512"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"net/url"
	"path"
	"slices"
	"strings"
	"sync"

	"molt/app/vcs"
	"molt/archive"
	"molt/core/project"
	"molt/core/universe"
	"molt/ecosystem"
	"molt/input"
	"molt/registry"
)

// A declaration may name an archive in place of a constraint. What is in it is known from the lock,
// or from the archive itself where the lock does not have it yet; it is the one release of its
// package, and the address is a name for it, as a tag is.

// archivedIn returns the packages of a lock that declarations of the manifest name by an archive,
// by the text of the declaration.
func archivedIn(a *View, l *ecosystem.Lock) (map[string][]*universe.Package, error) {
	reader, ok := a.Eco.(ecosystem.ArchiveReader)
	if !ok || l == nil {
		return nil, nil
	}
	var all map[string][]*universe.Package
	universeOf := sync.OnceValues(func() (universe.Table, error) { return l.Universe(a.Eco) })
	for _, e := range l.Roots {
		if e.Foreign || e.To == "" || reader.ArchiveAddress(e.Constraint) == "" ||
			!slices.ContainsFunc(a.Manifest.Entries(), func(x ecosystem.Entry) bool { return x.Text == e.Constraint }) {
			continue
		}
		table, err := universeOf()
		if err != nil {
			return nil, err
		}
		base := universe.NameOf(e.Package).Base()
		var packages []*universe.Package
		for i := range l.Packages { // the package comes before itself with extras
			p := &l.Packages[i]
			if name := universe.NameOf(p.Name).Base(); name != base {
				continue
			}
			r := *table[p.Name].Release(p.Version)
			r.Files = p.Files
			if len(r.Files) == 0 {
				r.Files = []universe.File{{Address: p.Source, Integrity: p.Integrity, When: p.When}}
			}
			packages = append(packages, archivedPackage(a, e.Constraint, p.Name, r))
		}
		if all == nil {
			all = map[string][]*universe.Package{}
		}
		all[e.Constraint] = packages
	}
	return all, nil
}

func archivedPackage(a *View, text, name string, r universe.Release) *universe.Package {
	p := universe.NewPackage(name, a.Eco.Scheme(), []universe.Release{r})
	p.Tags = map[string]string{text: r.Version.String()}
	return p
}

// WithArchives is the application with the archives read that declarations name and the lock does
// not have. Of one that cannot be locked it says why, with the manifest's line: it stays what does
// not come from a registry, so that it stops nothing else.
func (a *View) WithArchives(ctx context.Context) (with *View, says []string, err error) {
	reader, ok := a.Eco.(ecosystem.ArchiveReader)
	if !ok {
		return a, nil, nil
	}
	other := *a
	other.archived = maps.Clone(a.archived)
	for _, e := range a.Manifest.Entries() {
		address := reader.ArchiveAddress(e.Text)
		if !e.Foreign || address == "" || other.archived[e.Text] != nil {
			continue
		}
		p, err := archivedAt(ctx, a, reader, e, address)
		if ctx.Err() != nil {
			return nil, nil, ctx.Err()
		}
		for text, one := range other.archived { // of another group, or of a member
			if err == nil && one[0].Name == p[0].Name {
				err = fmt.Errorf("it comes from %s too, and one archive can be its release", text)
			}
		}
		if err != nil {
			says = append(says, fmt.Sprintf("%s:%d: the archive of %s cannot be locked: %s", e.File, e.Line,
				e.As, input.InWords(err)))
			continue
		}
		if other.archived == nil {
			other.archived = map[string][]*universe.Package{}
		}
		other.archived[e.Text] = p
	}
	return &other, says, nil
}

// A stated archive is what is kept of one.
type stated struct {
	Integrity string `json:"integrity"`
	SHA256    string `json:"sha256"` // in hexadecimal digits
	Size      int64  `json:"size"`
	File      string `json:"file"` // which tells of the release
	Manifest  string `json:"manifest"`
}

func archivedAt(ctx context.Context, a *View, reader ecosystem.ArchiveReader, e ecosystem.Entry,
	address string) ([]*universe.Package, error) {
	state := func(data []byte) ([]byte, error) { return stateOf(ctx, reader, e.As, data) }
	var kept []byte
	if repository, git := strings.CutPrefix(address, "git+"); git {
		from, ref, _ := strings.Cut(repository, "#")
		if a.Settings.Offline {
			return nil, &registry.UnreachableError{
				URL: address, Err: fmt.Errorf("%s: %w", address, registry.ErrOffline), Answered: true}
		}
		ref, err := tagFor(ctx, a, from, ref)
		if err != nil {
			return nil, err
		}
		commit, data, err := vcs.Remote(ctx, from, ref)
		if err == nil {
			kept, err = state(data)
		}
		if err != nil {
			return nil, err
		}
		address = "git+" + from + "#" + commit
	} else if file, local := strings.CutPrefix(address, "file:"); local {
		if member := project.GroupOf(e.Group).Member; member != "" {
			return nil, errors.New("a file beside the manifest of a member is not locked; declare it in the application's")
		}
		data, err := a.Files.Read(file, input.Archive)
		if err == nil {
			kept, err = state(data)
		}
		if err != nil {
			return nil, err
		}
	} else {
		u, err := url.Parse(address)
		if err != nil || u.User != nil || u.Host == "" {
			return nil, errors.New("expected an address without user and password")
		}
		if registry.Plain(address) {
			return nil, errors.New("an archive is fetched by https, since nothing tells yet what it should be")
		}
		folder, name := path.Split(u.EscapedPath())
		if u.RawQuery != "" {
			name += "?" + u.RawQuery
		}
		base := url.URL{Scheme: u.Scheme, Host: u.Host, RawPath: folder, Path: folder}
		client, err := registry.New(registry.Options{
			Base: base.String(), Offline: a.Settings.Offline, Since: a.Settings.Since, Cache: a.CacheDir(), Jobs: 1})
		if err != nil {
			return nil, err
		}
		defer client.Close()
		text, err := client.Fetch(ctx,
			registry.Request{Path: name, Accept: "application/octet-stream", Limit: input.Archive, Understand: state})
		if err != nil {
			return nil, err
		}
		kept = []byte(text)
	}
	var s stated
	if err := json.Unmarshal(kept, &s); err != nil {
		return nil, err
	}
	if want := digestIn(e.Text); want != "" && !strings.EqualFold(want, s.SHA256) {
		return nil, fmt.Errorf("its SHA-256 is %s, and the declaration states %s", s.SHA256, want)
	}
	says, err := reader.Archived(address, s.File, []byte(s.Manifest), a.Environments())
	if err != nil {
		return nil, err
	}
	if says.Name != a.Canonical(project.OwnName(e.As)) && says.Name != e.Package {
		// it would take the place of another package
		return nil, fmt.Errorf("the archive calls itself %s; declare it under that name", input.Quote(says.Name))
	}
	r := says.Release
	if len(r.Files) == 0 {
		r.Files = make([]universe.File, 1)
	}
	r.Files[0].Address, r.Files[0].Integrity, r.Files[0].Direct = address, s.Integrity, true
	if !strings.HasPrefix(address, "git+") {
		r.Files[0].Size = s.Size
	}
	all := []*universe.Package{archivedPackage(a, e.Text, says.Name, r)}
	for _, extra := range slices.Sorted(maps.Keys(says.Extras)) {
		r.Needs = says.Extras[extra]
		all = append(all, archivedPackage(a, e.Text, universe.NameOf(says.Name).With(extra), r))
	}
	return all, nil
}

// tagFor returns the newest tag of a repository whose version a constraint admits, where a
// reference is one; else the reference. A tag may have a v before the version.
func tagFor(ctx context.Context, a *View, repository, ref string) (string, error) {
	constraint, is := strings.CutPrefix(ref, "semver:")
	if !is {
		return ref, nil
	}
	tags, err := vcs.Tags(ctx, repository)
	if err != nil {
		return "", err
	}
	var releases []universe.Release
	named := map[string]string{}
	for _, tag := range tags {
		v, err := a.Eco.Scheme().Parse(strings.TrimPrefix(tag, "v"))
		if _, twice := named[fmt.Sprint(v)]; err == nil && !twice {
			named[v.String()] = tag
			releases = append(releases, universe.Release{Version: v})
		}
	}
	p := universe.NewPackage(repository, a.Eco.Scheme(), releases)
	admitted, err := p.Admit(constraint)
	if err != nil {
		return "", err
	}
	if admitted.Empty() {
		return "", fmt.Errorf("none of its %d tags is a version that %s admits", len(tags), input.Quote(constraint))
	}
	return named[p.Version(admitted.Max()).String()], nil
}

// digestIn returns the SHA-256 that a declaration states behind the address, "" where it states none.
func digestIn(text string) string {
	_, fragment, _ := strings.Cut(text, "#")
	for part := range strings.SplitSeq(fragment, "&") {
		if sum, ok := strings.CutPrefix(part, "sha256="); ok {
			return sum
		}
	}
	return ""
}

// stateOf reads an archive: what it is, and what its manifest says.
func stateOf(ctx context.Context, reader ecosystem.ArchiveReader, name string, data []byte) ([]byte, error) {
	sum := sha512.Sum512(data)
	short := sha256.Sum256(data)
	s := stated{Integrity: archive.SRI("sha512", sum[:]), SHA256: hex.EncodeToString(short[:]), Size: int64(len(data))}
	most := 0
	err := archive.Read(ctx, name, bytes.NewReader(data), int64(len(data)), func(h archive.Header, body io.Reader) error {
		tells := reader.ManifestIn(h.Name)
		if tells <= most {
			return nil
		}
		text, err := input.Read(body, name, input.Manifest)
		most, s.File, s.Manifest = tells, h.Name, string(text)
		return err
	})
	if err != nil {
		return nil, err
	}
	if s.Manifest == "" {
		return nil, errors.New("the archive has no manifest")
	}
	return json.Marshal(s)
}

// withArchived shows the packages of archives in place of those that a registry may have under their names.
func withArchived(a *View, source universe.Source) universe.Source {
	if len(a.archived) == 0 {
		return source
	}
	table := universe.Table{}
	for _, all := range a.archived {
		for _, p := range all {
			table[p.Name] = p
		}
	}
	return universe.Replaced(source, table)
}

// Addressed reports whether a package is known from an archive that a declaration names.
func Addressed(a *View, name string) bool {
	for _, p := range a.archived {
		if p[0].Name == name {
			return true
		}
	}
	return false
}
