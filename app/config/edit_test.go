package config

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"molt/app/planfile"
	"molt/input"
)

func TestEditConfig(t *testing.T) {
	tests := []struct{ name, text, want string }{
		{"no file", "", "previews: [deck]\n"},
		{"no key", "goal: hulk@4 # soon\n", "goal: hulk@4 # soon\npreviews: [deck]\n"},
		{"no final newline", "goal: hulk@4", "goal: hulk@4\npreviews: [deck]\n"},
		{"a flow list", "previews: [keel]   # tried\n", "previews: [keel, deck]   # tried\n"},
		{"an empty flow list", "previews: []\n", "previews: [deck]\n"},
		{"a block list", "previews:\n  - keel # tried\ngoal: hulk@4\n", "previews:\n  - deck\n  - keel # tried\ngoal: hulk@4\n"},
	}
	for _, test := range tests {
		if got, err := Edit(test.text, Change{Previews: []string{"deck"}}); err != nil || got != test.want {
			t.Errorf("%s: %q, %v, want %q", test.name, got, err, test.want)
		}
	}
	if got, err := Edit("goal: x\n", Change{Previews: []string{"@quay/rope"}}); err != nil || !strings.Contains(got, "[\"@quay/rope\"]") {
		t.Errorf("a scoped name: %q, %v", got, err)
	}
	var usage *input.UsageError
	if _, err := Edit("previews: \n    [keel,\n     mast]\n", Change{Previews: []string{"deck"}}); !errors.As(err, &usage) || !strings.Contains(err.Error(), "add deck under") {
		t.Errorf("a list in a form that is not edited: %v", err)
	}
	for _, text := range []string{
		"hold:\n  keel: {reason: slow}\n  deck: {reason: not yet}\ngoal: hulk@4\n",
		"hold:\n  keel: {reason: slow}\n  deck:\n    reason: not yet\n    until: 2027-01-01\ngoal: hulk@4\n",
		"hold:\n  deck:\n    until: 2027-01-01\n    reason: not yet\n  keel: {reason: slow}\ngoal: hulk@4\n",
		"hold:\n  \"deck\":\n    reason: >\n      not\n      yet\n  # slow\n  keel: {reason: slow}\ngoal: hulk@4\n",
	} {
		got, err := Edit(text, Change{Unhold: []string{"deck"}})
		if err != nil || strings.Contains(got, "deck") || !strings.Contains(got, "keel: {reason: slow}") || !strings.Contains(got, "goal: hulk@4") {
			t.Errorf("without the hold %q became %q, %v", text, got, err)
		}
	}
}

func TestAddHold(t *testing.T) {
	h := Hold{Reason: "not yet", Until: "2027-01-31"}
	const line = "keel: {reason: \"not yet\", until: 2027-01-31}\n"
	for _, test := range []struct{ name, before, after string }{
		{"an empty file", "", "hold:\n  " + line},
		{"no line end", "goal: keel@2", "goal: keel@2\nhold:\n  " + line},
		{"others are held", "hold: # ours\n    # rig\n    mast: {reason: x}\ngoal: a@1\n", "hold: # ours\n    # rig\n    " + line + "    mast: {reason: x}\ngoal: a@1\n"},
		{"an empty map", "hold: {} # none yet\ngoal: a@1\n", "hold: # none yet\n  " + line[:len(line)-1] + "\ngoal: a@1\n"},
		{"no map", "goal: a@1\nhold:\n", "goal: a@1\nhold:\n  " + line},
		{"braces", "hold: {mast: {reason: x}}\n", "hold: {keel: {reason: \"not yet\", until: 2027-01-31}, mast: {reason: x}}\n"},
	} {
		got, err := AddHold(test.before, "keel", h)
		if err != nil || got != test.after {
			t.Errorf("%s: got\n%q\nwant\n%q", test.name, got, test.after)
		}
		c, err := Read(File, []byte(got))
		if err != nil || c.Hold["keel"] != h {
			t.Errorf("%s: read again it is %v, %v", test.name, c.Hold, err)
		}
	}
	for _, s := range []string{"plain", "@quay/lamp", "yes", "null", "a: b", "# x", `quo"te`, "zwölf"} {
		text, err := AddHold("", s, Hold{Reason: s})
		if err != nil {
			t.Fatal(err)
		}
		c, err := Read(File, []byte(text))
		if err != nil || c.Hold[s].Reason != s {
			t.Errorf("%q comes back as %v, %v", s, c.Hold, err)
		}
	}
}

// A text of a few lines that would become an endless one is refused before anybody expands it.
func TestYAMLThatExpands(t *testing.T) {
	text := "hold: {a: &a [x,x,x,x,x,x,x,x,x]"
	for c := 'b'; c < 'q'; c++ {
		text += fmt.Sprintf(", %c: &%c [%s*%c]", c, c, strings.Repeat(fmt.Sprintf("*%c,", c-1), 8), c-1)
	}
	text += "}\n"
	var beyond *input.LimitError
	if _, err := Read("molt.yaml", []byte(text)); !errors.As(err, &beyond) {
		t.Errorf("a configuration: %v", err)
	}
	if _, err := planfile.Read("molt-plan.yaml", []byte(text)); !errors.As(err, &beyond) {
		t.Errorf("a plan: %v", err)
	}
	if _, err := Read("molt.yaml", []byte("checks:\n  - &a {name: x, run: y}\n")); err != nil {
		t.Errorf("an anchor: %v", err)
	}
}
