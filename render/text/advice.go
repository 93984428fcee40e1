package text

import (
	"fmt"

	"molt/doc"
	"molt/render"
)

// Guides prints what is in advice files.
func (p *Page) Guides(answer doc.Guides) {
	for i, f := range answer.Files {
		if i > 0 {
			p.Line("")
		}
		where := ""
		if f.Ecosystem != "" {
			where = ", for " + f.Ecosystem + " alone"
		}
		p.verdict(good, fmt.Sprintf("%s can be used: %s about %s %s%s.", f.File, render.Count(len(f.Facts), "fact"),
			f.About, f.To, where))
		var rows [][]cell
		for _, fact := range f.Facts {
			rows = append(rows, []cell{{fact.Kind, &bold}, plain(fact.Says.Words),
				{fact.Source + " (" + fact.Confidence + ")", &faint}})
		}
		p.table("  ", rows)
		for _, w := range f.Warnings {
			p.wrapped("  ", w)
		}
	}
	if len(answer.Files) == 0 {
		p.Line("There are no advice files there.")
	}
}
