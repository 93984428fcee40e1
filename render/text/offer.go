package text

import (
	"fmt"

	"molt/doc"
	"molt/render"
)

// Offers prints what is new, a set of changes after the other.
func (p *Page) Offers(d doc.Offers) {
	there := 0
	for _, o := range d.Offers {
		if len(o.Changes) > 0 {
			there++
		}
	}
	if there == 0 {
		p.verdict(good, "Nothing newer can be offered.")
	} else {
		p.heading("%s, each resolves by itself.", render.Count(there, "set")+" of changes")
	}
	for _, o := range d.Offers {
		p.Line("")
		if len(o.Changes) == 0 {
			p.Line("%s %s", p.styled(bold, o.Branch), p.styled(faint, "is gone: there is nothing newer left of it"))
			continue
		}
		state := o.State
		if d.DryRun {
			state = "not made"
		}
		p.Line("%s  %s  %s", p.styled(bold, o.Branch), o.Title, p.styled(faint, state))
		p.table("  ", changeRows(doc.PlanStage{Changes: o.Changes}))
		p.Line("  %s", p.styled(faint, fmt.Sprintf("lock: %s", render.Count(o.Lock, "change"))))
		for _, n := range o.Notes {
			p.wrapped("  ", "breaking: "+n)
		}
		p.runs(o.Runs, o.Unread)
	}
	if len(d.Waiting) > 0 {
		p.Line("")
		p.heading("Newer, and not offered")
		var rows [][]cell
		for _, w := range d.Waiting {
			rows = append(rows, []cell{plain(w.Name), plain(w.At), plain("newest " + w.Newest), {w.Why.Words, &faint}})
		}
		p.table("  ", rows)
	}
	p.Next(d.Next)
}
