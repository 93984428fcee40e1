package python

import (
	"bufio"
	"encoding/base64"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"net/url"
	"path"
	"slices"
	"strings"
	"time"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
	"golang.org/x/net/html"

	"molt/core/universe"
	"molt/ecosystem"
	"molt/ecosystem/python/requirement"
	"molt/ecosystem/python/specifiers"
	"molt/input"
)

// acceptIndex asks for the page of a project in the forms of the simple repository API (PEP 503,
// PEP 691): JSON where the index has it.
const acceptIndex = "application/vnd.pypi.simple.v1+json, application/vnd.pypi.simple.v1+html; q=0.2, text/html; q=0.01"

// The kinds of files, as universe.File has them.
const (
	wheelKind  = "wheel"
	sourceKind = "source"
)

// An indexFile is a file on the page of a project.
type indexFile struct {
	Filename       string            `json:"filename"`
	URL            string            `json:"url"`
	Hashes         map[string]string `json:"hashes"`
	RequiresPython string            `json:"requires-python"`
	Yanked         jsontext.Value    `json:"yanked"` // a boolean, or the reason
	Size           int64             `json:"size"`
	Uploaded       string            `json:"upload-time"`
	// false where there is none by its own address; absent where nobody says (PEP 714)
	Metadata    jsontext.Value `json:"core-metadata"`
	OldMetadata jsontext.Value `json:"dist-info-metadata"` // the former name
}

type indexPage struct {
	Meta struct {
		Version string `json:"api-version"`
	} `json:"meta"`
	Name  string      `json:"name"`
	Files []indexFile `json:"files"`
}

// digestOf reads the page of a project, as it comes, into what is kept of it. The page lies at an
// address below the registry's.
func digestOf(name string, body io.Reader, base string) ([]byte, error) {
	page, err := readPage(name, body)
	if err != nil {
		return nil, err
	}
	p, err := packageOf(name, page, base)
	if err != nil {
		return nil, err
	}
	return ecosystem.EncodeDigest(p), nil
}

// readPage reads a page of either form: it tells them apart by how they begin, since an index may answer with either.
func readPage(name string, body io.Reader) (*indexPage, error) {
	in := bufio.NewReader(body)
	for {
		c, err := in.ReadByte()
		switch {
		case errors.Is(err, io.EOF):
			return nil, fmt.Errorf("the page of %s is empty", name)
		case err != nil:
			return nil, err
		case strings.IndexByte(" \t\r\n\xef\xbb\xbf", c) >= 0:
			continue
		}
		if err := in.UnreadByte(); err != nil {
			return nil, err
		}
		page := &indexPage{}
		switch c {
		case '{':
			err = json.UnmarshalRead(in, page, jsontext.AllowDuplicateNames(true), jsontext.AllowInvalidUTF8(true))
			if err != nil {
				return nil, fmt.Errorf("the page of %s is no JSON as the simple repository API has it: %w", name, err)
			}
		case '<':
			if err := readHTML(in, page); err != nil {
				return nil, err
			}
		default:
			return nil, fmt.Errorf("the page of %s is neither JSON nor HTML", name)
		}
		if major, _, _ := strings.Cut(page.Meta.Version, "."); major != "1" && major != "" {
			return nil, fmt.Errorf("the page of %s is of version %s of the simple repository API; this Molt reads version 1",
				name, input.Harmless(page.Meta.Version))
		}
		return page, nil
	}
}

// readHTML reads the links of a page (PEP 503, with the attributes of PEP 592 and the version of
// PEP 629). Pages without a link of a file are not told from others, since a project may have none.
func readHTML(in io.Reader, page *indexPage) error {
	z := html.NewTokenizer(in)
	z.SetMaxBuf(1 << 20)
	var file *indexFile
	base := ""
	for {
		switch z.Next() {
		case html.ErrorToken:
			if err := z.Err(); !errors.Is(err, io.EOF) {
				return err
			}
			return nil
		case html.TextToken:
			if file != nil {
				file.Filename += string(z.Text())
			}
		case html.EndTagToken:
			if tag, _ := z.TagName(); string(tag) == "a" && file != nil {
				file.Filename = strings.TrimSpace(html.UnescapeString(file.Filename))
				page.Files = append(page.Files, *file)
				file = nil
			}
		case html.StartTagToken, html.SelfClosingTagToken:
			tag, more := z.TagName()
			name, attributes := string(tag), map[string]string{}
			for more {
				var key, value []byte
				key, value, more = z.TagAttr()
				attributes[string(key)] = string(value)
			}
			switch {
			case name == "meta" && attributes["name"] == "pypi:repository-version":
				page.Meta.Version = attributes["content"]
			case name == "base":
				base = attributes["href"]
			case name == "a" && attributes["href"] != "":
				file = linkedFile(attributes, base)
			}
		}
	}
}

// linkedFile reads what a link says of a file.
func linkedFile(attributes map[string]string, base string) *indexFile {
	f := &indexFile{URL: attributes["href"], RequiresPython: attributes["data-requires-python"]}
	if base != "" {
		if b, err := url.Parse(base); err == nil {
			if u, err := b.Parse(f.URL); err == nil {
				f.URL = u.String()
			}
		}
	}
	if at := strings.IndexByte(f.URL, '#'); at >= 0 {
		if algorithm, value, ok := strings.Cut(f.URL[at+1:], "="); ok {
			f.Hashes = map[string]string{algorithm: value}
		}
		f.URL = f.URL[:at]
	}
	if reason, yanked := attributes["data-yanked"]; yanked {
		f.Yanked, _ = json.Marshal(reason)
		if reason == "" {
			f.Yanked = jsontext.Value("true")
		}
	}
	return f
}

