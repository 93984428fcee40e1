package solve

import "math/bits"

// waits hands out the variables that wait for a decision: those that took part in conflicts first, by how often and how
// lately; among equals the one that came into being first, which is the one nearer to the application.
//
// Most variables never take part in a conflict. These are kept as bits, in which the first is found
// at once; the others are in a heap.
type waits struct {
	idle   []uint64 // the variables without activity that wait, a bit each
	low    int      // no word of idle before it has any
	items  []int32  // the heap of the others
	number []int32  // of every variable among the active ones, or -1
	active []active
}

// An active variable took part in conflicts, or comes before those that did not.
type active struct {
	activity float64
	place    int32 // in the heap, -1 when it is not in it
	first    bool  // it comes before all others that are not so: those that are soft
}

// grow makes room for one more variable.
func (o *waits) grow() {
	push(&o.number, -1)
	if (len(o.number)+63)/64 > len(o.idle) {
		push(&o.idle, 0)
	}
}

func (o *waits) clear() {
	clear(o.idle)
	o.idle, o.low, o.items, o.number, o.active = o.idle[:0], 0, o.items[:0], o.number[:0], o.active[:0]
}

// of returns the place of a variable among the active ones, which it is from now on.
func (o *waits) of(v int32) *active {
	if o.number[v] < 0 {
		o.number[v] = int32(len(o.active))
		push(&o.active, active{place: -1})
	}
	return &o.active[o.number[v]]
}

// putFirst puts a variable before all others.
func (o *waits) putFirst(v int32) { o.of(v).first = true }

// before orders the variables of the heap.
func (o *waits) before(a, b int32) bool {
	x, y := o.of(a), o.of(b)
	if x.first != y.first {
		return x.first
	}
	if x.activity != y.activity {
		return x.activity > y.activity
	}
	return a < b
}

// push has a variable wait, which may wait already.
func (o *waits) push(v int32) {
	if o.number[v] < 0 {
		o.idle[v/64] |= 1 << (v % 64)
		o.low = min(o.low, int(v/64))
		return
	}
	o.idle[v/64] &^= 1 << (v % 64)
	if x := o.of(v); x.place < 0 {
		x.place = int32(len(o.items))
		push(&o.items, v)
		o.up(len(o.items) - 1)
	}
}

// pop returns the variable whose turn it is, which no longer waits; -1 when none does.
func (o *waits) pop() int32 {
	if len(o.items) == 0 {
		for ; o.low < len(o.idle); o.low++ {
			if word := o.idle[o.low]; word != 0 {
				o.idle[o.low] = word & (word - 1)
				return int32(o.low*64 + bits.TrailingZeros64(word))
			}
		}
		return -1
	}
	v := o.items[0]
	last := len(o.items) - 1
	o.swap(0, last)
	o.items = o.items[:last]
	o.of(v).place = -1
	o.down(0)
	return v
}

// bump raises the activity of a variable, and returns what it comes to.
func (o *waits) bump(v int32, by float64) float64 {
	waits := o.idle[v/64]&(1<<(v%64)) != 0
	x := o.of(v)
	x.activity += by
	if x.place >= 0 {
		o.up(int(x.place))
	} else if waits { // with the others from now on
		o.push(v)
	}
	return x.activity
}

func (o *waits) swap(i, j int) {
	o.items[i], o.items[j] = o.items[j], o.items[i]
	o.of(o.items[i]).place, o.of(o.items[j]).place = int32(i), int32(j)
}

func (o *waits) up(i int) {
	for i > 0 && o.before(o.items[i], o.items[(i-1)/2]) {
		o.swap(i, (i-1)/2)
		i = (i - 1) / 2
	}
}

func (o *waits) down(i int) {
	for {
		best := i
		for c := 2*i + 1; c <= 2*i+2 && c < len(o.items); c++ {
			if o.before(o.items[c], o.items[best]) {
				best = c
			}
		}
		if best == i {
			return
		}
		o.swap(i, best)
		i = best
	}
}

// bumpVar raises a variable that took part in a conflict.
func (s *solver) bumpVar(v int32) {
	if s.waits.bump(v, s.bump) > 1e100 {
		for i := range s.waits.active {
			s.waits.active[i].activity *= 1e-100
		}
		s.bump *= 1e-100
	}
}
