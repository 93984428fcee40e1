package text

import (
	"fmt"
	"slices"
	"strings"

	"charm.land/lipgloss/v2"

	"molt/core/project"
	"molt/doc"
	"molt/render"
)

// standings in the order in which they ask for attention, with what each means.
var standings = []struct {
	standing project.Standing
	means    string
}{
	{project.Blocked, "no release that it may have is compatible"},
	{project.Together, "moves in the same stage as the framework"},
	{project.Bridge, "can be upgraded first, to a release that is compatible with both"},
	{project.Retires, "renamed, abandoned, or part of another package by then"},
	{project.Leaves, "nothing needs it any more by then"},
	{project.Ready, "stays as it is"},
	{project.Silent, "says nothing of the framework, and stays"},
	{project.Elsewhere, "does not come from the registry; Molt cannot judge it"},
}

// Assess prints an assessment: the verdict first, then the packages by standing.
func (p *Page) Assess(answer doc.Assess) {
	goal := goalOf(answer)
	by := map[project.Standing][]doc.Assessed{}
	for _, d := range answer.Packages {
		by[d.Standing] = append(by[d.Standing], d)
	}
	switch blocked := len(by[project.Blocked]); {
	case answer.Reached && answer.Reachable && answer.Also == nil:
		p.verdict(good, fmt.Sprintf("%s is reached already: everything declared resolves with %s.", goal,
			answer.Goal.Release))
	case answer.Reachable && answer.Against != nil:
		p.verdict(notice, fmt.Sprintf(
			"%s can be reached only against what dates tell of %s: everything declared resolves with %s.",
			goal, render.Count(len(answer.Against), "package"), answer.Goal.Release))
		for _, d := range answer.Against {
			p.wrapped("  ", d.Says.Words+".")
		}
	case answer.Reachable:
		p.verdict(good, fmt.Sprintf("%s can be reached: everything declared resolves with %s.", goal, answer.Goal.Release))
	case answer.Alone:
		p.verdict(bad, fmt.Sprintf("%s is out of reach: it does not resolve even by itself, whatever else is declared.",
			goal))
		p.wrapped("", "The packages are judged as if what keeps it from that were not there.")
	case blocked > 0 && !slices.ContainsFunc(by[project.Blocked], func(d doc.Assessed) bool { return !d.Held }):
		p.verdict(bad, fmt.Sprintf("%s is out of reach: %s held at a release that is not compatible with it.", goal,
			are(blocked)))
	case blocked > 0:
		p.verdict(bad, fmt.Sprintf("%s is out of reach: %s no release that is compatible with it.", goal, have(blocked)))
	default:
		p.verdict(bad, fmt.Sprintf("%s is out of reach: each package could go, but not all together.", goal))
	}
	p.waits(answer)
	for _, remark := range answer.Remarks {
		p.wrapped("", inFull(remark.Words))
	}
	if answer.Untangle != nil {
		for _, c := range answer.Untangle.Contested {
			p.Line("")
			p.contest(c)
		}
	}
	p.runtimes(answer.Runtime)
	if len(answer.Opens) > 0 {
		const most = 3
		says := strings.Join(answer.Opens[:min(most, len(answer.Opens))], ", ")
		if more := len(answer.Opens) - most; more > 0 {
			says += " and " + render.Count(more, "more release")
		}
		p.wrapped("", "A newer runtime would open: "+says+".")
	}
	if answer.Apart != nil {
		p.Line("")
		p.heading("Towards %s %s", answer.Goal.Name, answer.Goal.Constraint)
	}
	p.standings(answer.Packages)
	for _, d := range answer.Apart { // what says nothing of it is listed once
		p.Line("")
		p.heading("Towards %s %s", d.Goal.Name, d.Goal.Constraint)
		p.standings(slices.DeleteFunc(
			slices.Clone(d.Packages), func(x doc.Assessed) bool { return x.Standing == project.Silent }))
	}
	p.touches(answer.Advice)
	if answer.Untangle != nil {
		p.ways(answer.Untangle.Ways)
	}
	p.Next(answer.Next)
}

