// Package advice reads what upgrade guides say, as data: files of facts about a framework's major,
// from files, folders and addresses.
package advice

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"github.com/goccy/go-yaml/ast"

	"molt/app/config"
	"molt/app/yamlfile"
	"molt/core/project"
	"molt/ecosystem"
	"molt/input"
	"molt/registry"
)

// format is the newest version of the format of advice files that this Molt reads.
const format = 1

// An adviceFile is a file of advice: what an upgrade guide says, as data.
type adviceFile struct {
	Format     int       `yaml:"molt-advice"`
	About      string    `yaml:"about"`
	To         string    `yaml:"to"`
	Ecosystem  string    `yaml:"ecosystem"` // "" for any
	Source     string    `yaml:"source"`
	Confidence string    `yaml:"confidence"`
	Facts      []rawFact `yaml:"facts"`
}

// A rawFact is a fact as it stands: one of the kinds leads to its subject, and the other keys say more.
type rawFact struct {
	Runtime   string `yaml:"runtime"`
	Renamed   string `yaml:"renamed"`
	Swallowed string `yaml:"swallowed"`
	Companion string `yaml:"companion"`
	Symbol    string `yaml:"symbol"`
	Option    string `yaml:"option"`
	Command   string `yaml:"command"`
	Link      string `yaml:"link"`
	Stop      string `yaml:"stop"`

	In         string `yaml:"in"`
	Needs      string `yaml:"needs"`
	Together   bool   `yaml:"together"`
	Becomes    string `yaml:"becomes"`
	Files      string `yaml:"files"`
	Says       string `yaml:"says"`
	Source     string `yaml:"source"`
	Confidence string `yaml:"confidence"`
}

// adviceKeys are the keys that a fact may have.
var adviceKeys = []string{"runtime", "renamed", "swallowed", "companion", "symbol", "option", "command", "link", "stop",
	"in", "needs", "together", "becomes", "files", "says", "source", "confidence"}

// kinds returns the kinds that a fact claims to be, with their subjects.
func (r rawFact) kinds() (kinds []project.AdviceKind, subjects []string) {
	for _, k := range []struct {
		kind    project.AdviceKind
		subject string
	}{{project.AboutRuntime, r.Runtime}, {project.AboutRenamed, r.Renamed}, {project.AboutSwallowed, r.Swallowed},
		{project.AboutCompanion, r.Companion},
		{project.AboutSymbol, r.Symbol}, {project.AboutOption, r.Option}, {project.AboutCommand, r.Command},
		{project.AboutStop, r.Stop}} {
		if k.subject != "" {
			kinds, subjects = append(kinds, k.kind), append(subjects, k.subject)
		}
	}
	if kinds == nil && r.Link != "" { // next to another fact it belongs to that fact
		kinds, subjects = append(kinds, project.AboutLink), append(subjects, "")
	}
	return kinds, subjects
}

