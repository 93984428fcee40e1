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
	rowsOf := func(all []doc.Difference) (rows [][]cell) {
		for _, d := range all {
			style := &faint
			switch d.Kind {
			case inspect.ByMajor, inspect.GoneBack, inspect.Unclear:
				style = &notice
			}
			rows = append(rows, []cell{{string(d.Kind), style}, plain(d.Name), plain(moveBetween(d))})
		}
		return rows
	}
	p.parts("  ", nil, []part{{"Declared", rowsOf(declared)}, {"Brought in by others", rowsOf(rest)}})
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
