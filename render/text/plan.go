package text

import (
	"fmt"
	"slices"
	"strings"

	"charm.land/lipgloss/v2"

	"molt/app/config"
	"molt/core/plan"
	"molt/core/project"
	"molt/doc"
	"molt/render"
)

// Plan prints a plan: the verdict, then every stage with its changes.
func (p *Page) Plan(answer doc.Plan) {
	if answer.Renewal != nil {
		p.renewal(*answer.Renewal)
	}
	done := 0
	for _, s := range answer.Stages {
		if s.Status == doc.Done {
			done++
		}
	}
	progress := ""
	if done > 0 {
		progress = fmt.Sprintf(" %d of them done already.", done)
	}
	switch {
	case len(answer.Stages) == 0 && answer.Reachable:
		p.verdict(good, answer.Goal+" is reached already; there is nothing to do.")
	case answer.Reachable:
		toGoal := 0
		for _, s := range answer.Stages {
			if !s.After {
				toGoal++
			}
		}
		more := ""
		if n := len(answer.Stages) - toGoal; n > 0 {
			more = fmt.Sprintf("; %s after it", render.Count(n, "stage"))
		}
		p.verdict(good, fmt.Sprintf("%s in %s%s, each of them solved to a lock.%s", answer.Goal,
			render.Count(toGoal, "stage"), more, progress))
	default:
		p.verdict(bad, fmt.Sprintf("%s is out of reach today; %s can be done already.%s", answer.Goal,
			render.Count(len(answer.Stages), "stage"), progress))
	}
	if answer.Branch != "" {
		p.Line("On the branch %s.", answer.Branch)
	}
	if answer.Note != "" {
		p.wrapped("", answer.Note)
	}
	for _, c := range answer.Costs {
		for k, l := range wrap(inFull(c.Words), p.Width-2) {
			p.Line("%s%s", strings.Repeat(" ", min(k, 1)*2), p.styled(notice, l))
		}
	}
	for _, remark := range answer.Remarks {
		p.wrapped("", inFull(remark.Words))
	}
	var brief []numbered
	var whole [][]cell
	for _, s := range answer.Stages {
		if !s.After {
			whole = append(whole, changeRows(s)...)
		}
	}
	p.columns = widths(whole) // the stages line up
	defer func() { p.columns = nil }()
	for n, s := range answer.Stages {
		if s.After || !answer.Reachable && s.Kind == string(plan.AfterStage) {
			brief = append(brief, numbered{n + 1, s})
			continue
		}
		p.Line("")
		p.stageHead(n+1, s)
		p.changes(s)
	}
	p.briefly(answer, brief)
	p.deprecated(answer.Deprecated)
	p.behind(answer.Behind)
	defer p.Next(answer.Next)
	if answer.Untangle == nil {
		return
	}
	p.Line("")
	p.heading("The plan stops here")
	for _, w := range answer.Wall {
		p.wrapped("  ", w.Words)
	}
	for _, c := range answer.Untangle.Contested {
		p.contest(c)
	}
	p.beyond(answer.Beyond)
	p.ways(answer.Untangle.Ways)
}

// A numbered stage.
type numbered struct {
	n     int
	stage doc.PlanStage
}

// briefly prints the stages that the goal does not need, a line each; the plan's file has the rest.
func (p *Page) briefly(answer doc.Plan, stages []numbered) {
	if len(stages) == 0 {
		return
	}
	p.Line("")
	if answer.Reachable {
		p.heading("After the goal, which does not need these; molt-plan.yaml has the details")
	} else {
		p.heading("With the major in use these can be done; molt-plan.yaml has the details")
	}
	var rows [][]cell
	for _, s := range stages {
		var moves []string
		for _, c := range s.stage.Changes {
			var move string
			switch {
			case c.To == nil:
				move = c.Name + " is removed"
			case c.From == nil:
				move = c.Name + " is added at " + c.To.Version
			default:
				move = fmt.Sprintf("%s %s to %s", c.Name, c.From.Version, c.To.Version)
			}
			if len(c.Uses) > 0 {
				move += ", still imported in " + strings.Join(c.Uses, ", ")
			}
			if !slices.Contains(moves, move) { // several members of a workspace declare it
				moves = append(moves, move)
			}
		}
		mark := " "
		if s.stage.Status == doc.Done {
			mark = "x"
		}
		rows = append(rows, []cell{{fmt.Sprintf("%s %-2d %s", mark, s.n, s.stage.ID), &bold},
			plain(strings.Join(moves, ", "))})
	}
	p.table("", rows)
}

