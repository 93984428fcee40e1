package solve

// A heap orders the variables that wait for a decision: those that took part in conflicts first, by how often and how
// lately; among equals the one that came into being first, which is the one nearer to the application.
type heap struct {
	items    []int32
	place    []int32   // of every variable, -1 when it is not in the heap
	activity []float64 // of every variable
	first    []bool    // whether a variable comes before all others that are not so: those that are soft
}

func (s *solver) before(a, b int32) bool {
	h := &s.order
	if x, y := h.first[a], h.first[b]; x != y {
		return x
	}
	if x, y := h.activity[a], h.activity[b]; x != y {
		return x > y
	}
	return a < b
}

func (h *heap) push(s *solver, v int32) {
	if h.place[v] < 0 {
		h.place[v] = int32(len(h.items))
		h.items = append(h.items, v)
		h.up(s, len(h.items)-1)
	}
}

func (h *heap) pop(s *solver) int32 {
	if len(h.items) == 0 {
		return -1
	}
	v := h.items[0]
	last := len(h.items) - 1
	h.swap(s, 0, last)
	h.items = h.items[:last]
	h.place[v] = -1
	h.down(s, 0)
	return v
}

func (h *heap) swap(s *solver, i, j int) {
	h.items[i], h.items[j] = h.items[j], h.items[i]
	h.place[h.items[i]], h.place[h.items[j]] = int32(i), int32(j)
}

func (h *heap) up(s *solver, i int) {
	for i > 0 && s.before(h.items[i], h.items[(i-1)/2]) {
		h.swap(s, i, (i-1)/2)
		i = (i - 1) / 2
	}
}

func (h *heap) down(s *solver, i int) {
	for {
		best := i
		for c := 2*i + 1; c <= 2*i+2 && c < len(h.items); c++ {
			if s.before(h.items[c], h.items[best]) {
				best = c
			}
		}
		if best == i {
			return
		}
		h.swap(s, i, best)
		i = best
	}
}

// bumpVar raises a variable that took part in a conflict.
func (s *solver) bumpVar(v int32) {
	s.order.activity[v] += s.bump
	if s.order.activity[v] > 1e100 {
		for i := range s.order.activity {
			s.order.activity[i] *= 1e-100
		}
		s.bump *= 1e-100
	}
	if i := s.order.place[v]; i >= 0 {
		s.order.up(s, int(i))
	}
}
