package cli

import (
	"fmt"
	"os"
	"sync"
	"time"

	"molt/registry"
	"molt/render"
)

// How often the line about progress is written, how long nothing is written at first, and how long
// something is waited for before it is named.
const (
	progressEvery = 250 * time.Millisecond
	progressAfter = 400 * time.Millisecond
	progressSlow  = 3 * time.Second
	progressLong  = 5 * time.Second // until what Molt does is said, where it waits for nothing
)

// watch shows on a terminal how far the registries are, in one line, while the call takes long
// enough to be noticed. The line is gone afterwards.
func (c *call) watch(progress func() registry.Progress) (still func()) {
	f, ok := c.errout.(*os.File)
	_, terminal := columns(c.errout)
	if !ok || !terminal || c.quiet || c.format == "json" {
		return func() {}
	}
	done := make(chan struct{})
	var ended sync.WaitGroup
	ended.Go(func() {
		began := time.Now()
		ticker := time.NewTicker(progressEvery)
		defer ticker.Stop()
		last := ""
		for {
			select {
			case <-done:
				if last != "" {
					fmt.Fprint(f, "\r\x1b[K")
				}
				return
			case now := <-ticker.C:
				if line := progressLine(progress(), now.Sub(began)); now.Sub(began) >= progressAfter && line != last {
					last = line
					fmt.Fprint(f, "\r\x1b[K"+line)
				}
			}
		}
	})
	return func() { close(done); ended.Wait() }
}

// progressLine writes a progress: "312 documents, 4.1 MB; waiting for keel (5 s)", or after some
// seconds what is done. It fits into 80 columns.
func progressLine(p registry.Progress, since time.Duration) string {
	line := render.Count(p.Documents, "document")
	if p.Bytes > 0 {
		line += fmt.Sprintf(", %.1f MB", float64(p.Bytes)/1e6)
	}
	switch {
	case p.For >= progressSlow:
		line += fmt.Sprintf("; waiting for %s (%d s)", short(p.Waiting, 40), int(p.For.Seconds()))
	case since < progressLong:
	case p.Through != "":
		line += fmt.Sprintf("; %d releases of %s, none fits yet", p.Releases, short(p.Through, 20))
	default:
		line += fmt.Sprintf("; looking for what fits together (%d s)", int(since.Seconds()))
	}
	return line
}

// short returns a name of at most so many characters.
func short(name string, most int) string {
	if all := []rune(name); len(all) > most {
		return string(all[:most-1]) + "…"
	}
	return name
}

// counting shows on a terminal how far a piece of work is, in one line.
func (c *call) counting(what string) (watch func(done, of int), still func()) {
	f, ok := c.errout.(*os.File)
	_, terminal := columns(c.errout)
	if !ok || !terminal || c.quiet || c.format == "json" {
		return nil, func() {}
	}
	steps := make(chan [2]int, 64)
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		for s := range steps {
			fmt.Fprintf(f, "\r\x1b[K%d of %d %s", s[0], s[1], what)
		}
		fmt.Fprint(f, "\r\x1b[K")
	}()
	return func(done, of int) {
		select {
		case steps <- [2]int{done, of}:
		default: // one that is not shown is missed by nobody
		}
	}, func() { close(steps); <-ended }
}
