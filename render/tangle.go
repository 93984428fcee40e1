package render

import (
	"molt/core/solve"
)

// TangleDoc is "molt/tangle/1".
type TangleDoc struct {
	Schema  string      `json:"schema"`
	Demands []DemandDoc `json:"demands"`
}

// A DemandDoc is one demand of a tangle. By is "" for the application; Peer tells a peer from a need.
type DemandDoc struct {
	By         string `json:"by"`
	Group      string `json:"group,omitempty"`
	Name       string `json:"name"`
	Package    string `json:"package"`
	Constraint string `json:"constraint"`
	Peer       bool   `json:"peer"`
}

// NewTangleDoc makes the document of a tangle.
func NewTangleDoc(t *solve.Tangle) TangleDoc {
	doc := TangleDoc{"molt/tangle/1", []DemandDoc{}}
	for _, d := range t.Demands {
		doc.Demands = append(doc.Demands, DemandDoc{d.By, d.Group, d.As, d.Package, d.Constraint, d.Kind == solve.Peer})
	}
	return doc
}

// Tangle prints the demands that exclude each other.
func (p *Page) Tangle(doc TangleDoc) {
	p.heading("%s", "A tangle: these demands cannot all hold, and without any one of them the rest could.")
	var rows [][]cell
	for _, d := range doc.Demands {
		by := cell{d.By, &bold}
		if d.By == "" {
			by = cell{"the application", nil}
		}
		verb := "wants"
		if d.Peer {
			verb = "wants beside it"
		}
		rows = append(rows, []cell{by, {verb, &faint}, plain(d.Name), {d.Constraint, &notice}, plain("")})
	}
	p.table("  ", rows)
}
