package text

import (
	"strings"

	"molt/doc"
)

// Init prints what was written, or would be.
func (p *Page) Init(d doc.Init) {
	if d.Written {
		p.heading("%s is written; look through it.", d.File)
	} else {
		p.heading("%s would be:", d.File)
	}
	p.Line("")
	for line := range strings.Lines(d.Text) {
		p.Line("  %s", strings.TrimRight(line, "\n"))
	}
	if d.Open != "" {
		p.Line("")
		p.verdict(notice, "Nobody could know "+d.Open+".")
	}
	p.Next(d.Next)
}

// Settings prints what counts, and where it comes from.
func (p *Page) Settings(d doc.Settings) {
	var rows [][]cell
	for _, s := range d.Settings {
		rows = append(rows, []cell{plain(s.Key), {s.From, &faint}, plain(s.Value)})
	}
	p.table("", rows)
}
