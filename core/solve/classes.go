package solve

import "strconv"

// alike reports whether two contexts hold the same release, see the same releases, which see the same, to a depth.
func (d *drawing) alike(x, y, depth int) bool {
	if x == none || y == none || x == y {
		return x == y
	}
	a, b := d.drawn[x], d.drawn[y]
	if a.pkg != b.pkg || a.w != b.w {
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
	releases, count := d.releases(), 0
	for _, p := range d.drawn {
		if p.tied != none {
			continue
		}
		p.class = int32(releases.number(p))
		count++
	}
	if count == len(releases.all) {
		return // no release stands in two contexts
	}
	count = len(releases.all)
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

// A releaseTable numbers the releases of contexts, in the order in which it meets them.
type releaseTable struct {
	first []int32 // of each package, the number of a release in all, from 1; 0 for none
	all   []tableRelease
}

// A tableRelease is a release of a package, with the next one of that, from 1.
type tableRelease struct{ w, next int32 }

func (d *drawing) releases() *releaseTable {
	return &releaseTable{first: make([]int32, d.packages), all: make([]tableRelease, 0, len(d.drawn))}
}

func (t *releaseTable) number(p *vertex) int {
	for at := t.first[p.pkg]; at != 0; at = t.all[at-1].next {
		if t.all[at-1].w == p.w {
			return int(at - 1)
		}
	}
	t.all = append(t.all, tableRelease{w: p.w, next: t.first[p.pkg]})
	t.first[p.pkg] = int32(len(t.all))
	return len(t.all) - 1
}

// refine splits the classes of the contexts, of which there are count, by what sign writes about
// each context, until none falls apart any more. Sign is told how many classes there are.
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
			p.class = int32(next[n])
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
	return int(d.standing(at).class)
}

// standing returns the context of a number, or the one that stands for it.
func (d *drawing) standing(at int) *vertex {
	for d.drawn[at].tied != none {
		at = int(d.drawn[at].tied)
	}
	return d.drawn[at]
}
