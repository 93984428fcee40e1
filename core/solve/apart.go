package solve

import (
	"cmp"
	"slices"

	"molt/core/universe"
	"molt/core/version"
)

// A part is a part of the application that stands apart, as a member of a workspace may: its own
// declarations are found before the application's. The search sees it as a package that the
// application needs, with one release, whose needs are the roots of the part.

// partRelease is the version of a part, which nobody sees.
type partRelease struct{}

func (partRelease) String() string              { return "part" }
func (partRelease) Compare(version.Version) int { return 0 }
func (partRelease) Prerelease() bool            { return false }

// PartName is the name of a part as a package, for EdgeKey. No registry has such a one.
func PartName(apart string) string { return "part " + apart }

// A partNeed is what a part declares under one name.
type partNeed struct{ part, own string }

// makeParts makes the packages of the parts that the problem has.
func (s *solver) makeParts() {
	if s.problem.Strategy.Single {
		return
	}
	needs := map[string][]universe.Demand{}
	for k, r := range s.problem.Roots {
		if !r.apart() {
			continue
		}
		name := PartName(r.Apart)
		if needs[name] == nil {
			s.parts = append(s.parts, name)
		}
		key := partNeed{name, r.Own}
		if s.partRoots == nil {
			s.partRoots = map[partNeed][]int{}
		}
		if s.partRoots[key] == nil {
			needs[name] = append(needs[name], universe.Demand{As: r.Own, Package: r.Package, Text: r.Text, Optional: r.Optional})
		} else if !r.Optional {
			i := slices.IndexFunc(needs[name], func(d universe.Demand) bool { return d.As == r.Own })
			needs[name][i].Optional = false
		}
		s.partRoots[key] = append(s.partRoots[key], k)
	}
	slices.Sort(s.parts)
	for key := range s.partRoots {
		slices.SortFunc(s.partRoots[key],
			func(a, b int) int { return cmp.Compare(s.problem.Roots[a].Group, s.problem.Roots[b].Group) })
	}
	for _, name := range s.parts {
		s.adopt(universe.NewPackage(name, nil, []universe.Release{{Version: partRelease{}, Needs: needs[name]}}))
	}
	if s.parts != nil {
		s.problem.Base = nil // a base does not tell what is looked up in a part
	}
}

// apart reports whether a root belongs to a part that stands apart.
func (r Root) apart() bool { return r.Apart != "" && !r.Foreign }

// beginParts has the application need its parts.
func (s *solver) beginParts() error {
	for _, name := range s.parts {
		v, err := s.appVar(name, name)
		if err != nil {
			return err
		}
		s.add(noReason, term{v, bit(0)})
		s.waits.push(v)
	}
	return nil
}

// leavesNeed reports whether a need of a package is to be left out: of a part, when all the roots are that make it.
func (s *solver) leavesNeed(p *pkg, d *universe.Demand) bool {
	if s.focus == nil || universe.IsUnseen(d.Package) {
		return false
	}
	roots := s.partRoots[partNeed{p.Name, d.As}]
	if roots == nil {
		return s.leaves(needOf(p, *d))
	}
	return !slices.ContainsFunc(roots, func(k int) bool { return !s.leaves(declaredBy(s.problem.Roots[k])) })
}

// statePart adds the clauses of what a part declares under a name. It reports false where the edge
// is that of a package.
func (s *solver) statePart(e *edge) bool {
	if s.partRoots == nil {
		return false
	}
	i := s.owner(e)
	roots := s.partRoots[partNeed{s.pkgOfInst(i).Name, s.nameOf(e)}]
	for _, k := range roots {
		r := s.problem.Roots[k]
		if s.leaves(declaredBy(r)) {
			continue
		}
		p := s.pkgOf(e.v)
		e.cause = s.cause(rootOrigin(k))
		set := s.rootSet(p, r)
		s.add(e.cause, term{i.v, off}, term{e.v, set})
		if !r.Optional {
			s.statePooled(p, e.cause, []term{{i.v, off}}, set)
		}
		for n, l := range s.problem.assumptions {
			if l.as == r.As {
				s.assume(e.v, int32(n))
			}
		}
	}
	return roots != nil
}

// partEdge returns the edge of a root of a part, nil where it is not there yet.
func (s *solver) partEdge(r Root) *edge {
	if p := s.named(PartName(r.Apart)); p != nil {
		if at := s.uses[s.useOf(p, 0)].plain; at != 0 {
			return s.edge(s.contexts.at(at), r.Own)
		}
	}
	return nil
}

// servedTo returns the context that serves a root, or none.
func (d *drawing) servedTo(r Root) int {
	if !r.apart() {
		return d.drawnAtTop(d.keyOf(&r.Demand))
	}
	at := d.drawnAtTop(PartName(r.Apart))
	if at == none {
		return none
	}
	p := d.standing(at)
	for k, need := range d.releaseOf(p).Needs {
		if need.As == r.Own {
			return p.needs[k]
		}
	}
	return none
}
