package text

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"charm.land/lipgloss/v2"

	"molt/app/config"
	"molt/core/conflict"
	"molt/core/project"
	"molt/doc"
	"molt/render"
	"molt/render/words"
)

// Untangle prints what excludes what, and the ways out.
func (p *Page) Untangle(answer doc.Untangle) {
	switch {
	case answer.Resolves && answer.Goal != "":
		p.verdict(good, answer.Goal+" can be reached; there is no tangle.")
		return
	case answer.Resolves:
		p.verdict(good, "The manifest resolves; there is no tangle.")
		return
	}
	for _, name := range answer.Blocked {
		p.verdict(bad, words.Of(project.Blocks(name, answer.Goal, slices.Contains(answer.Held, name))))
	}
	if answer.Tangles > 1 {
		p.heading("%d tangles, apart from each other:", answer.Tangles)
	}
	for i, c := range answer.Contested {
		if i > 0 || len(answer.Blocked) > 0 || answer.Tangles > 1 {
			p.Line("")
		}
		p.contest(c)
	}
	if answer.More > 0 {
		p.Line("")
		p.Line("So it is with %s.", render.Count(answer.More, "more demand"))
	}
	for i, r := range answer.Remarks {
		if i == 0 {
			p.Line("")
		}
		p.wrapped("", inFull(r))
	}
	if answer.Unwanted {
		p.Line("")
		p.Line("Nothing was written.")
		return
	}
	p.ways(answer.Ways)
}

// contest prints the sides of one contest in columns, or below each other where there is no room.
func (p *Page) contest(c doc.Contest) {
	if c.Says != "" {
		for i, s := range c.Sides {
			if i > 0 {
				p.Line("")
			}
			p.verdict(bad, strings.TrimSpace(s.By+" "+s.Releases)+" "+c.Says)
			for k := len(s.Chain) - 1; k >= 0; k-- {
				l := s.Chain[k]
				p.wrapped("  ", "which "+cmp.Or(l.Where, l.By)+" asks for"+inParentheses(l.Constraint))
			}
		}
		return
	}
	switch len(c.Sides) {
	case 1:
		p.verdict(bad, c.Name+": no release fits")
	case 2:
		p.verdict(bad, c.Name+": no release fits both sides")
	default:
		p.verdict(bad, fmt.Sprintf("%s: no release fits all %d sides", c.Name, len(c.Sides)))
	}
	const gap = 3
	columns := max(1, min(len(c.Sides), (p.Width-2+gap)/(28+gap)))
	if p.Plain {
		columns = 1
	}
	width := (p.Width - 2 - gap*(columns-1)) / columns
	for first := 0; first < len(c.Sides); first += columns {
		row := c.Sides[first:min(first+columns, len(c.Sides))]
		var texts [][]cell
		tall := 0
		for _, s := range row {
			lines := sideLines(s, width)
			texts = append(texts, lines)
			tall = max(tall, len(lines))
		}
		if first > 0 {
			p.Line("")
		}
		for y := range tall {
			b := strings.Builder{}
			for x, lines := range texts {
				text := cell{}
				if y < len(lines) {
					text = lines[y]
				}
				b.WriteString(string(p.cell(text)))
				if x < len(texts)-1 {
					b.WriteString(blanks(width-lipgloss.Width(text.text)) + " | ")
				}
			}
			p.Line("  %s", inked(b.String()))
		}
	}
}

// sideLines writes one side as lines of a width: what is asked for, what that admits, and how it came to be asked.
func sideLines(s doc.Party, width int) []cell {
	var lines []cell
	put := func(style *lipgloss.Style, indent, text string) {
		for i, l := range wrap(text, width-len(indent)) {
			if i > 0 {
				l = "  " + l
			}
			lines = append(lines, cell{indent + l, style})
		}
	}
	what := s.Constraint
	if s.Peer {
		what += " as a peer"
	}
	put(nil, "", what)
	if s.Admits != "" && s.Constraint != "" {
		put(&faint, "", "matches "+s.Admits)
	}
	for k := len(s.Chain) - 1; k >= 0; k-- {
		l := s.Chain[k]
		switch {
		case l.By == "" && k == len(s.Chain)-1:
			put(nil, "", "asked by "+render.Declarer(l))
		case l.By == "":
			put(nil, "", "which "+l.Where+" asks for"+inParentheses(l.Constraint))
		case k == len(s.Chain)-1:
			put(nil, "", strings.TrimSpace("asked by "+l.By+" "+s.Releases))
		default:
			put(nil, "", "which "+l.By+" asks for"+inParentheses(l.Constraint))
		}
	}
	return lines
}

// ways prints the ways out, the cheapest first, each with its cost and the command that takes it.
func (p *Page) ways(ways []doc.Way) {
	p.Line("")
	if len(ways) == 0 {
		p.heading("No way out was found among the releases that are published.")
		return
	}
	p.heading("Ways out, each of them solved")
	for i, w := range ways {
		head := fmt.Sprintf("  %d  ", i+1)
		for k, l := range wrap(w.Title.Words, p.Width-len(head)) {
			if k > 0 {
				head = strings.Repeat(" ", len(head))
			}
			p.Line("%s%s", head, l)
		}
		if w.Command != "" || w.Kind == conflict.RaiseWay {
			p.wrapped("     ", cost(w))
			if w.Kind == conflict.RaiseWay {
				p.wrapped("     ", "by hand: raise it, say so under \"runtime:\" in "+config.File+", then molt relock")
				continue
			}
			p.Line("     %s", p.styled(bold, w.Command))
		}
	}
}

// cost says in words what a way out changes.
func cost(w doc.Way) string {
	parts := []string{"changes no manifest line itself"}
	if w.Lines > 0 {
		parts[0] = "changes " + render.Count(w.Lines, "manifest line")
	}
	switch {
	case w.Majors == 1:
		parts = append(parts, "1 major upgrade follows")
	case w.Majors > 1:
		parts = append(parts, fmt.Sprintf("%d major upgrades follow", w.Majors))
	}
	switch {
	case w.Locked == 1:
		parts = append(parts, "1 package changes in the lock")
	case w.Locked > 1:
		parts = append(parts, fmt.Sprintf("%d packages change in the lock", w.Locked))
	}
	return strings.Join(parts, "; ")
}

// inParentheses writes a constraint behind what asks for it; nothing for one that is empty.
func inParentheses(constraint string) string {
	if constraint == "" {
		return ""
	}
	return " (" + constraint + ")"
}
