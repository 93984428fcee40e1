package text

import (
	"molt/core/inspect"
	"molt/doc"
	"molt/render"
)

// Change prints what a change of the manifest does.
func (p *Page) Change(answer doc.Change) {
	word := "changes"
	if !answer.Written {
		word = "would change"
	}
	lines := 0
	for _, c := range answer.Changes {
		if c.From == nil || c.To == nil || c.From.Constraint != c.To.Constraint {
			lines++
		}
	}
	p.heading("The manifest %s in %s, the lock in %s.", word, render.Count(lines, "line"),
		render.Count(len(answer.Lock), "package"))
	var rows [][]cell
	for _, c := range answer.Changes {
		row := []cell{plain(c.Name), {c.Group, &faint}}
		switch {
		case c.To == nil:
			row = append(row, plain(c.From.Constraint+" is removed"), plain(""))
		case c.From == nil:
			row = append(row, plain("is added as "+c.To.Constraint), plain("at "+c.To.Version))
		case c.From.Constraint == c.To.Constraint:
			row = append(row, plain("line stays "+c.To.Constraint), plain("at "+c.To.Version))
		default:
			row = append(row, plain(c.From.Constraint+" becomes "+c.To.Constraint), plain("at "+c.To.Version))
		}
		rows = append(rows, row)
	}
	p.table("  ", rows)
	if len(answer.Lock) > 0 {
		p.Line("")
		p.heading("In the lock")
		rows = nil
		for _, d := range answer.Lock {
			style := &faint
			if d.Kind == inspect.ByMajor || d.Kind == inspect.GoneBack {
				style = &notice
			}
			rows = append(rows, []cell{{string(d.Kind), style}, plain(d.Name), plain(moveBetween(d))})
		}
		p.table("  ", rows)
	}
	if len(answer.Remarks) > 0 {
		p.Line("")
	}
	for _, r := range answer.Remarks {
		p.wrapped("", r.Words+".")
	}
	if len(answer.Uses) > 0 {
		p.Line("")
		p.verdict(notice, "Still in use")
		for _, u := range answer.Uses {
			if u.File != "" {
				p.Line("  %s:%d imports %s", u.File, u.Line, u.Package)
			} else {
				p.Line("  %s needs %s, which therefore stays in the lock", u.By, u.Package)
			}
		}
	}
}

// Changed says whether a change that was printed is on disk.
func (p *Page) Changed(answer doc.Change) {
	p.Line("")
	if answer.Written {
		p.Line("%s", p.styled(good, "Written; molt back takes it back."))
	} else {
		p.Line("%s", p.styled(faint, "Nothing was written."))
	}
}

// keptBy is "held until" and why, "" for a package that is not held.
func keptBy(k doc.Keeping) string {
	if !k.Held {
		return ""
	}
	text := "held"
	if k.Until != "" {
		text += " until " + k.Until
	}
	if k.Reason != "" {
		text += ": " + k.Reason
	}
	return text
}

// Hold prints what became of a hold.
func (p *Page) Hold(answer doc.Hold) {
	switch {
	case !answer.Held:
		p.wrapped("", answer.Name+" is no longer held.")
	case answer.Until == "":
		p.wrapped("", answer.Name+" is held until it is lifted: "+answer.Reason)
	default:
		p.wrapped("", answer.Name+" is held until "+answer.Until+": "+answer.Reason)
	}
}

// Taken prints which way out was carried out.
func (p *Page) Taken(answer doc.Taken) {
	p.wrapped("", "took a way out: "+answer.Title.Words)
	p.Next(answer.Next)
}
