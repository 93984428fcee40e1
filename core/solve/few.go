package solve

import (
	"context"
	"maps"
	"slices"

	"molt/core/universe"
	"molt/core/version"
)

// fewer removes releases of packages that stand in the graph more than once, as long as the others, or one other,
// can take their place. Kept releases stay. Each removal is a resolution of its own; one that does not work out is
// dropped.
func fewer(ctx context.Context, source universe.Source, p Problem, r *Resolution) *Resolution {
	refuse := map[string][]string{}
	for name, versions := range p.Refuse {
		refuse[name] = slices.Clone(versions)
	}
	tried := map[string]bool{}
	for {
		name, victim := replaceable(ctx, source, p, r, tried)
		if victim == "" {
			return r
		}
		tried[name+"@"+victim] = true
		attempt := p
		attempt.Refuse = maps.Clone(refuse)
		attempt.Refuse[name] = append(slices.Clone(refuse[name]), victim)
		attempt.Keep = r.Versions()
		for name, kept := range p.Keep {
			attempt.Keep[name] = append(attempt.Keep[name], kept...)
		}
		next, _, err := search(ctx, source, attempt, nil)
		if err == nil && next != nil && len(next.Packages) < len(r.Packages) {
			r, refuse = next, attempt.Refuse
		}
	}
}

// replaceable finds a release, of a package with several, whose every dependent admits another release: one in the
// graph, or one that all dependents of the package admit.
func replaceable(ctx context.Context, source universe.Source, p Problem, r *Resolution, tried map[string]bool) (name, victim string) {
	nodes := map[string]*Node{}
	copies := map[string][]string{}
	for i := range r.Packages {
		n := &r.Packages[i]
		nodes[n.ID] = n
		if !slices.Contains(copies[n.Name], n.Version) {
			copies[n.Name] = append(copies[n.Name], n.Version)
		}
	}
	edges := map[string][]Edge{} // by package, those that are served
	note := func(all []Edge) {
		for _, e := range all {
			if n := nodes[e.To]; n != nil && len(copies[n.Name]) > 1 {
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
		for _, v := range pkg.Versions() { // the oldest first: what is left is newer
			victim := v.String()
			if !slices.Contains(copies[name], victim) || tried[name+"@"+victim] || slices.Contains(p.Keep[name], victim) {
				continue
			}
			if movable(pkg, edges[name], nodes, copies[name], victim) {
				return name, victim
			}
		}
	}
	return "", ""
}

func movable(pkg *universe.Package, edges []Edge, nodes map[string]*Node, copies []string, victim string) bool {
	each, all := true, version.FullSet(len(pkg.Releases))
	for _, e := range edges {
		set, err := pkg.Admit(e.Constraint)
		if err != nil {
			return false
		}
		all = all.And(set)
		if nodes[e.To].Version != victim {
			continue
		}
		each = each && slices.ContainsFunc(copies, func(v string) bool { return v != victim && set.Has(pkg.Index(v)) })
	}
	return each || !all.Empty()
}
