package yamlfile

import (
	"errors"
	"strings"
	"testing"

	"github.com/goccy/go-yaml"

	"molt/input"
)

// edit opens a text, edits it, and returns what it is then.
func edit(t *testing.T, text string, do func(*Text) error) (string, error) {
	t.Helper()
	y, err := Open("molt.yaml", []byte(text))
	if err != nil {
		t.Fatalf("%q: %v", text, err)
	}
	err = do(y)
	return string(y.Bytes()), err
}

// An edit changes the lines concerned, and everything else stays as people wrote it.
func TestEdits(t *testing.T) {
	const house = "# ours\ngoal: hulk@4   # soon\n\nhold:\n  # old\n  keel: {reason: slow}\n  # next\n  deck: {reason: " +
		"dear}\nbuild: [mast]\n"
	for name, test := range map[string]struct {
		text, want string
		do         func(*Text) error
	}{
		"a value": {house, strings.Replace(house, "hulk@4", "hulk@5", 1),
			func(y *Text) error { return y.Set("$", "goal", "hulk@5", "") }},
		"a key after another": {"stages:\n- id: a\n  status: pending\n", "stages:\n- id: a\n  note: x\n  status: pending\n",
			func(y *Text) error { return y.Set("$.stages[0]", "note", "x", "id") }},
		"a key between braces": {"stages:\n- {id: a}\n", "stages:\n- {id: a, note: x}\n",
			func(y *Text) error { return y.Set("$.stages[0]", "note", "x", "id") }},
		"a value that was not there": {"a: b\ngoal:\n", "a: b\ngoal: x\n",
			func(y *Text) error { return y.Set("$", "goal", "x", "a") }},
		"an item in brackets": {house, strings.Replace(house, "[mast]", "[mast, sail]", 1),
			func(y *Text) error { return y.Append("build", "sail") }},
		"an item of lines": {"build:\n  - mast\n", "build:\n  - \"@skerry/sail\"\n  - mast\n",
			func(y *Text) error { return y.Append("build", "@skerry/sail") }},
		"a list that was not there": {"goal: x", "goal: x\nbuild: [sail]\n",
			func(y *Text) error { return y.Append("build", "sail") }},
		"a list without a value": {"build:  # none yet\ngoal: x\n", "build: [sail] # none yet\ngoal: x\n",
			func(y *Text) error { return y.Append("build", "sail") }},
		"an entry": {house, strings.Replace(house, "  keel:", "  rope: {reason: x}\n  keel:", 1),
			func(y *Text) error { return y.Put("hold", "rope", "{reason: x}") }},
		"an entry between braces": {"hold: {keel: {reason: x}}\n", "hold: {rope: {reason: y}, keel: {reason: x}}\n",
			func(y *Text) error { return y.Put("hold", "rope", "{reason: y}") }},
		"an entry of nothing": {"goal: x\n", "goal: x\nhold:\n  rope: {reason: y}\n",
			func(y *Text) error { return y.Put("hold", "rope", "{reason: y}") }},
		"an entry taken out, without the comment of the next": {house,
			strings.Replace(house, "  keel: {reason: slow}\n", "", 1), func(y *Text) error { return y.Cut("hold", "keel") }},
		"the last entry taken out": {house, strings.Replace(house, "  deck: {reason: dear}\n", "", 1),
			func(y *Text) error { return y.Cut("hold", "deck") }},
		"an entry that is not there":  {house, house, func(y *Text) error { return y.Cut("hold", "rope") }},
		"a mapping that is not there": {"goal: x\n", "goal: x\n", func(y *Text) error { return y.Cut("hold", "rope") }},
	} {
		got, err := edit(t, test.text, test.do)
		if err != nil || got != test.want {
			t.Errorf("%s: %v\n%s\nwant\n%s", name, err, got, test.want)
		}
	}
}

// A form that an edit does not know is an error with its place, and the text stays as it is.
func TestFormsThatAreNotEdited(t *testing.T) {
	for text, do := range map[string]func(*Text) error{
		"build: mast\n":              func(y *Text) error { return y.Append("build", "sail") },
		"build: [a,\n  b]\n":         func(y *Text) error { return y.Append("build", "sail") },
		"hold: [a]\n":                func(y *Text) error { return y.Put("hold", "a", "b") },
		"hold: {a: {b: c}}\n":        func(y *Text) error { return y.Cut("hold", "a") },
		"goal: |\n  x\n":             func(y *Text) error { return y.Set("$", "goal", "y", "") },
		"stages:\n- {id: a}\nx: y\n": func(y *Text) error { return y.Set("$.stages[0]", "note", "x", "title") },
	} {
		got, err := edit(t, text, do)
		var place *input.PositionError
		var form *FormError
		if !errors.As(err, &place) && !errors.As(err, &form) || got != text {
			t.Errorf("%q: %v, %q", text, err, got)
		}
	}
}

