package md

import (
	"errors"
	"molt/doc"
	"strings"
	"testing"
)

func TestEscape(t *testing.T) {
	for text, want := range map[string]string{
		"@skerry/words": "@<!-- -->skerry/words", "a|b": "a\\|b", "<b>": "&lt;b>", "no mention": "no mention",
		"brackwater@5": "brackwater@<!-- -->5"} {
		if got := escapeMarkdown(text); got != want {
			t.Errorf("%s becomes %s, want %s", text, got, want)
		}
	}
}

// Sentences that carry what comes from outside are literal too.
func TestSentencesAreLiteral(t *testing.T) {
	hostile := doc.InWords("<img src=x> **bold** [x](y)")
	var b strings.Builder
	plan := doc.Plan{Goal: "hull@2", Wall: []doc.Sentence{hostile}, Stages: []doc.PlanStage{{ID: "a", Title: hostile}}}
	step := doc.Step{Stage: doc.PlanStage{ID: "a", Title: hostile}, Passed: true}
	assess := doc.Assess{Waits: []doc.Wait{{Package: "keel", For: hostile}}}
	if err := errors.Join(Plan(&b, plan), Step(&b, step), Assess(&b, assess)); err != nil {
		t.Fatal(err)
	}
	for _, raw := range []string{"<img", "**bold**", " [x]("} {
		if strings.Contains(b.String(), raw) {
			t.Errorf("%s is not literal in\n%s", raw, b.String())
		}
	}
	if strings.Count(b.String(), "&lt;img") < 3 {
		t.Errorf("the sentences are missing in\n%s", b.String())
	}
}