// behind lists what stays before its newest major, with the reason.
func (p *Page) behind(all []doc.PlanBehind) {
	if len(all) == 0 {
		return
	}
	p.Line("")
	p.heading("Stays behind")
	alike := map[string][]string{} // names by reason: what follows the framework does so for one
	for _, b := range all {
		alike[b.Why.Words] = append(alike[b.Why.Words], b.Name+" "+b.At)
	}
	var rows [][]cell
	var shared []string
	for _, b := range all {
		if names := alike[b.Why.Words]; len(names) > 2 {
			if !slices.Contains(shared, b.Why.Words) {
				shared = append(shared, b.Why.Words)
			}
			continue
		}
		rows = append(rows, []cell{plain(b.Name), plain(b.At), plain("newest " + b.Newest), {b.Why.Words, &faint}})
	}
	p.table("  ", rows)
	for _, why := range shared {
		p.wrapped("  ", strings.Join(alike[why], ", ")+": "+why)
	}
}

// beyond sketches what would come after the wall, a line a stage.
func (p *Page) beyond(stages []doc.PlanStage) {
	if len(stages) == 0 {
		return
	}
	p.Line("")
	p.heading("Afterwards, not yet verified, as if what is in the way were not there")
	var rows [][]cell
	for _, s := range stages {
		var moves []string
		for _, c := range s.Changes {
			switch {
			case c.To == nil:
				moves = append(moves, c.Name+" is removed")
			default:
				moves = append(moves, c.Name+" "+c.To.Version)
			}
		}
		for _, r := range s.Raise {
			moves = append(moves, r.Name+" "+r.Needs)
		}
		rows = append(rows, []cell{plain(s.ID), {strings.Join(moves, ", "), &faint}})
	}
	p.table("  ", rows)
}

// renewal says what became of a plan that was made anew.
func (p *Page) renewal(r doc.Renewal) {
	part := func(title string, all []doc.Sentence) {
		if len(all) == 0 {
			return
		}
		p.heading("%s", title)
		for _, one := range all {
			p.wrapped("  ", one.Words)
		}
		p.Line("")
	}
	part("What has changed", r.Changed)
	part("What people decided, and still holds", r.Kept)
	part("What people decided, and holds no longer", r.Lost)
	if len(r.Changed) == 0 {
		p.Line("Nothing has changed since the plan was made.")
	}
}

// Brought prints a stage into which changes of later ones were moved.
func (p *Page) Brought(answer doc.Plan, id string) {
	for n, s := range answer.Stages {
		if s.ID == id {
			p.stageHead(n+1, s)
			p.changes(s)
			p.Line("")
		}
	}
	p.Line("The plan holds so, up to its end.")
}

// Split prints what a stage was split into.
func (p *Page) Split(answer doc.Plan, first, second string) {
	for n, s := range answer.Stages {
		if s.ID == first || s.ID == second {
			p.stageHead(n+1, s)
			p.changes(s)
			p.Line("")
		}
	}
	p.Line("The plan has these two in place of one.")
}

func (p *Page) stageHead(n int, s doc.PlanStage) {
	mark := "  "
	if s.Status == doc.Done {
		mark = "x "
	}
	var locked doc.PlanLocked // nothing, where nobody has counted yet
	if s.Locked != nil {
		locked = *s.Locked
	}
	tail := fmt.Sprintf("lock: %d moved, %d added, %d removed", locked.Moved, locked.Added, locked.Removed)
	if s.Raise != nil {
		tail = "by hand"
	}
	if e := s.Effort; e != nil {
		if e.Files > 0 {
			tail += "; source: " + render.Count(e.Files, "file")
		}
		if e.Evidence != "" {
			tail += "; weakest evidence: " + e.Evidence
		}
		if e.Seconds > 0 {
			tail += fmt.Sprintf("; checks: %.1f s", e.Seconds)
		}
	}
	head := fmt.Sprintf("%s%-2d %s", mark, n, s.ID)
	if lipgloss.Width(head)+2+lipgloss.Width(s.Title.Words) <= p.Width {
		p.Line("%s  %s", p.styled(bold, head), p.styled(faint, s.Title.Words))
	} else {
		p.Line("%s", p.styled(bold, head))
		p.wrapped("     ", s.Title.Words)
	}
	for _, l := range wrap(tail, p.Width-5) {
		p.Line("     %s", p.styled(faint, l))
	}
	if s.Family.Words != "" {
		p.Line("     %s", p.styled(faint, "in step: "+s.Family.Words))
	}
	if s.Note != "" {
		p.wrapped("     ", s.Note)
	}
}

