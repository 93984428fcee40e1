package solve

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
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
	peerOf := func(p *vertex, k int) int {
		if atTop != nil {
			if at, ok := atTop[[2]string{strconv.Itoa(p.class), d.keyOf(p.release.Peers[k])}]; ok {
				return at
			}
		}
		return p.peers[k]
	}
	first := make([]*vertex, len(d.drawn)) // a context of each class
	var order []int
	edges := 0
	var reach func(at int)
	reach = func(at int) {
		if at == none || first[d.classOf(at)] != nil {
			return
		}
		p := d.standing(at)
		first[p.class] = p
		order = append(order, p.class)
		edges += len(p.needs) + len(p.peers)
		for _, next := range p.needs {
			reach(next)
		}
		for k := range p.peers {
			reach(peerOf(p, k))
		}
	}
	for _, r := range d.problem.Roots {
		if !r.Foreign {
			reach(d.servedTo(r))
		}
	}
	ids := d.names(order, first)
	to := func(at int) string {
		if at == none {
			return ""
		}
		return ids[d.classOf(at)]
	}
	res := &Resolution{Packages: make([]Node, 0, len(order))}
	memory := make([]Edge, edges) // one for all
	edgesFor := func(n int) []Edge {
		if n == 0 {
			return nil
		}
		all := memory[:0:n]
		memory = memory[n:]
		return all
	}
	for _, r := range d.problem.Roots {
		e := Edge{Name: r.As, Package: r.Package, Constraint: r.Text, Group: r.Group, Apart: r.Apart, Own: r.Own, Optional: r.Optional, Foreign: r.Foreign, When: r.When}
		if !r.Foreign {
			e.To = to(d.servedTo(r))
		}
		res.Roots = append(res.Roots, e)
	}
	slices.SortFunc(order, func(a, b int) int { return strings.Compare(ids[a], ids[b]) })
	for _, class := range order {
		p := first[class]
		r := p.release
		n := Node{ID: ids[class], Name: p.name, Version: r.Version.String(), Needs: edgesFor(len(r.Needs)), Peers: edgesFor(len(r.Peers))}
		for k, need := range r.Needs {
			n.Needs = append(n.Needs, Edge{Name: need.As, Package: need.Package, Constraint: need.Text, Optional: need.Optional,
				Foreign: need.Foreign, When: need.When, To: to(p.needs[k])})
		}
		for k, peer := range r.Peers {
			n.Peers = append(n.Peers, Edge{Name: peer.As, Package: peer.Package, Constraint: peer.Text, Optional: peer.Optional,
				Foreign: peer.Foreign, When: peer.When, To: to(peerOf(p, k))})
		}
		res.Packages = append(res.Packages, n)
	}
	return res
}

// names gives each class its ID: name@version, and where that is not unique also what it stands beside.
func (d *drawing) names(order []int, first []*vertex) []string {
	ids := make([]string, len(first))
	releases := d.releases()
	owner := make([]int, 0, len(order)) // of each release, the first class that has it
	same := map[string][]int{}          // those that several have
	for _, class := range order {
		p := first[class]
		id := p.name + "@" + p.release.Version.String()
		ids[class] = id
		switch n := releases.number(p); {
		case n == len(owner):
			owner = append(owner, class)
		case same[id] == nil:
			same[id] = []int{owner[n], class}
		default:
			same[id] = append(same[id], class)
		}
	}
	for id, classes := range same {
		taken := map[string]int{}
		for _, class := range classes {
			label := id + d.peersOf(class, classes, first)
			taken[label]++
			if k := taken[label]; k > 1 {
				label = fmt.Sprintf("%s (%d)", label, k)
			}
			ids[class] = label
		}
	}
	return ids
}

// peersOf lists the releases that a context sees and that tell it from the other contexts of its release.
func (d *drawing) peersOf(class int, classes []int, first []*vertex) string {
	seen := func(class int, name string) string {
		at := d.seenBy(first[class], name)
		if at == none {
			return "no " + name
		}
		return d.drawn[at].name + "@" + d.drawn[at].release.Version.String()
	}
	var words []string
	for _, name := range d.seenNames(first[class]) {
		mine := seen(class, name)
		if slices.ContainsFunc(classes, func(other int) bool { return seen(other, name) != mine }) {
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
	for _, l := range d.frost.lookups[p.frozen] {
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
	for _, l := range d.frost.lookups[p.frozen] {
		if l.name == name {
			if l.to == none {
				return none
			}
			return d.taken(l.to)
		}
	}
	return d.drawnAtTop(name)
}
