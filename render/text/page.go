// Package text prints documents for a terminal. It decides nothing: what is shown, and whether it
// needs attention, was settled before. Everything that comes from outside is made harmless here.
package text

import (
	"fmt"
	"io"
	"slices"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"charm.land/lipgloss/v2"

	"molt/doc"
	"molt/input"
	"molt/render"
)

// A Page is where text goes. Whatever is printed on it passes Line, which makes text from outside
// harmless: names, versions, messages of registries and outputs of checks reach a terminal as text
// and never as commands to it.
type Page struct {
	W     io.Writer // use Line
	Width int       // columns
	Color bool      // whether styles may be used; the text says everything without them too
	// for a screen reader or a log: rows are read one after the other, so nothing stands in columns
	// or is broken into lines
	Plain bool
	err   error

	columns  []int // of the tables of a screen that line up, nil where each has its own
	squeezed bool  // columns would be wider than the page, so that rows are blocks though it is not narrow
}

// Side is the heading above what is said of one ecosystem of several.
func (p *Page) Side(ecosystem string, first bool) {
	if !first {
		p.Line("")
	}
	p.Line("%s", p.styled(bold, "Packages of "+ecosystem))
	p.Line("")
}

// Err returns the first error of writing, nil for none.
func (p *Page) Err() error { return p.err }

// narrow is the width below which tables become blocks.
const narrow = 80

var (
	bold  = lipgloss.NewStyle().Bold(true)
	faint = lipgloss.NewStyle().Faint(true)
	// Of the 256 colours, those that are read on a dark ground and on a light one: a contrast of
	// three to one at the least on either.
	good   = lipgloss.NewStyle().Foreground(lipgloss.Color("29"))
	bad    = lipgloss.NewStyle().Foreground(lipgloss.Color("160"))
	notice = lipgloss.NewStyle().Foreground(lipgloss.Color("130"))
)

// inked text is harmless and may hold the escape sequences of styles. Only styled, and what joins
// its results, makes any.
type inked string

// styled makes text harmless, and gives it a style.
func (p *Page) styled(s lipgloss.Style, text string) inked {
	text = input.OneLine(text)
	if !p.Color || text == "" {
		return inked(text)
	}
	return inked(s.Render(text))
}

// Line prints one line, without the blanks at its end. The format is the program's own; arguments
// that are not inked are made harmless and stay on the line.
func (p *Page) Line(format string, args ...any) {
	if _, err := fmt.Fprintln(p.W, strings.TrimRight(string(ink(format, args...)), " ")); err != nil && p.err == nil {
		p.err = err
	}
}

// inFull gives a sentence its capital and its full stop; nothing stays nothing.
func inFull(text string) string {
	first, size := utf8.DecodeRuneInString(text)
	if size == 0 {
		return ""
	}
	return string(unicode.ToUpper(first)) + text[size:] + "."
}

// ink formats a piece of a line, as Line does.
func ink(format string, args ...any) inked {
	for i, arg := range args {
		switch x := arg.(type) {
		case inked, bool, int, int64, float64, rune:
		case string:
			args[i] = input.OneLine(x)
		default:
			args[i] = input.OneLine(fmt.Sprint(x))
		}
	}
	return inked(fmt.Sprintf(format, args...))
}

// heading prints a line that begins a part.
func (p *Page) heading(format string, args ...any) {
	p.verdict(bold, fmt.Sprintf(format, args...))
}

// verdict prints a sentence that answers, bold, in a hue.
func (p *Page) verdict(s lipgloss.Style, text string) {
	s = s.Bold(true)
	for _, l := range wrap(text, p.Width) {
		p.Line("%s", p.styled(s, l))
	}
}

// wrapped prints text under an indent, broken at spaces.
func (p *Page) wrapped(indent, text string) {
	for _, l := range wrap(text, p.Width-len(indent)) {
		p.Line("%s%s", indent, l)
	}
}

func wrap(text string, width int) []string {
	text = input.Harmless(text)
	var lines []string
	line := ""
	for _, word := range strings.Fields(text) {
		switch {
		case line == "":
			line = word
		case lipgloss.Width(line)+1+lipgloss.Width(word) <= max(width, 20):
			line += " " + word
		default:
			lines = append(lines, line)
			line = word
		}
	}
	return append(lines, line)
}

// A cell of a table, with its style.
type cell struct {
	text  string
	style *lipgloss.Style
}

func plain(text string) cell { return cell{text: text} }

// table prints rows under an indent, each column as wide as its widest cell. The last cell of a row goes below the row
// when it does not fit on the same line. On a narrow page every row of more than three cells is a block.
func (p *Page) table(indent string, rows [][]cell) { p.rows(indent, rows, widths(rows)) }

// A part of a screen is a heading with a table.
type part struct {
	title string
	rows  [][]cell
}

