package render

import (
	"fmt"
	"strings"
	"time"

	"molt/core/conflict"
	"molt/core/inspect"
	"molt/core/project"
	"molt/core/solve"
)

// TraceDoc is "molt/trace/1".
type TraceDoc struct {
	Schema string `json:"schema"`
	Name   string `json:"name"`
	Keeping
	Releases []TraceRelease `json:"releases"` // the newest first
}

// A TraceRelease is a locked release with why it is there.
type TraceRelease struct {
	ID      string        `json:"id"`
	Version string        `json:"version"`
	Chains  [][]TraceLink `json:"chains"`  // shortest ones, from the application down
	More    int           `json:"more"`    // how many shortest chains there are beyond these
	Askers  int           `json:"askers"`  // how many links lead to it
	Next    string        `json:"next"`    // the next newer release, "" when there is none
	Keepers []TraceLink   `json:"keepers"` // the links that exclude it
}

// A TraceLink is a demand on the way. By is "" for the application, else an id; To is an id.
type TraceLink struct {
	By         string `json:"by"`
	Group      string `json:"group"`
	Name       string `json:"name"`
	Constraint string `json:"constraint"`
	Peer       bool   `json:"peer"`
	To         string `json:"to"`
}

// NewTraceDoc makes the document of a trace.
func NewTraceDoc(name string, keeping Keeping, all []inspect.Trace) TraceDoc {
	return TraceDoc{"molt/trace/1", name, keeping, traceReleases(all)}
}

func traceReleases(traces []inspect.Trace) []TraceRelease {
	all := []TraceRelease{}
	for _, t := range traces {
		r := TraceRelease{t.ID, t.Version, [][]TraceLink{}, t.More, t.Askers, t.Next, traceLinks(t.Keepers)}
		for _, chain := range t.Chains {
			r.Chains = append(r.Chains, traceLinks(chain))
		}
		all = append(all, r)
	}
	return all
}

func traceLinks(links []inspect.Link) []TraceLink {
	all := []TraceLink{}
	for _, l := range links {
		all = append(all, TraceLink(l))
	}
	return all
}

// Trace prints why a package is locked: for each release what keeps it there, then the chains, a step deeper each.
func (p *Page) Trace(doc TraceDoc) {
	for i, r := range doc.Releases {
		if i > 0 {
			p.Line("")
		}
		p.heading("%s, asked for by %s", r.ID, count(r.Askers, "package"))
		switch {
		case r.Next == "":
			p.Line("  It is the newest release.")
		case doc.Held && len(r.Keepers) == 0:
			p.wrapped("  ", "Kept from "+r.Next+" by you alone: "+doc.says())
		case len(r.Keepers) == 0:
			p.Line("  Nothing keeps it from %s.", r.Next)
		default:
			p.Line("  Kept from %s by", r.Next)
			var rows [][]cell
			for _, k := range r.Keepers {
				rows = append(rows, []cell{{asker(k), &bold}, {k.asks(), nil}})
			}
			if doc.Held {
				rows = append(rows, []cell{{"molt.yaml", &bold}, plain(doc.says())})
			}
			p.table("    ", rows)
		}
		told := map[string]bool{} // what was told of the way on from there
		for n, chain := range r.Chains {
			if n == 0 || !told[chain[0].To] {
				p.Line("")
			}
			for depth, l := range chain {
				indent := strings.Repeat("  ", depth+1)
				if depth == 0 {
					p.Line("%s%s %s", indent, p.styled(faint, asker(l)), l.asks())
					indent += "  "
				}
				if depth > 0 {
					indent += "  "
					p.Line("%s%s%s", indent[2:], p.styled(faint, "which asks for "), l.asks())
				}
				last := depth == len(chain)-1
				switch {
				case last:
					p.Line("%s%s", indent, p.styled(bold, l.To))
				case told[l.To]:
					p.Line("%s%s %s", indent, l.To, p.styled(faint, "and on as above"))
				default:
					p.Line("%s%s", indent, l.To)
				}
				if !last && told[l.To] {
					break
				}
				told[l.To] = true
			}
		}
		if r.More > 0 {
			p.Line("  and %d more ways", r.More)
		}
	}
}

