package solve

// A heap orders the variables that wait for a decision: those that took part in conflicts first, by how often and how
// lately; among equals the one that came into being first, which is the one nearer to the application.
type heap struct{ items []int32 }

func (s *solver) before(a, b int32) bool {
	if x, y := s.vars[a].activity, s.vars[b].activity; x != y {
		return x > y
	}
	return a < b
}

func (h *heap) push(s *solver, v int32) {
	if s.vars[v].place < 0 {
		s.vars[v].place = int32(len(h.items))
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
	s.vars[v].place = -1
	h.down(s, 0)
	return v
}

func (h *heap) swap(s *solver, i, j int) {
	h.items[i], h.items[j] = h.items[j], h.items[i]
	s.vars[h.items[i]].place, s.vars[h.items[j]].place = int32(i), int32(j)
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
		for _, c := range []int{2*i + 1, 2*i + 2} {
			if c < len(h.items) && s.before(h.items[c], h.items[best]) {
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
	s.vars[v].activity += s.bump
	if s.vars[v].activity > 1e100 {
		for i := range s.vars {
			s.vars[i].activity *= 1e-100
		}
		s.bump *= 1e-100
	}
	if i := s.vars[v].place; i >= 0 {
		s.order.up(s, int(i))
	}
}
