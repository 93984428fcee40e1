package solve

import "strconv"

// alike reports whether two contexts hold the same release, see the same releases, which see the same, to a depth.
func (d *drawing) alike(x, y, depth int) bool {
	if x == none || y == none || x == y {
		return x == y
	}
	a, b := d.drawn[x], d.drawn[y]
	if a.name != b.name || a.w != b.w {
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
		name string
		w    int
	}
	releases, count := map[release]int{}, 0
	for _, p := range d.drawn {
		if p.tied != none {
			continue
		}
		class, again := releases[release{p.name, p.w}]
		if !again {
			class = len(releases)
			releases[release{p.name, p.w}] = class
		}
		p.class = class
		count++
	}
	if count == len(releases) {
		return // no release stands in two contexts
	}
	count = len(releases)
	d.refine(count, func(to []byte, p *vertex, _ int) []byte {
		for _, at := range p.needs {
			to = strconv.AppendInt(append(to, ','), int64(d.classOf(at)), 10)
		}
		for _, at := range p.peers {
			to = strconv.AppendInt(append(to, ';'), int64(d.classOf(at)), 10)
		}
		return to
	})
}

// refine splits the classes of the contexts, of which there are count, by what sign writes about each context, until none
// falls apart any more. Sign is told how many classes there are.
func (d *drawing) refine(count int, sign func(to []byte, p *vertex, count int) []byte) {
	var key []byte
	for d.ctx.Err() == nil {
		size := make([]int, len(d.drawn)+1)
		for _, p := range d.drawn {
			if p.tied == none {
				size[p.class]++
			}
		}
		classes, alone, next := map[string]int{}, 0, make([]int, len(d.drawn))
		for n, p := range d.drawn {
			if p.tied != none {
				continue
			}
			if size[p.class] == 1 { // nothing is left to split
				next[n] = len(classes) + alone
				alone++
				continue
			}
			key = sign(strconv.AppendInt(key[:0], int64(p.class), 10), p, count)
			class, ok := classes[string(key)]
			if !ok {
				class = len(classes) + alone
				classes[string(key)] = class
			}
			next[n] = class
		}
		for n, p := range d.drawn {
			p.class = next[n]
		}
		if len(classes)+alone == count {
			return
		}
		count = len(classes) + alone
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
