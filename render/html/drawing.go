package html

import (
	"fmt"
	"strings"
	"time"

	"molt/doc"
)

// path draws the way to the goal: a stop for each stage, numbered as in the list below it; filled
// what is done, square what people do by hand, doubled the stage that reaches the goal. A way that
// ends at a wall ends with a bar.
func (p *page) path(d doc.Plan) {
	const step, top, perRow = 64, 30, 8
	n := len(d.Stages)
	if n == 0 {
		return
	}
	rows := (n + perRow - 1) / perRow
	columns := min(n, perRow)
	width, height := columns*step+24, rows*step
	done := 0
	for _, s := range d.Stages {
		if s.Status == doc.Done {
			done++
		}
	}
	p.put(`<svg viewBox="0 0 %d %d" width="%d" height="%d" role="img" aria-label="%s">`, width, height, width, height,
		fmt.Sprintf("%d stages, %d of them done", n, done))
	at := func(i int) (x, y int) { // every second row leads back
		column := i % perRow
		if i/perRow%2 == 1 {
			column = perRow - 1 - column
		}
		return step/2 + column*step, top + i/perRow*step
	}
	ahead := func(i int) int { return 1 - i/perRow%2*2 }
	goal := -1
	for i, s := range d.Stages {
		if !s.After {
			goal = i
		}
	}
	var points []string
	for i := range d.Stages {
		x, y := at(i)
		points = append(points, fmt.Sprintf("%d,%d", x, y))
	}
	if !d.Reachable {
		x, y := at(n - 1)
		points = append(points, fmt.Sprintf("%d,%d", x+ahead(n-1)*step/2, y))
	}
	p.put(`<polyline class="rail" points="%s"/>`, strings.Join(points, " "))
	if !d.Reachable {
		x, y := at(n - 1)
		x += ahead(n-1) * step / 2
		p.put(`<line class="stop wall" x1="%d" y1="%d" x2="%d" y2="%d"/>`, x, y-14, x, y+14)
	}
	for i, s := range d.Stages {
		x, y := at(i)
		class := "stop"
		if s.Status == doc.Done {
			class += " done"
		}
		if d.Reachable && i == goal {
			class += " end"
		}
		if s.Raise != nil {
			p.put(`<rect class="%s hand" x="%d" y="%d" width="18" height="18"><title>%s</title></rect>`, class, x-9, y-9,
				s.Title)
		} else {
			p.put(`<circle class="%s" cx="%d" cy="%d" r="9"><title>%s</title></circle>`, class, x, y, s.Title)
		}
		p.put(`<text x="%d" y="%d" text-anchor="middle">%d</text>`, x, y+26, i+1)
	}
	p.put("</svg>\n")
}

// lag draws how many releases behind the application was, over time.
func (p *page) lag(all []doc.LagPoint) {
	if len(all) < 2 {
		return
	}
	const width, height, left, bottom, right, top = 640, 200, 48, 28, 16, 12
	most := 1
	for _, l := range all {
		most = max(most, l.Releases)
	}
	from, to := all[0].At, all[len(all)-1].At
	span := max(to.Sub(from), time.Second)
	x := func(t time.Time) int {
		return left + int(float64(width-left-right)*t.Sub(from).Seconds()/span.Seconds())
	}
	y := func(n int) int { return top + (height-top-bottom)*(most-n)/most }
	first, last := all[0], all[len(all)-1]
	p.put(`<svg viewBox="0 0 %d %d" width="%d" height="%d" role="img" aria-label="%s">`, width, height, width, height,
		fmt.Sprintf("Releases behind: %d on %s, %d on %s", first.Releases, first.At.Format(time.DateOnly), last.Releases,
			last.At.Format(time.DateOnly)))
	for _, n := range []int{0, most} {
		p.put(`<line class="rail" style="stroke-width:1" x1="%d" y1="%d" x2="%d" y2="%d"/><text x="%d" y="%d" text-anchor="end">%d</text>`, left, y(n), width-right, y(n), left-8, y(n)+4, n)
	}
	points := []string{fmt.Sprintf("%d,%d", x(first.At), y(first.Releases))}
	for i, l := range all[1:] {
		points = append(points, fmt.Sprintf("%d,%d", x(l.At), y(all[i].Releases)),
			fmt.Sprintf("%d,%d", x(l.At), y(l.Releases)))
	}
	p.put(`<polyline class="lag" points="%s"/>`, strings.Join(points, " "))
	for _, l := range all {
		p.put(`<circle class="dot" cx="%d" cy="%d" r="3"/>`, x(l.At), y(l.Releases))
	}
	p.put(`<text x="%d" y="%d">%s</text><text x="%d" y="%d" text-anchor="end">%s</text></svg>`, left, height-8,
		first.At.Format(time.DateOnly), width-right, height-8, last.At.Format(time.DateOnly))
	p.put("\n")
}