// standings prints packages by what they are towards a goal.
func (p *Page) standings(packages []doc.Assessed) {
	by := map[project.Standing][]doc.Assessed{}
	wide := 0 // of names, so that the parts line up
	for _, d := range packages {
		by[d.Standing] = append(by[d.Standing], d)
		if d.Standing != project.Silent {
			wide = max(wide, lipgloss.Width(d.Name))
		}
	}
	for _, s := range standings {
		all := by[s.standing]
		if len(all) == 0 {
			continue
		}
		p.Line("")
		p.glossed(fmt.Sprintf("%s (%d)", s.standing, len(all)), s.means)
		if s.standing == project.Silent {
			var names []string
			for _, d := range all {
				names = append(names, d.Name)
			}
			p.wrapped("  ", strings.Join(names, ", "))
			continue
		}
		p.assessed(all, wide)
	}
}

// glossed prints a heading of our own words with what they mean, on the next line where the same one has no room.
func (p *Page) glossed(heading, means string) {
	if lipgloss.Width(heading)+1+lipgloss.Width(means) <= p.Width {
		p.Line("%s %s", p.styled(bold, heading), p.styled(faint, means))
		return
	}
	p.Line("%s", p.styled(bold, heading))
	for _, l := range wrap(means, p.Width-2) {
		p.Line("  %s", p.styled(faint, l))
	}
}

func goalOf(answer doc.Assess) string {
	return strings.Join(append([]string{answer.Goal.Name + " " + answer.Goal.Constraint}, answer.Also...), " with ")
}

func are(n int) string {
	if n == 1 {
		return "1 package is"
	}
	return fmt.Sprintf("%d packages are", n)
}

// Gate prints in one line whether a goal can be reached.
func (p *Page) Gate(answer doc.Assess) {
	switch {
	case answer.Reached && answer.Reachable && answer.Also == nil:
		p.verdict(good, fmt.Sprintf("%s is reached already, with %s.", goalOf(answer), answer.Goal.Release))
		return
	case answer.Reachable && answer.Against != nil:
		var names []string
		for _, d := range answer.Against {
			names = append(names, d.Package)
		}
		p.verdict(notice, fmt.Sprintf("%s can be reached, with %s; dates speak against %s.", goalOf(answer),
			answer.Goal.Release, strings.Join(names, ", ")))
		return
	case answer.Reachable:
		p.verdict(good, fmt.Sprintf("%s can be reached, with %s.", goalOf(answer), answer.Goal.Release))
		return
	}
	var names []string
	for _, w := range answer.Waits {
		names = append(names, w.Package)
	}
	text := goalOf(answer) + " is out of reach"
	if names != nil {
		text += "; it waits for " + strings.Join(names, ", ")
	}
	var held []string
	for _, d := range answer.Packages {
		if d.Standing == project.Blocked && d.Held {
			held = append(held, d.Name)
		}
	}
	if held != nil {
		text += "; in the way is the hold on " + strings.Join(held, ", ")
	}
	p.verdict(bad, text+".")
}

// waits prints what to wait for.
func (p *Page) waits(answer doc.Assess) {
	if len(answer.Waits) == 0 {
		return
	}
	text := "Everything else waits for"
	if !answer.Enough {
		text = "It waits at least for"
	}
	for i, w := range answer.Waits {
		if i > 0 {
			text += ", and"
		}
		text += fmt.Sprintf(" a release of %s that %s", w.Package, w.For)
	}
	p.wrapped("", text+".")
}

// touches prints what of upgrade guides touches this application.
func (p *Page) touches(all []doc.Touch) {
	if len(all) == 0 {
		return
	}
	p.Line("")
	p.glossed(fmt.Sprintf("advice (%d)", len(all)), "what upgrade guides say that touches this application")
	by := func(t doc.Touch) string { return fmt.Sprintf("%s %s, %s (%s)", t.About, t.To, t.Source, t.Confidence) }
	for i, t := range all {
		if i == 0 || by(all[i-1]) != by(t) {
			p.Line("  %s", p.styled(faint, by(t)))
		}
		p.wrapped("    ", t.Says.Words)
		if len(t.Found) > 0 {
			for _, l := range wrap("in "+strings.Join(t.Found, ", "), p.Width-6) {
				p.Line("      %s", p.styled(faint, l))
			}
		}
		if t.Link != "" && !strings.Contains(t.Says.Words, t.Link) {
			p.Line("      %s", p.styled(faint, t.Link))
		}
	}
}

