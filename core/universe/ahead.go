package universe

import (
	"context"
	"slices"
	"sync"
)

// mostAhead bounds how many releases a walk follows, whatever a registry says.
const mostAhead = 20_000

// Ahead walks through what a resolution of some demands will probably have, so that the source has
// its packages before they are asked for: each demand is taken to be served by a release that is
// kept, else by the newest, and the walk goes on with the needs and the required peers of that
// release. Names outside are not looked up. It returns at once; the walk has ended when wait
// returns, which it does soon after ctx ends. Nothing depends on what it does: what is not found is
// left to the resolution to report.
func Ahead(ctx context.Context, source Source, demands []Demand, kept map[string][]string,
	outside []string) (wait func()) {
	w := &walk{ctx: ctx, source: source, kept: kept, outside: outside, demands: map[[2]string]bool{},
		used: map[string][]int{}}
	w.follow(demands)
	return w.work.Wait
}

type walk struct {
	ctx     context.Context
	source  Source
	kept    map[string][]string // versions by package
	outside []string            // names that are not the registry's

	work    sync.WaitGroup
	mu      sync.Mutex
	demands map[[2]string]bool // package and constraint
	used    map[string][]int   // positions of the releases that are followed, by package
	count   int                // of them
}

// follow begins with the demands that were not met before.
func (w *walk) follow(demands []Demand) {
	for _, d := range demands {
		key := [2]string{d.Package, d.Text}
		w.mu.Lock()
		known := d.Foreign || slices.Contains(w.outside, d.Package) || w.demands[key]
		w.demands[key] = true
		w.mu.Unlock()
		if !known {
			w.work.Go(func() { w.serve(d) })
		}
	}
}

// serve waits for the package of a demand and goes on from the release that will probably serve it.
func (w *walk) serve(d Demand) {
	if w.ctx.Err() != nil {
		return
	}
	p, err := w.source.Package(w.ctx, d.Package)
	if err != nil {
		return
	}
	r := w.release(p, d.Text)
	if r == nil {
		return
	}
	w.follow(r.Needs)
	w.follow(slices.DeleteFunc(slices.Clone(r.Peers), func(d Demand) bool { return d.Optional }))
}

// release returns the release with which a resolution will probably serve a constraint: the newest
// that is kept, else one that serves another demand, else the newest that is neither a prerelease
// nor deprecated, else the newest. It is nil for none, and for one that was returned before.
func (w *walk) release(p *Package, text string) *Release {
	set, err := p.Admit(text)
	if err != nil {
		return nil
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	kept, used := w.kept[p.Name], w.used[p.Name]
	best, bestRank := -1, -1
	for i := range set.All() {
		rank := p.rank(i)
		switch {
		case slices.Contains(kept, p.Version(i).String()):
			rank = keptRank
		case slices.Contains(used, i):
			rank = usedRank
		}
		if rank >= bestRank {
			best, bestRank = i, rank
		}
	}
	if best < 0 || slices.Contains(used, best) || w.count == mostAhead {
		return nil
	}
	w.used[p.Name] = append(used, best)
	w.count++
	return p.At(best)
}
