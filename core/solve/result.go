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
	peerOf := func(p *vertex, name string) int {
		if at, ok := atTop[[2]string{strconv.Itoa(p.class), name}]; ok {
			return at
		}
		return d.peer(p, name)
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
		r := &p.inst.pkg.Releases[p.inst.w]
		edges += len(r.Needs) + len(r.Peers)
		for _, next := range p.needs {
			reach(next)
		}
		for _, peer := range p.inst.pkg.Releases[p.inst.w].Peers {
			reach(peerOf(p, d.keyOf(peer)))
		}
	}
	for _, r := range d.problem.Roots {
		if !r.Foreign {
			reach(d.top[d.keyOf(r.Demand)])
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
		e := Edge{Name: r.As, Package: r.Package, Constraint: r.Text, Group: r.Group, Optional: r.Optional, Foreign: r.Foreign}
		if !r.Foreign {
			e.To = to(d.top[d.keyOf(r.Demand)])
		}
		res.Roots = append(res.Roots, e)
	}
	for _, class := range order {
		p := first[class]
		r := &p.inst.pkg.Releases[p.inst.w]
		n := Node{ID: ids[class], Name: p.inst.pkg.Name, Version: r.Version.String(), Needs: edgesFor(len(r.Needs)), Peers: edgesFor(len(r.Peers))}
		for k, need := range r.Needs {
			n.Needs = append(n.Needs, Edge{Name: need.As, Package: need.Package, Constraint: need.Text, Optional: need.Optional,
				Foreign: need.Foreign, To: to(p.needs[k])})
		}
		for _, peer := range r.Peers {
			n.Peers = append(n.Peers, Edge{Name: peer.As, Package: peer.Package, Constraint: peer.Text, Optional: peer.Optional,
				Foreign: peer.Foreign, To: to(peerOf(p, d.keyOf(peer)))})
		}
		res.Packages = append(res.Packages, n)
	}
	slices.SortFunc(res.Packages, func(a, b Node) int { return strings.Compare(a.ID, b.ID) })
	return res
}

// names gives each class its ID: name@version, and where that is not unique also what it stands beside.
func (d *drawing) names(order []int, first []*vertex) []string {
	ids := make([]string, len(first))
	owner := make(map[string]int, len(order)) // of each name@version
	same := map[string][]int{}                // those that several have
	for _, class := range order {
		p := first[class]
		id := p.inst.pkg.Name + "@" + p.inst.pkg.Releases[p.inst.w].Version.String()
		ids[class] = id
		if other, again := owner[id]; !again {
			owner[id] = class
		} else if same[id] == nil {
			same[id] = []int{other, class}
		} else {
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
		at := d.peer(first[class], name)
		if at == none {
			return "no " + name
		}
		p := d.drawn[at].inst
		return p.pkg.Name + "@" + p.pkg.Releases[p.w].Version.String()
	}
	var words []string
	for _, name := range slices.Sorted(maps.Keys(first[class].inst.sees)) {
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
