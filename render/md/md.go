package md

import (
	"fmt"
	"io"
	"strings"

	"molt/core/project"
	"molt/core/version"
	"molt/doc"
	"molt/input"
	"molt/render"
)

// A page collects Markdown, in which all that comes from outside is literal.
type page struct{ strings.Builder }

func (p *page) line(format string, args ...any) {
	for i, arg := range args {
		switch x := arg.(type) {
		case int:
		default:
			args[i] = escapeMarkdown(fmt.Sprint(x))
		}
	}
	fmt.Fprintf(p, format+"\n", args...)
}

// table writes a table; nothing where it has no rows.
func (p *page) table(head []string, rows [][]string) {
	if len(rows) == 0 {
		return
	}
	fmt.Fprintf(p, "\n| %s |\n|%s\n", strings.Join(head, " | "), strings.Repeat("---|", len(head)))
	for _, row := range rows {
		for i := range row {
			row[i] = escapeMarkdown(row[i])
		}
		fmt.Fprintf(p, "| %s |\n", strings.Join(row, " | "))
	}
}

// code writes a command.
func code(text string) string { return "`" + strings.ReplaceAll(input.OneLine(text), "`", "'") + "`" }

func (p *page) next(n *doc.Next) {
	if n != nil {
		fmt.Fprintf(p, "\nNext: %s: %s.\n", code(n.Run.String()), escapeMarkdown(n.Why.Words))
	}
}

func (p *page) to(w io.Writer) error {
	_, err := io.WriteString(w, input.Harmless(p.String()))
	return err
}

// Survey writes a survey: what is behind, by size; what is current is counted.
func Survey(w io.Writer, d doc.Survey) error {
	p := &page{}
	var rows [][]string
	current := 0
	for _, jump := range []version.Jump{version.Major, version.Minor, version.Patch, version.Pre} {
		for _, r := range d.Packages {
			if r.Jump == jump && r.Newest != "" && r.Locked != "" {
				rows = append(rows, []string{r.Name, jump.String(), r.Declared, r.Locked, r.Best,
					r.Newest, render.Count(r.Releases, "release")})
			}
		}
	}
	for _, r := range d.Packages {
		if r.Jump == version.Same || r.Jump == version.Back {
			current++
		}
	}
	p.line("**%s**: %s declared, %d behind, %d current.", d.Application, render.Count(d.Declared, "package"), len(rows),
		current)
	p.table([]string{"package", "behind by a", "declared", "locked", "in range", "newest", "releases"}, rows)
	p.next(d.Next)
	return p.to(w)
}

// Assess writes an assessment: the verdict, then the packages for which something has to happen,
// with the first sentence of evidence.
func Assess(w io.Writer, d doc.Assess) error {
	p := &page{}
	goal := d.Goal.Name + " " + d.Goal.Constraint
	if d.Reachable {
		p.line("**%s can be reached**, with %s.", goal, d.Goal.Release)
	} else if d.Alone {
		p.line("**%s is out of reach today**: it does not resolve even by itself.", goal)
	} else {
		p.line("**%s is out of reach today.**", goal)
	}
	for _, wait := range d.Waits {
		p.line("\nIt waits for a release of %s that %s.", wait.Package, wait.For)
	}
	for _, r := range d.Runtime {
		if !r.Met {
			p.line("\n%s needs %s %s; deployed: %s.", r.By, r.Name, r.Needs, orUnknown(r.Deployed))
		}
	}
	standings(p, d.Packages)
	for _, one := range d.Apart {
		p.line("\nTowards %s %s:", one.Goal.Name, one.Goal.Constraint)
		standings(p, one.Packages)
	}
	if d.Untangle != nil {
		ways(p, d.Untangle.Ways)
	}
	p.next(d.Next)
	return p.to(w)
}

// standings writes the packages for which something has to happen, and counts the rest.
func standings(p *page, packages []doc.Assessed) {
	var rows [][]string
	rest := map[project.Standing]int{}
	for _, a := range packages {
		switch a.Standing {
		case project.Ready, project.Silent, project.Elsewhere:
			rest[a.Standing]++
			continue
		}
		evidence := ""
		if len(a.Evidence) > 0 {
			evidence = string(a.Evidence[0].Grade) + ": " + a.Evidence[0].Says.Words
		}
		move := a.Locked
		if a.To != "" {
			move += " to " + a.To
		}
		rows = append(rows, []string{a.Name, string(a.Standing), move, evidence})
	}
	p.table([]string{"package", "standing", "move", "evidence"}, rows)
	p.line("\n%d ready, %d silent, %d outside.", rest[project.Ready], rest[project.Silent], rest[project.Elsewhere])
}

func orUnknown(v string) string {
	if v == "" {
		return "unknown"
	}
	return v
}