func (p *Page) changes(s doc.PlanStage) {
	p.raises(s.Raise)
	if rows := changeRows(s); rows != nil {
		wide := p.columns
		if wide == nil {
			wide = widths(rows)
		}
		p.rows("     ", rows, wide)
	}
	for i, c := range s.Changes {
		if slices.ContainsFunc(s.Changes[:i], func(x doc.PlanChange) bool { return x.Name == c.Name && alike(x, c) }) {
			continue
		}
		if len(c.Uses) > 0 {
			p.wrapped("     ", c.Name+" is still imported in "+strings.Join(c.Uses, ", "))
		}
		if c.Note != "" {
			p.wrapped("     ", c.Name+": "+c.Note)
		}
		for _, n := range c.Notes {
			lines := wrap(c.Name+" "+n, p.Width-15)
			p.Line("     %s  %s", p.styled(notice, "breaking"), lines[0])
			for _, l := range lines[1:] {
				p.Line("               %s", l)
			}
		}
	}
	p.advice(s.Advice)
	if s.Aims != nil {
		p.aims(s.Aims)
	}
}

// raises prints which runtimes people have to raise: the goal's own need, and who asks for more.
func (p *Page) raises(all []doc.Runtime) {
	for i, r := range all {
		if slices.ContainsFunc(all[:i], func(x doc.Runtime) bool { return x.Name == r.Name }) {
			continue
		}
		var others []string
		last := i // asks for most
		for k, x := range all {
			if k > i && x.Name == r.Name {
				others, last = append(others, x.By+" "+x.Needs), k
			}
		}
		if len(others) > 3 {
			others = append(others[:3], fmt.Sprintf("%d more", len(others)-3))
		}
		also := ""
		if others != nil {
			also = " (also " + strings.Join(others, ", ") + ")"
		}
		best := ""
		if to := all[last].To; to != "" {
			best = " best to " + to + ","
		}
		p.wrapped("     ", fmt.Sprintf("%s %s is deployed; %s needs %s%s. Raise it,%s then say so under \"runtime:\" in %s.",
			r.Name, r.Deployed, r.By, r.Needs, also, best, config.File))
	}
}

// advice prints what upgrade guides have to say.
func (p *Page) advice(all []doc.Guidance) {
	for i, a := range all {
		lines := wrap(a.Says.Words, p.Width-13)
		p.Line("     %s  %s", p.styled(notice, "advice"), lines[0])
		for _, l := range lines[1:] {
			p.Line("             %s", l)
		}
		var tail []string
		if len(a.Found) > 0 {
			tail = append(tail, "in "+strings.Join(a.Found, ", "))
		}
		if a.Link != "" && !strings.Contains(a.Says.Words, a.Link) {
			tail = append(tail, a.Link)
		}
		if i == len(all)-1 || all[i+1].Source.Words != a.Source.Words {
			tail = append(tail, a.Source.Words)
		}
		if tail == nil {
			continue
		}
		for _, l := range wrap(strings.Join(tail, "; "), p.Width-13) {
			p.Line("             %s", p.styled(faint, l))
		}
	}
}

// aims says what a stage costs at the least, and how far that is proven.
func (p *Page) aims(all []doc.PlanAim) {
	var proven, open []string
	for _, a := range all {
		if len(open) == 0 && a.Cost == a.Least {
			proven = append(proven, aimed(a.Aim, a.Cost))
		} else {
			open = append(open, fmt.Sprintf("%s, and at least %d are needed", aimed(a.Aim, a.Cost), a.Least))
		}
	}
	text := "proven minimum: " + strings.Join(proven, ", ")
	if open != nil {
		text += "; not proven: " + strings.Join(open, ", ")
	}
	for _, l := range wrap(text, p.Width-5) {
		p.Line("     %s", p.styled(faint, l))
	}
}

