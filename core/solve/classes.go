package solve

import (
	"fmt"
	"strings"
)

// alike reports whether two contexts hold the same release, see the same releases, which see the same, to a depth.
func (d *drawing) alike(x, y, depth int) bool {
	if x == none || y == none || x == y {
		return x == y
	}
	a, b := d.drawn[x], d.drawn[y]
	if a.inst.pkg != b.inst.pkg || a.inst.w != b.inst.w {
		return false
	}
	if depth == 0 {
		return true
	}
	key := [3]int{x, y, depth}
	if known, ok := d.compared[key]; ok {
		return known
	}
	same := true
	for name, seen := range a.env {
		other, ok := b.env[name]
		if same = ok && d.alike(seen, other, depth-1); !same {
			break
		}
	}
	d.compared[key] = same
	return same
}

// classify unites contexts that differ in nothing: first by release, then, until nothing changes, by the classes of
// what they need and see.
func (d *drawing) classify() {
	type release struct {
		p *pkg
		w int
	}
	releases, count := map[release]int{}, 0
	for _, p := range d.drawn {
		if p.tied != none {
			continue
		}
		class, again := releases[release{p.inst.pkg, p.inst.w}]
		if !again {
			class = len(releases)
			releases[release{p.inst.pkg, p.inst.w}] = class
		}
		p.class = class
		count++
	}
	if count == len(releases) {
		return // no release stands in two contexts
	}
	count = len(releases)
	d.refine(count, func(to *strings.Builder, p *vertex, _ int) {
		for _, at := range p.needs {
			fmt.Fprintf(to, ",%d", d.classOf(at))
		}
		for _, peer := range p.inst.pkg.Releases[p.inst.w].Peers {
			fmt.Fprintf(to, ";%d", d.classOf(d.peer(p, d.keyOf(peer))))
		}
	})
}

// refine splits the classes of the contexts, of which there are count, by what sign writes about each context, until none
// falls apart any more. Sign is told how many classes there are.
func (d *drawing) refine(count int, sign func(to *strings.Builder, p *vertex, count int)) {
	for d.ctx.Err() == nil {
		classes, next := map[string]int{}, make([]int, len(d.drawn))
		for n, p := range d.drawn {
			if p.tied != none {
				continue
			}
			key := strings.Builder{}
			fmt.Fprintf(&key, "%d", p.class)
			sign(&key, p, count)
			class, ok := classes[key.String()]
			if !ok {
				class = len(classes)
				classes[key.String()] = class
			}
			next[n] = class
		}
		for n, p := range d.drawn {
			p.class = next[n]
		}
		if len(classes) == count {
			return
		}
		count = len(classes)
	}
}

func (d *drawing) classOf(at int) int {
	if at == none {
		return none
	}
	return d.standing(at).class
}

// standing returns the context of a number, or the one that stands for it.
func (d *drawing) standing(at int) *vertex {
	for d.drawn[at].tied != none {
		at = d.drawn[at].tied
	}
	return d.drawn[at]
}
