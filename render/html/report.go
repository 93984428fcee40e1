package html

import (
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"molt/core/plan"
	"molt/core/project"
	"molt/core/version"
	"molt/doc"
	"molt/render"
)

// Report writes reports as one page: one for each ecosystem of the application.
func Report(w io.Writer, all []doc.Report) error {
	p := &page{}
	title := all[0].Survey.Application
	if title == "" {
		title = "Report"
	}
	p.put(`<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><title>%s, %s</title><style>%s</style></head><body><main>`+"\n", title, all[0].On, markup(style))
	for i, d := range all {
		p.report(d, i, len(all))
	}
	p.put("</main><script>%s</script></body></html>\n", markup(script))
	_, err := io.WriteString(w, p.String())
	return err
}

func (p *page) report(d doc.Report, n, of int) {
	id := func(part string) string { return fmt.Sprintf("%s-%d", part, n+1) }
	head := "h1"
	if n > 0 {
		head = "h2"
	}
	if of > 1 {
		p.put(`<p class="soft">Packages of %s</p>`, d.Ecosystem)
	}
	p.put("<%s>%s</%s>\n", markup(head), d.Sentence.Words, markup(head))
	p.put(`<p class="soft">Made by Molt on %s.</p>`, d.On)
	p.put(`<nav aria-label="%s">`, strings.TrimSpace("Parts of this report "+d.Ecosystem))
	link := func(part, title string, there bool) {
		if there {
			p.put(`<a href="#%s">%s</a>`, id(part), title)
		}
	}
	tangled := d.Assess != nil && d.Assess.Untangle != nil
	link("way", "The way", d.Plan != nil)
	link("tangle", "What is in the way", tangled)
	link("standing", "Standings", d.Assess != nil)
	link("moved", "What moved", len(d.Carried) > 0)
	link("lag", "Lag", len(d.Lag) > 1)
	link("stand", "Where it stands", true)
	p.put("</nav>")
	if n == 0 {
		p.put(`<p class="tools"></p>` + "\n")
	}
	if tangled {
		p.put(`<h2 id="%s">What is in the way</h2>`, id("tangle"))
		p.untangle(*d.Assess.Untangle)
	}
	if d.Plan != nil {
		p.put(`<h2 id="%s">The way to %s</h2>`, id("way"), d.Plan.Goal)
		p.plan(*d.Plan, d.Planned)
	}
	if d.Assess != nil {
		p.put(`<h2 id="%s">Standings towards %s %s</h2>`, id("standing"), d.Assess.Goal.Name, d.Assess.Goal.Constraint)
		p.assess(*d.Assess)
		for _, one := range d.Assess.Apart {
			p.put(`<h2>Standings towards %s %s</h2>`, one.Goal.Name, one.Goal.Constraint)
			p.standings(one.Packages)
		}
	}
	if len(d.Carried) > 0 {
		p.put(`<h2 id="%s">What moved, and when</h2>`, id("moved"))
		p.carried(d.Carried)
	}
	if len(d.Lag) > 1 {
		p.put(`<h2 id="%s">Releases behind, over time</h2><p class="soft">Stable releases of declared packages that were not taken, measured against what is published on %s.</p>`, id("lag"), d.On)
		p.lag(d.Lag)
	}
	p.put(`<h2 id="%s">Where it stands</h2>`, id("stand"))
	p.survey(d.Survey)
}

