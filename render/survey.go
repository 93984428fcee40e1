package render

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"molt/app"
	"molt/core/inspect"
	"molt/core/project"
	"molt/core/version"
)

// SurveyDoc is "molt/survey/1".
type SurveyDoc struct {
	Schema      string      `json:"schema"`
	Ecosystem   string      `json:"ecosystem"`
	Application string      `json:"application"`
	Locked      bool        `json:"locked"`
	Installed   bool        `json:"installed"` // whether versions are those that are installed, as there is no lock
	Declared    int         `json:"declared"`  // how many packages there are, shown or not
	Lag         LagDoc      `json:"lag"`       // of all of them
	Since       string      `json:"since"`     // the day after which releases are new, "" when nobody asked
	Packages    []SurveyRow `json:"packages"`
	Overrides   []string    `json:"overrides"` // what the manifest says of every edge to a name, each "NAME CONSTRAINT"
}

// A LagDoc is how far behind an application is in all: stable releases that it has not taken, and days.
type LagDoc struct {
	Releases int `json:"releases"`
	Days     int `json:"days"`
}

// A SurveyRow is one declared package of a survey.
type SurveyRow struct {
	Name     string         `json:"name"`
	Group    string         `json:"group"`
	Declared string         `json:"declared"`
	Locked   string         `json:"locked"`
	Best     string         `json:"best"`
	Newest   string         `json:"newest"`
	Jump     version.Jump   `json:"jump"`
	Releases int            `json:"releases"`
	Days     int            `json:"days"`
	Flags    []inspect.Flag `json:"flags"`
	Held     string         `json:"held"`   // the last day of a hold, "" for none or no end
	Reason   string         `json:"reason"` // of a hold
	Member   string         `json:"member"` // folder of a member of the workspace, "" for the application itself
	New      []string       `json:"new"`    // releases since
}

// NewSurveyDoc makes the document of a survey. Only rows that are let through are shown; the lag is that of all.
func NewSurveyDoc(a *app.App, u project.Application, rows []inspect.Row, shown func(inspect.Row) bool) SurveyDoc {
	doc := SurveyDoc{Schema: "molt/survey/1", Ecosystem: a.Eco.Name(), Application: a.Manifest.Name(), Locked: a.Lock != nil,
		Installed: a.Lock == nil && u.Installed != nil, Declared: len(rows), Since: day(u.Since), Packages: []SurveyRow{}}
	doc.Overrides = []string{}
	for _, o := range a.Manifest.Overrides() {
		doc.Overrides = append(doc.Overrides, o.As+" "+o.Written)
	}
	for _, r := range rows {
		days := int(r.Behind / (24 * time.Hour))
		doc.Lag.Releases += r.Releases
		doc.Lag.Days += days
		if !shown(r) {
			continue
		}
		row := SurveyRow{Name: r.Name, Group: r.Group, Declared: r.Declared, Locked: r.Locked, Best: r.Best, Newest: r.Newest, Jump: r.Jump,
			Releases: r.Releases, Days: days, Flags: append([]inspect.Flag{}, r.Flags...), Member: r.Member, New: append([]string{}, r.Since...)}
		if slices.Contains(r.Flags, inspect.Held) {
			row.Held, row.Reason = a.Config.Hold[r.Name].Until, a.Config.Hold[r.Name].Reason
		}
		doc.Packages = append(doc.Packages, row)
	}
	return doc
}

