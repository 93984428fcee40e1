package text

import (
	"fmt"
	"strings"

	"molt/doc"
	"molt/render"
)

// OwnVersion prints what becomes of the application's own version.
func (p *Page) OwnVersion(answer doc.OwnVersion) {
	switch {
	case answer.To == "":
		p.Line("Nothing calls for another version of the application itself.")
	case answer.Written:
		p.wrapped("", fmt.Sprintf("The application's own version went from %s to %s: %s.", answer.From, answer.To,
			answer.Why))
	default:
		p.wrapped("", fmt.Sprintf("The application's own version should go from %s to %s (%s): %s. molt step --own-version "+
			"writes it.", answer.From, answer.To, answer.Jump, answer.Why))
	}
}

// Trial prints what came of stages in a copy.
func (p *Page) Trial(answer doc.TrialRun) {
	p.before(answer.Before)
	p.deprecated(answer.Deprecated)
	if len(answer.Stages) == 0 {
		p.Line("The plan has no stage that goes ahead of the framework.")
		return
	}
	what := render.Count(len(answer.Stages), "stage") + " up to " + answer.Stages[len(answer.Stages)-1]
	if len(answer.Stages) == 1 {
		what = answer.Stages[0]
	}
	failed := 0
	for _, t := range answer.Each {
		if !t.Passed {
			failed++
		}
	}
	switch {
	case answer.Unchecked != "":
		p.verdict(notice, fmt.Sprintf("%s resolves in a copy and is not checked: %s.", what, answer.Unchecked))
	case answer.Passed && len(answer.Checks) == 0:
		p.verdict(notice, what+" resolves in a copy; molt.yaml names no checks that would judge it.")
	case answer.Passed && answer.Alone:
		p.verdict(good, render.Count(len(answer.Stages), "stage")+
			", each by itself, passed in a copy; the application itself is as it was.")
	case answer.Passed:
		p.verdict(good, what+" passes in a copy; the application itself is as it was.")
	case answer.Alone:
		p.verdict(bad, fmt.Sprintf("%d of %s by themselves do not pass in a copy; the application itself is as it was.",
			failed, render.Count(len(answer.Stages), "stage")))
	case len(answer.Each) > 1:
		p.verdict(bad, fmt.Sprintf("%s fails in a copy, after %s; the application itself is as it was.",
			answer.Each[len(answer.Each)-1].Stage, render.Count(len(answer.Each)-1, "stage")))
	default:
		p.verdict(bad, what+" fails in a copy; the application itself is as it was.")
	}
	for _, t := range answer.Each {
		p.stageTrial(t)
	}
	if len(answer.Each) == 0 {
		for _, c := range answer.Checks {
			p.check(c, false)
		}
	}
	for _, n := range answer.Notes {
		p.wrapped("  ", n)
	}
	if answer.Folder != "" {
		p.wrapped("", "The copy is in "+answer.Folder+".")
	}
	p.Next(answer.Next)
}

// stageTrial prints how a stage went that was tried among others: in a line, and where it failed the checks.
func (p *Page) stageTrial(t doc.StageTrial) {
	word, style := "passed", good
	switch {
	case t.Says != "":
		word, style = "unsure", notice
	case !t.Passed:
		word, style = "failed", bad
	}
	var names []string
	for _, c := range t.Checks {
		names = append(names, c.Name)
		if c.Task {
			names[len(names)-1] += " (task)"
		}
		if c.Before && !c.Passed {
			names[len(names)-1] += " (failed, as before the stage)"
		}
	}
	says := fmt.Sprintf("  %.1f s  %s", t.Seconds, strings.Join(names, ", "))
	switch {
	case t.Says != "":
		says = "  " + t.Says
	case t.Earlier:
		says = "  in an earlier trial, and nothing has changed since"
	case !t.Passed:
		says = fmt.Sprintf("  %.1f s", t.Seconds)
	}
	p.Line("%s", ink("  %s  %s", p.styled(style, word), t.Stage)+p.styled(faint, says))
	if t.Passed || t.Says != "" {
		return
	}
	for _, c := range t.Checks {
		if !c.Passed && !c.Before {
			p.wrapped("          ", c.Name+": "+c.Says)
			p.wrapped("          ", "whole output: "+c.Log)
		}
	}
}