func have(n int) string {
	if n == 1 {
		return "1 package has"
	}
	return fmt.Sprintf("%d packages have", n)
}

// runtimes prints a line for each demand on a runtime that is not met, else one for the demand that asks for most.
func (p *Page) runtimes(all []doc.Runtime) {
	var rows [][]cell
	for i, r := range all {
		if slices.ContainsFunc(all[:i], func(x doc.Runtime) bool {
			return x.Name == r.Name && (r.Met || x.Needs == r.Needs)
		}) {
			continue // sorted: what is not met comes first, and of what is met the one that asks for most
		}
		there, style := "deployed version unknown: set runtime: in molt.yaml", &notice
		switch {
		case r.Met:
			there, style = r.Deployed+" is deployed", &good
		case r.Deployed != "":
			there = r.Deployed + " is deployed"
		}
		if r.Here != "" {
			there += ", " + r.Here + " is on this machine"
		}
		for _, w := range r.Where {
			if !w.Met && strings.Contains(w.Place, ":") {
				there += fmt.Sprintf(", %s says %s", w.Place, w.Version)
				if style == &good {
					style = &notice
				}
			}
		}
		rows = append(rows, []cell{{"runtime", &faint}, plain(r.Name + " " + r.Needs), {"for " + r.By, &faint},
			{there, style}})
	}
	if rows != nil {
		p.table("", rows)
	}
}

// assessed prints packages of one standing, with names of a width: a line for the move, below it what it rests on.
func (p *Page) assessed(all []doc.Assessed, wide int) {
	for _, d := range all {
		tail := by(d) + serving(d)
		if wide+4+lipgloss.Width(moveOf(d)+tail) <= p.Width {
			p.Line("  %s%s  %s%s", d.Name, blanks(wide-lipgloss.Width(d.Name)), moveOf(d), p.styled(faint, tail))
		} else {
			p.Line("  %s%s  %s", d.Name, blanks(wide-lipgloss.Width(d.Name)), moveOf(d))
			for _, l := range wrap(strings.TrimLeft(tail, ",; "), p.Width-6) {
				p.Line("      %s", p.styled(faint, l))
			}
		}
		for _, e := range d.Evidence {
			p.evidence(graded(e.Grade), e.Says.Words)
		}
		if n := len(d.Uses); n > 4 {
			p.evidence(cell{"imported", &faint}, fmt.Sprintf("%s and %d more", strings.Join(d.Uses[:3], ", "), n-3))
		} else if n > 0 {
			p.evidence(cell{"imported", &faint}, strings.Join(d.Uses, ", "))
		}
	}
}

// evidence prints what a standing rests on below the line of its package, wrapped.
func (p *Page) evidence(grade cell, says string) {
	lines := wrap(says, p.Width-16)
	p.Line("      %s%s  %s", p.cell(grade), blanks(8-len(grade.text)), p.styled(faint, lines[0]))
	for _, l := range lines[1:] {
		p.Line("                %s", p.styled(faint, l))
	}
}

// by says over which declared package one comes that nobody declares.
func by(d doc.Assessed) string {
	if d.By == "" {
		return ""
	}
	return ", by way of " + d.By
}

// serving says which releases are compatible with the goal, where there is a choice.
func serving(d doc.Assessed) string {
	if d.First == "" || d.First == d.Newest || d.Standing == project.Ready || d.Standing == project.Retires {
		return ""
	}
	return fmt.Sprintf("; any of %s to %s works", d.First, d.Newest)
}

func moveOf(d doc.Assessed) string {
	switch {
	case d.Standing == project.Retires && d.Successor != "":
		return d.Locked + ", " + d.Retires + "; " + d.Successor + " takes its place"
	case d.Standing == project.Retires:
		return d.Locked + ", " + d.Retires
	case d.To != "":
		return d.Locked + " to " + d.To
	}
	return d.Locked
}

func graded(g project.Grade) cell {
	switch g {
	case project.Ran, project.Stated:
		return cell{string(g), &good}
	case project.Refused:
		return cell{string(g), &bad}
	}
	return cell{string(g), &notice}
}
