package solve

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
)

// How a drawing merges contexts that look alike: to a depth, so that a graph of many cycles comes
// to an end, and at last only by the releases that they see, which is a fold.

// wantedNames finds out which names are looked up through each instance under the assignment: by
// itself or below it, and not provided in between. That is less than what could be looked up if
// releases were chosen otherwise.
func (d *drawing) wantedNames() map[*instance][]string {
	type node struct {
		inst  *instance
		own   map[string]bool // what it provides
		names map[string]bool
		above []int
	}
	var nodes []*node
	at := map[*instance]int{}
	reach := func(i *instance) int {
		k, ok := at[i]
		if !ok {
			k = len(nodes)
			at[i] = k
			nodes = append(nodes, &node{inst: i, own: map[string]bool{}, names: map[string]bool{}})
		}
		return k
	}
	for _, at := range d.solver.top {
		if t := d.target(d.edges.at(at)); t != nil {
			reach(t)
		}
	}
	for k := 0; k < len(nodes); k++ {
		n := nodes[k]
		from, to := n.inst.edges()
		for at := from; at < to; at++ {
			e := d.edges.at(at)
			if t := d.target(e); t != nil || e.v < 0 {
				name := d.nameOf(e)
				n.own[name] = true
				if t != nil && !d.global(name) {
					c := reach(t)
					nodes[c].above = append(nodes[c].above, k)
				}
			}
		}
		for _, peer := range d.pkgOfInst(n.inst).Peers(int(n.inst.w)) {
			if !d.global(peer.As) {
				n.names[peer.As] = true
			}
		}
	}
	todo := make([]int, len(nodes))
	for k := range todo {
		todo[k] = len(nodes) - 1 - k
	}
	for len(todo) > 0 && d.ctx.Err() == nil {
		n := nodes[todo[len(todo)-1]]
		todo = todo[:len(todo)-1]
		for _, k := range n.above {
			grew := false
			for name := range n.names {
				if up := nodes[k]; !up.own[name] && !up.names[name] {
					up.names[name] = true
					grew = true
				}
			}
			if grew {
				todo = append(todo, k)
			}
		}
	}
	all := make(map[*instance][]string, len(nodes))
	for _, n := range nodes {
		all[n.inst] = slices.Sorted(maps.Keys(n.names))
	}
	return all
}

// namesOf returns the names for which the contexts of an instance differ, in no order.
func (d *drawing) namesOf(i *instance) []string {
	sees := d.sees(i)
	if d.wanted != nil && len(sees) > 0 {
		return d.wanted[i]
	}
	return slices.Collect(maps.Keys(sees))
}

// fold ties a context to the first one that holds the same release and sees the same releases.
func (d *drawing) fold(at int) {
	key := d.state(d.drawn[at])
	if d.depth != 1 {
		key = strconv.Itoa(d.look(at, d.depth))
	}
	first, again := d.states[key]
	if !again {
		d.states[key] = at
	} else if first != at {
		d.drawn[at].tied = int32(first)
		d.todo = slices.DeleteFunc(d.todo, func(x int) bool { return x == at })
	}
}

// look numbers what a context looks like to a depth: its release, and what it sees to a depth of one less.
func (d *drawing) look(at, depth int) int {
	if at == none {
		return none
	}
	if known, ok := d.looks[[2]int{at, depth}]; ok {
		return known
	}
	p := d.drawn[at]
	if p.env == nil {
		p.env = d.envOf(p.inst, d.atTop)
	}
	key := strconv.AppendInt(append([]byte(d.packageName(p)), '@'), int64(p.w), 10)
	if depth > 0 {
		for _, name := range slices.Sorted(maps.Keys(p.env)) {
			key = strconv.AppendInt(append(append(append(key, '|'), name...), '='), int64(d.look(p.env[name], depth-1)), 10)
		}
	}
	n, ok := d.numbers[string(key)]
	if !ok {
		n = len(d.numbers)
		d.numbers[string(key)] = n
	}
	d.looks[[2]int{at, depth}] = n
	return n
}

// state writes the release of a context and those that it sees.
func (d *drawing) state(p *vertex) string {
	key := strings.Builder{}
	fmt.Fprintf(&key, "%s@%d", d.packageName(p), p.w)
	for _, name := range slices.Sorted(maps.Keys(p.env)) {
		if at := p.env[name]; at != none {
			fmt.Fprintf(&key, "|%s=%s@%d", name, d.packageName(d.drawn[at]), d.drawn[at].w)
		} else {
			fmt.Fprintf(&key, "|%s=", name)
		}
	}
	return key.String()
}

// classifyStates unites the contexts of which the release is one, the peers have the same releases,
// and the needs lead to contexts that are united.
func (d *drawing) classifyStates() {
	for _, p := range d.drawn {
		p.class = 0
	}
	d.refine(0, func(to []byte, p *vertex, count int) []byte {
		if count > 0 {
			for _, at := range p.needs {
				to = strconv.AppendInt(append(to, ','), int64(d.classOf(at)), 10)
			}
			return to
		}
		to = fmt.Appendf(to, "%s@%d", d.packageName(p), p.w)
		for _, peer := range d.releaseOf(p).Peers {
			if at := d.peer(p, d.keyOf(&peer)); at != none {
				to = fmt.Appendf(to, "|%s=%s@%d", peer.As, d.packageName(d.drawn[at]), d.drawn[at].w)
			}
		}
		return to
	})
}

// atTopFor finds out which peers of a class are the application's for some context of it: of
// several contexts of one release, these lead to that one.
func (d *drawing) atTopFor() map[[2]string]int {
	all := map[[2]string]int{}
	for n, p := range d.drawn {
		for _, peer := range d.releaseOf(p).Peers {
			if at := d.peer(p, d.keyOf(&peer)); at != none && at == d.drawnAtTop(d.keyOf(&peer)) {
				all[[2]string{strconv.Itoa(d.classOf(n)), peer.As}] = at
			}
		}
	}
	return all
}