// Step prints what became of a stage.
func (p *Page) Step(answer doc.Step) {
	p.before(answer.Before)
	p.deprecated(answer.Deprecated)
	for _, n := range answer.Notes {
		for _, l := range wrap(n, p.Width) {
			p.Line("%s", p.styled(notice, l))
		}
	}
	switch {
	case answer.Unchecked != "":
		p.verdict(notice, fmt.Sprintf("%s is done and not checked: %s.", answer.Stage.ID, answer.Unchecked))
	case answer.Passed && len(answer.Checks) == 0 && answer.Stage.Raise == nil:
		p.verdict(notice, fmt.Sprintf("%s is done: %s. No check judged it: molt.yaml has none under \"checks:\".",
			answer.Stage.ID, answer.Stage.Title))
	case answer.Passed:
		p.verdict(good, fmt.Sprintf("%s is done: %s.", answer.Stage.ID, answer.Stage.Title))
	case answer.Stage.Raise != nil:
		p.verdict(notice, answer.Stage.ID+" waits for people.")
	default:
		p.verdict(bad, answer.Stage.ID+" failed; the files are as they were before it.")
	}
	if answer.Passed {
		p.changes(doc.PlanStage{Kind: answer.Stage.Kind, Changes: answer.Stage.Changes})
	}
	for _, c := range answer.Checks {
		p.check(c, answer.Stage.Raise != nil)
	}
	for _, n := range answer.Named {
		p.wrapped("  ", fmt.Sprintf("The output names %s, which moves in %s: molt plan --into %s --bring %s has it move here.", n.Package, n.Stage, answer.Stage.ID, n.Package))
	}
	if !answer.Passed {
		p.advice(answer.Stage.Advice)
	}
	p.runs(answer.Runs, answer.Unread)
	if len(answer.Changed) > 0 {
		p.wrapped("  ", "the tasks changed "+strings.Join(answer.Changed, ", "))
	}
	if answer.Culprit != nil {
		p.culprit(answer.Stage.ID, *answer.Culprit)
	}
	if !answer.Passed {
		p.Next(answer.Next)
		return
	}
	if answer.Left == 0 {
		if answer.Elsewhere == "" {
			p.Line("That was the last stage.")
		} else {
			p.Line("That was the last stage of these packages; %s is next.", answer.Elsewhere)
		}
		if answer.Own != nil {
			p.OwnVersion(*answer.Own)
		}
	} else {
		p.Line("%s left.", render.Count(answer.Left, "stage"))
	}
}

// runs prints what runs from now on.
func (p *Page) runs(runs []doc.Run, unread int) {
	if len(runs) == 0 {
		unread = 0 // where nothing is known to run, it is no news that archives are not at hand
	}
	for _, says := range render.Runs(runs, unread) {
		p.wrapped("  ", "new: "+says)
	}
}

// NextStep prints the closing line of a stage that was carried out, where none follows it at once.
func (p *Page) NextStep(answer doc.Step) {
	if answer.Passed {
		p.Next(answer.Next)
	}
}

func (p *Page) before(all []doc.Check) {
	var failed []string
	for _, c := range all {
		if !c.Passed {
			failed = append(failed, c.Name)
		}
	}
	switch {
	case len(all) == 0:
	case failed == nil:
		p.Line("%s", p.styled(faint, fmt.Sprintf(
			"The state before was checked first: %s passed.", render.Count(len(all), "check"))))
	default:
		for _, l := range wrap(fmt.Sprintf(
			"The state before was checked first: %s failed already; no stage is blamed for that.", strings.Join(failed, ", ")),
			p.Width) {
			p.Line("%s", p.styled(notice, l))
		}
	}
}

