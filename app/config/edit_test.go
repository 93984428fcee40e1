package config

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"molt/app/planfile"
	"molt/core/plan"
	"molt/core/project"
	"molt/input"
	"time"
)

func TestEditConfig(t *testing.T) {
	tests := []struct{ name, text, want string }{
		{"no file", "", "previews: [deck]\n"},
		{"no key", "goal: hulk@4 # soon\n", "goal: hulk@4 # soon\npreviews: [deck]\n"},
		{"no final newline", "goal: hulk@4", "goal: hulk@4\npreviews: [deck]\n"},
		{"a flow list", "previews: [keel]   # tried\n", "previews: [keel, deck]   # tried\n"},
		{"an empty flow list", "previews: []\n", "previews: [deck]\n"},
		{"a block list", "previews:\n  - keel # tried\ngoal: hulk@4\n",
			"previews:\n  - deck\n  - keel # tried\ngoal: hulk@4\n"},
	}
	for _, test := range tests {
		if got, err := Edit(test.text, Change{Previews: []string{"deck"}}); err != nil || got != test.want {
			t.Errorf("%s: %q, %v, want %q", test.name, got, err, test.want)
		}
	}
	if got, err := Edit("goal: x\n", Change{Previews: []string{"@quay/rope"}}); err != nil ||
		!strings.Contains(got, "[\"@quay/rope\"]") {
		t.Errorf("a scoped name: %q, %v", got, err)
	}
	var usage *input.UsageError
	if _, err := Edit("previews: \n    [keel,\n     mast]\n", Change{Previews: []string{"deck"}}); !errors.As(
		err, &usage) || !strings.Contains(err.Error(), "add deck under") {
		t.Errorf("a list in a form that is not edited: %v", err)
	}
	for _, text := range []string{
		"hold:\n  keel: {reason: slow}\n  deck: {reason: not yet}\ngoal: hulk@4\n",
		"hold:\n  keel: {reason: slow}\n  deck:\n    reason: not yet\n    until: 2027-01-01\ngoal: hulk@4\n",
		"hold:\n  deck:\n    until: 2027-01-01\n    reason: not yet\n  keel: {reason: slow}\ngoal: hulk@4\n",
		"hold:\n  \"deck\":\n    reason: >\n      not\n      yet\n  # slow\n  keel: {reason: slow}\ngoal: hulk@4\n",
	} {
		got, err := Edit(text, Change{Unhold: []string{"deck"}})
		if err != nil || strings.Contains(got, "deck") || !strings.Contains(got, "keel: {reason: slow}") ||
			!strings.Contains(got, "goal: hulk@4") {
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
		{"others are held", "hold: # ours\n    # rig\n    mast: {reason: x}\ngoal: a@1\n",
			"hold: # ours\n    # rig\n    " + line + "    mast: {reason: x}\ngoal: a@1\n"},
		{"an empty map", "hold: {} # none yet\ngoal: a@1\n", "hold: # none yet\n  " + line[:len(line)-1] + "\ngoal: a@1\n"},
		{"no map", "goal: a@1\nhold:\n", "goal: a@1\nhold:\n  " + line},
		{"braces", "hold: {mast: {reason: x}}\n",
			"hold: {keel: {reason: \"not yet\", until: 2027-01-31}, mast: {reason: x}}\n"},
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

// Waivers are written like holds, and read with their ends.
func TestWaivers(t *testing.T) {
	ways := []project.Waiver{{Package: "@quay/rope", Of: "hulk", Reason: "we ran it: twice"}}
	got, err := Edit("goal: hulk@4\nwaive:\n  lamp on hulk: {reason: so did we, until: 2026-01-31} # Morag\n",
		Change{Waive: ways})
	if err != nil || !strings.Contains(got, "lamp on hulk: {reason: so did we, until: 2026-01-31} # Morag\n") {
		t.Fatalf("%q, %v", got, err)
	}
	c, err := Read(File, []byte(got))
	if err != nil || c.Waive["@quay/rope on hulk"].Reason != "we ran it: twice" {
		t.Fatalf("%+v, %v", c.Waive, err)
	}
	for _, test := range []struct {
		day  string
		want string
	}{
		{"2026-01-31", "[{@quay/rope hulk we ran it: twice} {lamp hulk so did we}] []"},
		{"2026-02-02", "[{@quay/rope hulk we ran it: twice}] [lamp on hulk]"},
	} {
		now, err := time.Parse(time.DateOnly, test.day)
		if err != nil {
			t.Fatal(err)
		}
		all, ended := c.Waived(now)
		if got := fmt.Sprint(all, ended); got != test.want {
			t.Errorf("on %s: %s, want %s", test.day, got, test.want)
		}
	}
	for text, says := range map[string]string{
		"waive: {lamp on hulk: {until: 2026-01-31}}":            "1:9: \"lamp on hulk\": a waiver needs a reason",
		"waive: {lamp: {reason: x}}":                            "expected a package and what it asks something of",
		"waive: {lamp on lamp: {reason: x}}":                    "expected a package and what it asks something of",
		"waive: {\" on hulk\": {reason: x}}":                    "expected a package and what it asks something of",
		"waive: {lamp on hulk: {reason: x, until: tomorrow}}":   "expected a date such as 2027-01-31",
		"waive: {lamp on hulk: {reason: x, since: 2026-01-31}}": "since",
		"waive: [lamp on hulk]":                                 "1:8",
		"stages: {caps: raise}":                                 "expected lift",
		"hold: {lamp: {until: 2026-01-31}}":                     "a hold needs a reason",
	} {
		if _, err := Read(File, []byte(text+"\n")); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v, want %s", text, err, says)
		}
	}
	if cut := (Stages{Fresh: "minor", Leap: true, Bridges: "apart", Caps: "lift"}).Cut(); cut.Fresh != plan.FreshMinor ||
		!cut.Leap || !cut.Apart {
		t.Errorf("the cut is %+v", cut)
	}
	// Who is meant has to be there, or nothing like it.
	for text, says := range map[string]string{
		"waive: {lampp on hulk: {reason: x}}": "did you mean lamp?",
		"waive: {later on hulk: {reason: x}}": "",
	} {
		c, err := Read(File, []byte(text+"\n"))
		if err != nil {
			t.Fatal(err)
		}
		if err := c.CheckNames(c.Place, []string{"lamp", "hulk"}, []string{"oar"}); (err == nil) != (says == "") ||
			err != nil && !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", text, err)
		}
	}
}