// aimed counts what an aim of a plan is about.
func aimed(aim string, n int) string {
	switch aim {
	case "majors besides the goal":
		return render.Count(n, "other major upgrade")
	case "lines besides the goal":
		return render.Count(n, "other manifest line")
	case "locked packages moved":
		return render.Count(n, "locked package") + " moved"
	}
	return fmt.Sprintf("%d %s", n, aim)
}

// changeRows has a row for each change of a stage. What happens to a package in several members of
// a workspace stands together: its move once, and each way in which its lines change, with the
// members.
func changeRows(s doc.PlanStage) [][]cell {
	var rows [][]cell
	told := make([]bool, len(s.Changes))
	for i, c := range s.Changes {
		first := true
		for j, d := range s.Changes {
			if told[j] || d.Name != c.Name || j < i || !alike(c, d) {
				continue
			}
			var members []string
			for k, e := range s.Changes {
				if !told[k] && e.Name == d.Name && alike(d, e) && constraint(e.From) == constraint(d.From) &&
					constraint(e.To) == constraint(d.To) {
					told[k] = true
					if member := project.GroupOf(e.Group).Member; member != "" && project.OwnName(e.Name) == e.Name &&
						!slices.Contains(members, member) {
						members = append(members, member)
					}
				}
			}
			row := changeCells(s, d)
			if members != nil {
				if row[2].text != "" {
					row[2].text += " "
				}
				row[2].text += "in " + strings.Join(members, ", ")
			}
			if !first { // the reason stands at the last of them
				row[0].text, row[1].text = "", ""
				rows[len(rows)-1][3].text = ""
			}
			rows, first = append(rows, row), false
		}
	}
	return rows
}

// alike reports whether two changes of one name are the same move.
func alike(a, b doc.PlanChange) bool {
	return release(a.From) == release(b.From) && release(a.To) == release(b.To)
}

// release is the release of a point, "" where there is none; constraint is what the line says.
func release(p *doc.PlanPoint) string {
	if p == nil {
		return ""
	}
	return p.Version
}

func constraint(p *doc.PlanPoint) string {
	if p == nil {
		return ""
	}
	return p.Constraint
}

func changeCells(s doc.PlanStage, c doc.PlanChange) []cell {
	name := plain(c.Name)
	why := c.Reason.Words
	if c.To != nil && (s.Kind == string(plan.PatchStage) || s.Kind == string(plan.MinorStage)) {
		why = "" // the stage's title says it
	}
	switch {
	case c.To == nil:
		return []cell{name, plain(c.From.Version + " is removed"), plain(""), {why, &faint}}
	case c.From == nil:
		return []cell{name, plain("is added at " + c.To.Version), plain("as " + c.To.Constraint), {why, &faint}}
	}
	line := "line stays " + c.To.Constraint
	if c.From.Constraint != c.To.Constraint {
		line = c.From.Constraint + " becomes " + c.To.Constraint
	}
	return []cell{name, plain(c.From.Version + " to " + c.To.Version), plain(line), {why, &faint}}
}

// deprecated lists what checks warn of, by package.
func (p *Page) deprecated(all []doc.Deprecation) {
	if len(all) == 0 {
		return
	}
	p.Line("")
	p.heading("The checks warn of what a next major takes away")
	var rows [][]cell
	for _, d := range all {
		name := d.Package
		for i, says := range d.Says {
			if i == mostWarned && len(d.Says) > mostWarned+1 {
				rows = append(rows, []cell{plain(""),
					{fmt.Sprintf("and %d more; the logs in .molt/logs have all", len(d.Says)-i), &faint}})
				break
			}
			rows = append(rows, []cell{plain(name), plain(says)})
			name = ""
		}
	}
	p.table("  ", rows)
	p.Line("")
}

// before prints which checks fail on the state before the first stage.
// mostWarned is how many warnings about one package are shown.
const mostWarned = 4
