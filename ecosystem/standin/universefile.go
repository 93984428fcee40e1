// Package standin reads universe files, which say what packages a stand-in for a registry serves.
package standin

import (
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"strings"
	"time"

	"molt/core/universe"
	"molt/core/version"
	"molt/input"
)

// ReadUniverse reads a universe file: the packages that a stand-in serves. The format is given in
// docs/formats.md; in short, "package NAME" begins a package, and below it each indented line is a
// release (version, date, demands in the notation of universe.Sketch, "! words" for a deprecation)
// or one of about, home, source, tag and log. "needs VERSION DEMAND when CONDITION" adds a demand
// with a condition to a release above, "withdrawn VERSION WORDS" withdraws one, "for VERSION NAME
// VERSION ..." has one claim versions of another package, and "unbuilt VERSION" leaves one without
// anything but its source. "code VERSION FILE" begins a file of the archives from a release on, of
// which each line stands behind a "|".
func ReadUniverse(file string, data []byte, scheme version.Scheme) (Universe, error) {
	u := Universe{universe.Table{}, map[string]*contents{}}
	var name string
	var releases []universe.Release
	var seen map[string]int
	var tags map[string]string
	var notes universe.Notes
	var holds *contents
	var licence string
	var codes map[string]*input.PositionError // what is wrong with a file where its release is missing
	flush := func() error {
		for release, missing := range codes {
			if seen[release] == 0 {
				return missing
			}
		}
		if name != "" {
			for i := range releases {
				releases[i].Licence = licence
			}
			u.Table[name] = universe.NewPackage(name, scheme, releases)
			u.Table[name].Tags, u.Table[name].Notes = tags, notes
			u.contents[name] = holds
		}
		releases, seen, tags, notes, licence = nil, map[string]int{}, map[string]string{}, universe.Notes{}, ""
		holds = &contents{}
		codes = map[string]*input.PositionError{}
		return nil
	}
	_ = flush() // there is nothing yet
	inCode := false
	for n, line := range strings.Split(string(data), "\n") {
		n++
		line = strings.TrimRight(line, "\r \t")
		text := strings.TrimLeft(line, " \t")
		column := len(line) - len(text) + 1
		fail := func(reason string, args ...any) (Universe, error) {
			return Universe{}, &input.PositionError{File: file, Line: n, Column: column, Reason: fmt.Sprintf(reason, args...)}
		}
		word, rest, _ := strings.Cut(text, " ")
		rest = strings.TrimSpace(rest)
		switch {
		case text == "" || text[0] == '#':
		case word == "package" && column == 1:
			if err := flush(); err != nil {
				return Universe{}, err
			}
			name = rest
			if name == "" || strings.ContainsAny(name, " \t") {
				return fail("expected one package name after \"package\"")
			}
			if u.Table[name] != nil {
				return fail("package %s stands in the file already", name)
			}
		case column == 1:
			return fail("expected \"package NAME\" or an indented line, found %q", word)
		case name == "":
			return fail("this line belongs to no package")
		case word == "about":
			notes.About = rest
		case word == "home":
			notes.Homepage = rest
		case word == "source":
			notes.Repository = rest
		case word == "licence":
			licence = rest
		case word == "log":
			release, says, ok := strings.Cut(rest, " ")
			if _, err := scheme.Parse(release); err != nil || !ok {
				return fail("expected \"log VERSION WORDS\"")
			}
			holds.log = append(holds.log, LogLine{Release: release, Says: strings.TrimSpace(says)})
		case text[0] == '|':
			if len(holds.files) == 0 || !inCode {
				return fail("this line belongs to no \"code VERSION FILE\"")
			}
			c := &holds.files[len(holds.files)-1]
			c.text += strings.TrimPrefix(text[1:], " ") + "\n"
			continue
		case word == "code":
			release, path, ok := strings.Cut(rest, " ")
			if path = strings.TrimSpace(path); !ok || !fs.ValidPath(path) || path == "." {
				return fail("expected \"code VERSION FILE\"")
			}
			codes[release] = &input.PositionError{
				File: file, Line: n, Column: column, Reason: fmt.Sprintf("%s has no release %s", name, release)}
			holds.files = append(holds.files, archived{release: release, name: path})
			inCode = true
			continue
		case slices.Contains(aboutRelease, word):
			release, words, _ := strings.Cut(rest, " ")
			i := slices.IndexFunc(releases, func(r universe.Release) bool { return r.Version.String() == release })
			if i < 0 {
				return fail("expected \"%s VERSION\" with a release above, found %q", word, release)
			}
			if err := tell(&releases[i], word, strings.TrimSpace(words)); err != nil {
				return fail("%v", err)
			}
		case word == "tag":
			tag, v, ok := strings.Cut(rest, " ")
			if !ok {
				return fail("expected \"tag NAME VERSION\"")
			}
			tags[tag] = strings.TrimSpace(v)
		default:
			r, err := readRelease(scheme, word, rest)
			if err != nil {
				return fail("%v", err)
			}
			if line, twice := seen[word]; twice {
				return fail("release %s stands in line %d already", word, line)
			}
			seen[word] = n
			releases = append(releases, r)
		}
		inCode = false
	}
	return u, flush()
}

