package text

import (
	"strings"

	"molt/doc"
	"molt/render"
)

// Fetch prints what is at hand now.
func (p *Page) Fetch(d doc.Fetch) {
	what := "the lock"
	if d.Stages > 0 {
		what += " and " + render.Count(d.Stages, "stage")
	}
	if len(d.Goals) > 0 {
		what += " on the way to " + strings.Join(d.Goals, ", ")
	}
	p.Line("At hand for %s: %s and %s.", what, render.Count(d.Documents, "document"),
		render.Count(d.Releases, "unpacked release"))
	fetched := "No archive was missing"
	if d.Fetched > 0 {
		fetched = render.Count(d.Fetched, "archive") + " fetched"
	}
	p.Line("%s; %s read, %.1f s. Every command for this works with --offline now.", fetched, size(d.Bytes), d.Seconds)
	if d.Snapshot != "" {
		archives := "no archives"
		if d.Archives > 0 {
			archives = render.Count(d.Archives, "archive")
		}
		p.Line("%s has these documents and %s; use it as a registry at file://, or serve it with molt standin.", d.Snapshot,
			archives)
	}
	for _, note := range d.Notes {
		p.wrapped("", inFull(note))
	}
}
