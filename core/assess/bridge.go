package assess

import (
	"slices"

	"molt/core/project"
	"molt/core/universe"
	"molt/core/version"
)

// bridge finds the newest release of a set that resolves both with the framework in use and with
// the goal. It solves with one side, tries that choice with the other, and goes on with the
// releases that are left.
func (a *Judgement) bridge(name string, p *universe.Package, among, accepting version.Set,
	over crossing) (string, error) {
	framework, old, target := over.framework, over.old, over.target
	can, err := a.inFamily(name, p, over,
		among.And(accepting).And(a.Acceptors(p, framework, old).All).And(a.Speaking(p, framework)).And(
			a.Promises(name, p, framework, old)))
	if err != nil {
		return "", err
	}
	left := Texts(p, can)
	left = a.Towards(name, p, a.companion(p, left, old), target)
	for len(left) > 0 {
		for _, sides := range [][2][]string{{old, target}, {target, old}} {
			r, err := a.pair(name, left, sides[0])
			if err != nil || r == nil {
				return "", err
			}
			v := project.VersionOf(r, name)
			if r, err = a.pair(name, []string{v}, sides[1]); err != nil {
				return "", err
			}
			if r != nil {
				return v, nil
			}
			left = slices.DeleteFunc(slices.Clone(left), func(x string) bool { return x == v })
		}
	}
	return "", nil
}

// Speaking returns the releases that name majors of the framework, by a range with an end or as
// ones that they are for. Only such a one can be a bridge: what a silent or an open one goes with
// on either side nobody knows; what guides say of an open one is about the goal's side. A package
// that has nothing to do with the framework moves for the sake of others, and any will do.
func (a *Judgement) Speaking(p, framework *universe.Package) version.Set {
	out := version.NewSet(p.Len())
	all := a.statements(p, framework).all
	advised := func(i int) bool { return a.advises(p, p.Version(i).String(), a.meant) }
	if !a.related(p, framework) && len(a.recommended(p, a.meant)) == 0 &&
		!slices.ContainsFunc(all, func(s statement) bool { return len(s.demands) > 0 || !s.named.Empty() }) {
		return version.FullSet(p.Len())
	}
	for i, s := range all {
		if s.bounded || !s.named.Empty() || len(s.demands) > 0 && advised(i) {
			out.Add(i)
		}
	}
	return out
}

// An Acceptance holds the releases of a package that are compatible with some releases of the
// framework, by what they state.
type Acceptance struct {
	All    version.Set // those that do not refuse all of them
	stated version.Set // those that name one of them
}

// Acceptors returns the releases of a package that are compatible with some releases of the
// framework, by what they state.
func (a *Judgement) Acceptors(p, framework *universe.Package, releases []string) Acceptance {
	wanted := a.setOf(framework, releases)
	out := Acceptance{version.NewSet(p.Len()), version.NewSet(p.Len())}
	for i, s := range a.statements(p, framework).all {
		refuses := slices.ContainsFunc(s.each, func(set version.Set) bool { return !set.Meets(wanted) })
		if !refuses && a.infer(p, framework, i, wanted) == nil {
			out.All.Add(i)
			if len(s.demands) > 0 {
				out.stated.Add(i)
			}
		}
	}
	return out
}
