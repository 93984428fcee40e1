package render

import (
	"fmt"
	"slices"
	"strings"

	"molt/core/assess"
	"molt/core/inspect"
	"molt/core/project"
	"molt/core/universe"
)

// DossierDoc is "molt/dossier/1".
type DossierDoc struct {
	Schema     string `json:"schema"`
	Name       string `json:"name"`
	About      string `json:"about"`
	Homepage   string `json:"homepage"`
	Repository string `json:"repository"`
	Deprecated string `json:"deprecated"` // what the newest release says, "" when nothing
	Successor  string `json:"successor"`  // of a renamed package
	Keeping
	Declared  []DossierLine     `json:"declared"`
	Locked    []TraceRelease    `json:"locked"`
	Tags      map[string]string `json:"tags"`
	Framework string            `json:"framework"` // the package that "framework" of a release is about, "" for none
	Releases  []DossierRelease  `json:"releases"`  // the newest first
	Hidden    int               `json:"hidden"`    // older releases and previews that are not shown
	To        string            `json:"to"`        // the release up to which the change log is shown, and whose needs are listed
	Needs     []DossierNeed     `json:"needs"`
	Log       []LogDoc          `json:"log"`   // the newest first
	NoLog     string            `json:"noLog"` // why there is none, "" when there is one or nothing to tell
}

// A DossierLine is a line of the manifest.
type DossierLine struct {
	Group      string `json:"group"`
	Constraint string `json:"constraint"`
}

// A DossierNeed is something that a release needs, or wants beside it.
type DossierNeed struct {
	Name       string `json:"name"`
	Constraint string `json:"constraint"`
	Peer       bool   `json:"peer"`
	Optional   bool   `json:"optional"`
}

// A DossierRelease is one release.
type DossierRelease struct {
	Version    string            `json:"version"`
	Published  string            `json:"published"` // a day, "" when the registry does not tell
	Jump       string            `json:"jump"`      // from the locked release, "" without one
	Needs      int               `json:"needs"`
	Peers      int               `json:"peers"`
	Runtimes   map[string]string `json:"runtimes"`
	Framework  string            `json:"framework"` // what it asks of the framework, "" for nothing
	Deprecated string            `json:"deprecated"`
	Locked     bool              `json:"locked"`
}

// A LogDoc is what the change log says of one release, as lines of Markdown.
type LogDoc struct {
	Release  string   `json:"release"`
	Breaking []string `json:"breaking"`
	Rest     []string `json:"rest"`
}

// DossierFacts is what a dossier is made of.
type DossierFacts struct {
	Name     string // under which the application knows it
	Keeping  Keeping
	Package  *universe.Package
	App      project.Application
	Goal     string // the framework, "" for none
	Traces   []inspect.Trace
	Previews bool
	Most     int
	To       *universe.Release
	Log      []inspect.LogEntry
	NoLog    string
}

// NewDossierDoc makes the document of a package.
func NewDossierDoc(f DossierFacts) DossierDoc {
	p := f.Package
	doc := DossierDoc{Schema: "molt/dossier/1", Name: p.Name, About: p.Notes.About, Homepage: p.Notes.Homepage, Repository: p.Notes.Repository,
		Declared: []DossierLine{}, Keeping: f.Keeping, Locked: traceReleases(f.Traces), Tags: map[string]string{}, Framework: f.Goal, Releases: []DossierRelease{},
		Needs: []DossierNeed{}, Log: []LogDoc{}, NoLog: f.NoLog}
	if f.Goal == p.Name {
		doc.Framework = ""
	}
	for tag, v := range p.Tags {
		doc.Tags[tag] = v
	}
	for _, d := range f.App.Declared {
		if d.As == f.Name {
			doc.Declared = append(doc.Declared, DossierLine{d.Group, d.Text})
		}
	}
	if gone := assess.RetirementOf(p, f.Goal); gone != nil {
		doc.Deprecated, doc.Successor = gone.Says, gone.Successor
	}
	var locked *universe.Release
	if len(f.Traces) > 0 {
		locked = p.Release(f.Traces[0].Version)
	}
	for i := len(p.Releases) - 1; i >= 0; i-- {
		r := &p.Releases[i]
		here := slices.ContainsFunc(f.Traces, func(t inspect.Trace) bool { return t.Version == r.Version.String() })
		if !here && (r.Version.Prerelease() && !f.Previews || f.Most > 0 && len(doc.Releases) >= f.Most) {
			doc.Hidden++
			continue
		}
		line := DossierRelease{Version: r.Version.String(), Published: day(r.Published), Needs: len(r.Needs), Peers: len(r.Peers),
			Runtimes: map[string]string{}, Deprecated: r.Deprecated, Locked: here}
		for _, q := range r.Runtimes {
			line.Runtimes[q.Name] = q.Text
		}
		for _, d := range slices.Concat(r.Needs, r.Peers) {
			if d.As == doc.Framework && doc.Framework != "" {
				line.Framework = d.Text
			}
		}
		if locked != nil {
			line.Jump = p.Scheme.Jump(locked.Version, r.Version).String()
		}
		doc.Releases = append(doc.Releases, line)
	}
	if f.To != nil {
		doc.To = f.To.Version.String()
		for _, d := range f.To.Needs {
			doc.Needs = append(doc.Needs, DossierNeed{d.As, d.Text, false, d.Optional})
		}
		for _, d := range f.To.Peers {
			doc.Needs = append(doc.Needs, DossierNeed{d.As, d.Text, true, d.Optional})
		}
	}
	for _, e := range f.Log {
		doc.Log = append(doc.Log, LogDoc{e.Release, append([]string{}, e.Breaking...), append([]string{}, e.Rest...)})
	}
	return doc
}

