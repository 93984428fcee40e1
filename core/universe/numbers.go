package universe

import (
	"strings"
	"sync"
)

// Numbers number the names of packages, so that a search which meets a name again and again looks it
// up once. A source has one for all that it supplies. It may be used concurrently; a nil *Numbers
// numbers nothing.
type Numbers struct {
	mu      sync.RWMutex
	numbers map[string]int32
	all     []string // by number, from 1
}

// Enter numbers the package of a demand. Equal names share their text from then on, so that comparing them is quick.
func (n *Numbers) Enter(d *Demand) {
	if n == nil || d.Foreign {
		return
	}
	same := d.As == d.Package
	d.Package, d.Number = n.number(d.Package)
	if same {
		d.As = d.Package
	}
}

// Text returns a name as all equal ones have it.
func (n *Numbers) Text(name string) string {
	if n == nil {
		return name
	}
	name, _ = n.number(name)
	return name
}

func (n *Numbers) number(name string) (string, int32) {
	n.mu.RLock()
	k, known := n.numbers[name]
	if known {
		name = n.all[k-1]
	}
	n.mu.RUnlock()
	if known {
		return name, k
	}
	n.mu.Lock()
	defer n.mu.Unlock()
	if k, known := n.numbers[name]; known { // by now
		return n.all[k-1], k
	}
	if n.numbers == nil {
		n.numbers = map[string]int32{}
	}
	name = strings.Clone(name) // and not all of a document with it
	n.all = append(n.all, name)
	n.numbers[name] = int32(len(n.all))
	return name, int32(len(n.all))
}