// Survey prints a survey: one sentence, then the packages by size of jump, and what is current in one line.
func (p *Page) Survey(doc SurveyDoc) {
	by := map[version.Jump][]SurveyRow{}
	var current, odd []SurveyRow
	for _, r := range doc.Packages {
		switch {
		case r.Newest == "" || r.Locked == "":
			odd = append(odd, r)
		case r.Jump == version.Same || r.Jump == version.Back:
			current = append(current, r)
		default:
			by[r.Jump] = append(by[r.Jump], r)
		}
	}
	kinds := []version.Jump{version.Major, version.Minor, version.Patch, version.Pre}
	var parts []string
	for _, k := range kinds {
		if n := len(by[k]); n > 0 {
			parts = append(parts, fmt.Sprintf("%d by a %s", n, k))
		}
	}
	name := doc.Application
	if name == "" {
		name = "The application"
	}
	sentence := fmt.Sprintf("%s declares %s: %d current", name, count(len(doc.Packages), "package"), len(current))
	if parts != nil {
		sentence += ", " + count(len(doc.Packages)-len(current)-len(odd), "package") + " behind (" + strings.Join(parts, ", ") + ")"
	}
	if len(doc.Packages) < doc.Declared {
		sentence = fmt.Sprintf("%s of the %s of %s: %d current", count(len(doc.Packages), "package"), strconv.Itoa(doc.Declared), name, len(current)) + sentence[strings.Index(sentence, " current")+len(" current"):]
	}
	p.heading("%s", sentence+".")
	if doc.Lag.Releases > 0 && len(doc.Packages) == doc.Declared { // it is that of all
		p.Line("Added up, it is %s and %s behind.", count(doc.Lag.Releases, "release"), span(time.Duration(doc.Lag.Days)*24*time.Hour))
	}
	if len(doc.Overrides) > 0 {
		p.wrapped("", "Overridden for everyone who needs them: "+strings.Join(doc.Overrides, ", ")+".")
	}
	if doc.Installed {
		p.wrapped("", "There is no lock; what is shown as locked is what is installed.")
	} else if !doc.Locked {
		p.wrapped("", "There is no lock; what is shown as locked is what the manifest would resolve to today, as far as it does.")
	}
	for _, k := range kinds {
		if len(by[k]) == 0 {
			continue
		}
		p.Line("")
		if k == version.Pre {
			p.heading("With a newer prerelease")
		} else {
			p.heading("Behind by a %s", k)
		}
		rows := [][]cell{}
		if p.Width >= narrow {
			rows = append(rows, []cell{{"package", &faint}, {"declared", &faint}, {"locked", &faint}, {"in range", &faint}, {"newest", &faint}, {"behind by", &faint}, {"", nil}})
		}
		for _, r := range by[k] {
			rows = append(rows, p.surveyCells(r))
		}
		p.table("  ", rows)
	}
	if len(odd) > 0 {
		p.Line("")
		p.heading("Cannot tell")
		var rows [][]cell
		for _, r := range odd {
			rows = append(rows, []cell{plain(r.Name), plain(r.Declared), {flags(r), &notice}})
		}
		p.table("  ", rows)
	}
	p.currentRows(current)
}

func (p *Page) surveyCells(r SurveyRow) []cell {
	best := r.Best
	lag := count(r.Releases, "release")
	if r.Jump == version.Pre && r.Releases == 0 {
		lag = ""
	}
	if r.Days > 0 {
		lag += ", " + span(time.Duration(r.Days)*24*time.Hour)
	}
	if p.Width < narrow { // no head says what the columns are
		return []cell{{r.Name, &bold}, plain("asks for " + r.Declared), plain("has " + r.Locked), plain("in range " + best),
			plain("newest " + r.Newest), plain(lag), {flags(r), &notice}}
	}
	return []cell{{r.Name, &bold}, plain(r.Declared), plain(r.Locked), plain(best), plain(r.Newest), plain(lag), {flags(r), &notice}}
}

// currentRows folds what is current into one paragraph, but for what is flagged.
func (p *Page) currentRows(current []SurveyRow) {
	var names []string
	var flagged [][]cell
	for _, r := range current {
		if f := flags(r); f != "" {
			flagged = append(flagged, []cell{plain(r.Name), plain(r.Declared), plain(r.Locked), {f, &notice}})
		} else {
			names = append(names, r.Name)
		}
	}
	if len(flagged) > 0 {
		p.Line("")
		p.heading("Current, with a remark")
		p.table("  ", flagged)
	}
	if len(names) > 0 {
		p.Line("")
		p.heading("Current")
		slices.Sort(names)
		p.wrapped("  ", strings.Join(names, ", "))
	}
}

func flags(r SurveyRow) string {
	var words []string
	if r.Member != "" {
		words = append(words, "in "+r.Member)
	}
	if len(r.New) > 0 {
		words = append(words, "new: "+strings.Join(r.New, " "))
	}
	for _, f := range r.Flags {
		switch {
		case f == inspect.NotLocked && r.Locked != "":
		case f == inspect.Held:
			words = append(words, Keeping{true, r.Reason, r.Held}.says())
		default:
			words = append(words, string(f))
		}
	}
	return strings.Join(words, ", ")
}
