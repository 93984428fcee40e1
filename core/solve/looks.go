package solve

import (
	"molt/core/universe"
	"molt/core/version"
)

// Where it costs a request to see what a release needs, a search looks at so many releases and no
// more: mostLooks, and looksPerPackage for every package that it met. From then on the releases
// that it has not looked at cannot be used, and what follows from that is not decided. The number
// is the same on every machine, whatever a cache holds. Applications take a few for each package.
// Tests change them.
var mostLooks, looksPerPackage = 500, 20

// unseen is what a release needs that was not looked at.
var unseen = []universe.Demand{universe.Unseen("was not looked at, so that this is not decided: what a release needs " +
	"costs a request each, and so many were spent in vain")}

// mostRuns is how many runs of unseen releases are named.
const mostRuns = 2

// look counts a release whose needs are read for the first time.
func (s *solver) look(of *pkg) {
	if s.blind || !of.IsCostly() {
		return
	}
	if s.looks++; s.looks < mostLooks+looksPerPackage*int(s.loaded.n) {
		return
	}
	s.blind = true
	if s.problem.shared.unseen != nil {
		return
	}
	s.problem.shared.unseen = map[string]string{}
	for id := range s.loaded.n {
		if p := s.loaded.at(id); p.n > 0 && p.IsCostly() {
			s.problem.shared.unseen[p.Name] = p.Versions().Brief(s.unlooked(p), mostRuns)
		}
	}
}

// isUnseen reports whether a release may not be looked at any more.
func (s *solver) isUnseen(p *pkg, w int) bool {
	return s.blind && p.IsCostly() && !s.sets.has(int32(p.n), p.opened, w)
}

// needs returns what a release needs, as far as it may be looked at.
func (s *solver) needs(p *pkg, w int) []universe.Demand {
	if s.isUnseen(p, w) {
		return unseen
	}
	return p.Needs(w)
}

// making returns the releases that make the same demand as the k-th need of release w.
func (s *solver) making(p *pkg, w, k int) version.Set {
	if s.isUnseen(p, w) {
		return s.unlooked(p)
	}
	return p.MakingNeed(w, k)
}

// unlooked returns the releases of a package that were not looked at.
func (s *solver) unlooked(p *pkg) version.Set {
	set := version.NewSet(p.n)
	for w := range p.n {
		if !s.sets.has(int32(p.n), p.opened, w) {
			set.Add(w)
		}
	}
	return set
}