// fact checks a fact. The reason is what is wrong with it, "" for nothing.
func (r rawFact) fact(file adviceFile, eco ecosystem.Ecosystem) (f project.Advice, reason string) {
	kinds, subjects := r.kinds()
	if len(kinds) != 1 {
		return f, "a fact has one of the keys " + strings.Join(adviceKeys[:9], ", ")
	}
	f = project.Advice{Kind: kinds[0], Name: subjects[0], In: r.In, Needs: r.Needs, Together: r.Together, Becomes: r.Becomes,
		Files: r.Files, Link: r.Link,
		Says: r.Says, Source: r.Source, Confidence: project.Confidence(r.Confidence)}
	if f.Source == "" {
		f.Source = file.Source
	}
	if f.Confidence == "" {
		f.Confidence = project.Confidence(file.Confidence)
	}
	if f.Confidence == "" {
		f.Confidence = project.Sure
	}
	if f.Kind == project.AboutCommand {
		f.Run, f.Name = f.Name, ""
	}
	for _, text := range []*string{&f.Name, &f.Says, &f.Source, &f.Becomes, &f.Run, &f.Link} {
		*text = strings.Join(strings.Fields(input.Harmless(*text)), " ")
	}
	switch f.Kind {
	case project.AboutRenamed:
		f.Name, f.Becomes = canonical(eco, f.Name), canonical(eco, f.Becomes)
	case project.AboutSwallowed, project.AboutCompanion:
		f.Name = canonical(eco, f.Name)
	case project.AboutSymbol:
		f.In = canonical(eco, f.In)
	}
	_, badNeeds := eco.Scheme().Constrain(f.Needs)
	_, badStop := eco.Scheme().Goal(f.Name)
	_, badFiles := path.Match(f.Files, "")
	switch {
	case f.Source == "":
		return f, "a fact needs a source: who says so"
	case !slices.Contains([]project.Confidence{project.Sure, project.Reported, project.Guessed}, f.Confidence):
		return f, fmt.Sprintf("a confidence is sure, reported or guessed, not %q", f.Confidence)
	case (f.Kind == project.AboutRuntime || f.Kind == project.AboutCompanion) && f.Needs == "":
		return f, fmt.Sprintf("%s: expected \"needs\" with a constraint", f.Name)
	case f.Together && f.Kind != project.AboutCompanion:
		return f, fmt.Sprintf("%s: \"together\" is said of a companion", f.Name)
	case f.Kind == project.AboutStop && badStop != nil:
		return f, fmt.Sprintf("%q: expected a release by which to go, such as 4.2: %v", f.Name, badStop)
	case f.Needs != "" && badNeeds != nil:
		return f, badNeeds.Error()
	case f.Kind == project.AboutRenamed && f.Becomes == "":
		return f, fmt.Sprintf("%s: expected \"becomes\" with the new name", f.Name)
	case f.Kind == project.AboutSymbol && f.In == "":
		return f, fmt.Sprintf("%s: expected \"in\" with the package that has it", f.Name)
	case f.Kind == project.AboutOption && f.Files == "":
		return f, fmt.Sprintf("%s: expected \"files\" with where to look, such as \"*.config.js\"", f.Name)
	case badFiles != nil:
		return f, fmt.Sprintf("%q is no pattern of file names", f.Files)
	}
	return f, ""
}

// canonical returns the one form of a package's name; a missing name stays missing.
func canonical(eco ecosystem.Ecosystem, name string) string {
	if name == "" {
		return ""
	}
	return ecosystem.Canonical(eco, name)
}

// Decode reads a file of advice. Facts of kinds that this Molt does not know are left out, with a
// warning; what is broken is an error with its line, or several, joined. Of a file about another
// ecosystem, or about a framework of which elsewhere says that it is in another one, only the head
// is read; elsewhere may be nil.
func Decode(file string, data []byte, eco ecosystem.Ecosystem,
	elsewhere func(about string) bool) (project.Guide, []string, error) {
	var g project.Guide
	tree, err := yamlfile.Parse(file, data, 0)
	if err != nil {
		return g, nil, err
	}
	text := &yamlfile.Text{File: file, Tree: tree}
	var raw adviceFile
	if err := yamlfile.Read(file, data, &raw); err != nil {
		return g, nil, err
	}
	if raw.Format < 1 || raw.Format > format {
		return g, nil, text.ErrorAt("$.molt-advice", fmt.Sprintf("expected \"molt-advice: %d\" at the top", format))
	}
	var wrong []error // all of it at once: whoever writes such a file mends it in one go
	if raw.About == "" {
		wrong = append(wrong, text.ErrorAt("$.about", "expected \"about\" with the name of the framework"))
	}
	if raw.To == "" {
		wrong = append(wrong, text.ErrorAt("$.to", "expected \"to\" with the major that the facts are about"))
	}
	g.About, g.To, g.Ecosystem = ecosystem.Canonical(eco, raw.About), raw.To, raw.Ecosystem
	if (Library{Eco: eco, Elsewhere: elsewhere}).foreign(g.Ecosystem, g.About) {
		return g, nil, nil
	}
	var warnings []string
	for i, r := range raw.Facts {
		at := fmt.Sprintf("$.facts[%d]", i)
		if unknown := unknownKeys(text.Node(at)); len(unknown) > 0 {
			var place *input.PositionError
			if errors.As(text.ErrorAt(at, ""), &place) {
				warnings = append(warnings, fmt.Sprintf("%s:%d: left out a fact with %s, which this Molt does not know",
					file, place.Line, strings.Join(unknown, ", ")))
			}
			continue
		}
		f, reason := r.fact(raw, eco)
		if reason != "" {
			wrong = append(wrong, text.ErrorAt(at, reason))
			continue
		}
		g.Advice = append(g.Advice, f)
	}
	return g, warnings, errors.Join(wrong...)
}