// parts prints tables of the same columns, which line up. The head, which may be nil, stands above the first.
func (p *Page) parts(indent string, head []cell, all []part) {
	all = slices.DeleteFunc(all, func(t part) bool { return len(t.rows) == 0 })
	if len(all) == 0 {
		return
	}
	if head != nil && p.headed() {
		all[0].rows = append([][]cell{head}, all[0].rows...)
	}
	var whole [][]cell
	for _, t := range all {
		whole = append(whole, t.rows...)
	}
	wide := widths(whole)
	for _, t := range all {
		p.Line("")
		p.heading("%s", t.title)
		p.rows(indent, t.rows, wide)
	}
}

// headed reports whether columns have heads; else the cells say what they are.
func (p *Page) headed() bool { return p.Width >= narrow && !p.Plain && !p.squeezed }

// across is how wide columns are together.
func across(indent string, widths []int) int {
	all := len(indent)
	for _, w := range widths {
		all += w + 2
	}
	return all
}

// widths finds how wide the columns of rows are. The last cell of a row may be as wide as it likes.
func widths(rows [][]cell) (all []int) {
	for _, row := range rows {
		for i, c := range row[:len(row)-1] {
			for len(all) <= i {
				all = append(all, 0)
			}
			all[i] = max(all[i], lipgloss.Width(input.OneLine(c.text)))
		}
	}
	return all
}

// rows prints rows in columns of some widths.
func (p *Page) rows(indent string, rows [][]cell, widths []int) {
	for _, row := range rows {
		for i := range row {
			row[i].text = input.OneLine(row[i].text)
		}
	}
	for _, row := range rows {
		if p.Plain {
			p.sentence(indent, row)
			continue
		}
		if (p.Width < narrow || p.squeezed) && len(row) > 3 {
			p.block(indent, row)
			continue
		}
		b := strings.Builder{}
		used := len(indent)
		for i, c := range row[:len(row)-1] {
			pad := strings.Repeat(" ", widths[i]-lipgloss.Width(c.text)+2)
			b.WriteString(string(p.cell(c)))
			b.WriteString(pad)
			used += widths[i] + 2
		}
		note := row[len(row)-1]
		if note.text == "" || lipgloss.Width(note.text) <= p.Width-used {
			p.Line("%s%s%s", indent, inked(b.String()), p.cell(note))
			continue
		}
		p.Line("%s%s", indent, inked(b.String()))
		for _, l := range wrap(note.text, p.Width-len(indent)-4) {
			p.Line("%s    %s", indent, p.cell(cell{l, note.style}))
		}
	}
}

// sentence prints a row as its cells, with commas.
func (p *Page) sentence(indent string, row []cell) {
	var words []string
	for _, c := range row {
		if c.text != "" {
			words = append(words, c.text)
		}
	}
	p.Line("%s%s", indent, strings.Join(words, ", "))
}

// Next prints the closing line: the command to go on with, and what it is for.
func (p *Page) Next(next *doc.Next) {
	if next == nil {
		return
	}
	p.Line("")
	why, run := next.Why.Words, next.Run.String()
	if lipgloss.Width("Next  "+run+"  "+why) > p.Width {
		p.Line("%s  %s", p.styled(faint, "Next"), p.styled(bold, run))
		for _, l := range wrap(why, p.Width-6) {
			p.Line("      %s", p.styled(faint, l))
		}
		return
	}
	p.Line("%s  %s  %s", p.styled(faint, "Next"), p.styled(bold, run), p.styled(faint, why))
}

// block prints a row as a line for its first cell, and below it the others, as many to a line as there is room.
func (p *Page) block(indent string, row []cell) {
	p.Line("%s%s", indent, p.cell(row[0]))
	indent += "    "
	line, used := inked(""), len(indent)
	flush := func() {
		if line != "" {
			p.Line("%s%s", indent, line)
		}
		line, used = "", len(indent)
	}
	for _, c := range row[1:] {
		w := lipgloss.Width(c.text)
		if w == 0 {
			continue
		}
		if line != "" && used+2+w > p.Width {
			flush()
		}
		if used+w > p.Width {
			for _, l := range wrap(c.text, p.Width-len(indent)) {
				p.Line("%s%s", indent, p.cell(cell{l, c.style}))
			}
			continue
		}
		if line != "" {
			line += "  "
			used += 2
		}
		line += p.cell(c)
		used += w
	}
	flush()
}

func (p *Page) cell(c cell) inked {
	if c.style == nil {
		return inked(input.OneLine(c.text))
	}
	return p.styled(*c.style, c.text)
}

// blanks fills up a column; what is too wide for it needs none.
func blanks(n int) string { return strings.Repeat(" ", max(0, n)) }

// span says a length of time the way people do: "3 days", "5 months", "1 year 2 months".
func span(d time.Duration) string {
	days := int(d / (24 * time.Hour))
	switch {
	case days < 60:
		return render.Count(days, "day")
	case days < 365:
		return render.Count(days*12/365, "month")
	}
	all := days * 12 / 365
	years, months := all/12, all%12
	if months == 0 {
		return render.Count(years, "year")
	}
	return render.Count(years, "year") + " " + render.Count(months, "month")
}

// Command prints a command line that is about to be run.
func (p *Page) Command(line string) { p.Line("%s %s", p.styled(faint, ">"), p.styled(bold, line)) }

// Remark prints a line of a story.
func (p *Page) Remark(text string) { p.wrapped("", text) }
