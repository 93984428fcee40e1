package ecosystem

import (
	"cmp"
	"slices"
)

// A Run is something of a release that runs without being called by its name, or that the release gives people to call.
type Run struct {
	When RunTime
	What string // a file of the release, a script of its manifest, or a program
}

// A RunTime is when something of a release runs.
type RunTime string

// The times, the one that asks for most trust first.
const (
	AtStart   RunTime = "start"   // with every start of the runtime
	AtInstall RunTime = "install" // when the release is installed; Molt runs it only where molt.yaml allows that
	OnCall    RunTime = "call"    // a program
)

// A RunTeller reads from the files of an unpacked release what of it runs. What cannot be read tells nothing.
type RunTeller interface {
	Runs(name string, files []string, read func(file string) ([]byte, error)) []Run
}

// SortRuns brings runs into their one order: by when, then by what.
func SortRuns(all []Run) {
	rank := func(r Run) int { return slices.Index([]RunTime{AtStart, AtInstall, OnCall}, r.When) }
	slices.SortFunc(all, func(a, b Run) int { return cmp.Or(rank(a)-rank(b), cmp.Compare(a.What, b.What)) })
}

// Integrities returns the digests of a locked release in all forms in which it can be had.
func (p *LockedPackage) Integrities() []string {
	if len(p.Files) == 0 {
		return []string{p.Integrity}
	}
	var all []string
	for _, f := range p.Files {
		all = append(all, f.Integrity)
	}
	return all
}

// Newcomers returns the packages of a lock of which another lock has no such release, in the order of the lock.
func Newcomers(before, after *Lock) (all []*LockedPackage) {
	had := map[string]bool{}
	if before != nil {
		for i := range before.Packages {
			had[before.Packages[i].release()] = true
		}
	}
	for i := range after.Packages {
		if p := &after.Packages[i]; !had[p.release()] {
			had[p.release()] = true
			all = append(all, p)
		}
	}
	return all
}

func (p *LockedPackage) release() string { return p.Name + "@" + p.Version }
