package junit

import (
	"encoding/xml"
	"strings"
	"testing"

	"molt/doc"
)

// TestTrial has a suite for each stage; what failed before the stage too is skipped, and what was not checked as well.
func TestTrial(t *testing.T) {
	var b strings.Builder
	err := Trial(&b, doc.TrialRun{Before: []doc.Check{{Name: "lint"}}, Each: []doc.StageTrial{
		{Stage: "patch", Checks: []doc.Check{
			{Name: "lint", Before: true, Says: "a < b"}, {Name: "tests", Passed: true, Seconds: 1.25}}},
		{Stage: "goal-5", Checks: []doc.Check{{Name: "tests", Says: "exit status 1\x1b[2J", Log: ".molt/logs/x.log"}}},
		{Stage: "after", Says: "it was not tried"},
	}})
	if err != nil {
		t.Fatal(err)
	}
	got := suites{}
	if err := xml.Unmarshal([]byte(b.String()), &got); err != nil {
		t.Fatalf("%v in\n%s", err, b.String())
	}
	var words []string
	for _, s := range got.Suites {
		words = append(words, s.Name)
		for _, c := range s.Cases {
			word := "passed"
			if c.Failure != nil {
				word = "failed " + c.Failure.Message
			} else if c.Skipped != nil {
				word = "skipped " + c.Skipped.Message
			}
			words = append(words, c.Name+" "+word)
		}
	}
	want := "before; lint failed ; patch; lint skipped failed before the stage too: a < b; tests passed; goal-5; tests " +
		"failed exit status 1[2J; after; checks skipped it was not tried"
	if all := strings.Join(words, "; "); all != want {
		t.Errorf("got  %s\nwant %s", all, want)
	}
}
