package solve

import (
	"context"
	"iter"
	"maps"
	"slices"

	"molt/core/universe"
	"molt/core/version"
)

// fewer removes releases of packages that stand in the graph more than once, as long as the others,
// or one other, can take their place. Kept releases stay. Each removal is a resolution of its own;
// one that does not work out, or only moves the copies elsewhere, is dropped. Where graphs are so
// large that drawing them takes most of the time, no more are tried: the copies that are left are
// not wrong, and an application of a thousand packages draws some thousand contexts in all.
func fewer(ctx context.Context, source universe.Source, p Problem, r *Resolution) *Resolution {
	refuse := map[string][]string{}
	for name, versions := range p.Refuse {
		refuse[name] = slices.Clone(versions)
	}
	tried := map[string]bool{}
	before := p.shared.drawn
	for {
		better := false
		var base *Base // of r, once it is wanted
		for what, victims := range replaceable(ctx, source, p, r) {
			if ctx.Err() != nil || p.shared.drawn-before > mostDrawn+drawnPerPackage*len(r.Packages) {
				return r
			}
			if tried[what] {
				continue
			}
			tried[what] = true
			name, versions := victims()
			attempt := p
			attempt.Refuse = maps.Clone(refuse)
			attempt.Refuse[name] = append(slices.Clone(refuse[name]), versions...)
			attempt.Keep = r.Versions()
			if base == nil {
				base = NewBase(r)
			}
			attempt.Base = base
			for name, kept := range p.Keep {
				attempt.Keep[name] = append(attempt.Keep[name], kept...)
			}
			next, _, err := search(ctx, source, attempt, nil)
			if better = err == nil && next != nil && copies(next) < copies(r) && (r.Folded || !next.Folded); better {
				r, refuse = next, attempt.Refuse
				break
			}
		}
		if !better {
			return r
		}
	}
}

// The contexts that may be drawn in these searches before no more copies are sought to remove.
const mostDrawn, drawnPerPackage = 40_000, 100

// copies counts the releases beyond the first of every package. The nodes of a package follow one
// another, since their IDs begin with its name.
func copies(r *Resolution) int {
	n := 0
	var seen []string // the versions of the package that the node is of
	for i := range r.Packages {
		one := &r.Packages[i]
		if i > 0 && r.Packages[i-1].Name != one.Name {
			seen = seen[:0]
		}
		if slices.Contains(seen, one.Version) {
			continue
		}
		if len(seen) > 0 {
			n++
		}
		seen = append(seen, one.Version)
	}
	return n
}

// victims lists what to refuse: versions of a package.
type victims func() (name string, versions []string)

// replaceable yields what could go of packages with several releases: one of them, when each of its dependents
// admits another one of the graph; or all but one, when all dependents admit one release. It is told apart by a text.
func replaceable(ctx context.Context, source universe.Source, p Problem, r *Resolution) iter.Seq2[string, victims] {
	return func(yield func(string, victims) bool) {
		if copies(r) > 0 {
			allReplaceable(ctx, source, p, r, yield)
		}
	}
}

func allReplaceable(ctx context.Context, source universe.Source, p Problem, r *Resolution,
	yield func(string, victims) bool) {
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
		if !candidates(pkg, edges[name], nodes, held[name], p.Keep[name], yield) {
			return
		}
	}
}

// candidates yields what could be refused of a package, the most first. What is held and to be kept
// is never part of it.
func candidates(pkg *universe.Package, edges []Edge, nodes map[string]*Node, held, keep []string,
	yield func(string, victims) bool) bool {
	stays := func(v string) bool { return slices.Contains(keep, v) }
	if !slices.ContainsFunc(held, func(v string) bool { return !stays(v) }) {
		return true
	}
	common := version.FullSet(pkg.Len())
	alone := map[string]bool{} // releases that some dependent cannot exchange for another of the graph
	for _, e := range edges {
		set, err := pkg.Admit(e.Constraint)
		if err != nil {
			return true
		}
		common = common.And(set)
		v := nodes[e.To].Version
		if !slices.ContainsFunc(held, func(other string) bool { return other != v && set.Has(pkg.Index(other)) }) {
			alone[v] = true
		}
	}
	for _, i := range slices.Backward(slices.Collect(common.All())) {
		one := pkg.Version(i).String()
		if slices.ContainsFunc(held, func(v string) bool { return v != one && stays(v) }) {
			continue
		}
		if !yield(pkg.Name+" but "+one, func() (string, []string) {
			var others []string
			for k, v := range pkg.Versions() {
				if k != i {
					others = append(others, v.String())
				}
			}
			return pkg.Name, others
		}) {
			return false
		}
	}
	for _, v := range pkg.Versions() { // the oldest first: what is left is newer
		text := v.String()
		if slices.Contains(held, text) && !alone[text] && !stays(text) &&
			!yield(pkg.Name+" "+text, func() (string, []string) { return pkg.Name, []string{text} }) {
			return false
		}
	}
	return true
}