// untangle writes what excludes what, and the ways out.
func (p *page) untangle(d doc.Untangle) {
	for _, name := range d.Blocked {
		p.put(`<p class="way">%s.</p>`, project.Blocks(name, d.Goal, slices.Contains(d.Held, name)))
	}
	for _, c := range d.Contested {
		p.put(`<h3>%s: no release fits all who ask for it</h3><ul>`, c.Name)
		for _, s := range c.Sides {
			asks := s.Constraint
			if s.Peer {
				asks += " as a peer"
			}
			p.put("<li>%s", strings.TrimSpace(s.By+" "+s.Releases+" "+c.Says))
			if asks != "" {
				p.put(" asks for <code>%s</code>", asks)
			}
			if s.Admits != "" {
				p.put(`, which matches %s`, s.Admits)
			}
			for k := len(s.Chain) - 1; k >= 0; k-- {
				where := render.Declarer(s.Chain[k])
				if where == "" {
					where = s.Chain[k].By
				}
				if where != "" {
					p.put(`<br><span class="soft">asked for by %s</span>`, where)
				}
			}
			p.put("</li>")
		}
		p.put("</ul>")
	}
	if len(d.Ways) == 0 {
		p.put("<p>No way out was found among the releases that are published.</p>")
		return
	}
	p.put("<h3>Ways out, each of them solved</h3><ol>")
	for _, way := range d.Ways {
		p.put("<li>%s", way.Title)
		if way.Command != "" {
			p.put("<br><code>%s</code>", way.Command)
		}
		p.put("</li>")
	}
	p.put("</ol>\n")
}

func (p *page) plan(d doc.Plan, file bool) {
	switch {
	case len(d.Stages) == 0 && d.Reachable:
		p.put(`<p class="good">It is reached; there is nothing to do.</p>`)
		return
	case !d.Reachable:
		p.put(`<p class="way">It cannot be reached today; %s can be done already.</p>`, render.Count(len(d.Stages), "stage"))
	}
	if !file {
		p.put(`<p class="soft">There is no plan yet; this is what molt plan would write.</p>`)
	}
	p.path(d)
	p.put("<ol>")
	for _, s := range d.Stages {
		word, class := "to do", "soft"
		switch {
		case s.Status == doc.Done:
			word, class = "done", "good"
		case s.Raise != nil:
			word, class = "by hand", "look"
		case s.After:
			word = "after the goal"
		}
		p.put(`<li><details><summary>%s: %s <span class="%s">%s</span></summary>`, s.ID, s.Title, class, word)
		var facts []string
		if s.Locked != nil {
			facts = append(facts, fmt.Sprintf("lock: %d moved, %d added, %d removed", s.Locked.Moved, s.Locked.Added,
				s.Locked.Removed))
		}
		if e := s.Effort; e != nil {
			if e.Files > 0 {
				facts = append(facts, "imported in "+render.Count(e.Files, "source file"))
			}
			if e.Evidence != "" {
				facts = append(facts, "weakest evidence: "+e.Evidence)
			}
			if e.Seconds > 0 {
				facts = append(facts, fmt.Sprintf("checks took %.1f s", e.Seconds))
			}
		}
		p.put(`<p class="soft">%s</p><ul>`, strings.Join(facts, "; "))
		for _, c := range s.Changes {
			switch {
			case c.To == nil:
				p.put("<li>%s is removed", c.Name)
			case c.From == nil:
				p.put("<li>%s is added at %s", c.Name, c.To.Version)
			default:
				p.put("<li>%s %s to %s", c.Name, c.From.Version, c.To.Version)
			}
			if c.Reason.Words != "" && s.Kind != string(plan.PatchStage) && s.Kind != string(plan.MinorStage) {
				// the title says it there
				p.put(`<br><span class="soft">%s</span>`, c.Reason)
			}
			p.put("</li>")
		}
		for _, r := range s.Raise {
			p.put("<li>raise %s: %s needs %s, and %s is deployed</li>", r.Name, r.By, r.Needs, r.Deployed)
		}
		for _, a := range s.Advice {
			p.put(`<li><span class="look">advice</span> %s</li>`, a.Says)
		}
		p.put("</ul></details></li>")
	}
	p.put("</ol>\n")
	var rows [][]markup
	for _, b := range d.Behind {
		rows = append(rows, []markup{made("%s", b.Name), made("%s", b.At), made("%s", b.Newest), made("%s", b.Why)})
	}
	p.table("What stays behind its newest major", []string{"package", "at", "newest", "because"}, rows)
}

