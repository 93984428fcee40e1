package render

import (
	"fmt"
	"slices"

	"molt/app"
	"molt/core/solve"
	"molt/ecosystem"
)

// LockDoc is "molt/lock/1".
type LockDoc struct {
	Schema    string       `json:"schema"`
	Ecosystem string       `json:"ecosystem"`
	Folded    bool         `json:"folded"` // a peer leads to the right release, but not always to the right place
	Roots     []LockRoot   `json:"roots"`
	Packages  []LockedItem `json:"packages"`
	Took      []string     `json:"took,omitempty"` // from which branch, when a conflict was resolved
}

// A LockRoot is a declaration; Package is the id of what serves it, or null.
type LockRoot struct {
	Name       string  `json:"name"`
	Group      string  `json:"group"`
	Constraint string  `json:"constraint"`
	Package    *string `json:"package"`
}

// A LockedItem is one locked package.
type LockedItem struct {
	ID        string     `json:"id"`
	Name      string     `json:"name"`
	Version   string     `json:"version"`
	PURL      string     `json:"purl"`
	Integrity string     `json:"integrity"`
	Source    string     `json:"source"`
	Needs     []LockEdge `json:"needs"`
	Peers     []LockEdge `json:"peers"`
}

// A LockEdge is a need or a peer; Package is the id of what serves it, or null for an absent optional one and for
// what does not come from the registry.
type LockEdge struct {
	Name       string  `json:"name"`
	Constraint string  `json:"constraint"`
	Optional   bool    `json:"optional"`
	Package    *string `json:"package"`
}

// NewLockDoc makes the document of a lock.
func NewLockDoc(l *ecosystem.Lock) LockDoc {
	doc := LockDoc{Schema: "molt/lock/1", Ecosystem: l.Ecosystem, Folded: l.Folded, Roots: []LockRoot{}, Packages: []LockedItem{}}
	for _, r := range l.Roots {
		doc.Roots = append(doc.Roots, LockRoot{r.Name, r.Group, r.Constraint, id(r.To)})
	}
	for _, p := range l.Packages {
		doc.Packages = append(doc.Packages, LockedItem{p.ID, p.Name, p.Version, p.PURL, p.Integrity, p.Source, lockEdges(p.Needs), lockEdges(p.Peers)})
	}
	return doc
}

func lockEdges(edges []solve.Edge) []LockEdge {
	all := []LockEdge{}
	for _, e := range edges {
		all = append(all, LockEdge{e.Name, e.Constraint, e.Optional, id(e.To)})
	}
	return all
}

func id(to string) *string {
	if to == "" {
		return nil
	}
	return &to
}

// Merged prints how a conflict between branches was resolved.
func (p *Page) Merged(doc LockDoc, lock, manifest string, both, dry bool) {
	verb := "is resolved"
	if dry {
		verb = "could be resolved"
	}
	p.verdict(good, fmt.Sprintf("The conflict %s: %s holds %d packages for %d declarations.", verb, lock, len(doc.Packages), len(doc.Roots)))
	for _, t := range doc.Took {
		p.wrapped("  ", t)
	}
	if dry {
		return
	}
	names := lock
	if both {
		names = manifest + " " + lock
	}
	p.Line("git add %s tells git so.", names)
}

// VerifyDoc is "molt/verify/1".
type VerifyDoc struct {
	Schema    string       `json:"schema"`
	Agrees    bool         `json:"agrees"`
	Installed bool         `json:"installed"` // whether anything is
	Findings  []FindingDoc `json:"findings"`
	OutOfDate []string     `json:"outOfDate"` // "lock", "installed", "runtime"
}

// A FindingDoc is something on which manifest, lock, installed packages and runtime disagree.
type FindingDoc struct {
	About string `json:"about"`
	Says  string `json:"says"`
}

// NewVerifyDoc makes the document of a verification.
func NewVerifyDoc(found []app.Finding, installed bool) VerifyDoc {
	doc := VerifyDoc{"molt/verify/1", len(found) == 0, installed, []FindingDoc{}, []string{}}
	for _, f := range found {
		doc.Findings = append(doc.Findings, FindingDoc(f))
		about := f.About
		if about == "manifest" { // which is what people wrote; the lock has to follow
			about = "lock"
		}
		if about != "checksum" && about != "rules" && !slices.Contains(doc.OutOfDate, about) {
			doc.OutOfDate = append(doc.OutOfDate, about)
		}
	}
	return doc
}

// Verify prints a verification.
func (p *Page) Verify(doc VerifyDoc) {
	what := "Manifest, lock and runtime"
	if doc.Installed {
		what = "Manifest, lock, what is installed and the runtime"
	}
	switch {
	case doc.Agrees && doc.Installed:
		p.verdict(good, what+" agree.")
		return
	case doc.Agrees:
		p.verdict(good, what+" agree; nothing is installed here.")
		return
	}
	p.verdict(bad, fmt.Sprintf("%s do not agree (%s):", what, count(len(doc.Findings), "finding")))
	var rows [][]cell
	for _, f := range doc.Findings {
		rows = append(rows, []cell{{f.About, &bold}, plain(f.Says)})
	}
	p.table("  ", rows)
	for _, about := range doc.OutOfDate {
		p.wrapped("", map[string]string{
			"lock":      "The lock is out of date: molt relock makes it anew.",
			"installed": "What is installed is out of date: install what the lock holds.",
			"runtime":   "The runtime is too old, or newer than what the packages were made for.",
		}[about])
	}
}

// BackDoc is "molt/back/1".
type BackDoc struct {
	Schema string   `json:"schema"`
	Stages []string `json:"stages"` // taken back, latest first
}
