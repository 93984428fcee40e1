package python

import (
	"errors"
	"fmt"
	"net/url"
	"path"
	"regexp"
	"slices"
	"strings"

	"github.com/pelletier/go-toml/v2"

	"molt/core/universe"
	"molt/ecosystem"
	"molt/ecosystem/python/requirement"
	"molt/ecosystem/python/specifiers"
	"molt/input"
)

// archiveEndings are those of files that are a release: a wheel, or a source archive that can be unpacked.
var archiveEndings = []string{".whl", ".tar.gz", ".tgz", ".zip"}

func isArchive(name string) bool {
	return slices.ContainsFunc(archiveEndings, func(ending string) bool { return strings.HasSuffix(name, ending) })
}

// notUnderstood are what may stand behind an address of a repository and changes what is meant.
var notUnderstood = regexp.MustCompile(`(^|&)subdirectory=`)

// ArchiveAddress reads a direct reference (PEP 508, PEP 440), or a line of a file of requirements
// that is an address or a path. Behind the address of a repository "@" names a branch, a tag or a
// commit.
func (Python) ArchiveAddress(text string) string {
	text, _, _ = strings.Cut(text, " ;")
	bare, fragment, _ := strings.Cut(strings.TrimSpace(text), "#")
	if bare == "" || strings.ContainsAny(bare, " \t") || notUnderstood.MatchString(fragment) {
		return ""
	}
	if rest, git := strings.CutPrefix(bare, "git+"); git {
		u, err := url.Parse(rest)
		if err != nil || u.Host == "" {
			return ""
		}
		at, ref, named := strings.Cut(u.Path, "@")
		if u.Path, u.RawPath = at, ""; named {
			return "git+" + u.String() + "#" + ref
		}
		return "git+" + u.String()
	}
	if strings.HasPrefix(bare, "https://") || strings.HasPrefix(bare, "http://") {
		if u, err := url.Parse(bare); err != nil || !isArchive(u.Path) {
			return ""
		}
		return bare
	}
	file := strings.TrimPrefix(bare, "file:")
	if !isArchive(file) || strings.HasPrefix(file, "/") || strings.Contains(file, ":") ||
		strings.HasPrefix(path.Clean(file), "../") {
		return ""
	}
	return "file:" + path.Clean(file)
}

// ManifestIn ranks where core metadata stands in a wheel and in a source archive, and above a
// source tree's pyproject.toml.
func (Python) ManifestIn(file string) int {
	parts := strings.Split(strings.TrimPrefix(file, "./"), "/")
	switch {
	case len(parts) != 2:
	case strings.HasSuffix(parts[0], ".dist-info") && parts[1] == "METADATA":
		return 3
	case parts[1] == "PKG-INFO":
		return 2
	case parts[1] == "pyproject.toml":
		return 1
	}
	return 0
}

