package solve

import (
	"slices"
)

// A hitting is the search for the cheapest soft constraints to give up so that every core loses
// one, by branch and bound.
type hitting struct {
	*Optimizer
	given []bool // soft constraints given up
	spent []int  // what they cost
	kept  []bool // soft constraints that another branch gave up already
	best  []bool
	bound []int
	steps int
}

// hit returns the cheapest set of soft constraints that meets every core, as marks on the soft
// constraints. Cores that share no soft constraint, nor entail one that another does, are apart and
// looked at one group after the other. Among equals the first found wins.
func (o *Optimizer) hit() ([]bool, error) {
	whole := make([]bool, len(o.soft))
	for _, group := range o.groups() {
		h := &hitting{Optimizer: o, given: make([]bool, len(o.soft)), kept: make([]bool, len(o.soft)),
			spent: make([]int, o.objectives)}
		if err := h.branch(group); err != nil {
			return nil, err
		}
		for k, g := range h.best {
			whole[k] = whole[k] || g
		}
	}
	return whole, nil
}

// groups parts the cores into those that have to do with one another.
func (o *Optimizer) groups() [][][]int32 {
	leader := make([]int, len(o.soft))
	for k := range leader {
		leader[k] = k
	}
	find := func(k int) int {
		for leader[k] != k {
			k = leader[k]
		}
		return k
	}
	for _, core := range o.cores {
		for _, k := range core {
			for _, e := range o.soft[k].entails {
				leader[find(e)] = find(int(core[0]))
			}
		}
	}
	var groups [][][]int32
	at := map[int]int{}
	for _, core := range o.cores {
		l := find(int(core[0]))
		if _, ok := at[l]; !ok {
			at[l] = len(groups)
			groups = append(groups, nil)
		}
		groups[at[l]] = append(groups[at[l]], core)
	}
	return groups
}

// branch meets the cores that are left.
func (h *hitting) branch(cores [][]int32) error {
	if h.steps++; h.steps%1024 == 0 {
		if err := h.ctx.Err(); err != nil {
			return err
		}
	}
	left, least := h.left(cores)
	if least == nil { // a core of which nothing may be given up any more
		return nil
	}
	if h.best != nil && slices.Compare(least, h.bound) >= 0 {
		return nil
	}
	if len(left) == 0 {
		h.best, h.bound = slices.Clone(h.given), slices.Clone(h.spent)
		return nil
	}
	shortest := slices.MinFunc(left, func(a, b []int32) int { return h.open(a) - h.open(b) })
	order := slices.Clone(shortest)
	slices.SortStableFunc(order, func(a, b int32) int { return h.soft[b].objective - h.soft[a].objective })
	var tried []int32
	for _, k := range order {
		if h.kept[k] {
			continue
		}
		undo := h.surrender(k)
		if err := h.branch(left); err != nil {
			return err
		}
		for _, e := range undo {
			h.given[e] = false
			h.spent[h.soft[e].objective]--
		}
		h.kept[k] = true
		tried = append(tried, k)
	}
	for _, k := range tried {
		h.kept[k] = false
	}
	return nil
}

// surrender gives up a soft constraint with what it entails, and returns what was not given up before.
func (h *hitting) surrender(k int32) (fresh []int) {
	for _, e := range h.soft[k].entails {
		if !h.given[e] {
			h.given[e] = true
			h.spent[h.soft[e].objective]++
			fresh = append(fresh, e)
		}
	}
	return fresh
}

// open counts the soft constraints of a core that may be given up.
func (h *hitting) open(core []int32) int {
	n := 0
	for _, k := range core {
		if !h.kept[k] {
			n++
		}
	}
	return n
}

// left returns the cores that are not met, and the least that meeting them costs in all: of cores
// that share no soft constraint, each costs at least its cheapest. The cost is nil when one cannot
// be met.
func (h *hitting) left(cores [][]int32) (left [][]int32, least []int) {
	least = slices.Clone(h.spent)
	counted := make([]bool, len(h.soft))
	for _, core := range cores {
		if slices.ContainsFunc(core, func(k int32) bool { return h.given[k] }) {
			continue
		}
		left = append(left, core)
		cheapest, apart := -1, true
		for _, k := range core {
			if !h.kept[k] {
				cheapest = max(cheapest, h.soft[k].objective)
				apart = apart && !counted[k]
			}
		}
		if cheapest < 0 {
			return nil, nil
		}
		if apart {
			least[cheapest]++
			for _, k := range core {
				counted[k] = true
			}
		}
	}
	return left, least
}
