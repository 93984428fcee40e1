package text

import (
	"strings"

	"molt/core/inspect"
	"molt/doc"
	"molt/render"
)

// Compare prints a comparison: how many of what, then the declared packages, then the rest.
func (p *Page) Compare(answer doc.Compare) {
	p.heading("%s", render.Differing(answer))
	declared, rest := render.Differences(answer)
	for _, part := range []struct {
		title string
		all   []doc.Difference
	}{{"Declared", declared}, {"Brought in by others", rest}} {
		if len(part.all) == 0 {
			continue
		}
		p.Line("")
		p.heading("%s", part.title)
		var rows [][]cell
		for _, d := range part.all {
			style := &faint
			switch d.Kind {
			case inspect.ByMajor, inspect.GoneBack, inspect.Unclear:
				style = &notice
			}
			rows = append(rows, []cell{{string(d.Kind), style}, {d.Name, &bold}, plain(moveBetween(d))})
		}
		p.table("  ", rows)
	}
}

// moveBetween says where a package went.
func moveBetween(d doc.Difference) string {
	from, to := strings.Join(d.From, ", "), strings.Join(d.To, ", ")
	switch {
	case from == "":
		return to
	case to == "":
		return from
	}
	return from + " to " + to
}
