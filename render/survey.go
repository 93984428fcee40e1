package render

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"molt/core/upgrade"
	"molt/core/version"
)

// SurveyDoc is "molt/survey/1".
type SurveyDoc struct {
	Schema      string      `json:"schema"`
	Ecosystem   string      `json:"ecosystem"`
	Application string      `json:"application"`
	Locked      bool        `json:"locked"`
	Packages    []SurveyRow `json:"packages"`
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
	Flags    []upgrade.Flag `json:"flags"`
}

// NewSurveyDoc makes the document of a survey.
func NewSurveyDoc(ecosystem, application string, locked bool, rows []upgrade.Row) SurveyDoc {
	doc := SurveyDoc{"molt/survey/1", ecosystem, application, locked, []SurveyRow{}}
	for _, r := range rows {
		doc.Packages = append(doc.Packages, SurveyRow{r.Name, r.Group, r.Declared, r.Locked, r.Best, r.Newest, r.Jump, r.Releases,
			int(r.Behind / (24 * time.Hour)), append([]upgrade.Flag{}, r.Flags...)})
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
	p.heading("%s", sentence+".")
	if !doc.Locked {
		p.wrapped("", "There is no lock; what is shown as locked is what the manifest would resolve to today, as far as it does.")
	}
	for _, k := range kinds {
		if len(by[k]) == 0 {
			continue
		}
		p.line("")
		p.heading("Behind by a %s", k)
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
		p.line("")
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
	if best == r.Newest {
		best = "newest"
	}
	lag := count(r.Releases, "release")
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
		p.line("")
		p.heading("Current, with a remark")
		p.table("  ", flagged)
	}
	if len(names) > 0 {
		p.line("")
		p.heading("Current")
		slices.Sort(names)
		p.wrapped("  ", strings.Join(names, ", "))
	}
}

func flags(r SurveyRow) string {
	var words []string
	for _, f := range r.Flags {
		if f != upgrade.NotLocked || r.Locked == "" {
			words = append(words, string(f))
		}
	}
	return strings.Join(words, ", ")
}
