package text

import (
	"fmt"
	"slices"
	"strings"

	"molt/doc"
	"molt/render"
)

// Merged prints how a conflict between branches was resolved.
func (p *Page) Merged(answer doc.Lock, lock string, files []string, dry bool) {
	verb := "is resolved"
	if dry {
		verb = "could be resolved"
	}
	p.verdict(good, fmt.Sprintf("The conflict %s: %s holds %s for %s.", verb,
		lock, render.Count(len(answer.Packages), "package"), render.Count(len(answer.Roots), "declaration")))
	for _, t := range answer.Took {
		p.wrapped("  ", t)
	}
	if dry {
		return
	}
	p.Line("git add %s tells git so.", strings.Join(files, " "))
}

// Verify prints a verification.
func (p *Page) Verify(answer doc.Verify) {
	if answer.Unknown != "" {
		defer p.wrapped("", "Unknown: "+answer.Unknown+".")
	}
	what := "Manifest, lock and runtime"
	if answer.Installed {
		what = "Manifest, lock, what is installed and the runtime"
	}
	if len(answer.Looked) < len(doc.Abouts) { // some were asked for
		what = "Of " + strings.Join(answer.Looked, ", ") + ", which alone were looked at, all"
		if len(answer.Findings) > 0 {
			what = "These"
		} else {
			p.verdict(good, what+" agrees.")
			return
		}
	}
	switch {
	case answer.Agrees && answer.Installed:
		p.verdict(good, what+" agree.")
		return
	case answer.Agrees:
		p.verdict(good, what+" agree; nothing is installed here.")
		return
	}
	p.verdict(bad, fmt.Sprintf("%s do not agree (%s):", what, render.Count(len(answer.Findings), "finding")))
	var rows [][]cell
	for _, f := range answer.Findings {
		rows = append(rows, []cell{plain(f.About), plain(f.Says.Words)})
	}
	p.table("  ", rows)
	if slices.Contains(answer.OutOfDate, "runtime") {
		p.wrapped("", "The runtime is too old, or newer than what the packages were made for.")
	}
	p.Next(answer.Next)
}
