package solve

import (
	"context"
	"maps"
	"slices"
	"strings"

	"molt/core/universe"
	"molt/core/version"
)

// fewer removes releases of packages that stand in the graph more than once, as long as the others, or one other,
// can take their place. Kept releases stay. Each removal is a resolution of its own; one that does not work out, or
// only moves the copies elsewhere, is dropped.
func fewer(ctx context.Context, source universe.Source, p Problem, r *Resolution) *Resolution {
	refuse := map[string][]string{}
	for name, versions := range p.Refuse {
		refuse[name] = slices.Clone(versions)
	}
	tried := map[string]bool{}
	base := NewBase(r)
	for {
		name, victims := replaceable(ctx, source, p, r, tried)
		if victims == nil || ctx.Err() != nil {
			return r
		}
		tried[name+"@"+strings.Join(victims, ",")] = true
		attempt := p
		attempt.Refuse = maps.Clone(refuse)
		attempt.Refuse[name] = append(slices.Clone(refuse[name]), victims...)
		attempt.Keep = r.Versions()
		attempt.Base = base
		for name, kept := range p.Keep {
			attempt.Keep[name] = append(attempt.Keep[name], kept...)
		}
		next, _, err := search(ctx, source, attempt, nil)
		if err == nil && next != nil && copies(next) < copies(r) && (r.Folded || !next.Folded) {
			r, refuse = next, attempt.Refuse
			base = NewBase(r)
		}
	}
}

// copies counts the releases beyond the first of every package.
func copies(r *Resolution) int {
	names, releases := map[string]bool{}, map[[2]string]bool{}
	for i := range r.Packages {
		n := &r.Packages[i]
		names[n.Name], releases[[2]string{n.Name, n.Version}] = true, true
	}
	return len(releases) - len(names)
}

// replaceable finds a package with several releases of which some could go: one of them, when each of its dependents
// admits another one of the graph; or all but one, when all dependents admit one release. It returns what to refuse.
func replaceable(ctx context.Context, source universe.Source, p Problem, r *Resolution, tried map[string]bool) (name string, victims []string) {
	if copies(r) == 0 {
		return "", nil
	}
	nodes := map[string]*Node{}
	held := map[string][]string{}
	for i := range r.Packages {
		n := &r.Packages[i]
		nodes[n.ID] = n
		if !slices.Contains(held[n.Name], n.Version) {
			held[n.Name] = append(held[n.Name], n.Version)
		}
	}
	edges := map[string][]Edge{} // by package, those that are served
	note := func(all []Edge) {
		for _, e := range all {
			if n := nodes[e.To]; n != nil && len(held[n.Name]) > 1 {
				edges[n.Name] = append(edges[n.Name], e)
			}
		}
	}
	note(r.Roots)
	for i := range r.Packages {
		note(r.Packages[i].Needs)
	}
	for _, name := range slices.Sorted(maps.Keys(edges)) {
		pkg, err := source.Package(ctx, name)
		if err != nil {
			continue
		}
		for _, victims := range candidates(pkg, edges[name], nodes, held[name]) {
			kept := slices.ContainsFunc(victims, func(v string) bool { return slices.Contains(held[name], v) && slices.Contains(p.Keep[name], v) })
			if !kept && !tried[name+"@"+strings.Join(victims, ",")] {
				return name, victims
			}
		}
	}
	return "", nil
}

// candidates lists what could be refused of a package, the most first.
func candidates(pkg *universe.Package, edges []Edge, nodes map[string]*Node, held []string) (all [][]string) {
	common := version.FullSet(len(pkg.Releases))
	alone := map[string]bool{} // releases that some dependent cannot exchange for another of the graph
	for _, e := range edges {
		set, err := pkg.Admit(e.Constraint)
		if err != nil {
			return nil
		}
		common = common.And(set)
		v := nodes[e.To].Version
		if !slices.ContainsFunc(held, func(other string) bool { return other != v && set.Has(pkg.Index(other)) }) {
			alone[v] = true
		}
	}
	for _, i := range slices.Backward(slices.Collect(common.All())) {
		var others []string
		for k, v := range pkg.Versions() {
			if k != i {
				others = append(others, v.String())
			}
		}
		all = append(all, others)
	}
	for _, v := range pkg.Versions() { // the oldest first: what is left is newer
		if slices.Contains(held, v.String()) && !alone[v.String()] {
			all = append(all, []string{v.String()})
		}
	}
	return all
}
