package render

import (
	"fmt"
	"slices"
	"strings"

	"charm.land/lipgloss/v2"

	"molt/core/assess"
	"molt/core/project"
)

// AssessDoc is "molt/assess/1".
type AssessDoc struct {
	Schema    string        `json:"schema"`
	Goal      GoalDoc       `json:"goal"`
	Reachable bool          `json:"reachable"`
	Reached   bool          `json:"reached,omitempty"` // what is locked is the goal already
	Runtime   []RuntimeDoc  `json:"runtime"`
	Packages  []AssessedDoc `json:"packages"`
	Also      []string      `json:"also,omitempty"`     // further goals
	Waits     []WaitDoc     `json:"waits,omitempty"`    // when it is out of reach: the packages whose next release decides
	Enough    bool          `json:"enough,omitempty"`   // whether releases of these alone would do, which was solved
	Advice    []TouchDoc    `json:"advice,omitempty"`   // what of upgrade guides touches this application
	Untangle  *UntangleDoc  `json:"untangle,omitempty"` // when it is out of reach
	Remarks   []string      `json:"remarks"`            // what is to be known of all of it
}

// A WaitDoc is a package whose next release decides.
type WaitDoc struct {
	Package string `json:"package"`
	For     string `json:"for"`
}

// A TouchDoc is a fact of an upgrade guide.
type TouchDoc struct {
	Kind       string   `json:"kind"`
	About      string   `json:"about"`
	To         string   `json:"to"`
	Says       string   `json:"says"`
	Found      []string `json:"found,omitempty"`
	Link       string   `json:"link,omitempty"`
	Source     string   `json:"source"`
	Confidence string   `json:"confidence"`
}

// A GoalDoc is a goal with the release that a resolution found for it.
type GoalDoc struct {
	Name       string `json:"name"`
	Constraint string `json:"constraint"`
	Release    string `json:"release"`
}

// A RuntimeDoc is a demand on a runtime.
type RuntimeDoc struct {
	Name     string         `json:"name"`
	Needs    string         `json:"needs"`
	By       string         `json:"by"`
	Deployed string         `json:"deployed"`
	Here     string         `json:"here"`
	Met      bool           `json:"met"`
	Where    []RuntimePlace `json:"where,omitempty"` // environments with names, and files that name a version
}

// A RuntimePlace is an environment or a file that has a version of a runtime.
type RuntimePlace struct {
	Place   string `json:"place"`
	Version string `json:"version"`
	Met     bool   `json:"met"`
}

// An AssessedDoc is a package with its standing.
type AssessedDoc struct {
	Name      string           `json:"name"`
	Group     string           `json:"group"`
	Declared  string           `json:"declared"`
	Locked    string           `json:"locked"`
	Standing  project.Standing `json:"standing"`
	To        string           `json:"to"`
	First     string           `json:"first,omitempty"`
	Newest    string           `json:"newest,omitempty"`
	By        string           `json:"by,omitempty"`
	Preview   string           `json:"preview,omitempty"`
	Retires   string           `json:"retires,omitempty"`
	Successor string           `json:"successor,omitempty"`
	Held      bool             `json:"held,omitempty"`
	Evidence  []EvidenceDoc    `json:"evidence"`
}

// An EvidenceDoc is what a standing rests on.
type EvidenceDoc struct {
	Grade project.Grade `json:"grade"`
	Says  string        `json:"says"`
	Where string        `json:"where"`
}

// NewAssessDoc makes the document of an assessment. Here gives the versions of the runtimes on this machine.
func NewAssessDoc(a *assess.Assessment, here map[string]string) AssessDoc {
	doc := AssessDoc{Schema: "molt/assess/1", Goal: GoalDoc{a.Goal.Name, a.Goal.Constraint, a.Release}, Reachable: a.Reachable,
		Runtime: []RuntimeDoc{}, Packages: []AssessedDoc{}}
	for _, n := range a.Runtimes {
		doc.Runtime = append(doc.Runtime, newRuntimeDoc(a, n, here[n.Name]))
	}
	for _, g := range a.Also {
		doc.Also = append(doc.Also, g.String())
	}
	for _, w := range a.Waits {
		doc.Waits = append(doc.Waits, WaitDoc(w))
	}
	doc.Enough, doc.Reached = a.Enough, a.Reached
	doc.Remarks = append([]string{}, a.Remarks...)
	for _, t := range a.Touches {
		f := t.Fact
		doc.Advice = append(doc.Advice, TouchDoc{string(f.Kind), t.About, t.To, f.Line(), f.Found, f.Link, f.Source, string(f.Confidence)})
	}
	for _, got := range a.Packages {
		d := AssessedDoc{Name: got.Name, Group: got.Group, Declared: got.Declared, Locked: got.Locked, Standing: got.Standing, To: got.To, Held: got.Held,
			First: got.First, Newest: got.Newest, By: got.By, Preview: got.Preview, Evidence: []EvidenceDoc{}}
		if got.Retires != nil {
			d.Retires, d.Successor = string(got.Retires.Kind), got.Retires.Successor
		}
		for _, e := range got.Evidence {
			d.Evidence = append(d.Evidence, EvidenceDoc(e))
		}
		doc.Packages = append(doc.Packages, d)
	}
	return doc
}

