package text

import (
	"strings"
	"testing"

	"molt/core/conflict"
	"molt/core/version"
	"molt/doc"
)

func printed(width int, plain bool, print func(*Page)) string {
	var b strings.Builder
	p := &Page{W: &b, Width: width, Plain: plain}
	print(p)
	return b.String()
}

// TestPlain has a line for each row, whatever the width, and says in it what the columns are.
func TestPlain(t *testing.T) {
	d := doc.Survey{Application: "dory", Declared: 2, Locked: true, Packages: []doc.SurveyRow{
		{Name: "keel", Declared: "^1.0.0", Locked: "1.0.0", Best: "1.9.0", Newest: "2.0.0", Jump: version.Major, Releases: 3,
			Days: 400},
		{Name: "a-package-with-a-name-that-is-rather-long", Declared: "", Locked: "1.0.0", Best: "1.0.1", Newest: "1.0.1",
			Jump: version.Patch, Releases: 1},
	}}
	got := printed(1<<20, true, func(p *Page) { p.Survey(d) })
	for _, want := range []string{
		"\n  keel, asks for ^1.0.0, has 1.0.0, in range 1.9.0, newest 2.0.0, 3 releases, 1 year 1 month\n",
		"\n  a-package-with-a-name-that-is-rather-long, asks for any, has 1.0.0, in range 1.0.1, newest 1.0.1, 1 release\n"} {
		if !strings.Contains(got, want) {
			t.Errorf("%q is not in\n%s", want, got)
		}
	}
}

// TestColumnsLineUp has the columns of all tables of a screen at the same places.
func TestColumnsLineUp(t *testing.T) {
	d := doc.Survey{Application: "dory", Declared: 2, Locked: true, Packages: []doc.SurveyRow{
		{Name: "keel", Declared: "^1.0.0", Locked: "1.0.0", Best: "1.9.0", Newest: "2.0.0", Jump: version.Major, Releases: 3},
		{Name: "a-much-longer-name", Declared: "~1.0.0", Locked: "1.0.0", Best: "1.0.1", Newest: "1.0.1", Jump: version.Patch,
			Releases: 1},
	}}
	at := map[string]int{}
	for line := range strings.Lines(printed(100, false, func(p *Page) { p.Survey(d) })) {
		for _, word := range []string{"1.9.0", "1.0.1"} {
			if i := strings.Index(line, word); i >= 0 {
				at[word] = i
			}
		}
	}
	if at["1.9.0"] == 0 || at["1.9.0"] != at["1.0.1"] {
		t.Errorf("the columns begin at %v", at)
	}
}

// TestNext ends a screen with the command, below which the reason stands where there is no room beside it.
func TestNext(t *testing.T) {
	n := &doc.Next{Run: doc.Call{Command: "plan", Args: []string{"brackwater@5"}},
		Why: doc.Sentence{Words: "cuts the way there into stages"}}
	if got := printed(100, false, func(p *Page) {
		p.Next(n)
	}); got != "\nNext  molt plan brackwater@5  cuts the way there into stages\n" {
		t.Errorf("%q", got)
	}
	if got := printed(40, false, func(p *Page) {
		p.Next(n)
	}); got != "\nNext  molt plan brackwater@5\n      cuts the way there into stages\n" {
		t.Errorf("%q", got)
	}
	if got := printed(40, false, func(p *Page) { p.Next(nil) }); got != "" {
		t.Errorf("%q", got)
	}
}

// TestCost says what a way out changes, with right plurals.
func TestCost(t *testing.T) {
	for _, test := range []struct {
		way  doc.Way
		want string
	}{
		{doc.Way{Majors: 10, Locked: 33},
			"changes no manifest line itself; 10 major upgrades follow; 33 packages change in the lock"},
		{doc.Way{Lines: 1, Majors: 1, Locked: 1},
			"changes 1 manifest line; 1 major upgrade follows; 1 package changes in the lock"},
		{doc.Way{Lines: 2}, "changes 2 manifest lines"},
	} {
		if got := cost(test.way); got != test.want {
			t.Errorf("%q, want %q", got, test.want)
		}
	}
	got := printed(100, false, func(p *Page) {
		p.ways([]doc.Way{{Kind: conflict.DropWay, Title: doc.InWords("take out keel"), Command: "molt untangle --take 1", Lines: 1}})
	})
	if got != "\nWays out, each of them solved\n  1  take out keel\n     changes 1 manifest line\n     molt untangle "+
		"--take 1\n" {
		t.Errorf("%q", got)
	}
}

// TestAims counts what a stage costs at the least.
func TestAims(t *testing.T) {
	got := printed(120, false, func(p *Page) {
		p.aims([]doc.PlanAim{{Aim: "majors besides the goal", Cost: 4, Least: 4},
			{Aim: "lines besides the goal", Cost: 1, Least: 1}, {Aim: "locked packages moved", Cost: 10, Least: 7}})
	})
	if got != "     proven minimum: 4 other major upgrades, 1 other manifest line; not proven: 10 locked packages "+
		"moved, and at least 7\n     are needed\n" {
		t.Errorf("%q", got)
	}
}

// TestHueIsNoCarrier has the same words with colour and without.
func TestHueIsNoCarrier(t *testing.T) {
	d := doc.Verify{Findings: []doc.Finding{{About: "lock", Says: doc.InWords("keel asks for rope")}}, OutOfDate: []string{"lock"},
		Next: &doc.Next{Run: doc.Call{Command: "relock"}, Why: doc.Sentence{Words: "makes the lock anew"}}}
	var plain, coloured strings.Builder
	(&Page{W: &plain, Width: 100}).Verify(d)
	(&Page{W: &coloured, Width: 100, Color: true}).Verify(d)
	if got := styles.Replace(coloured.String()); got != plain.String() {
		t.Errorf("with colour\n%s\nwithout\n%s", got, plain.String())
	}
}

// A sentence of a plan that people emptied, or that begins with another letter than one of ASCII, is shown as it is.
func TestSentencesInFull(t *testing.T) {
	for text, want := range map[string]string{"": "", "the end": "The end.", "über": "Über.", "4.2 is it": "4.2 is it."} {
		if got := inFull(text); got != want {
			t.Errorf("%q is %q, want %q", text, got, want)
		}
	}
}
