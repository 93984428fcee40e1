package text

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"molt/core/inspect"
	"molt/core/version"
	"molt/doc"
	"molt/render"
)

// Survey prints a survey: one sentence, then the packages by size of jump, and what is current in one line.
func (p *Page) Survey(answer doc.Survey) {
	by := map[version.Jump][]doc.SurveyRow{}
	var current, odd []doc.SurveyRow
	for _, r := range answer.Packages {
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
	behind := 0
	for _, k := range kinds {
		if n := packagesIn(by[k]); n > 0 {
			behind += n
			parts = append(parts, fmt.Sprintf("%d by a %s", n, k))
		}
	}
	name := answer.Application
	if name == "" {
		name = "The application"
	}
	all := packagesIn(answer.Packages)
	declared := render.Count(all, "package")
	if all < len(answer.Packages) {
		declared += " in " + render.Count(len(answer.Packages), "line")
	}
	sentence := fmt.Sprintf("%s declares %s: %d current", name, declared, packagesIn(current))
	if parts != nil {
		sentence += ", " + render.Count(behind, "package") + " behind (" + strings.Join(parts, ", ") + ")"
	}
	if len(answer.Packages) < answer.Declared {
		sentence = fmt.Sprintf("%s of the %s of %s: %d current", render.Count(len(answer.Packages), "package"),
			strconv.Itoa(answer.Declared), name, packagesIn(current)) +
			sentence[strings.Index(sentence, " current")+len(" current"):]
	}
	p.heading("%s", sentence+".")
	if len(answer.Overrides) > 0 {
		p.wrapped("", "Overridden for those who need them: "+strings.Join(answer.Overrides, ", ")+".")
	}
	if answer.Installed {
		p.wrapped("", "There is no lock; what is shown as locked is what is installed.")
	} else if !answer.Locked {
		p.wrapped("", "There is no lock; what is shown as locked is what the manifest would resolve to today, as far as it "+
			"does.")
	}
	tables, names := p.surveyTables(kinds, by, odd, current)
	var whole [][]cell
	for _, t := range tables {
		whole = append(whole, t.rows...)
	}
	if p.headed() && across("  ", widths(whole)) > p.Width {
		p.squeezed = true
		defer func() { p.squeezed = false }()
		tables, _ = p.surveyTables(kinds, by, odd, current)
	}
	head := []cell{{"package", &faint}, {"declared", &faint}, {"locked", &faint}, {"in range", &faint}, {"newest", &faint},
		{"behind by", &faint}, {"", nil}}
	p.parts("  ", head, tables)
	if len(names) > 0 {
		p.Line("")
		p.heading("Current")
		slices.Sort(names)
		p.wrapped("  ", strings.Join(names, ", "))
	}
	p.Next(answer.Next)
}

// surveyTables makes the tables of a survey: what is behind, by the size of the move, what nobody
// can tell, what is current with a remark; and the names of what is current without one.
func (p *Page) surveyTables(kinds []version.Jump, by map[version.Jump][]doc.SurveyRow,
	odd, current []doc.SurveyRow) (tables []part, names []string) {
	for _, k := range kinds {
		t := part{title: fmt.Sprintf("Behind by a %s", k)}
		if k == version.Pre {
			t.title = "With a newer prerelease"
		}
		for _, r := range by[k] {
			t.rows = append(t.rows, p.surveyCells(r))
		}
		tables = append(tables, t)
	}
	cannot, remarked := part{title: "Cannot tell"}, part{title: "Current, with a remark"}
	for _, r := range odd {
		cannot.rows = append(cannot.rows, p.surveyCells(r))
	}
	for _, r := range current {
		if flags(r) != "" {
			remarked.rows = append(remarked.rows, p.surveyCells(r))
		} else {
			names = append(names, r.Name)
		}
	}
	return append(tables, cannot, remarked), names
}

// packagesIn counts the packages that rows are about: several members of a workspace may declare
// the same at the same release.
func packagesIn(rows []doc.SurveyRow) int {
	seen := map[[2]string]bool{}
	for _, r := range rows {
		seen[[2]string{r.Name, r.Locked}] = true
	}
	return len(seen)
}

// roomy is the width from which on a row has room for both releases and time.
const roomy = 90

func (p *Page) surveyCells(r doc.SurveyRow) []cell {
	best, declared := r.Best, cmp.Or(r.Declared, "any")
	lag := ""
	if r.Releases > 0 {
		lag = render.Count(r.Releases, "release")
		if r.Days > 0 && (p.Width >= roomy || !p.headed()) {
			lag += ", " + span(time.Duration(r.Days)*24*time.Hour)
		}
	}
	if !p.headed() { // the cells say what they are
		said := func(word, text string) cell {
			if text == "" {
				return cell{}
			}
			return plain(word + " " + text)
		}
		return []cell{plain(r.Name), said("asks for", declared), said("has", r.Locked), said("in range", best),
			said("newest", r.Newest), plain(lag), {flags(r), &notice}}
	}
	return []cell{plain(r.Name), plain(declared), plain(r.Locked), plain(best), plain(r.Newest), plain(lag),
		{flags(r), &notice}}
}

func flags(r doc.SurveyRow) string {
	var words []string
	if r.Member != "" {
		words = append(words, "in "+r.Member)
	}
	if len(r.New) > 0 {
		words = append(words, "new: "+strings.Join(r.New, " "))
	}
	if r.Excluded != nil {
		words = append(words, "not "+r.Excluded.Version+": "+strings.TrimPrefix(r.Excluded.Why.Words, r.Excluded.Version+" "))
	}
	for _, f := range r.Flags {
		switch {
		case f == inspect.NotLocked && r.Locked != "":
		case f == inspect.Held:
			words = append(words, keptBy(doc.Keeping{Held: true, Reason: r.Reason, Until: r.Held}))
		case f == inspect.BelowTag:
			words = append(words, "the registry's tag is older")
		case f == inspect.Retiring:
			words = append(words, "retiring: renamed, deprecated or absorbed")
		default:
			words = append(words, string(f))
		}
	}
	return strings.Join(words, ", ")
}