func newRuntimeDoc(a *assess.Assessment, n assess.RuntimeNeed, here string) RuntimeDoc {
	doc := RuntimeDoc{Name: n.Name, Needs: n.Needs, By: n.By, Deployed: n.Deployed.String(), Here: here, Met: n.Met}
	for _, e := range n.Environments() {
		doc.Where = append(doc.Where, RuntimePlace{e.Where, e.Version, e.Met})
	}
	for _, p := range n.Pins {
		doc.Where = append(doc.Where, RuntimePlace{p.Where, p.Version, p.Met})
	}
	return doc
}

// standings in the order in which they ask for attention, with what each means.
var standings = []struct {
	standing project.Standing
	means    string
}{
	{project.Blocked, "no release goes with it"},
	{project.Together, "moves in the same stage as the framework"},
	{project.Bridge, "moves ahead, to a release that goes with both"},
	{project.Retires, "renamed, abandoned, or part of the framework by then"},
	{project.Leaves, "nothing needs it any more by then"},
	{project.Ready, "stays as it is"},
	{project.Silent, "says nothing of the framework, and stays"},
	{project.Elsewhere, "does not come from the registry; Molt cannot judge it"},
}

// Assess prints an assessment: the verdict first, then the packages by standing.
func (p *Page) Assess(doc AssessDoc) {
	goal := goalOf(doc)
	by := map[project.Standing][]AssessedDoc{}
	for _, d := range doc.Packages {
		by[d.Standing] = append(by[d.Standing], d)
	}
	switch blocked := len(by[project.Blocked]); {
	case doc.Reached && doc.Reachable && doc.Also == nil:
		p.verdict(good, fmt.Sprintf("%s is reached already: everything declared resolves with %s.", goal, doc.Goal.Release))
	case doc.Reachable:
		p.verdict(good, fmt.Sprintf("%s can be reached: everything declared resolves with %s.", goal, doc.Goal.Release))
	case blocked > 0 && !slices.ContainsFunc(by[project.Blocked], func(d AssessedDoc) bool { return !d.Held }):
		p.verdict(bad, fmt.Sprintf("%s is out of reach: %s held at a release that does not go with it.", goal, are(blocked)))
	case blocked > 0:
		p.verdict(bad, fmt.Sprintf("%s is out of reach: %s no release that goes with it.", goal, have(blocked)))
	default:
		p.verdict(bad, fmt.Sprintf("%s is out of reach: each package could go, but not all together.", goal))
	}
	p.waits(doc)
	for _, remark := range doc.Remarks {
		p.wrapped("", strings.ToUpper(remark[:1])+remark[1:]+".")
	}
	if doc.Untangle != nil {
		for _, c := range doc.Untangle.Contested {
			p.Line("")
			p.contest(c)
		}
	}
	p.runtimes(doc.Runtime)
	for _, s := range standings {
		all := by[s.standing]
		if len(all) == 0 {
			continue
		}
		p.Line("")
		p.Line("%s %s", p.styled(bold, fmt.Sprintf("%s (%d)", s.standing, len(all))), p.styled(faint, s.means))
		if s.standing == project.Silent {
			var names []string
			for _, d := range all {
				names = append(names, d.Name)
			}
			p.wrapped("  ", strings.Join(names, ", "))
			continue
		}
		p.assessed(all)
	}
	p.touches(doc.Advice)
	if doc.Untangle != nil {
		p.ways(doc.Untangle.Ways)
	}
}

func goalOf(doc AssessDoc) string {
	return strings.Join(append([]string{doc.Goal.Name + " " + doc.Goal.Constraint}, doc.Also...), " with ")
}

func are(n int) string {
	if n == 1 {
		return "1 package is"
	}
	return fmt.Sprintf("%d packages are", n)
}

// Gate prints in one line whether a goal can be reached.
func (p *Page) Gate(doc AssessDoc) {
	switch {
	case doc.Reached && doc.Reachable && doc.Also == nil:
		p.verdict(good, fmt.Sprintf("%s is reached already, with %s.", goalOf(doc), doc.Goal.Release))
		return
	case doc.Reachable:
		p.verdict(good, fmt.Sprintf("%s can be reached, with %s.", goalOf(doc), doc.Goal.Release))
		return
	}
	var names []string
	for _, w := range doc.Waits {
		names = append(names, w.Package)
	}
	text := goalOf(doc) + " is out of reach"
	if names != nil {
		text += "; it waits for " + strings.Join(names, ", ")
	}
	var held []string
	for _, d := range doc.Packages {
		if d.Standing == project.Blocked && d.Held {
			held = append(held, d.Name)
		}
	}
	if held != nil {
		text += "; in the way is the hold on " + strings.Join(held, ", ")
	}
	p.verdict(bad, text+".")
}

