package solve

import "math/bits"

// An order hands out the variables that wait for a decision: those that took part in conflicts first, by how often and how
// lately; among equals the one that came into being first, which is the one nearer to the application.
//
// Most variables never take part in a conflict. These are kept as bits, in which the first is found at once; the others are in a heap.
type order struct {
	idle     []uint64  // the variables without activity that wait, a bit each
	low      int       // no word of idle before it has any
	items    []int32   // the heap of the others
	place    []int32   // of every variable in the heap, -1 when it is not in it
	activity []float64 // of every variable
	first    []bool    // whether a variable comes before all others that are not so: those that are soft
}

// grow makes room for one more variable.
func (o *order) grow() {
	o.place, o.activity, o.first = push(o.place, -1), push(o.activity, 0), push(o.first, false)
	if (len(o.place)+63)/64 > len(o.idle) {
		o.idle = push(o.idle, 0)
	}
}

// before orders the variables of the heap.
func (o *order) before(a, b int32) bool {
	if x, y := o.first[a], o.first[b]; x != y {
		return x
	}
	if x, y := o.activity[a], o.activity[b]; x != y {
		return x > y
	}
	return a < b
}

// push has a variable wait, which may wait already.
func (o *order) push(v int32) {
	if o.activity[v] == 0 && !o.first[v] {
		o.idle[v/64] |= 1 << (v % 64)
		o.low = min(o.low, int(v/64))
		return
	}
	o.idle[v/64] &^= 1 << (v % 64)
	if o.place[v] < 0 {
		o.place[v] = int32(len(o.items))
		o.items = push(o.items, v)
		o.up(len(o.items) - 1)
	}
}

// pop returns the variable whose turn it is, which no longer waits; -1 when none does.
func (o *order) pop() int32 {
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
	o.place[v] = -1
	o.down(0)
	return v
}

// bump raises the activity of a variable.
func (o *order) bump(v int32, by float64) {
	waits := o.idle[v/64]&(1<<(v%64)) != 0
	o.activity[v] += by
	if i := o.place[v]; i >= 0 {
		o.up(int(i))
	} else if waits { // with the others from now on
		o.push(v)
	}
}

func (o *order) swap(i, j int) {
	o.items[i], o.items[j] = o.items[j], o.items[i]
	o.place[o.items[i]], o.place[o.items[j]] = int32(i), int32(j)
}

func (o *order) up(i int) {
	for i > 0 && o.before(o.items[i], o.items[(i-1)/2]) {
		o.swap(i, (i-1)/2)
		i = (i - 1) / 2
	}
}

func (o *order) down(i int) {
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
	s.order.bump(v, s.bump)
	if s.order.activity[v] > 1e100 {
		for i := range s.order.activity {
			s.order.activity[i] *= 1e-100
		}
		s.bump *= 1e-100
	}
}