// releaseRows makes a table of the releases. Columns in which nothing stands are left out.
func (doc DossierDoc) releaseRows(headed bool) [][]cell {
	var runtimes []string
	anyRuntime, anyFramework := false, false
	for _, r := range doc.Releases {
		var words []string
		for name, text := range r.Runtimes {
			words = append(words, name+" "+text)
		}
		slices.Sort(words)
		runtimes = append(runtimes, strings.Join(words, ", "))
		anyRuntime, anyFramework = anyRuntime || words != nil, anyFramework || r.Framework != ""
	}
	row := func(version, published, jump, runtime, framework, note cell) []cell {
		all := []cell{version, published, jump}
		if anyRuntime {
			all = append(all, runtime)
		}
		if anyFramework {
			all = append(all, framework)
		}
		return append(all, note)
	}
	var rows [][]cell
	if headed {
		rows = append(rows, row(cell{"release", &faint}, cell{"published", &faint}, cell{"jump", &faint}, cell{"runtime", &faint}, cell{doc.Framework, &faint}, cell{}))
	}
	for i, r := range doc.Releases {
		note := ""
		if r.Deprecated != "" {
			note = "deprecated"
		}
		if r.Locked {
			note = strings.TrimSuffix("locked, "+note, ", ")
		}
		framework := r.Framework
		if !headed && framework != "" { // no head says what it is about
			framework = doc.Framework + " " + framework
		}
		rows = append(rows, row(cell{r.Version, &bold}, cell{r.Published, &faint}, plain(r.Jump), plain(runtimes[i]), plain(framework), cell{note, &notice}))
	}
	return rows
}

// Dossier prints a package: what it is, how it stands here, its releases, its change log.
func (p *Page) Dossier(doc DossierDoc) {
	p.heading("%s", strings.TrimSuffix(doc.Name+": "+doc.About, ": "))
	if doc.Deprecated != "" {
		p.verdict(bad, doc.Deprecated)
	}
	var rows [][]cell
	put := func(word, text string) {
		if text != "" {
			rows = append(rows, []cell{{word, &faint}, plain(text)})
		}
	}
	for _, d := range doc.Declared {
		put("declared", fmt.Sprintf("%s in %s", d.Constraint, d.Group))
	}
	put("kept", doc.says())
	for _, l := range doc.Locked {
		text := l.Version
		var by []string
		for _, chain := range l.Chains {
			if last := chain[len(chain)-1]; !slices.Contains(by, asker(last)) {
				by = append(by, asker(last))
			}
		}
		text += ", asked for by " + strings.Join(by, ", ")
		if rest := l.Askers - len(by); rest > 0 {
			text += fmt.Sprintf(" and %d more", rest)
		}
		put("locked", text)
	}
	var tags []string
	for tag, v := range doc.Tags {
		tags = append(tags, tag+" is "+v)
	}
	slices.Sort(tags)
	put("tags", strings.Join(tags, ", "))
	var needs []string
	for _, n := range doc.Needs {
		text := n.Name + " " + n.Constraint
		switch {
		case n.Peer && n.Optional:
			text += " (if there is one)"
		case n.Peer:
			text += " (beside it)"
		case n.Optional:
			text += " (optional)"
		}
		needs = append(needs, text)
	}
	if needs != nil {
		put(doc.To+" needs", strings.Join(needs, ", "))
	}
	put("home", doc.Homepage)
	put("source", doc.Repository)
	p.table("  ", rows)
	p.Line("")
	p.heading("Releases")
	p.table("  ", doc.releaseRows(p.Width >= narrow))
	if doc.Hidden > 0 {
		p.Line("%s", p.styled(faint, fmt.Sprintf("  and %d more; --most 0 and --previews show them", doc.Hidden)))
	}
	if len(doc.Log) == 0 {
		if doc.NoLog != "" {
			p.wrapped("", doc.NoLog)
		}
		return
	}
	p.Line("")
	p.heading("Change log up to %s", doc.To)
	for _, e := range doc.Log {
		p.Line("")
		p.Line("  %s", p.styled(bold, e.Release))
		for _, part := range []struct {
			lines []string
			style cell
		}{{e.Breaking, cell{style: &notice}}, {e.Rest, cell{}}} {
			for _, l := range part.lines {
				indent := "    " + l[:len(l)-len(strings.TrimLeft(l, " \t"))]
				for i, text := range wrap(l, p.Width-len(indent)) {
					if i > 0 {
						text = "  " + text
					}
					p.Line("%s%s", inked(indent), p.cell(cell{text, part.style.style}))
				}
			}
		}
	}
}
