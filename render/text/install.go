package text

import (
	"fmt"
	"strings"

	"molt/doc"
	"molt/render"
)

// Install prints what an installation did, or would do.
func (p *Page) Install(d doc.Install) {
	if d.Folders == 0 && d.Current != "" { // it was only switched back
		p.verdict(good, fmt.Sprintf("%s leads to %s again; it led to %s.", d.Current, d.Into, d.Former))
		return
	}
	if d.Untouched && len(d.Left) > 0 {
		p.verdict(notice, fmt.Sprintf(
			"The packages are those of the lock: %s in %s.", render.Count(d.Folders, "package folder"), d.Into))
	} else if d.Untouched {
		p.verdict(good, fmt.Sprintf("All is there as the lock has it: %s in %s.", render.Count(d.Folders, "package folder"),
			d.Into))
	} else {
		verb := "holds"
		if d.DryRun {
			verb = "would hold"
		}
		p.verdict(good, fmt.Sprintf("%s %s what the lock says: %s; %d added, %d moved, %d removed.", d.Into, verb,
			render.Count(d.Folders, "package folder"),
			len(d.Added), len(d.Moved), len(d.Removed)))
	}
	if len(d.Moved) > 0 && len(d.Added)+len(d.Moved)+len(d.Removed) <= 40 {
		var rows [][]cell
		for _, m := range d.Moved {
			rows = append(rows, []cell{plain(m.Name), plain(m.From + " to " + m.To)})
		}
		p.table("  ", rows)
	}
	if some := len(d.Added) + len(d.Removed); some > 0 && some <= 20 {
		p.words("Added", d.Added)
		p.words("Removed", d.Removed)
	}
	if !d.DryRun && !d.Untouched {
		p.Line("%s fetched (%s), %s laid out, %.1f s.", render.Count(d.Archives, "archive"), size(d.Bytes),
			render.Count(d.Files, "file"), d.Seconds)
	} else if d.DryRun && d.Archives > 0 {
		p.Line("%s would be fetched.", render.Count(d.Archives, "archive"))
	}
	if d.Copied > 0 {
		p.Line("%s of the application copied.", render.Count(d.Copied, "file"))
	}
	switch {
	case d.Current != "" && d.Former != "":
		p.Line("%s leads there now; it led to %s.", d.Current, d.Former)
	case d.Current != "":
		p.Line("%s leads there now.", d.Current)
	}
	p.words("Not as it had been laid out, and mended", d.Mended)
	p.words("Edited, and replaced", d.Edited)
	p.words("Edited, and left as they are", d.Left)
	if len(d.Outside) > 0 {
		p.verdict(notice, "Not from a registry, and so not locked and not laid out, or not whole: "+few(d.Outside)+".")
	}
	if d.Untouched {
		return
	}
	if len(d.LeftOut) > 0 {
		p.Line("%s left out, for other platforms.", render.Count(len(d.LeftOut), "release"))
	}
	p.words("Built", d.Built)
	if len(d.Unbuilt) > 0 {
		var names []string
		for _, u := range d.Unbuilt {
			names = append(names, u.Release+" ("+strings.Join(u.Steps, ", ")+")")
		}
		p.wrapped("", fmt.Sprintf("Not run, though their packages want it: scripts of %s. \"build:\" in molt.yaml allows "+
			"them by name.", few(names)))
	}
	for _, c := range d.Claimed {
		p.wrapped("  ", c)
	}
	p.words("Odd names", d.Odd)
}

// words prints a list with what it is; nothing when it is empty.
func (p *Page) words(what string, all []string) {
	if len(all) > 0 {
		p.wrapped("", what+": "+few(all))
	}
}

// few lists some texts, and how many more there are.
func few(all []string) string {
	const most = 12
	if len(all) <= most {
		return strings.Join(all, ", ")
	}
	return fmt.Sprintf("%s and %d more", strings.Join(all[:most], ", "), len(all)-most)
}

// size writes a number of bytes for people.
func size(bytes int64) string {
	switch {
	case bytes < 1000:
		return fmt.Sprintf("%d bytes", bytes)
	case bytes < 1000_000:
		return fmt.Sprintf("%d kB", (bytes+500)/1000)
	}
	return fmt.Sprintf("%.1f MB", float64(bytes)/1e6)
}

// Cache prints what is kept for all applications.
func (p *Page) Cache(d doc.Cache) {
	if d.Cleared {
		p.Line("%s is empty now.", d.Folder)
		return
	}
	p.Line("%s", d.Folder)
	p.table("  ", [][]cell{
		{plain("answers of registries"), plain(fmt.Sprint(d.Documents)), plain(size(d.Bytes))},
		{plain("unpacked releases"), plain(fmt.Sprint(d.Releases)),
			plain(fmt.Sprintf("%s in %s", size(d.Unpacked), render.Count(d.Files, "file")))},
	})
	p.words("Not as they had been made, and taken away", d.Removed)
}
