package python

import (
	"cmp"
	"slices"
	"strings"

	"molt/core/solve"
	"molt/core/universe"
	"molt/ecosystem"
	"molt/ecosystem/python/requirement"
)

// A linker leads the demands of a lock that was read to its packages: those on a package of which
// there are several releases to each that they may mean.
type linker struct {
	lock    *ecosystem.Lock
	byName  map[string][]*ecosystem.LockedPackage // by the plain name, with the extra
	named   []ecosystem.Environment
	envs    environments
	forks   forks
	missing string // the first demand that leads nowhere
}

func newLinker(l *ecosystem.Lock) *linker {
	k := &linker{lock: l, byName: map[string][]*ecosystem.LockedPackage{}}
	for i := range l.Packages {
		name := plainWithExtra(l.Packages[i].Name)
		k.byName[name] = append(k.byName[name], &l.Packages[i])
	}
	if len(l.Forks) > 0 {
		k.named, k.envs, _ = cellsOf(l) // without them, the forks are for none
		k.forks = forksOf(l.Forks, k.named, k.envs)
	}
	return k
}

// plainWithExtra returns a name without the environments of a fork.
func plainWithExtra(name string) string {
	plain := universe.Plain(name)
	if extra := universe.NameOf(name).Extra; extra != "" {
		return universe.NameOf(plain).With(extra)
	}
	return plain
}

// link links the demands of a package, "" for the application, and sorts them by name.
func (k *linker) link(by string, edges []solve.Edge) []solve.Edge {
	by = universe.NameOf(by).Base()
	var all []solve.Edge
	for _, e := range edges {
		switch {
		case e.Foreign:
			all = append(all, e)
		case k.lock.Edgeless:
			all = append(all, k.linkAny(e)...)
		default:
			all = append(all, k.linkKnown(by, e)...)
		}
	}
	slices.SortFunc(all, func(a, b solve.Edge) int {
		return cmp.Or(strings.Compare(a.Name, b.Name), strings.Compare(a.To, b.To))
	})
	return all
}

// linkKnown links a demand of a lock that tells its forks: to the forks for environments in which
// whoever has the demand may be, and its condition holds.
func (k *linker) linkKnown(by string, e solve.Edge) (all []solve.Edge) {
	of := universe.NameOf(e.Package)
	base, extra := of.Base(), of.Extra
	names := []string{base}
	if k.forks[base] != nil {
		when, err := requirement.ParseMarker(e.When)
		if e.When == "" || err != nil {
			when = nil
		}
		there := k.forks.environments(by, k.envs)
		if by == "" {
			there, _ = environmentsOf(asking(e.Group, k.named)) // these could be read
		}
		names = k.forks.names(universe.Demand{Package: base}, when, there)
	}
	for i, name := range names {
		one := e
		if one.Package = name; extra != "" {
			one.Package = universe.NameOf(name).With(extra)
		}
		if by != "" || extra != "" || i > 0 || e.Name == base {
			one.Name = one.Package
		}
		p := slices.IndexFunc(k.byName[plainWithExtra(one.Package)], func(p *ecosystem.LockedPackage) bool {
			return p.Name == one.Package
		})
		if p < 0 {
			k.miss(by, one.Package)
			continue
		}
		one.To = k.byName[plainWithExtra(one.Package)][p].ID
		all = append(all, one)
	}
	if len(names) == 0 {
		k.miss(by, e.Package)
	}
	return all
}

// linkAny links a demand of a foreign lock to every release of the package, under its condition.
func (k *linker) linkAny(e solve.Edge) (all []solve.Edge) {
	version := e.Constraint
	e.Constraint = ""
	for _, p := range k.byName[e.Package] {
		if version != "" && len(k.byName[e.Package]) > 1 && p.Version != version {
			continue
		}
		one := e
		one.Name, one.Package, one.To, one.When = p.Name, p.Name, p.ID, p.Only
		all = append(all, one)
	}
	if all == nil {
		all = append(all, e)
	}
	return all
}

func (k *linker) miss(by, name string) {
	if by == "" {
		by = "the application"
	}
	if k.missing == "" {
		k.missing = by + " needs " + name
	}
}

// fork names a package that is read as the fork that it is, and notes when it is installed.
func (r *lockReader) fork(p *ecosystem.LockedPackage, table unknown) error {
	tool, _ := table["tool"].(unknown)
	ours, known := tool["molt"].(unknown)
	name := p.Name
	if forks := r.lock.Forks[name]; known && forks != nil {
		environments := textsOf(ours["environments"])
		i := slices.IndexFunc(forks, func(f ecosystem.Fork) bool { return slices.Equal(f.Environments, environments) })
		if i < 0 {
			return r.fail("%s: it is for the environments %q, and the lock has no such fork", name, environments)
		}
		p.Name = forks[i].Package
	} else if text, ok := table["marker"].(string); ok && !known {
		m, err := requirement.ParseMarker(text)
		if err != nil {
			return r.fail("%s: %v", name, err)
		}
		if m = m.Without("extras", "dependency_groups"); m != nil {
			p.Only = m.String()
		}
	}
	p.ID = p.Name + "@" + p.Version
	for _, other := range r.lock.Packages {
		switch {
		case universe.Plain(other.Name) != name || strings.HasSuffix(other.Name, "]"):
		case other.Name == p.Name && known || other.Only == p.Only && !known:
			return r.fail("%s is there twice, and no condition about the environment tells which is meant", name)
		case p.Name == name && !known:
			p.Name = universe.Name{Package: name, In: p.Only}.String()
			p.ID = p.Name + "@" + p.Version
		}
	}
	return nil
}