// meanings say what a standing is, and how it is coloured.
var meanings = map[project.Standing][2]string{
	project.Blocked:  {"no release that it may have is compatible", "way"},
	project.Together: {"moves with the framework", ""}, project.Bridge: {"can be upgraded first", ""},
	project.Retires: {"renamed, abandoned, or part of another package", "look"},
	project.Leaves:  {"nothing needs it any more", ""}, project.Ready: {"stays as it is", "good"},
	project.Silent: {"says nothing of the framework", ""}, project.Elsewhere: {"not from the registry", ""},
}

func (p *page) assess(d doc.Assess) {
	for _, r := range d.Runtime {
		if !r.Met {
			deployed := "what is deployed is unknown"
			if r.Deployed != "" {
				deployed = r.Deployed + " is deployed"
			}
			p.put(`<p class="look">%s needs %s %s; %s.</p>`, r.By, r.Name, r.Needs, deployed)
		}
	}
	p.standings(d.Packages)
}

func (p *page) standings(packages []doc.Assessed) {
	var rows [][]markup
	for _, standing := range []project.Standing{
		project.Blocked, project.Together, project.Bridge, project.Retires, project.Leaves, project.Ready, project.Silent,
		project.Elsewhere} {
		for _, a := range packages {
			if a.Standing != standing {
				continue
			}
			var evidence []markup
			for _, e := range a.Evidence {
				evidence = append(evidence, made("%s: %s", string(e.Grade), e.Says))
			}
			move := a.Locked
			if a.To != "" {
				move += " to " + a.To
			}
			m := meanings[standing]
			rows = append(rows, []markup{made("%s", a.Name),
				made(`<span class="%s">%s</span><br><span class="soft">%s</span>`, m[1], string(standing), m[0]), made("%s", move),
				join(evidence, "<br>")})
		}
	}
	p.table("Every declared package, and what its standing rests on", []string{"package", "standing", "move", "evidence"},
		rows)
}

func (p *page) carried(all []doc.CarriedOut) {
	p.put("<ol>")
	for _, c := range all {
		p.put(`<li><details><summary>%s <span class="soft">%s`, c.Stage, c.At.Format(time.DateOnly))
		if len(c.Commit) > 10 {
			p.put(", commit %s", c.Commit[:10])
		}
		p.put("</span></summary><ul>")
		for _, m := range c.Moved {
			p.put("<li>%s %s %s", string(m.Kind), m.Name, strings.Join(m.From, ", "))
			if len(m.From) > 0 && len(m.To) > 0 {
				p.put(" to ")
			}
			p.put("%s</li>", strings.Join(m.To, ", "))
		}
		if len(c.Moved) == 0 {
			p.put("<li>nothing in the lock</li>")
		}
		p.put("</ul></details></li>")
	}
	p.put("</ol>\n")
}

func (p *page) survey(d doc.Survey) {
	var rows [][]markup
	var current []string
	for _, jump := range []version.Jump{version.Major, version.Minor, version.Patch, version.Pre} {
		for _, r := range d.Packages {
			if r.Jump == jump && r.Newest != "" && r.Locked != "" {
				rows = append(rows, []markup{made("%s", r.Name), made("%s", jump.String()), made("%s", r.Declared),
					made("%s", r.Locked), made("%s", r.Best), made("%s", r.Newest), made("%d", r.Releases)})
			}
		}
	}
	for _, r := range d.Packages {
		if r.Jump == version.Same || r.Jump == version.Back {
			current = append(current, r.Name)
		}
	}
	p.table("Packages that are behind",
		[]string{"package", "by a", "declared", "locked", "in range", "newest", "releases behind"}, rows)
	if current != nil {
		p.put("<p>Current: %s.</p>\n", strings.Join(current, ", "))
	}
}
