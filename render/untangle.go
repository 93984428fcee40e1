package render

import (
	"fmt"
	"strings"

	"charm.land/lipgloss/v2"

	"molt/app"
	"molt/core/conflict"
	"molt/core/project"
	"molt/core/solve"
)

// UntangleDoc is "molt/untangle/1".
type UntangleDoc struct {
	Schema    string       `json:"schema"`
	Goal      string       `json:"goal"` // "" when it is the manifest that does not resolve
	Resolves  bool         `json:"resolves"`
	Tangles   int          `json:"tangles"` // how many were found that share no demand
	Contested []ContestDoc `json:"contested"`
	Blocked   []string     `json:"blocked"` // packages that no release of the goal goes with
	Ways      []WayDoc     `json:"ways"`
	Remarks   []string     `json:"remarks,omitempty"` // on releases that rules or a platform keep out of it
	Unwanted  bool         `json:"-"`                 // it is about a change that was asked for, and not carried out
}

// A ContestDoc is a package on which demands exclude each other.
type ContestDoc struct {
	Name  string    `json:"name"`
	Sides []SideDoc `json:"sides"`
}

// A SideDoc is one demand of a contest. By is "" for the application, Releases which of By's releases ask so.
type SideDoc struct {
	By         string    `json:"by"`
	Releases   string    `json:"releases"`
	Constraint string    `json:"constraint"`
	Peer       bool      `json:"peer"`
	Admits     string    `json:"admits"`
	Chain      []LinkDoc `json:"chain"`
}

// A LinkDoc is a demand on the way down from the manifest. Where is the place in the manifest of the first.
type LinkDoc struct {
	By         string `json:"by"`
	Name       string `json:"name"`
	Constraint string `json:"constraint"`
	Peer       bool   `json:"peer"`
	Where      string `json:"where"`
}

// A WayDoc is a way out that was solved, with the command that takes it, "" when only waiting or work by hand helps.
type WayDoc struct {
	Kind     conflict.WayKind `json:"kind"`
	Title    string           `json:"title"`
	Command  string           `json:"command"`
	Changes  []PlanChange     `json:"changes"`
	Previews []string         `json:"previews"`
	Unhold   []string         `json:"unhold"`
	Lines    int              `json:"lines"`
	Majors   int              `json:"majors"`
	Locked   int              `json:"locked"`
}

// NewUntangleDoc makes the document of a tangle with its ways out. The knot may be nil; place tells where the manifest
// declares a demand.
func NewUntangleDoc(goal string, k *conflict.Explanation, blocked []string, ways []conflict.WayOut, place func(solve.Demand) string) UntangleDoc {
	doc := UntangleDoc{Schema: "molt/untangle/1", Goal: goal, Contested: []ContestDoc{}, Blocked: append([]string{}, blocked...), Ways: []WayDoc{}}
	if k != nil {
		doc.Tangles = k.Tangles
		for _, c := range k.Contested {
			doc.Contested = append(doc.Contested, newContest(c, place))
		}
	}
	for i, w := range ways {
		doc.Ways = append(doc.Ways, newWay(goal, i+1, w))
	}
	return doc
}

func newContest(c conflict.Contest, place func(solve.Demand) string) ContestDoc {
	doc := ContestDoc{Name: c.Name}
	for _, s := range c.Sides {
		side := SideDoc{By: s.Demand.By, Releases: s.Releases, Constraint: s.Demand.Constraint, Peer: s.Demand.Kind == solve.Peer, Admits: s.Admits, Chain: []LinkDoc{}}
		for _, d := range s.Chain {
			link := LinkDoc{By: d.By, Name: d.As, Constraint: d.Constraint, Peer: d.Kind == solve.Peer}
			if d.Kind == solve.Declared {
				link.Where = place(d)
			}
			side.Chain = append(side.Chain, link)
		}
		doc.Sides = append(doc.Sides, side)
	}
	return doc
}

