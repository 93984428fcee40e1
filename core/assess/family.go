package assess

import (
	"slices"

	"molt/core/universe"
	"molt/core/version"
)

// Evenly leaves members of a family that go ahead of the framework the releases that all have by
// number, or else by major.
func (a *Judgement) Evenly(c Choice, names []string) error {
	if len(names) < 2 || a.Akin(names[0], names[1]).Is(DeclaredFamily) {
		return nil
	}
	major := func(name, v string) (string, error) {
		pkg, err := a.Pkg(name)
		if err != nil {
			return "", err
		}
		return a.App.Scheme.Major(pkg.Known(v).Version), nil
	}
	number := func(_, v string) (string, error) { return v, nil }
	for _, key := range []func(name, v string) (string, error){number, major} {
		var common map[string]bool
		for _, name := range names {
			own := map[string]bool{}
			for _, v := range c[name] {
				k, err := key(name, v)
				if err != nil {
					return err
				}
				if common == nil || common[k] {
					own[k] = true
				}
			}
			common = own
		}
		if len(common) == 0 {
			continue
		}
		for _, name := range names {
			c[name] = slices.DeleteFunc(slices.Clone(c[name]), func(v string) bool {
				k, err := key(name, v)
				return err != nil || !common[k]
			})
		}
		return nil
	}
	return nil
}

// inFamily leaves of the releases that can go ahead of the framework those that the package's
// family can have too, where it has one that stands at the same major.
func (a *Judgement) inFamily(name string, p *universe.Package, over crossing, among version.Set) (version.Set, error) {
	framework, old, target := over.framework, over.old, over.target
	at := p.Known(a.Locked(name))
	c, names := Choice{name: Texts(p, among)}, []string{name}
	for _, other := range a.Names() {
		if other == name || at == nil || a.Akin(name, other).None() || a.Akin(name, other).Is(DeclaredFamily) ||
			slices.Contains(a.App.Held, other) {
			continue
		}
		its, err := a.Pkg(other)
		if err != nil {
			return among, err
		}
		here := its.Known(a.Locked(other))
		if here == nil || a.App.Scheme.Major(here.Version) != a.App.Scheme.Major(at.Version) {
			continue
		}
		both := a.Acceptors(its, framework, old).All.And(a.Acceptors(its, framework, target).All).And(
			a.Speaking(its, framework)).And(a.Promises(other, its, framework, old)).And(a.Usable(its, a.Locked(other)))
		later := version.NewSet(its.Len())
		for i := range both.All() {
			if i > its.Index(a.Locked(other)) {
				later.Add(i)
			}
		}
		if !later.Empty() {
			c[other], names = Texts(its, later), append(names, other)
		}
	}
	if err := a.Evenly(c, names); err != nil {
		return among, err
	}
	left := version.NewSet(p.Len())
	for _, v := range c[name] {
		left.Add(p.Index(v))
	}
	return left, nil
}