// Archived reads core metadata, or the part of a pyproject.toml that is that (PEP 621). What an
// archive needs has to stand there, since nothing is built to find it out.
func (Python) Archived(address, file string, data []byte, in []ecosystem.Environment) (ecosystem.Archived, error) {
	var a ecosystem.Archived
	name, text, m, err := "", "", (*metadata)(nil), error(nil)
	if path.Base(file) == "pyproject.toml" {
		name, text, m, err = archivedProject(data)
	} else {
		name, text, m, err = archivedMetadata(data, path.Base(file) == "PKG-INFO")
	}
	if err != nil {
		return a, err
	}
	v, err := specifiers.Parse(text)
	if err != nil || !requirement.IsName(name) {
		return a, fmt.Errorf("it calls itself %s %s, which is no name and version of a release", input.Quote(name),
			input.Quote(text))
	}
	if m.Unknown != "" {
		return a, errors.New("what it needs is known only once it is built; name a wheel, or a release of an index")
	}
	a.Name = requirement.Canonical(name)
	one := universe.File{Kind: sourceKind}
	if w, ok := parseWheel(fileName(address)); ok {
		if requirement.Canonical(w.name) != a.Name || w.version.Compare(v) != 0 {
			return a, fmt.Errorf("its name says %s %s, and its metadata %s %s", w.name, w.version, a.Name, v)
		}
		one.Kind, one.When = wheelKind, w.tags()
	}
	r := &a.Release
	r.Version, r.Licence, r.Claims, r.Files = v, m.Licence, m.claims(), []universe.File{one}
	if m.Python != "" {
		r.Runtimes = []universe.Requirement{{Name: runtimeName, Text: m.Python}}
	}
	s := &source{}
	if s.envs, err = environmentsOf(in); err != nil {
		return a, err
	}
	if r.Needs, err = s.needs(m, "", s.envs); err != nil {
		return a, err
	}
	for _, extra := range m.Extras {
		adds, err := s.needs(m, extra, s.envs)
		if err != nil {
			return a, err
		}
		if a.Extras == nil {
			a.Extras = map[string][]universe.Demand{}
		}
		itself := universe.Demand{As: a.Name, Package: a.Name, Text: "===" + v.Normal()}
		a.Extras[extra] = append([]universe.Demand{itself}, adds...)
	}
	return a, nil
}

// archivedMetadata reads core metadata, of whichever release.
func archivedMetadata(data []byte, source bool) (name, version string, m *metadata, err error) {
	head, _, _ := strings.Cut(strings.ReplaceAll(string(data), "\r\n", "\n"), "\n\n")
	for line := range strings.SplitSeq(head, "\n") {
		switch key, value, _ := strings.Cut(line, ":"); {
		case name == "" && strings.EqualFold(key, "name"):
			name = strings.TrimSpace(value)
		case version == "" && strings.EqualFold(key, "version"):
			version = strings.TrimSpace(value)
		}
	}
	if !requirement.IsName(name) || version == "" {
		return name, version, nil, errors.New("its metadata has no name and version")
	}
	m, fields, err := readMetadata(requirement.Canonical(name), version, data)
	if err == nil && source && !static(fields) {
		m.Unknown = unbuilt
	}
	return name, version, m, err
}

// archivedProject reads the table "project".
func archivedProject(data []byte) (name, version string, m *metadata, err error) {
	if err := input.TOMLDepth("pyproject.toml", data); err != nil {
		return "", "", nil, err
	}
	var file struct {
		Project struct {
			Name, Version string
			Python        string              `toml:"requires-python"`
			Dependencies  []string            `toml:"dependencies"`
			Optional      map[string][]string `toml:"optional-dependencies"`
			Classifiers   []string
			License       any
			Dynamic       []string
		}
	}
	if err := toml.Unmarshal(data, &file); err != nil {
		return "", "", nil, fmt.Errorf("its pyproject.toml: %w", err)
	}
	p := file.Project
	m = &metadata{Needs: p.Dependencies, Python: p.Python, Classifiers: p.Classifiers}
	m.Licence, _ = p.License.(string)
	for extra, texts := range p.Optional {
		extra = requirement.Canonical(extra)
		m.Extras = append(m.Extras, extra)
		for _, text := range texts {
			m.Needs = append(m.Needs, withExtraMarker(text, extra))
		}
	}
	slices.Sort(m.Extras)
	for _, field := range p.Dynamic {
		if field == "version" || field == "dependencies" || field == "optional-dependencies" {
			m.Unknown = unbuilt
			return p.Name, "0", m, nil
		}
	}
	return p.Name, p.Version, m, nil
}

// withExtraMarker writes a requirement that holds for an extra.
func withExtraMarker(text, extra string) string {
	head, marker, marked := strings.Cut(text, ";")
	if marked {
		return head + " ; (" + marker + ") and extra == \"" + extra + "\""
	}
	return text + " ; extra == \"" + extra + "\""
}

var _ ecosystem.ArchiveReader = Python{}