func newWay(goal string, number int, w conflict.WayOut) WayDoc {
	doc := WayDoc{Kind: w.Kind, Title: w.Title, Changes: []PlanChange{}, Previews: append([]string{}, w.Preview...), Unhold: append([]string{}, w.Unhold...),
		Lines: w.Cost.Lines, Majors: w.Cost.Majors, Locked: w.Cost.Locked}
	for _, c := range w.Changes {
		doc.Changes = append(doc.Changes, PlanChange{Name: c.Name, Group: c.Group, From: planPoint(c.From), To: planPoint(c.To), Jump: c.Jump.String(), Reason: c.Reason})
	}
	switch {
	case w.Kind == conflict.WaitWay:
	case w.Kind == conflict.RaiseWay:
	case w.Goal != nil:
		doc.Command = "molt plan " + w.Goal.String()
	case goal != "":
		doc.Command = fmt.Sprintf("molt untangle %s --take %d", goal, number)
	default:
		doc.Command = fmt.Sprintf("molt untangle --take %d", number)
	}
	return doc
}

func planPoint(p project.Point) *PlanPoint {
	if p == (project.Point{}) {
		return nil
	}
	return &PlanPoint{p.Constraint, p.Version}
}

// Untangle prints what excludes what, and the ways out.
func (p *Page) Untangle(doc UntangleDoc) {
	switch {
	case doc.Resolves && doc.Goal != "":
		p.verdict(good, doc.Goal+" can be reached; there is no tangle.")
		return
	case doc.Resolves:
		p.verdict(good, "The manifest resolves; there is no tangle.")
		return
	}
	for _, name := range doc.Blocked {
		p.verdict(bad, fmt.Sprintf("%s: no release goes with %s", name, doc.Goal))
	}
	if doc.Tangles > 1 {
		p.heading("%d tangles, apart from each other:", doc.Tangles)
	}
	for i, c := range doc.Contested {
		if i > 0 || len(doc.Blocked) > 0 || doc.Tangles > 1 {
			p.Line("")
		}
		p.contest(c)
	}
	for i, r := range doc.Remarks {
		if i == 0 {
			p.Line("")
		}
		p.wrapped("", strings.ToUpper(r[:1])+r[1:]+".")
	}
	if doc.Unwanted {
		p.Line("")
		p.Line("Nothing was written.")
		return
	}
	p.ways(doc.Ways)
}

// contest prints the sides of one contest beside each other, or below each other where there is no room.
func (p *Page) contest(c ContestDoc) {
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
func sideLines(s SideDoc, width int) []cell {
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
		what += " beside it"
	}
	put(&bold, "", what)
	if s.Admits != "" {
		put(&faint, "", "that is "+s.Admits)
	}
	for k := len(s.Chain) - 1; k >= 0; k-- {
		l := s.Chain[k]
		switch {
		case l.By == "" && k == len(s.Chain)-1:
			put(nil, "", "asked by "+l.Where)
		case l.By == "":
			put(nil, "", fmt.Sprintf("which %s asks for (%s)", l.Where, l.Constraint))
		case k == len(s.Chain)-1:
			put(nil, "", strings.TrimSpace("asked by "+l.By+" "+s.Releases))
		default:
			put(nil, "", fmt.Sprintf("which %s asks for (%s)", l.By, l.Constraint))
		}
	}
	return lines
}

// ways prints the ways out, the cheapest first, each with its cost and the command that takes it.
func (p *Page) ways(ways []WayDoc) {
	p.Line("")
	if len(ways) == 0 {
		p.heading("No way out was found among the releases that are published.")
		return
	}
	p.heading("Ways out, each of them solved")
	for i, w := range ways {
		head := fmt.Sprintf("  %d  ", i+1)
		for k, l := range wrap(w.Title, p.Width-len(head)) {
			if k > 0 {
				head = strings.Repeat(" ", len(head))
			}
			p.Line("%s%s", head, p.styled(bold, l))
		}
		if w.Command != "" || w.Kind == conflict.RaiseWay {
			p.wrapped("     ", "costs "+strings.Join([]string{count(w.Lines, "line"), count(w.Majors, "breaking move"), count(w.Locked, "locked package")}, ", "))
			if w.Kind == conflict.RaiseWay {
				p.wrapped("     ", "by hand: raise it, say so under \"runtime:\" in "+app.ConfigFile+", then molt relock")
				continue
			}
			p.Line("     %s", p.styled(good, w.Command))
		}
	}
}