// packageOf puts the files of a page together to releases. Files of other forms than wheels and
// source archives are left out, and so is what has no version that can be read.
func packageOf(name string, page *indexPage, base string) (*universe.Package, error) {
	if page.Name != "" && requirement.Canonical(page.Name) != name {
		return nil, fmt.Errorf("the page of %s is that of %s", name, input.Harmless(page.Name))
	}
	at, err := url.Parse(base + "/" + name + "/")
	if err != nil {
		return nil, err
	}
	byVersion := map[string]int{}
	var releases []universe.Release
	var yanked []int // files of each release
	for _, f := range page.Files {
		kind, v := fileVersion(name, f.Filename)
		if v == nil {
			continue
		}
		file, err := f.file(kind, at, base)
		if err != nil {
			continue // an address that leads nowhere is no file
		}
		key := trimmed(v)
		i, ok := byVersion[key]
		if !ok {
			i = len(releases)
			byVersion[key] = i
			normal, err := specifiers.Parse(v.Normal())
			if err != nil {
				continue
			}
			releases, yanked = append(releases, universe.Release{Version: normal}), append(yanked, 0)
		}
		r := &releases[i]
		if f.RequiresPython != "" && (r.Runtimes == nil || kind == wheelKind && r.Files[0].Kind == sourceKind) {
			if _, reason := specifiers.Check(f.RequiresPython); reason == "" {
				r.Runtimes = []universe.Requirement{{Name: runtimeName, Text: f.RequiresPython}}
			}
		}
		r.Files = append(r.Files, file)
		if published, err := time.Parse(time.RFC3339, f.Uploaded); err == nil &&
			(r.Published.IsZero() || published.Before(r.Published)) {
			r.Published = published.UTC()
		}
		if reason := f.yankReason(); reason != "" {
			yanked[i]++
			r.Withdrawn = reason
		}
	}
	for i := range releases {
		r := &releases[i]
		if yanked[i] < len(r.Files) {
			r.Withdrawn = ""
		}
		slices.SortFunc(r.Files, compareFiles)
	}
	return universe.NewPackage(name, specifiers.Scheme, releases), nil
}

// compareFiles puts wheels before source archives, and orders each by name.
func compareFiles(a, b universe.File) int {
	if a.Kind != b.Kind {
		return -strings.Compare(a.Kind, b.Kind)
	}
	return strings.Compare(path.Base(a.Address), path.Base(b.Address))
}

// trimmed writes a version so that those which compare equal are written the same.
func trimmed(v *specifiers.Version) string { return v.Key() }

// yankReason returns why a file is yanked (PEP 592), "" where it is not.
func (f *indexFile) yankReason() string {
	switch f.Yanked.Kind() {
	case 't':
		return "yanked"
	case '"':
		var reason string
		if json.Unmarshal(f.Yanked, &reason) == nil {
			return strings.TrimSpace("yanked: " + strings.Join(strings.Fields(input.Harmless(reason)), " "))
		}
	}
	return ""
}

// file returns a file with its address, relative to the registry's where it lies below it.
func (f *indexFile) file(kind string, page *url.URL, base string) (universe.File, error) {
	u, err := page.Parse(f.URL)
	if err != nil {
		return universe.File{}, err
	}
	if u.User != nil || u.Scheme != "http" && u.Scheme != "https" && u.Scheme != "file" {
		return universe.File{}, errors.New("no address of a file")
	}
	u.Fragment = ""
	address := strings.TrimPrefix(u.String(), base+"/")
	if base == "" || u.Scheme == "file" && strings.Contains(address, "://") {
		return universe.File{}, errors.New("a file outside of the registry's folder")
	}
	file := universe.File{Address: address, Kind: kind, Size: max(f.Size, 0), Integrity: integrityOf(f.Hashes)}
	file.Bare = string(f.Metadata) == "false" || f.Metadata == nil && string(f.OldMetadata) == "false"
	if kind == wheelKind {
		w, _ := parseWheel(f.Filename)
		file.When = w.tags()
	}
	return file, nil
}

// integrityOf writes digests as a W3C subresource-integrity string.
func integrityOf(hashes map[string]string) string {
	var all []string
	for _, algorithm := range []struct {
		name string
		size int
	}{{"sha512", 64}, {"sha384", 48}, {"sha256", 32}} {
		if sum, err := hex.DecodeString(hashes[algorithm.name]); err == nil && len(sum) == algorithm.size {
			all = append(all, algorithm.name+"-"+base64.StdEncoding.EncodeToString(sum))
		}
	}
	return strings.Join(all, " ")
}

// sourceEndings are how names of source archives end: the standard one (PEP 625), and one that was usual before.
var sourceEndings = []string{".tar.gz", ".zip"}

// fileVersion reads the kind and version of a file of a project by its name; nil for what is
// neither a wheel nor a source archive of it.
func fileVersion(name, file string) (kind string, v *specifiers.Version) {
	if strings.HasSuffix(file, ".whl") {
		w, ok := parseWheel(file)
		if !ok || requirement.Canonical(w.name) != name {
			return "", nil
		}
		return wheelKind, w.version
	}
	for _, ending := range sourceEndings {
		stem, ok := strings.CutSuffix(file, ending)
		if !ok {
			continue
		}
		for at := range stem { // names may hold hyphens, and so may versions of old
			if stem[at] == '-' && requirement.Canonical(stem[:at]) == name {
				if v, err := specifiers.Parse(stem[at+1:]); err == nil {
					return sourceKind, v
				}
			}
		}
	}
	return "", nil
}
