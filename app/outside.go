package app

import (
	"fmt"
	"path"
	"slices"

	"molt/core/project"
	"molt/core/solve"
	"molt/ecosystem"
)

// What comes from version control, from a file or from an address is in no registry, and Molt neither locks nor lays it out, but for a local folder
// that needs nothing: that is linked. The rest is said, wherever somebody could take it for done.

// Outside lists what a lock leads to outside of registries and Molt does not lay out, each with where it comes from.
func (a *App) Outside(l *ecosystem.Lock) []string {
	var all []string
	note := func(e solve.Edge, by string) {
		if !e.Foreign || e.To != "" {
			return
		}
		folder := ecosystem.LocalFolder(e)
		if folder != "" && by == "" && a.linkable(folder) {
			return
		}
		says := fmt.Sprintf("%s (%s)", e.Name, e.Constraint)
		if _, links := a.Eco.(ecosystem.Installer); links && folder != "" && by == "" {
			says += ", a folder of which the needs are not resolved"
		}
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

// linkable reports whether a local folder can be linked as it is: Molt links such, and it needs nothing that would have to be resolved.
func (a *App) linkable(folder string) bool {
	if _, links := a.Eco.(ecosystem.Installer); !links {
		return false
	}
	name := path.Join(folder, a.Eco.Manifest())
	data, err := a.files.Content(name)
	if err != nil || data == nil {
		return false
	}
	m, err := a.Eco.ReadManifest(name, data)
	if err != nil {
		return false
	}
	return !slices.ContainsFunc(m.Entries(), func(e ecosystem.Entry) bool { return ecosystem.PurposeOf(a.Eco, e.Group) != project.ToDevelop })
}

// checkOutside says what is not there of what does not come from a registry, where anything is installed.
func (a *App) checkOutside(installed ecosystem.Tree) (found []Finding) {
	for _, e := range a.Lock.Roots {
		if !e.Foreign || e.To != "" || e.Optional || installed.Find(installed.Root(), e.Name) != nil {
			continue
		}
		found = append(found, Finding{About: "installed", Says: fmt.Sprintf("%s is missing: it comes from %s, and not from a registry, so Molt does not lay it out", e.Name, e.Constraint)})
	}
	return found
}
