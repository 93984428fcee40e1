package cli

import (
	"context"
	"fmt"
	"os"
	"sync"
	"sync/atomic"
	"time"

	"molt/core/universe"
)

// watch counts the packages that are asked for, and on a terminal shows the count while the call takes long enough to
// be noticed.
func (c *call) watch(source universe.Source) (universe.Source, func()) {
	f, ok := c.errout.(*os.File)
	_, terminal := columns(c.errout)
	if !ok || !terminal || c.quiet || c.format == "json" {
		return source, func() {}
	}
	w := &watched{Source: source}
	done := make(chan struct{})
	var ended sync.WaitGroup
	ended.Go(func() {
		ticker := time.NewTicker(120 * time.Millisecond)
		defer ticker.Stop()
		shown := false
		for {
			select {
			case <-done:
				if shown {
					fmt.Fprint(f, "\r\x1b[K")
				}
				return
			case <-ticker.C:
				shown = true
				fmt.Fprintf(f, "\r\x1b[K%d packages read", w.count.Load())
			}
		}
	})
	var once sync.Once
	return w, func() { once.Do(func() { close(done); ended.Wait() }) }
}

type watched struct {
	universe.Source
	count atomic.Int64
	seen  sync.Map
}

// Unwrap returns the source that is watched.
func (w *watched) Unwrap() universe.Source { return w.Source }

func (w *watched) Package(ctx context.Context, name string) (*universe.Package, error) {
	if _, again := w.seen.LoadOrStore(name, true); !again {
		w.count.Add(1)
	}
	return w.Source.Package(ctx, name)
}