func ways(p *page, all []doc.Way) {
	if len(all) == 0 {
		return
	}
	p.line("\nWays out, each of them solved:\n")
	for i, way := range all {
		text := escapeMarkdown(way.Title.Words)
		if way.Command != "" {
			text += ": " + code(way.Command)
		}
		fmt.Fprintf(p, "%d. %s\n", i+1, text)
	}
}

// Plan writes a plan: a list of stages to tick off, each with its changes folded.
func Plan(w io.Writer, d doc.Plan) error {
	p := &page{}
	if d.Reachable {
		p.line("**%s** in %s.", d.Goal, render.Count(len(d.Stages), "stage"))
	} else {
		p.line("**%s is out of reach today**; %s can be done already.", d.Goal, render.Count(len(d.Stages), "stage"))
	}
	p.line("")
	for _, s := range d.Stages {
		box := " "
		if s.Status == doc.Done {
			box = "x"
		}
		fmt.Fprintf(p, "- [%s] **%s** %s\n", box, escapeMarkdown(s.ID), escapeMarkdown(s.Title.Words))
		for _, line := range moves(s) {
			fmt.Fprintf(p, "  - %s\n", line)
		}
	}
	for _, wall := range d.Wall {
		p.line("\nIt stops here: %s.", wall)
	}
	if d.Untangle != nil {
		ways(p, d.Untangle.Ways)
	}
	p.next(d.Next)
	return p.to(w)
}

// moves says what a stage changes, a line a package.
func moves(s doc.PlanStage) (lines []string) {
	for _, c := range s.Changes {
		text := escapeMarkdown(c.Name)
		switch {
		case c.To == nil:
			text += " is removed"
		case c.From == nil:
			text += " is added at " + escapeMarkdown(c.To.Version)
		default:
			text += " " + escapeMarkdown(c.From.Version) + " to " + escapeMarkdown(c.To.Version)
		}
		if c.Reason.Words != "" {
			text += ": " + escapeMarkdown(c.Reason.Words)
		}
		lines = append(lines, text)
	}
	for _, r := range s.Raise {
		lines = append(lines, escapeMarkdown(fmt.Sprintf("raise %s to %s, which %s needs", r.Name, r.Needs, r.By)))
	}
	return lines
}

// Step writes what became of a stage, for the description of a change.
func Step(w io.Writer, d doc.Step) error {
	p := &page{}
	switch {
	case d.Passed && d.Unchecked == "":
		p.line("**%s is done**: %s.", d.Stage.ID, d.Stage.Title)
	case d.Passed:
		p.line("**%s is done and not checked**: %s.", d.Stage.ID, d.Unchecked)
	default:
		p.line("**%s failed**; the files are as they were before it.", d.Stage.ID)
	}
	p.line("")
	for _, line := range moves(d.Stage) {
		fmt.Fprintf(p, "- %s\n", line)
	}
	var rows [][]string
	for _, c := range d.Checks {
		word := "passed"
		if !c.Passed {
			word = "failed"
		}
		if c.Before {
			word += ", as before the stage"
		}
		rows = append(rows, []string{c.Name, word, fmt.Sprintf("%.1f s", c.Seconds), c.Says})
	}
	p.table([]string{"check", "verdict", "time", "says"}, rows)
	if d.Culprit != nil {
		p.line("\nThe culprit is %s.", strings.Join(d.Culprit.Changes, ", "))
	}
	p.next(d.Next)
	return p.to(w)
}

// Report writes a report: the sentence, then what has a Markdown form of its own.
func Report(w io.Writer, d doc.Report) error {
	p := &page{}
	p.line("%s", d.Sentence.Words)
	if err := p.to(w); err != nil {
		return err
	}
	part := func(title string, write func(io.Writer) error) error {
		if _, err := io.WriteString(w, "\n## "+title+"\n\n"); err != nil {
			return err
		}
		return write(w)
	}
	if d.Plan != nil {
		if err := part("The way", func(w io.Writer) error { return Plan(w, *d.Plan) }); err != nil {
			return err
		}
	}
	if d.Assess != nil {
		if err := part("Standings", func(w io.Writer) error { return Assess(w, *d.Assess) }); err != nil {
			return err
		}
	}
	if len(d.Carried) > 0 {
		err := part("What moved", func(w io.Writer) error {
			p := &page{}
			for _, c := range d.Carried {
				fmt.Fprintf(p, "- **%s**, %s: %s\n", escapeMarkdown(c.Stage), c.At.Format("2006-01-02"),
					render.Count(len(c.Moved), "package")+" in the lock")
			}
			return p.to(w)
		})
		if err != nil {
			return err
		}
	}
	return part("Where it stands", func(w io.Writer) error { return Survey(w, d.Survey) })
}