func unknownKeys(n ast.Node) (unknown []string) {
	var pairs []*ast.MappingValueNode
	switch m := n.(type) {
	case *ast.MappingNode:
		pairs = m.Values
	case *ast.MappingValueNode:
		pairs = []*ast.MappingValueNode{m}
	}
	for _, pair := range pairs {
		if key := pair.Key.GetToken().Value; !slices.Contains(adviceKeys, key) {
			unknown = append(unknown, fmt.Sprintf("%q", key))
		}
	}
	return unknown
}

// A Library is where advice comes from and what it is about.
type Library struct {
	Dir     string // of the application
	Files   Files
	Eco     ecosystem.Ecosystem
	Open    func(base string) (*registry.Client, error) // for advice that lies at an address
	Sources func(ctx context.Context) ([]string, error) // the files of the application that people keep
	// Elsewhere says of a framework that its packages are those of another ecosystem of the application; it may be nil.
	Elsewhere func(about string) bool
}

// Files are the files of an application, and no others.
type Files interface {
	Read(name string, limit input.Limit) ([]byte, error)
	List(name string) ([]string, error) // of a folder
	Exists(name string) bool
}

// Load reads the advice that entries of "advice:" in the configuration mean: files, folders of
// such, and addresses; and looks in the source of the application for what the facts are about. It
// returns warnings too.
func (l Library) Load(ctx context.Context, entries []string) (guides []project.Guide, warnings []string, err error) {
	var wrong []error
	for _, from := range entries {
		files, err := l.read(ctx, from)
		if err != nil {
			return nil, nil, err
		}
		for _, f := range files {
			g, said, err := Decode(f.name, f.data, l.Eco, l.Elsewhere)
			if err != nil {
				wrong = append(wrong, err)
				continue
			}
			if !l.foreign(g.Ecosystem, g.About) { // a team's folder serves several
				guides, warnings = append(guides, g), append(warnings, said...)
			}
		}
	}
	if err := errors.Join(wrong...); err != nil {
		return nil, nil, err
	}
	return guides, warnings, l.locate(ctx, guides)
}

// foreign reports whether a file is about another ecosystem, by what its head says.
func (l Library) foreign(eco, about string) bool {
	return eco != "" && eco != l.Eco.Name() || eco == "" && l.Elsewhere != nil && l.Elsewhere(about)
}

// Named reports whether a file of a folder is one of advice, by its name.
func Named(name string) bool {
	ext := path.Ext(name)
	return ext == ".yaml" || ext == ".yml" || ext == ".json"
}

type namedFile struct {
	name string
	data []byte
}

// read reads what one entry of "advice:" means.
func (l Library) read(ctx context.Context, from string) ([]namedFile, error) {
	if strings.Contains(from, "://") {
		return l.fetch(ctx, from)
	}
	names := []string{from}
	inside, err := l.Files.List(from)
	switch {
	case err == nil:
		names = nil
		for _, name := range inside {
			if Named(name) {
				names = append(names, path.Join(from, name))
			}
		}
	case !l.Files.Exists(from):
		return nil, &input.UsageError{
			Reason: fmt.Sprintf("%s: \"advice\" names %s, which cannot be read: %s", config.File, from, input.Cause(err))}
	}
	var files []namedFile
	for _, name := range names {
		data, err := l.Files.Read(name, input.Advice)
		if err != nil {
			return nil, err
		}
		files = append(files, namedFile{name, data})
	}
	return files, nil
}