// waits prints what to wait for.
func (p *Page) waits(doc AssessDoc) {
	if len(doc.Waits) == 0 {
		return
	}
	text := "Everything else waits for"
	if !doc.Enough {
		text = "It waits at least for"
	}
	for i, w := range doc.Waits {
		if i > 0 {
			text += ", and"
		}
		text += fmt.Sprintf(" a release of %s that %s", w.Package, w.For)
	}
	p.wrapped("", text+".")
}

// touches prints what of upgrade guides touches this application.
func (p *Page) touches(all []TouchDoc) {
	if len(all) == 0 {
		return
	}
	p.Line("")
	p.Line("%s %s", p.styled(bold, fmt.Sprintf("advice (%d)", len(all))), p.styled(faint, "what upgrade guides say that touches this application"))
	by := func(t TouchDoc) string { return fmt.Sprintf("%s %s, %s (%s)", t.About, t.To, t.Source, t.Confidence) }
	for i, t := range all {
		if i == 0 || by(all[i-1]) != by(t) {
			p.Line("  %s", p.styled(faint, by(t)))
		}
		p.wrapped("    ", t.Says)
		if len(t.Found) > 0 {
			for _, l := range wrap("in "+strings.Join(t.Found, ", "), p.Width-6) {
				p.Line("      %s", p.styled(faint, l))
			}
		}
		if t.Link != "" && !strings.Contains(t.Says, t.Link) {
			p.Line("      %s", p.styled(faint, t.Link))
		}
	}
}

func have(n int) string {
	if n == 1 {
		return "1 package has"
	}
	return fmt.Sprintf("%d packages have", n)
}

// runtimes prints one line for each runtime: what is not met, else the demand that asks for most.
func (p *Page) runtimes(all []RuntimeDoc) {
	var rows [][]cell
	for i, r := range all {
		if i > 0 && all[i-1].Name == r.Name {
			continue // sorted: the one that asks for most comes first
		}
		there, style := "nobody said which is deployed", &notice
		switch {
		case r.Met:
			there, style = r.Deployed+" is deployed", &good
		case r.Deployed != "":
			there = r.Deployed + " is deployed"
		}
		if r.Here != "" {
			there += ", " + r.Here + " is on this machine"
		}
		for _, w := range r.Where {
			if !w.Met && strings.Contains(w.Place, ":") {
				there += fmt.Sprintf(", %s says %s", w.Place, w.Version)
				if style == &good {
					style = &notice
				}
			}
		}
		rows = append(rows, []cell{{"runtime", &faint}, plain(r.Name + " " + r.Needs), {"for " + r.By, &faint}, {there, style}})
	}
	if rows != nil {
		p.table("", rows)
	}
}

// assessed prints packages of one standing: a line for the move, below it what it rests on.
func (p *Page) assessed(all []AssessedDoc) {
	wide := 0
	for _, d := range all {
		wide = max(wide, lipgloss.Width(d.Name))
	}
	for _, d := range all {
		p.Line("  %s%s  %s%s", p.styled(bold, d.Name), blanks(wide-lipgloss.Width(d.Name)), moveOf(d), p.styled(faint, by(d)+serving(d)))
		for _, e := range d.Evidence {
			lines := wrap(e.Says, p.Width-15)
			p.Line("      %s%s  %s", p.cell(graded(e.Grade)), blanks(7-len(e.Grade)), p.styled(faint, lines[0]))
			for _, l := range lines[1:] {
				p.Line("               %s", p.styled(faint, l))
			}
		}
	}
}

// by says over which declared package one comes that nobody declares.
func by(d AssessedDoc) string {
	if d.By == "" {
		return ""
	}
	return ", by way of " + d.By
}

// serving says which releases go with the goal, where there is a choice.
func serving(d AssessedDoc) string {
	if d.First == "" || d.First == d.Newest || d.Standing == project.Ready || d.Standing == project.Retires {
		return ""
	}
	return fmt.Sprintf(" (%s to %s would do)", d.First, d.Newest)
}

func moveOf(d AssessedDoc) string {
	switch {
	case d.Standing == project.Retires && d.Successor != "":
		return d.Locked + ", " + d.Retires + "; " + d.Successor + " takes its place"
	case d.Standing == project.Retires:
		return d.Locked + ", " + d.Retires
	case d.To != "":
		return d.Locked + " to " + d.To
	}
	return d.Locked
}

func graded(g project.Grade) cell {
	switch g {
	case project.Stated:
		return cell{string(g), &good}
	case project.Refused:
		return cell{string(g), &bad}
	}
	return cell{string(g), &notice}
}
