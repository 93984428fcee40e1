package open

import (
	"fmt"
	"path/filepath"
	"slices"

	"molt/archive"
	"molt/ecosystem"
	"molt/input"
)

// A RunOf is something that runs, with the release that has it.
type RunOf struct {
	Release string
	ecosystem.Run
}

// Runs says what of a locked release runs, in order. It is known only where the archive is in the store.
func Runs(a *View, p *ecosystem.LockedPackage) (all []ecosystem.Run, known bool, err error) {
	teller, ok := a.Eco.(ecosystem.RunTeller)
	kept, err := a.Store()
	if !ok || err != nil {
		return nil, false, err
	}
	for _, integrity := range p.Integrities() {
		key, err := archive.Key(p.Name, integrity)
		if err != nil {
			continue // one that no archive can be checked against is not in the store
		}
		e, err := kept.Listed(key)
		if err != nil {
			return nil, false, err
		}
		if e == nil {
			continue
		}
		var files []string
		for _, f := range e.Files {
			files = append(files, f.Path)
		}
		all = teller.Runs(p.Name, files, func(file string) ([]byte, error) {
			return input.ReadFile(filepath.Join(e.Dir, filepath.FromSlash(file)), input.Manifest)
		})
		ecosystem.SortRuns(all)
		return all, true, nil
	}
	return nil, false, nil
}

// NewRuns says what runs of the releases that a lock has and the one before has not, and did not
// run of the releases of the same package before; and of how many releases nobody can tell, as
// their archives are not at hand.
func NewRuns(a *View, before, after *ecosystem.Lock) (all []RunOf, unread int, err error) {
	had := map[string][]ecosystem.Run{}
	var gone []*ecosystem.LockedPackage
	if before != nil {
		gone = ecosystem.Newcomers(after, before)
	}
	for _, p := range gone {
		runs, _, err := Runs(a, p)
		if err != nil {
			return nil, 0, err
		}
		had[p.Name] = append(had[p.Name], runs...)
	}
	for _, p := range ecosystem.Newcomers(before, after) {
		runs, known, err := Runs(a, p)
		if err != nil {
			return nil, 0, err
		}
		if !known {
			unread++
		}
		for _, r := range runs {
			if !slices.Contains(had[p.Name], r) {
				all = append(all, RunOf{fmt.Sprintf("%s@%s", p.Name, p.Version), r})
			}
		}
	}
	return all, unread, nil
}
