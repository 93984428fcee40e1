package ask

import (
	"slices"

	"molt/app"
	"molt/core/solve"
	"molt/doc"
	"molt/ecosystem"
)

// NewLock makes the document of a lock.
func NewLock(l *ecosystem.Lock) doc.Lock {
	answer := doc.Lock{Schema: "molt/lock/1", Ecosystem: l.Ecosystem, Folded: l.Folded, Roots: []doc.LockRoot{}, Packages: []doc.LockedItem{}}
	for _, r := range l.Roots {
		answer.Roots = append(answer.Roots, doc.LockRoot{Name: r.Name, Group: r.Group, Constraint: r.Constraint, Package: id(r.To)})
	}
	for _, p := range l.Packages {
		answer.Packages = append(answer.Packages, doc.LockedItem{ID: p.ID, Name: p.Name, Version: p.Version, PURL: p.PURL, Integrity: p.Integrity, Source: p.Source, Needs: lockEdges(p.Needs), Peers: lockEdges(p.Peers)})
	}
	return answer
}

func lockEdges(edges []solve.Edge) []doc.LockEdge {
	all := []doc.LockEdge{}
	for _, e := range edges {
		all = append(all, doc.LockEdge{Name: e.Name, Constraint: e.Constraint, Optional: e.Optional, Package: id(e.To)})
	}
	return all
}

func id(to string) *string {
	if to == "" {
		return nil
	}
	return &to
}

// NewVerify makes the document of a verification.
func NewVerify(found []app.Finding, installed bool) doc.Verify {
	answer := doc.Verify{Schema: "molt/verify/1", Agrees: len(found) == 0, Installed: installed, Findings: []doc.Finding{}, OutOfDate: []string{}}
	for _, f := range found {
		answer.Findings = append(answer.Findings, doc.Finding(f))
		about := f.About
		if about == "manifest" { // which is what people wrote; the lock has to follow
			about = "lock"
		}
		if about != "checksum" && about != "rules" && !slices.Contains(answer.OutOfDate, about) {
			answer.OutOfDate = append(answer.OutOfDate, about)
		}
	}
	return answer
}