func asker(l TraceLink) string {
	if l.By == "" {
		return "the manifest"
	}
	return l.By
}

// asks says what a link asks for.
func (l TraceLink) asks() string {
	text := l.Name + " " + l.Constraint
	if l.Peer {
		text += " beside it"
	}
	if l.Group != "" {
		text += " (" + l.Group + ")"
	}
	return text
}

// FitDoc is "molt/fit/1".
type FitDoc struct {
	Schema    string       `json:"schema"`
	Name      string       `json:"name"`
	Declared  string       `json:"declared"` // the constraint, "" when it is not declared
	Locked    string       `json:"locked"`
	Fixed     int          `json:"fixed"`     // how many packages are given from outside
	Releases  []FitRelease `json:"releases"`  // the newest first
	Contested []ContestDoc `json:"contested"` // what stands in the way of the newest that does not fit
}

// A FitRelease is a release with whether it resolves with the application.
type FitRelease struct {
	Version   string `json:"version"`
	Published string `json:"published"` // a day, "" when the registry does not tell
	Fits      bool   `json:"fits"`
}

// NewFitDoc makes the document of what fits.
func NewFitDoc(name string, app project.Application, fits []inspect.Fit, k *conflict.Explanation, place func(solve.Demand) string) FitDoc {
	doc := FitDoc{Schema: "molt/fit/1", Name: name, Fixed: len(app.Fixed), Releases: []FitRelease{}, Contested: []ContestDoc{}}
	for _, d := range app.Declared {
		if d.As == name {
			doc.Declared = d.Text
		}
	}
	if app.Locked != nil {
		if n := app.Locked.Root(name); n != nil {
			doc.Locked = n.Version
		}
	}
	for _, f := range fits {
		doc.Releases = append(doc.Releases, FitRelease{f.Release.Version.String(), day(f.Release.Published), f.Fits})
	}
	if k != nil {
		for _, c := range k.Contested {
			doc.Contested = append(doc.Contested, newContest(c, place))
		}
	}
	return doc
}

// day writes a date, "" for none.
func day(t time.Time) string {
	if t.IsZero() {
		return ""
	}
	return t.UTC().Format(time.DateOnly)
}

// Fit prints which releases fit, and what stands in the way of the newest that does not.
func (p *Page) Fit(doc FitDoc) {
	best, refused := "", ""
	for _, r := range doc.Releases {
		if r.Fits && best == "" {
			best = r.Version
		}
		if !r.Fits && refused == "" {
			refused = r.Version
		}
	}
	with := "with the application as it stands"
	if doc.Fixed > 0 {
		with = fmt.Sprintf("with the application and %s given from outside", count(doc.Fixed, "package"))
	}
	if best == "" {
		p.verdict(bad, fmt.Sprintf("No release of %s that was tried resolves %s.", doc.Name, with))
	} else {
		p.verdict(good, fmt.Sprintf("%s %s is the newest that resolves %s.", doc.Name, best, with))
	}
	var rows [][]cell
	for _, r := range doc.Releases {
		word := cell{"fits", &good}
		if !r.Fits {
			word = cell{"no", &bad}
		}
		note := ""
		if r.Version == doc.Locked {
			note = "locked"
		}
		row := []cell{{r.Version, &bold}, word, {r.Published, &faint}, plain(note)}
		if p.Width < narrow { // three cells stay on one line
			row = []cell{row[0], row[1], plain(strings.TrimSpace(r.Published + "  " + note))}
		}
		rows = append(rows, row)
	}
	p.table("  ", rows)
	if len(doc.Contested) > 0 {
		p.Line("")
		p.heading("In the way of %s", refused)
		for i, c := range doc.Contested {
			if i > 0 {
				p.Line("")
			}
			p.contest(c)
		}
	}
}
