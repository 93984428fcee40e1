package text

import (
	"fmt"
	"slices"
	"strings"

	"molt/doc"
	"molt/render"
)

// releaseRows makes a table of the releases. Columns in which nothing stands are left out.
func releaseRows(answer doc.Dossier, headed bool) [][]cell {
	var runtimes []string
	anyRuntime, anyFramework := false, false
	for _, r := range answer.Releases {
		var words []string
		for name, text := range r.Runtimes {
			words = append(words, name+" "+text)
		}
		slices.Sort(words)
		runtimes = append(runtimes, strings.Join(words, ", "))
		anyRuntime, anyFramework = anyRuntime || words != nil, anyFramework || r.Framework != ""
	}
	row := func(version, published, jump, runtime, framework, note cell) []cell {
		all := []cell{version, published, jump}
		if anyRuntime {
			all = append(all, runtime)
		}
		if anyFramework {
			all = append(all, framework)
		}
		return append(all, note)
	}
	var rows [][]cell
	if headed {
		rows = append(rows, row(cell{"release", &faint}, cell{"published", &faint}, cell{"jump", &faint},
			cell{"runtime", &faint}, cell{answer.Framework, &faint}, cell{}))
	}
	for i, r := range answer.Releases {
		note := ""
		if r.Deprecated != "" {
			note = "deprecated"
		}
		if r.Locked {
			note = strings.TrimSuffix("locked, "+note, ", ")
		}
		framework := r.Framework
		if !headed && framework != "" { // no head says what it is about
			framework = answer.Framework + " " + framework
		}
		rows = append(rows, row(plain(r.Version), cell{r.Published, &faint}, plain(r.Jump), plain(runtimes[i]),
			plain(framework), cell{note, &notice}))
	}
	return rows
}

// Dossier prints a package: what it is, how it stands here, its releases, its change log.
func (p *Page) Dossier(answer doc.Dossier) {
	p.heading("%s", strings.TrimSuffix(answer.Name+": "+answer.About, ": "))
	if answer.Deprecated != "" {
		p.verdict(bad, answer.Deprecated)
	}
	var rows [][]cell
	put := func(word, text string) {
		if text != "" {
			rows = append(rows, []cell{{word, &faint}, plain(text)})
		}
	}
	for _, d := range answer.Declared {
		put("declared", fmt.Sprintf("%s in %s", d.Constraint, d.Group))
	}
	put("kept", keptBy(answer.Keeping))
	for _, l := range answer.Locked {
		text := l.Version
		var by []string
		for _, chain := range l.Chains {
			if last := chain[len(chain)-1]; !slices.Contains(by, asker(last)) {
				by = append(by, asker(last))
			}
		}
		text += ", asked for by " + strings.Join(by, ", ")
		if rest := l.Askers - len(by); rest > 0 {
			text += fmt.Sprintf(" and %d more", rest)
		}
		put("locked", text)
	}
	var tags []string
	for tag, v := range answer.Tags {
		tags = append(tags, tag+" is "+v)
	}
	slices.Sort(tags)
	put("tags", strings.Join(tags, ", "))
	var needs []string
	for _, n := range answer.Needs {
		text := n.Name + " " + n.Constraint
		switch {
		case n.Peer && n.Optional:
			text += " (if there is one)"
		case n.Peer:
			text += " (peer)"
		case n.Optional:
			text += " (optional)"
		}
		needs = append(needs, text)
	}
	if needs != nil {
		put(answer.To+" needs", strings.Join(needs, ", "))
	}
	for _, says := range render.Runs(answer.Runs, answer.Unread) {
		put("runs", says)
	}
	put("home", answer.Homepage)
	put("source", answer.Repository)
	p.table("  ", rows)
	p.Line("")
	p.heading("Releases")
	p.table("  ", releaseRows(answer, p.headed()))
	if answer.Hidden > 0 {
		p.Line("%s", p.styled(faint, fmt.Sprintf("  and %d more; --most 0 and --previews show them", answer.Hidden)))
	}
	if len(answer.Log) == 0 {
		if answer.NoLog.Words != "" {
			p.wrapped("", answer.NoLog.Words)
		}
		return
	}
	p.Line("")
	p.heading("Change log up to %s", answer.To)
	for _, e := range answer.Log {
		p.Line("")
		p.Line("  %s", p.styled(bold, e.Release))
		for _, part := range []struct {
			lines []string
			style cell
		}{{e.Breaking, cell{style: &notice}}, {e.Rest, cell{}}} {
			for _, l := range part.lines {
				indent := "    " + l[:len(l)-len(strings.TrimLeft(l, " \t"))]
				for i, text := range wrap(l, p.Width-len(indent)) {
					if i > 0 {
						text = "  " + text
					}
					p.Line("%s%s", inked(indent), p.cell(cell{text, part.style.style}))
				}
			}
		}
	}
}
