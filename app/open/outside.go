package open

import (
	"fmt"
	"slices"

	"molt/core/fact"
	"molt/core/solve"
	"molt/doc"
	"molt/ecosystem"
)

// What comes from version control, from a file or from an address is in no registry. A local folder
// is linked, and what it needs is locked as what a member of a workspace declares; archives and
// commits are locked where the ecosystem can read them (archived.go). The rest is said, wherever
// somebody could take it for done.

// Outside lists what a lock leads to outside of registries and Molt does not lay out, each with where it comes from.
func Outside(a *View, l *ecosystem.Lock) []string {
	var all []string
	note := func(e solve.Edge, by string) {
		if !e.Foreign || e.To != "" {
			return
		}
		folder := ecosystem.LocalFolder(e)
		if folder != "" && by == "" &&
			slices.ContainsFunc(a.Manifest.Members(), func(m ecosystem.Member) bool { return m.Folder == folder }) {
			return // it is linked, and what it needs is locked
		}
		says := fmt.Sprintf("%s (%s)", e.Name, e.Constraint)
		if by != "" {
			says += ", which " + by + " needs"
		}
		if !slices.Contains(all, says) {
			all = append(all, says)
		}
	}
	for _, e := range l.Roots {
		note(e, "")
	}
	for _, p := range l.Packages {
		for _, e := range p.Needs {
			if !e.Optional {
				note(e, p.ID)
			}
		}
	}
	return all
}

// CheckOutside says what is not there of what does not come from a registry, where anything is installed.
func CheckOutside(a *View, installed ecosystem.Tree) (found []Finding) {
	for _, e := range a.Lock.Roots {
		if !e.Foreign || e.To != "" || e.Optional || installed.Find(installed.Root(), e.Name) != nil {
			continue
		}
		found = append(found, Finding{
			About: "installed", Says: fact.New(doc.NotLaidOut, e.Name, e.Constraint)})
	}
	return found
}
