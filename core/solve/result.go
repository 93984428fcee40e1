package solve

import (
	"cmp"
	"encoding/binary"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"molt/core/universe"
)

func (d *drawing) peer(p *vertex, name string) int {
	if d.foreign[name] && p.env[name] == none {
		return none
	}
	return d.seen(p, name)
}

// resolution gives the classes that the application reaches their names.
func (d *drawing) resolution() *Resolution {
	var atTop map[[2]string]int
	if d.states != nil {
		atTop = d.atTopFor()
	}
	peerOf := func(p *vertex, peer *universe.Demand, k int) int {
		if atTop != nil {
			if at, ok := atTop[[2]string{strconv.Itoa(int(p.class)), d.keyOf(peer)}]; ok {
				return at
			}
		}
		return p.peers[k]
	}
	classes := make([]int32, len(d.drawn)) // of each context
	for at := range classes {
		classes[at] = d.standing(at).class
	}
	first := make([]*vertex, len(d.drawn)) // a context of each class
	var order []int32
	edges := 0
	var reach func(at int)
	reach = func(at int) {
		if at == none || first[classes[at]] != nil {
			return
		}
		p := d.standing(at)
		first[p.class] = p
		order = append(order, p.class)
		edges += len(p.needs) + len(p.peers)
		for _, next := range p.needs {
			reach(next)
		}
		if len(p.peers) > 0 {
			peers := d.releaseOf(p).Peers
			for k := range p.peers {
				reach(peerOf(p, &peers[k], k))
			}
		}
	}
	for _, k := range d.rootOrder() {
		if r := d.problem.Roots[k]; !r.Foreign {
			reach(d.servedTo(r))
		}
	}
	ids := d.names(order, first)
	to := func(at int) string {
		if at == none {
			return ""
		}
		return ids[classes[at]].id
	}
	res := &Resolution{Packages: make([]Node, 0, len(order))}
	memory := make([]Edge, edges) // one for all
	edgesFor := func(n int) []Edge {
		if n == 0 {
			return nil
		}
		all := memory[:n:n]
		memory = memory[n:]
		return all
	}
	for _, r := range d.problem.Roots {
		e := Edge{Name: r.As, Package: r.Package, Constraint: r.Text, Group: r.Group, Apart: r.Apart, Own: r.Own,
			Optional: r.Optional, Foreign: r.Foreign, When: r.When}
		if !r.Foreign {
			e.To = to(d.servedTo(r))
		}
		res.Roots = append(res.Roots, e)
	}
	for _, class := range sorted(order, ids) {
		n, p := &ids[class], first[class]
		r := n.release
		node := Node{ID: n.id, Name: n.name, Version: n.version, Needs: edgesFor(len(r.Needs)), Peers: edgesFor(len(r.Peers))}
		for k := range node.Needs {
			node.Needs[k].serve(&r.Needs[k], to(p.needs[k]))
		}
		for k := range node.Peers {
			node.Peers[k].serve(&r.Peers[k], to(peerOf(p, &r.Peers[k], k)))
		}
		res.Packages = append(res.Packages, node)
	}
	return res
}

// serve makes an edge, which is zero, that of a demand.
func (e *Edge) serve(d *universe.Demand, to string) {
	e.Name, e.Package, e.Constraint, e.Optional, e.Foreign, e.When, e.To = d.As, d.Package, d.Text, d.Optional,
		d.Foreign, d.When, to
}

// A label is what a class is called in the result.
type label struct {
	id, name, version string
	release           *universe.Release
}

// sorted sorts classes by ID, and returns them. The first bytes of the IDs, which mostly tell, are
// moved along with the classes, so that most need not be looked at.
func sorted(classes []int32, all []label) []int32 {
	type place struct {
		begins [2]uint64
		class  int32
	}
	places := make([]place, len(classes))
	for k, class := range classes {
		var bytes [16]byte
		copy(bytes[:], all[class].id)
		places[k] = place{[2]uint64{binary.BigEndian.Uint64(bytes[:8]), binary.BigEndian.Uint64(bytes[8:])}, class}
	}
	slices.SortFunc(places, func(a, b place) int {
		if c := cmp.Compare(a.begins[0], b.begins[0]); c != 0 {
			return c
		}
		if c := cmp.Compare(a.begins[1], b.begins[1]); c != 0 {
			return c
		}
		return strings.Compare(all[a.class].id, all[b.class].id)
	})
	for k := range places {
		classes[k] = places[k].class
	}
	return classes
}

// names gives each class its label: as its ID name@version, and where that is not unique also what it sees as peers.
func (d *drawing) names(order []int32, first []*vertex) []label {
	all := make([]label, len(first))
	releases := d.releases()
	owner := make([]int32, 0, len(order)) // of each release, the first class that has it
	same := map[string][]int32{}          // those that several have
	var text strings.Builder              // of all IDs, which are parts of it
	text.Grow(32 * len(order))
	for _, class := range order {
		p := first[class]
		from := text.Len()
		text.WriteString(d.packageName(p))
		text.WriteByte('@')
		version := text.Len()
		release := d.releaseOf(p)
		text.WriteString(release.Version.String())
		id := text.String()[from:]
		all[class] = label{id, id[:version-from-1], id[version-from:], release}
		switch n := releases.number(p); {
		case n == len(owner):
			owner = append(owner, class)
		case same[id] == nil:
			same[id] = []int32{owner[n], class}
		default:
			same[id] = append(same[id], class)
		}
	}
	for id, classes := range same {
		taken := map[string]int{}
		for _, class := range classes {
			unique := id + d.peersOf(class, classes, first)
			taken[unique]++
			if k := taken[unique]; k > 1 {
				unique = fmt.Sprintf("%s (%d)", unique, k)
			}
			all[class].id = unique
		}
	}
	return all
}

// peersOf lists the releases that a context sees and that tell it from the other contexts of its release.
func (d *drawing) peersOf(class int32, classes []int32, first []*vertex) string {
	seen := func(class int32, name string) string {
		at := d.seenBy(first[class], name)
		if at == none {
			return "no " + name
		}
		return d.textOf(d.drawn[at])
	}
	var words []string
	for _, name := range d.seenNames(first[class]) {
		mine := seen(class, name)
		if slices.ContainsFunc(classes, func(other int32) bool { return seen(other, name) != mine }) {
			words = append(words, mine)
		}
	}
	if words == nil {
		return ""
	}
	return " beside " + strings.Join(words, ", ")
}

// seenNames lists the names that matter to a context, sorted.
func (d *drawing) seenNames(p *vertex) []string {
	if p.frozen == none {
		return slices.Sorted(maps.Keys(d.sees(p.inst)))
	}
	var names []string
	for _, l := range d.takeover.lookups[p.frozen] {
		if !d.global(l.name) {
			names = append(names, l.name)
		}
	}
	slices.Sort(names)
	return names
}

// seenBy returns the context that one sees under a name, or none.
func (d *drawing) seenBy(p *vertex, name string) int {
	if p.frozen == none {
		return d.peer(p, name)
	}
	for _, l := range d.takeover.lookups[p.frozen] {
		if l.name == name {
			if l.to == none {
				return none
			}
			return d.taken(l.to)
		}
	}
	return d.drawnAtTop(name)
}
