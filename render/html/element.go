// Package html writes a report as one page that needs nothing else: style, a small script and drawings are in it.
package html

import (
	"fmt"
	"html"
	"strings"

	"molt/input"
)

// A page collects HTML. Text from outside goes through text only, which makes it literal.
type page struct{ strings.Builder }

// text makes text literal, in content and in attributes.
func text(s string) string { return html.EscapeString(input.Harmless(s)) }

// put writes markup, in which each %s is text made literal; %d and %g are numbers.
func (p *page) put(format string, args ...any) {
	for i, arg := range args {
		switch x := arg.(type) {
		case string:
			args[i] = text(x)
		case markup, int, float64:
		default:
			args[i] = text(fmt.Sprint(x))
		}
	}
	fmt.Fprintf(p, format, args...)
}

// markup is HTML that is made already.
type markup string

// table writes a table that can be sorted by its columns; the first cell of each row is its head.
// Nothing is written for no rows.
func (p *page) table(caption string, head []string, rows [][]markup) {
	if len(rows) == 0 {
		return
	}
	p.put(`<div class="wide" tabindex="0" role="region" aria-label="%s"><table><caption>%s</caption><thead><tr>`,
		caption, caption)
	for _, h := range head {
		p.put(`<th scope="col">%s</th>`, h)
	}
	p.put("</tr></thead><tbody>")
	for _, row := range rows {
		p.put("<tr>")
		for i, c := range row {
			if i == 0 {
				p.put(`<th scope="row">%s</th>`, c)
			} else {
				p.put("<td>%s</td>", c)
			}
		}
		p.put("</tr>")
	}
	p.put("</tbody></table></div>\n")
}

// made formats markup.
func made(format string, args ...any) markup {
	p := &page{}
	p.put(format, args...)
	return markup(p.String())
}

func join(all []markup, with string) markup {
	var texts []string
	for _, m := range all {
		texts = append(texts, string(m))
	}
	return markup(strings.Join(texts, with))
}
