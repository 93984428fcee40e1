package text

import (
	"fmt"
	"strconv"
	"strings"

	"molt/doc"
	"molt/render"
)

// Range prints what a constraint admits and refuses.
func (p *Page) Range(answer doc.Range) {
	if answer.Of != "" {
		p.lanes(answer)
		return
	}
	for _, part := range []struct {
		word     string
		versions []string
		cell     cell
	}{{"admits", answer.Admits, cell{style: &good}}, {"refuses", answer.Refuses, cell{style: &faint}}} {
		text := strings.Join(part.versions, "  ")
		if text == "" {
			text = "none of them"
		}
		for i, l := range wrap(text, p.Width-9) {
			word := part.word
			if i > 0 {
				word = ""
			}
			p.Line("%-8s %s", word, p.styled(*part.cell.style, l))
		}
	}
}

// legend says what the marks of the lanes mean.
func legend(answer doc.Range) string {
	hidden := 0
	for _, l := range answer.Lanes {
		hidden += l.Hidden
	}
	text := "  # admitted   . refused"
	if hidden > 0 {
		text += fmt.Sprintf("   %s, refused, not drawn", render.Count(hidden, "preview"))
	}
	return text
}

// lanes draws a line of marks for each major: # for a release that is admitted, . for one that is
// not. Previews that are not admitted are only counted.
func (p *Page) lanes(answer doc.Range) {
	if len(answer.Admits) == 0 {
		p.verdict(bad, fmt.Sprintf("%s admits none of the %s of %s.", answer.Constraint,
			render.Count(len(answer.Refuses), "release"), answer.Of))
	} else {
		p.verdict(good, fmt.Sprintf("%s of %s is %s today: it admits %d of %s.", answer.Constraint, answer.Of, answer.Today,
			len(answer.Admits),
			render.Count(len(answer.Admits)+len(answer.Refuses), "release")))
	}
	wide, label := 0, 0
	for _, l := range answer.Lanes {
		wide, label = max(wide, len(l.Marks)), max(label, len(l.Major))
	}
	wide = min(wide, max(20, p.Width-label-40))
	for _, l := range answer.Lanes {
		style, note := &faint, "none of "+strconv.Itoa(l.Of-l.Hidden)
		if l.Of == l.Hidden {
			note = render.Count(l.Hidden, "preview") + ", refused"
		}
		if l.Admitted > 0 {
			style, note = &good, fmt.Sprintf("%d of %d: %s", l.Admitted, l.Of-l.Hidden, l.Runs)
		}
		if l.Admitted == l.Of-l.Hidden && l.Admitted > 0 {
			note = fmt.Sprintf("all %d: %s", l.Admitted, l.Runs)
		}
		for at := 0; at < max(1, len(l.Marks)); at += wide {
			part := l.Marks[at:min(at+wide, len(l.Marks))]
			major := l.Major
			if at > 0 {
				major, note = "", ""
			}
			pad := blanks(wide - len(part))
			for k, text := range wrap(note, p.Width-label-wide-6) {
				if k == 0 {
					p.Line("  %*s  %s%s  %s", label, major, p.styled(*style, part), pad, text)
				} else {
					p.Line("  %*s  %*s  %s", label, "", wide, "", text)
				}
			}
		}
	}
	p.Line("%s", p.styled(faint, legend(answer)))
	switch {
	case answer.Refused != "":
		p.Line("The first release above that it refuses is %s.", answer.Refused)
	case answer.Bounded != nil && !*answer.Bounded:
		p.wrapped("", "It has no upper end: every later release will be admitted, whatever it breaks.")
	}
	if answer.Advice == nil {
		return
	}
	switch {
	case answer.Advice.Constraint == answer.Constraint:
		p.wrapped("", fmt.Sprintf("%s can stay: %s.", answer.Constraint, answer.Advice.Reason))
	case answer.Advice.Breaking:
		p.wrapped("", fmt.Sprintf("Across a major: %s. %s.", answer.Advice.Constraint, answer.Advice.Reason))
	default:
		p.wrapped("", fmt.Sprintf("Better: %s. %s.", answer.Advice.Constraint, answer.Advice.Reason))
	}
}
