package html

import (
	"strings"
	"testing"
	"time"

	"molt/doc"
)

// TestPath draws a stop for each stage: filled what is done, square what is by hand, and a wall at
// the end of a way that ends.
func TestPath(t *testing.T) {
	d := doc.Plan{Reachable: true}
	for i := range 11 {
		s := doc.PlanStage{ID: "s", Title: doc.InWords("a stage"), Status: doc.Pending, After: i > 8}
		if i < 2 {
			s.Status = doc.Done
		}
		if i == 3 {
			s.Raise = []doc.Runtime{{Name: "node"}}
		}
		d.Stages = append(d.Stages, s)
	}
	p := &page{}
	p.path(d)
	got := p.String()
	for want, n := range map[string]int{
		"<circle": 10, "<rect": 1, `"stop done"`: 2, `class="stop end"`: 1, "<title>": 11,
		`aria-label="11 stages, 2 of them done"`: 1, "stop wall": 0} {
		if strings.Count(got, want) != n {
			t.Errorf("%d times %s, want %d in\n%s", strings.Count(got, want), want, n, got)
		}
	}
	// Every second row leads back, so that the line never crosses the page.
	if !strings.Contains(got, `points="32,30 96,30 160,30 224,30 288,30 352,30 416,30 480,30 480,94 416,94 352,94"`) {
		t.Errorf("the line is\n%s", got)
	}
	d.Reachable = false
	p = &page{}
	p.path(d)
	if !strings.Contains(p.String(), "stop wall") {
		t.Error("a way that ends has no wall")
	}
	p = &page{}
	if p.path(doc.Plan{}); p.String() != "" {
		t.Errorf("no stage is drawn as %s", p.String())
	}
}

// TestLag draws steps from one time to the next, and says in words what it shows.
func TestLag(t *testing.T) {
	day := func(n int) time.Time { return time.Date(2026, 3, n, 0, 0, 0, 0, time.UTC) }
	p := &page{}
	p.lag([]doc.LagPoint{{At: day(1), Releases: 20}, {At: day(11), Releases: 10}, {At: day(21), Releases: 10}})
	got := p.String()
	if !strings.Contains(got, `aria-label="Releases behind: 20 on 2026-03-01, 10 on 2026-03-21"`) ||
		!strings.Contains(got, `points="48,12 336,12 336,92 624,92 624,92"`) {
		t.Errorf("%s", got)
	}
	p = &page{}
	if p.lag([]doc.LagPoint{{At: day(1)}}); p.String() != "" {
		t.Error("one point is no line")
	}
	p = &page{}
	p.lag([]doc.LagPoint{{At: day(1)}, {At: day(1)}}) // nothing behind, no time gone by
	if strings.Contains(p.String(), "NaN") {
		t.Error(p.String())
	}
}

// TestLiteral has no markup from outside, in content and in attributes.
func TestLiteral(t *testing.T) {
	p := &page{}
	p.put(`<a title="%s">%s</a>%d`, `"><script>`, "<b>\x1b[2J&", 3)
	if got := p.String(); got != `<a title="&#34;&gt;&lt;script&gt;">&lt;b&gt;[2J&amp;</a>3` {
		t.Errorf("%s", got)
	}
	p = &page{}
	p.table("a <table>", []string{"<head>"}, [][]markup{{made("%s", "<cell>")}})
	if got := p.String(); strings.Contains(got, "<head>") || strings.Contains(got, "<cell>") ||
		!strings.Contains(got, `<th scope="row">&lt;cell&gt;</th>`) {
		t.Errorf("%s", got)
	}
	p = &page{}
	if p.table("none", []string{"x"}, nil); p.String() != "" {
		t.Error("a table without rows is written")
	}
}
