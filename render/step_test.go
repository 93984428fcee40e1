package render

import (
	"strings"
	"testing"

	"charm.land/lipgloss/v2"
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
	doc := StepDoc{Stage: PlanStage{ID: "minor", Title: "all minor releases, together", Changes: []PlanChange{
		{Name: "wakeful-cache", From: &PlanPoint{"^2.3.0", "2.3.5"}, To: &PlanPoint{"^2.3.0", "2.5.0"}}, {Name: "ledgerleaf", From: &PlanPoint{"^5.2.0", "5.2.3"}, To: &PlanPoint{"^5.2.0", "5.3.0"}}}},
		Before: []CheckDoc{{Name: "lint", Passed: false}, {Name: "tests", Passed: true}},
		Checks: []CheckDoc{{Name: "contracts", Task: true, Passed: true, Seconds: 1.25}, {Name: "lint", Before: true, Says: "exit status 1: two warnings"},
			{Name: "tests", Says: "exit status 1: " + strings.Repeat("a long tale ", 12), Log: ".molt/logs/minor-tests.log"}},
		Notes: []string{"molt.lock is not the one that the plan goes on from; the stage was solved again"},
		Culprit: &CulpritDoc{Check: "tests", Changes: []string{"wakeful-cache"}, Rest: []string{"ledgerleaf"}, Passes: true, Trials: []TrialDoc{
			{Changes: []string{"wakeful-cache"}, Outcome: "fails", Ran: true}, {Changes: []string{"ledgerleaf"}, Outcome: "passes", Ran: true},
			{Changes: []string{"wakeful-cache", "ledgerleaf"}, Outcome: "unsure", Says: "it does not resolve without the others"}}}}
	for _, width := range []int{44, 66, 80, 155} {
		text := strings.Join(strings.Fields(written(t, width, func(p *Page) { p.Step(doc) })), " ")
		for _, want := range []string{"The state before was checked first: lint failed already; no stage is blamed for that.", "minor failed; the files are as they were before it.", "passed contracts (task)",
			"failed lint, as before the stage", "whole output: .molt/logs/minor-tests.log", "wakeful-cache makes it fail, found in 2 runs.", "unsure wakeful-cache, ledgerleaf (it does not resolve without the others)",
			"molt plan --split minor --apart wakeful-cache"} {
			if !strings.Contains(text, want) {
				t.Errorf("at %d columns %q is missing:\n%s", width, want, text)
			}
		}
	}
	doc.Passed, doc.Culprit, doc.Left = true, nil, 0
	doc.Own = &OwnVersionDoc{From: "1.0.0", To: "1.1.0", Jump: "minor", Why: "keel came"}
	text := written(t, 100, func(p *Page) { p.Step(doc) })
	for _, want := range []string{"minor is done: all minor releases, together.", "That was the last stage.", "should go from 1.0.0 to 1.1.0 (minor): keel came."} {
		if !strings.Contains(text, want) {
			t.Errorf("%q is missing:\n%s", want, text)
		}
	}
	if text := written(t, 100, func(p *Page) { p.OwnVersion(OwnVersionDoc{}) }); !strings.Contains(text, "Nothing calls for another version") {
		t.Error(text)
	}
}

func TestPlanOnAnyWidth(t *testing.T) {
	doc := PlanDoc{Goal: "brackwater@5", Reachable: true, Branch: "upgrade/5", Note: "after the regatta", Costs: []string{"without the hold on keel, 1 stage more; it would end at keel 2.0.0"},
		Renewal: &RenewalDoc{Kept: []string{"the order of the stages"}, Lost: []string{"what was dropped: it does not resolve"}, Changed: []string{"keel 2.0.0 was published on 2026-03-31"}},
		Stages: []PlanStage{
			{ID: "patch", Kind: "patch", Title: "all patch releases, together", Status: "done"},
			{ID: "runtime-5", Kind: "runtime", Title: "raise the runtime", Raise: []RuntimeDoc{{Name: "node", Needs: ">=22", By: "brackwater 5.2.1", Deployed: "20.11.1"},
				{Name: "node", Needs: ">=20", By: "keel 2.0.0", Deployed: "20.11.1"}, {Name: "winch", Needs: ">=3", By: "keel 2.0.0", Deployed: "2.0.0"}}},
			{ID: "goal-5", Kind: "goal", Title: "brackwater 5", Note: "not in August", Family: "one scope, and equal release numbers", Effort: &EffortDoc{Jump: "major", Files: 3, Evidence: "early", Seconds: 12.5},
				Changes: []PlanChange{{Name: "brackwater", From: &PlanPoint{"^4.3.2", "4.3.2"}, To: &PlanPoint{"^5.2.1", "5.2.1"}, Reason: "the goal", Note: "ask Morag"}},
				Advice:  []GuidanceDoc{{Says: "serve becomes listen", Found: []string{"src/desk.js:2"}, Source: "the guide (sure)"}, {Says: "read on", Link: "https://brackwater.example/5", Source: "the guide (sure)"}}},
		}}
	for _, width := range []int{44, 66, 80, 155} {
		text := strings.Join(strings.Fields(written(t, width, func(p *Page) { p.Plan(doc) })), " ")
		for _, want := range []string{"keel 2.0.0 was published on 2026-03-31", "1 of them done already.", "On the branch upgrade/5.", "Without the hold on keel, 1 stage more", "x 1 patch",
			"node 20.11.1 is deployed; brackwater 5.2.1 needs >=22 (also keel 2.0.0 >=20).", "winch 2.0.0 is deployed", "source: 3 files; evidence at its weakest: early; checks: 12.5 s",
			"in step: one scope, and equal release numbers", "not in August", "brackwater: ask Morag", "advice serve becomes listen in src/desk.js:2", "https://brackwater.example/5; the guide (sure)"} {
			if !strings.Contains(text, want) {
				t.Errorf("at %d columns %q is missing:\n%s", width, want, text)
			}
		}
	}
}