// fetch fetches a file of advice; it is kept in the cache like what registries answer.
func (l Library) fetch(ctx context.Context, address string) ([]namedFile, error) {
	u, err := url.Parse(address)
	if err != nil || u.Path == "" || u.User != nil || u.Scheme != "http" && u.Scheme != "https" {
		return nil, &input.UsageError{Reason: fmt.Sprintf("%s: \"advice\" names something that is no file or folder of the "+
			"application, and no address of a file, http:// or https://, without user and password", config.File)}
	}
	folder, name := path.Split(u.EscapedPath())
	base := *u
	base.Path, base.RawPath, base.RawQuery, base.Fragment = folder, "", "", ""
	if u.RawQuery != "" {
		name += "?" + u.RawQuery
	}
	client, err := l.Open(base.String())
	if err != nil {
		return nil, &input.UsageError{Reason: fmt.Sprintf("%s: advice: %v", config.File, err)}
	}
	defer client.Close()
	data, err := client.Fetch(ctx,
		registry.Request{Path: name, Accept: "application/yaml, application/json, text/plain", Limit: input.Advice,
			Understand: func(body []byte) ([]byte, error) {
				_, _, err := Decode(address, body, l.Eco, l.Elsewhere)
				return body, err
			}})
	var missing *registry.NotFoundError
	switch {
	case errors.As(err, &missing):
		return nil, &input.UsageError{Reason: fmt.Sprintf("%s: there is no advice at %s", config.File, address)}
	case err != nil:
		return nil, fmt.Errorf("advice from %s: %w", address, err)
	}
	return []namedFile{{address, []byte(data)}}, nil
}

// locate fills in where the application's source has what facts are about: a symbol in the files that import its
// package, an option in the files that it names.
func (l Library) locate(ctx context.Context, guides []project.Guide) error {
	var imports []ecosystem.Import
	var sources []string
	for _, g := range guides {
		for i := range g.Advice {
			f := &g.Advice[i]
			var err error
			switch f.Kind {
			case project.AboutSymbol:
				if imports == nil {
					if imports, err = ecosystem.Imports(l.Eco, os.DirFS(l.Dir)); err != nil {
						return err
					}
				}
				var files []string
				for _, im := range imports {
					if im.Package == f.In && !slices.Contains(files, im.File) {
						files = append(files, im.File)
					}
				}
				f.Found = l.mentions(f.Name, files)
			case project.AboutOption:
				if sources == nil {
					if sources, err = l.Sources(ctx); err != nil {
						return err
					}
				}
				f.Found = l.mentions(f.Name, slices.DeleteFunc(slices.Clone(sources), func(name string) bool {
					whole, _ := path.Match(f.Files, name)
					last, _ := path.Match(f.Files, path.Base(name))
					return !whole && !last
				}))
			}
		}
	}
	return nil
}

// mostFound is how many places of one fact are named.
const mostFound = 20

// mentions lists the lines of files on which a word stands, as FILE:LINE. What cannot be read does not mention it.
func (l Library) mentions(word string, files []string) (found []string) {
	pattern := regexp.MustCompile(`(^|[^\w$])` + regexp.QuoteMeta(word) + `($|[^\w$])`)
	for _, name := range files {
		data, err := input.ReadFile(l.path(name), input.Source)
		if err != nil {
			continue
		}
		n := 0
		for line := range strings.Lines(string(data)) {
			n++
			if pattern.MatchString(line) && len(found) < mostFound {
				found = append(found, fmt.Sprintf("%s:%d", name, n))
			}
		}
	}
	return found
}

func (l Library) path(name string) string { return filepath.Join(l.Dir, name) }
