package text

import (
	"strings"
	"testing"

	"charm.land/lipgloss/v2"

	"molt/doc"
)

// written returns what a page prints, and complains about lines that are too long or end in spaces.
func written(t *testing.T, width int, print func(*Page)) string {
	t.Helper()
	var b strings.Builder
	print(&Page{W: &b, Width: width})
	for line := range strings.Lines(b.String()) {
		line = strings.TrimSuffix(line, "\n")
		if lipgloss.Width(line) > width && strings.Contains(strings.TrimSpace(line), "  ") {
			t.Errorf("%d columns, of %d: %q", lipgloss.Width(line), width, line)
		}
		if strings.TrimRight(line, " ") != line {
			t.Errorf("a line ends in spaces: %q", line)
		}
	}
	return b.String()
}

func TestStepOnAnyWidth(t *testing.T) {
	answer := doc.Step{Stage: doc.PlanStage{ID: "minor", Title: doc.InWords("all minor releases, together"), Changes: []doc.PlanChange{
		{Name: "wakeful-cache", From: &doc.PlanPoint{Constraint: "^2.3.0", Version: "2.3.5"},
			To: &doc.PlanPoint{Constraint: "^2.3.0", Version: "2.5.0"}},
		{Name: "ledgerleaf", From: &doc.PlanPoint{Constraint: "^5.2.0", Version: "5.2.3"},
			To: &doc.PlanPoint{Constraint: "^5.2.0", Version: "5.3.0"}}}},
		Before: []doc.Check{{Name: "lint", Passed: false}, {Name: "tests", Passed: true}},
		Checks: []doc.Check{{Name: "contracts", Task: true, Passed: true, Seconds: 1.25},
			{Name: "lint", Before: true, Says: "exit status 1: two warnings"},
			{Name: "tests", Says: "exit status 1: " + strings.Repeat("a long tale ", 12), Log: ".molt/logs/minor-tests.log"}},
		Notes: []string{"molt.lock is not the one that the plan goes on from; the stage was solved again"},
		Culprit: &doc.Culprit{Check: "tests", Changes: []string{"wakeful-cache"}, Rest: []string{"ledgerleaf"}, Passes: true,
			Trials: []doc.Trial{
				{Changes: []string{"wakeful-cache"}, Outcome: "fails", Ran: true},
				{Changes: []string{"ledgerleaf"}, Outcome: "passes", Ran: true},
				{Changes: []string{"wakeful-cache", "ledgerleaf"}, Outcome: "unsure",
					Says: "it does not resolve without the others"}}}}
	for _, width := range []int{44, 66, 80, 155} {
		text := strings.Join(strings.Fields(written(t, width, func(p *Page) { p.Step(answer) })), " ")
		for _, want := range []string{
			"The state before was checked first: lint failed already; no stage is blamed for that.",
			"minor failed; the files are as they were before it.", "passed contracts (task)",
			"failed lint, as before the stage", "whole output: .molt/logs/minor-tests.log",
			"wakeful-cache makes it fail, found in 2 runs.",
			"unsure wakeful-cache, ledgerleaf (it does not resolve without the others)",
			"molt plan --split minor --apart wakeful-cache"} {
			if !strings.Contains(text, want) {
				t.Errorf("at %d columns %q is missing:\n%s", width, want, text)
			}
		}
	}
	answer.Passed, answer.Culprit, answer.Left = true, nil, 0
	answer.Own = &doc.OwnVersion{From: "1.0.0", To: "1.1.0", Jump: "minor", Why: doc.InWords("keel came")}
	text := written(t, 100, func(p *Page) { p.Step(answer) })
	for _, want := range []string{
		"minor is done: all minor releases, together.", "That was the last stage.",
		"should go from 1.0.0 to 1.1.0 (minor): keel came."} {
		if !strings.Contains(text, want) {
			t.Errorf("%q is missing:\n%s", want, text)
		}
	}
	if text := written(t, 100, func(p *Page) { p.OwnVersion(doc.OwnVersion{}) }); !strings.Contains(
		text, "Nothing calls for another version") {
		t.Error(text)
	}
}

func TestPlanOnAnyWidth(t *testing.T) {
	answer := doc.Plan{Goal: "brackwater@5", Reachable: true, Branch: "upgrade/5", Note: "after the regatta",
		Costs: []doc.Sentence{doc.InWords("without the hold on keel, 1 stage more; it would end at keel 2.0.0")},
		Renewal: &doc.Renewal{Kept: []doc.Sentence{doc.InWords("the order of the stages")},
			Lost:    []doc.Sentence{doc.InWords("what was dropped: it does not resolve")},
			Changed: []doc.Sentence{doc.InWords("keel 2.0.0 was published on 2026-03-31")}},
		Stages: []doc.PlanStage{
			{ID: "patch", Kind: "patch", Title: doc.InWords("all patch releases, together"), Status: "done"},
			{ID: "runtime-5", Kind: "runtime", Title: doc.InWords("raise the runtime"),
				Raise: []doc.Runtime{{Name: "node", Needs: ">=22", By: "brackwater 5.2.1", Deployed: "20.11.1"},
					{Name: "node", Needs: ">=20", By: "keel 2.0.0", Deployed: "20.11.1"},
					{Name: "winch", Needs: ">=3", By: "keel 2.0.0", Deployed: "2.0.0"}}},
			{ID: "goal-5", Kind: "goal", Title: doc.InWords("brackwater 5"), Note: "not in August",
				Family: doc.InWords("one scope, and equal release numbers"),
				Effort: &doc.Effort{Jump: "major", Files: 3, Evidence: "early", Seconds: 12.5},
				Changes: []doc.PlanChange{{Name: "brackwater", From: &doc.PlanPoint{Constraint: "^4.3.2", Version: "4.3.2"},
					To: &doc.PlanPoint{Constraint: "^5.2.1", Version: "5.2.1"}, Reason: doc.InWords("the goal"), Note: "ask Morag"}},
				Advice: []doc.Guidance{{Says: doc.InWords("serve becomes listen"), Found: []string{"src/desk.js:2"}, Source: doc.InWords("the guide (sure)")},
					{Says: doc.InWords("read on"), Link: "https://brackwater.example/5", Source: doc.InWords("the guide (sure)")}}},
		}}
	for _, width := range []int{44, 66, 80, 155} {
		text := strings.Join(strings.Fields(written(t, width, func(p *Page) { p.Plan(answer) })), " ")
		for _, want := range []string{
			"keel 2.0.0 was published on 2026-03-31", "1 of them done already.", "On the branch upgrade/5.",
			"Without the hold on keel, 1 stage more", "x 1 patch",
			"node 20.11.1 is deployed; brackwater 5.2.1 needs >=22 (also keel 2.0.0 >=20).", "winch 2.0.0 is deployed",
			"source: 3 files; weakest evidence: early; checks: 12.5 s",
			"in step: one scope, and equal release numbers", "not in August", "brackwater: ask Morag",
			"advice serve becomes listen in src/desk.js:2", "https://brackwater.example/5; the guide (sure)"} {
			if !strings.Contains(text, want) {
				t.Errorf("at %d columns %q is missing:\n%s", width, want, text)
			}
		}
	}
}