// aboutRelease are the words that begin a line about a release above.
var aboutRelease = []string{"needs", "withdrawn", "for", "unbuilt"}

// SourceAlone is the kind of the file of a release that has nothing but its source.
const SourceAlone = "source"

// tell adds to a release what a line says.
func tell(r *universe.Release, word, says string) error {
	switch word {
	case "needs":
		demand, when, _ := strings.Cut(says, " when ")
		d, _, err := universe.SketchDemand(demand)
		if err != nil {
			return err
		}
		if d.When = strings.TrimSpace(when); d.When != "" {
			d.As += " ; " + d.When
		}
		return r.Take(d, "need")
	case "withdrawn":
		if says == "" {
			return errors.New("expected \"withdrawn VERSION WORDS\"")
		}
		r.Withdrawn = says
	case "for":
		words := strings.Fields(says)
		if len(words) < 2 {
			return errors.New("expected \"for VERSION NAME VERSION ...\"")
		}
		r.Claims = append(r.Claims, universe.Claim{Package: words[0], Versions: words[1:]})
	case "unbuilt":
		r.Files = []universe.File{{Kind: SourceAlone}}
	}
	return nil
}

func readRelease(scheme version.Scheme, word, rest string) (r universe.Release, err error) {
	if r.Version, err = scheme.Parse(word); err != nil {
		return r, err
	}
	for i := range rest { // a mark of its own, and not that of a constraint such as !=1.5
		if rest[i] == '!' && (i == 0 || rest[i-1] == ' ' || rest[i-1] == '\t') {
			rest, r.Deprecated = rest[:i], strings.TrimSpace(rest[i+1:])
			break
		}
	}
	words := strings.Fields(rest)
	if len(words) > 0 {
		if r.Published, err = time.Parse(time.DateOnly, words[0]); err != nil {
			return r, fmt.Errorf("release %s: expected a date such as 2024-05-31, found %q", word, words[0])
		}
		words = words[1:]
	}
	for _, w := range words {
		if runtime, ok := strings.CutPrefix(w, "runtime:"); ok {
			name, text, ok := strings.Cut(runtime, "@")
			if !ok {
				return r, fmt.Errorf("expected runtime:name@constraint, found %q", w)
			}
			r.Runtimes = append(r.Runtimes, universe.Requirement{Name: name, Text: strings.ReplaceAll(text, "&", " ")})
			continue
		}
		d, kind, err := universe.SketchDemand(w)
		if err != nil {
			return r, err
		}
		if err := r.Take(d, kind); err != nil {
			return r, err
		}
	}
	return r, nil
}
