package render

import (
	"molt/app"
	"molt/core/conflict"
	"molt/core/inspect"
)

// ChangeDoc is "molt/change/1".
type ChangeDoc struct {
	Schema  string          `json:"schema"`
	Written bool            `json:"written"` // false when it was for show
	Changes []PlanChange    `json:"changes"` // of the manifest
	Lock    []DifferenceDoc `json:"lock"`
	Uses    []UseDoc        `json:"uses"` // of what was dropped
	Remarks []string        `json:"remarks"`
}

// A UseDoc is a place that still uses a package that was dropped: a line of the source, or, when File is "", another package.
type UseDoc struct {
	Package string `json:"package"`
	File    string `json:"file"`
	Line    int    `json:"line"`
	By      string `json:"by"`
}

// NewChangeDoc makes the document of a change of the manifest.
func NewChangeDoc(e *app.Effect, uses []app.Use, remarks []string, written bool) ChangeDoc {
	doc := ChangeDoc{"molt/change/1", written, []PlanChange{}, NewCompareDoc("", "", e.Differences).Differences, []UseDoc{}, append([]string{}, remarks...)}
	for _, c := range e.Changes {
		change := PlanChange{Name: c.Name, Group: c.Group, From: planPoint(c.From), To: planPoint(c.To)}
		if change.From != nil && change.To != nil {
			change.Jump = c.Jump.String()
		}
		doc.Changes = append(doc.Changes, change)
	}
	for _, u := range uses {
		doc.Uses = append(doc.Uses, UseDoc(u))
	}
	return doc
}

// Change prints what a change of the manifest does.
func (p *Page) Change(doc ChangeDoc) {
	word := "changes"
	if !doc.Written {
		word = "would change"
	}
	p.heading("The manifest %s in %s, the lock in %s.", word, count(len(doc.Changes), "line"), count(len(doc.Lock), "package"))
	var rows [][]cell
	for _, c := range doc.Changes {
		row := []cell{{c.Name, &bold}, {c.Group, &faint}}
		switch {
		case c.To == nil:
			row = append(row, plain(c.From.Constraint+" goes"), plain(""))
		case c.From == nil:
			row = append(row, plain("comes as "+c.To.Constraint), plain("at "+c.To.Version))
		case c.From.Constraint == c.To.Constraint:
			row = append(row, plain("line stays "+c.To.Constraint), plain("at "+c.To.Version))
		default:
			row = append(row, plain(c.From.Constraint+" becomes "+c.To.Constraint), plain("at "+c.To.Version))
		}
		rows = append(rows, row)
	}
	p.table("  ", rows)
	if len(doc.Lock) > 0 {
		p.Line("")
		p.heading("In the lock")
		rows = nil
		for _, d := range doc.Lock {
			style := &faint
			if d.Kind == inspect.ByMajor || d.Kind == inspect.GoneBack {
				style = &notice
			}
			rows = append(rows, []cell{{string(d.Kind), style}, {d.Name, &bold}, plain(d.move())})
		}
		p.table("  ", rows)
	}
	if len(doc.Remarks) > 0 {
		p.Line("")
	}
	for _, r := range doc.Remarks {
		p.wrapped("", r+".")
	}
	if len(doc.Uses) > 0 {
		p.Line("")
		p.verdict(notice, "Still in use")
		for _, u := range doc.Uses {
			if u.File != "" {
				p.Line("  %s:%d imports %s", u.File, u.Line, u.Package)
			} else {
				p.Line("  %s needs %s, which therefore stays in the lock", u.By, u.Package)
			}
		}
	}
}

// Changed says whether a change that was printed is on disk.
func (p *Page) Changed(doc ChangeDoc) {
	p.Line("")
	if doc.Written {
		p.Line("%s", p.styled(good, "Written; molt back takes it back."))
	} else {
		p.Line("%s", p.styled(faint, "Nothing was written."))
	}
}

// A Keeping says whether people keep a package at its release.
type Keeping struct {
	Held   bool   `json:"held"`
	Reason string `json:"reason"`
	Until  string `json:"until"` // the last day, "" for no end
}

// says is "held until" and why, "" for a package that is not held.
func (k Keeping) says() string {
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

// HoldDoc is "molt/hold/1"; a hold that was lifted is not held.
type HoldDoc struct {
	Schema string `json:"schema"`
	Name   string `json:"name"`
	Keeping
}

// Hold prints what became of a hold.
func (p *Page) Hold(doc HoldDoc) {
	switch {
	case !doc.Held:
		p.wrapped("", doc.Name+" is no longer held.")
	case doc.Until == "":
		p.wrapped("", doc.Name+" is held until it is lifted: "+doc.Reason)
	default:
		p.wrapped("", doc.Name+" is held until "+doc.Until+": "+doc.Reason)
	}
}

// TakenDoc is "molt/taken/1".
type TakenDoc struct {
	Schema string           `json:"schema"`
	Kind   conflict.WayKind `json:"kind"`
	Title  string           `json:"title"`
}

// Taken prints which way out was carried out.
func (p *Page) Taken(doc TakenDoc) { p.wrapped("", "took a way out: "+doc.Title) }