func TestPlaces(t *testing.T) {
	y, err := Open("molt.yaml", []byte(
		"goal: hulk@4\nhold:\n  keel: {reason: slow}\nstages:\n- id: a\n  note: b\n- id: c\nrest: x\n"))
	if err != nil {
		t.Fatal(err)
	}
	p := Place{File: "molt.yaml", Tree: y.Tree}
	for _, test := range []struct {
		key  bool
		path []any
		want string
	}{
		{false, []any{"goal"}, "molt.yaml:1:7: no"}, {true, []any{"goal"}, "molt.yaml:1:1: no"},
		{false, []any{"hold", "keel", "reason"}, "molt.yaml:3:18: no"}, {true, []any{"hold", "rope"}, "molt.yaml:2:1: no"},
		{false, []any{"stages", 1, "id"}, "molt.yaml:7:7: no"}, {false, []any{"nothing"}, "molt.yaml:1:1: no"},
	} {
		if err := p.At(test.key, "no", test.path...); err.Error() != test.want {
			t.Errorf("%v: %v, want %s", test.path, err, test.want)
		}
	}
	if at := p.Line("hold", "keel"); at != "molt.yaml:3" {
		t.Errorf("keel is at %q", at)
	}
	if at := p.Line("nothing"); at != "" || p.Value("nothing") != nil || (Place{}).Value("goal") != nil {
		t.Errorf("nothing is at %q", at)
	}
	if err := y.ErrorAt("$.stages[1].note", "no"); err.Error() != "molt.yaml:7:3: no" {
		t.Errorf("above what is missing: %v", err)
	}
	if n := y.Sequence("$.stages"); y.SequenceEnd(n, len(y.Lines)) != 7 || y.SequenceEnd(nil, 3) != 3 ||
		y.End("$.hold") != 3 {
		t.Errorf("the list ends at %d, hold at %d", y.SequenceEnd(n, len(y.Lines)), y.End("$.hold"))
	}
}

// What is written as a string is read back as that string.
func TestString(t *testing.T) {
	for _, s := range []string{"keel", "a/b.c-d", "@skerry/sail", "null", "true", "no", "1.0", "", "a: b", "é\n"} {
		var got map[string]string
		if err := yaml.Unmarshal([]byte("k: "+String(s)+"\n"), &got); err != nil || got["k"] != s {
			t.Errorf("%q is written as %s: %q, %v", s, String(s), got["k"], err)
		}
	}
}

// Mistakes are told in words, at their place.
func TestRead(t *testing.T) {
	type house struct {
		Goal  string
		Build []string
		Hold  map[string]struct{ Reason string }
	}
	for text, says := range map[string]string{
		"goal: [a]\n":                   "molt.yaml:1:",
		"gaol: x\n":                     "1:1: unknown key \"gaol\"",
		"build: x\n":                    "molt.yaml:1:8",
		"hold:\n  a:\n    reasons: x\n": "3:5: unknown key \"reasons\"",
		"goal: x\ngoal: y\n":            "molt.yaml:2:",
		"goal: [\n":                     "molt.yaml:1:",
		"a: &a [x, x]\nb: *c\n":         "molt.yaml:",
	} {
		var h house
		err := Read("molt.yaml", []byte(text), &h, yaml.Strict())
		if err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v, want %q", text, err, says)
		}
	}
	var h house
	if err := Read("molt.yaml", []byte("goal: x\nbuild: [a, b]\n"), &h, yaml.Strict()); err != nil || h.Goal != "x" {
		t.Errorf("%+v, %v", h, err)
	}
	var bomb strings.Builder
	bomb.WriteString("a0: &a0 [x, x, x, x, x, x, x, x, x, x]\n")
	for i := 1; i < 9; i++ {
		n, before := string(rune('0'+i)), string(rune('0'+i-1))
		bomb.WriteString("a" + n + ": &a" + n + " [" + strings.Repeat("*a"+before+", ", 9) + "*a" + before + "]\n")
	}
	var limit *input.LimitError
	if err := Read("molt.yaml", []byte(bomb.String()), new(any)); !errors.As(err, &limit) {
		t.Errorf("a text that expands without end: %v", err)
	}
}
