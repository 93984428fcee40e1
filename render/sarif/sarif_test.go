package sarif

import (
	"encoding/json"
	"strings"
	"testing"

	"molt/core/fact"
	"molt/doc"
)

// TestWrite lists the rules that something is about, once each, and leaves out a place that nobody knows.
func TestWrite(t *testing.T) {
	var b strings.Builder
	err := Write(&b, "1.0", []doc.Located{
		{Rule: "lock", Level: "error", Says: fact.New(fact.Told, "x"), File: "molt.lock"},
		{Rule: "behind", Level: "note", Says: fact.New(fact.Told, "y"), File: "package.json", Line: 3, Column: 5},
		{Rule: "behind", Level: "note", Says: fact.New(fact.Told, "z"), File: "package.json", Line: 4}})
	if err != nil {
		t.Fatal(err)
	}
	var got log
	if err := json.Unmarshal([]byte(b.String()), &got); err != nil {
		t.Fatal(err)
	}
	r := got.Runs[0]
	if len(r.Tool.Driver.Rules) != 2 || r.Tool.Driver.Rules[0].ID != "behind" || r.Results[0].RuleIndex != 1 ||
		r.Results[0].Locations[0].Physical.Region != nil || r.Results[1].Locations[0].Physical.Region.Column != 5 {
		t.Errorf("%s", b.String())
	}
	b.Reset()
	if err := Write(&b, "1.0", nil); err != nil || !strings.Contains(b.String(), `"results": []`) {
		t.Errorf("%v\n%s", err, b.String())
	}
	for name, says := range doc.Rules {
		if !strings.HasSuffix(says, ".") {
			t.Errorf("%s: %q is no sentence", name, says)
		}
	}
}
