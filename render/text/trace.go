package text

import (
	"fmt"
	"strings"

	"molt/doc"
	"molt/render"
)

// Trace prints why a package is locked: for each release what keeps it there, then the chains, a step deeper each.
func (p *Page) Trace(answer doc.Trace) {
	if answer.Unknown != "" {
		p.wrapped("", "Unknown: "+answer.Unknown+".")
	}
	for i, r := range answer.Releases {
		if i > 0 {
			p.Line("")
		}
		p.heading("%s, asked for by %s", r.ID, render.Count(r.Askers, "package"))
		switch {
		case r.Next == "":
			p.Line("  It is the newest release.")
		case answer.Held && len(r.Keepers) == 0:
			p.wrapped("  ", "Kept from "+r.Next+" by you alone: "+keptBy(answer.Keeping))
		case r.Why.Words != "":
			p.wrapped("  ", fmt.Sprintf("Kept from %s: %s.", r.Next, r.Why))
		case r.Unknown != "":
			p.wrapped("  ", fmt.Sprintf("The next release is %s; whether it resolves is not known: %s", r.Next, r.Unknown))
		case len(r.Keepers) == 0:
			p.Line("  Nothing keeps it from %s.", r.Next)
		default:
			p.Line("  Kept from %s by", r.Next)
			var rows [][]cell
			for _, k := range r.Keepers {
				rows = append(rows, []cell{plain(asker(k)), {asks(k), nil}})
			}
			if answer.Held {
				rows = append(rows, []cell{plain("molt.yaml"), plain(keptBy(answer.Keeping))})
			}
			p.table("    ", rows)
		}
		told := map[string]bool{} // what was told of the way on from there
		for n, chain := range r.Chains {
			if n == 0 || !told[chain[0].To] {
				p.Line("")
			}
			for depth, l := range chain {
				indent := strings.Repeat("  ", depth+1)
				if depth == 0 {
					p.Line("%s%s %s", indent, p.styled(faint, asker(l)), asks(l))
					indent += "  "
				}
				if depth > 0 {
					indent += "  "
					p.Line("%s%s%s", indent[2:], p.styled(faint, "which asks for "), asks(l))
				}
				last := depth == len(chain)-1
				switch {
				case last:
					p.Line("%s%s", indent, l.To)
				case told[l.To]:
					p.Line("%s%s %s", indent, l.To, p.styled(faint, "and on as above"))
				default:
					p.Line("%s%s", indent, l.To)
				}
				if !last && told[l.To] {
					break
				}
				told[l.To] = true
			}
		}
		if r.More > 0 {
			p.Line("  and %d more ways", r.More)
		}
	}
}

func asker(l doc.TraceLink) string {
	if l.By == "" {
		return "the manifest"
	}
	return l.By
}

// asks says what a link asks for.
func asks(l doc.TraceLink) string {
	text := l.Name + " " + l.Constraint
	if l.Peer {
		text += " as a peer"
	}
	if l.Group != "" {
		text += " (" + l.Group + ")"
	}
	return text
}

// Fit prints which releases fit, and what stands in the way of the newest that does not.
func (p *Page) Fit(answer doc.Fit) {
	best, refused := "", ""
	for _, r := range answer.Releases {
		if r.Fits && best == "" {
			best = r.Version
		}
		if !r.Fits && refused == "" {
			refused = r.Version
		}
	}
	with := "with the application as it stands"
	if answer.Fixed > 0 {
		with = fmt.Sprintf("with the application and %s given from outside", render.Count(answer.Fixed, "package"))
	}
	if best == "" {
		p.verdict(bad, fmt.Sprintf("No release of %s that was tried resolves %s.", answer.Name, with))
	} else {
		p.verdict(good, fmt.Sprintf("%s %s is the newest that resolves %s.", answer.Name, best, with))
	}
	var rows [][]cell
	for _, r := range answer.Releases {
		word := cell{"fits", &good}
		if !r.Fits {
			word = cell{"no", &bad}
		}
		note := ""
		if r.Version == answer.Locked {
			note = "locked"
		}
		row := []cell{plain(r.Version), word, {r.Published, &faint}, plain(note)}
		if !p.headed() { // three cells stay on one line
			row = []cell{row[0], row[1], plain(strings.TrimSpace(r.Published + "  " + note))}
		}
		rows = append(rows, row)
	}
	p.table("  ", rows)
	if answer.Why.Words != "" {
		p.Line("")
		p.heading("In the way of %s", refused)
		if len(answer.Contested) == 0 {
			p.wrapped("  ", answer.Why.Words)
		}
		for i, c := range answer.Contested {
			if i > 0 {
				p.Line("")
			}
			p.contest(c)
		}
		if len(answer.Remarks) > 0 || answer.Apart {
			p.Line("")
		}
		for _, r := range answer.Remarks {
			p.wrapped("", inFull(r))
		}
		if answer.Apart {
			p.wrapped("", answer.Name+" has no part in this: the application itself does not resolve. molt untangle looks for "+
				"ways out.")
		}
	}
}