// check prints one verdict.
func (p *Page) check(c doc.Check, byHand bool) {
	word, style := "passed", good
	switch {
	case c.Passed:
	case byHand:
		word, style = "to do ", notice
	case c.Before:
		word, style = "failed", notice
	default:
		word, style = "failed", bad
	}
	text := ink("  %s  %s", p.styled(style, word), c.Name)
	if c.Task {
		text += p.styled(faint, " (task)")
	}
	if c.Before {
		text += p.styled(notice, ", as before the stage")
	}
	if c.Seconds > 0 {
		text += p.styled(faint, fmt.Sprintf("  %.1f s", c.Seconds))
	}
	p.Line("%s", text)
	if c.Says != "" {
		p.wrapped("          ", c.Says)
	}
	for _, e := range c.Errors {
		p.wrapped("          ", "and "+e)
	}
	if !c.Passed && c.Log != "" {
		p.Line("          whole output: %s", c.Log)
	}
}

// culprit prints which changes make a stage fail.
func (p *Page) culprit(stage string, c doc.Culprit) {
	ran := 0
	for _, t := range c.Trials {
		if t.Ran {
			ran++
		}
	}
	p.Line("")
	verb := "makes"
	if len(c.Changes) > 1 {
		verb = "together make"
	}
	p.verdict(bad, fmt.Sprintf("%s %s it fail, found in %s.", strings.Join(c.Changes, ", "),
		verb, render.Count(ran, "run")))
	for _, n := range c.Notes {
		lines := wrap(n, p.Width-12)
		p.Line("  %s  %s", p.styled(notice, "breaking"), lines[0])
		for _, l := range lines[1:] {
			p.Line("            %s", l)
		}
	}
	if len(c.Uses) > 0 {
		var at []string
		for _, use := range c.Uses {
			place, _, _ := strings.Cut(use, " ")
			at = append(at, place)
		}
		if len(c.Changes) > 1 {
			at = c.Uses
		}
		lead := "imported"
		for _, l := range wrap(strings.Join(at, ", "), p.Width-12) {
			p.Line("  %s  %s", lead, l)
			lead = blanks(len(lead))
		}
	}
	for _, t := range c.Trials {
		style := notice
		switch t.Outcome {
		case "passes":
			style = good
		case "fails":
			style = bad
		}
		says := strings.Join(t.Changes, ", ")
		if t.Outcome == "unsure" && t.Says != "" {
			says += " (" + t.Says + ")"
		}
		for k, l := range wrap(says, p.Width-10) {
			word := t.Outcome
			if k > 0 {
				word = ""
			}
			p.Line("  %s%s  %s", p.styled(style, word), blanks(6-len(word)), l)
		}
	}
	p.Line("")
	switch {
	case len(c.Split) > 0:
		p.wrapped("", fmt.Sprintf("The plan now has %s with what passes, and behind it %s with the culprit.", c.Split[0],
			c.Split[1]))
	case len(c.Rest) == 0 && len(c.Changes) == 1:
		p.Line("It is all that the stage changes.")
	case len(c.Rest) == 0:
		p.Line("No part of the stage fails on its own.")
	case c.Passes:
		p.wrapped("", "The rest passes without it. To put it into a stage of its own:")
		p.Line("  molt plan --split %s --apart %s", stage, strings.Join(c.Changes, ","))
	default:
		p.wrapped("", "The rest does not pass without it either: there is more than one reason to fail, or it does not "+
			"resolve. To look on, put it into a stage of its own:")
		p.Line("  molt plan --split %s --apart %s", stage, strings.Join(c.Changes, ","))
	}
}

// Back prints which stages were taken back.
func (p *Page) Back(d doc.Back) {
	for _, stage := range d.Stages {
		p.Line("undid: %s", stage)
	}
}
