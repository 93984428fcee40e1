package planfile

import "testing"

// TestStream finds the documents of ecosystems with the lines that they have in the file, and puts
// others in their place.
func TestStream(t *testing.T) {
	const js, python = "# a plan\nmolt-plan: 1\necosystem: js\nstages: []\n",
		"molt-plan: 1\necosystem: python\nstages:\n  - note: |\n      ecosystem: perth\n"
	file := js + "---\n" + python
	if got := string(Document([]byte(file), "js")); got != js {
		t.Errorf("js: %q", got)
	}
	if got := string(Document([]byte(file), "python")); got != "\n\n\n\n\n"+python {
		t.Errorf("python: %q", got)
	}
	if got := Document([]byte(file), "perth"); got != nil {
		t.Errorf("perth: %q", got)
	}
	for _, c := range []struct{ before, ecosystem, part, want string }{
		{"", "js", js, js},
		{js, "python", python, file},
		{file, "python", "\n\n\n\n\n" + python, file},
		{file, "js", "ecosystem: js\n", "ecosystem: js\n---\n" + python},
		{"molt-plan: 1\nstages: []\n", "js", js, js}, // of a time when there was one
		{"# what we want\n---\n" + js, "python", python, "# what we want\n---\n" + file},
		{"---\n" + js + "---\r\n" + python, "js", js, file},
	} {
		if got := string(WithDocument([]byte(c.before), c.ecosystem, []byte(c.part))); got != c.want {
			t.Errorf("%q with %q for %s is %q, want %q", c.before, c.part, c.ecosystem, got, c.want)
		}
	}
}

// TestStreamErrors refuses a file of which one plan is none, though another may be meant.
func TestStreamErrors(t *testing.T) {
	const js, python = "molt-plan: 1\necosystem: js\nstages:\n  - id: a\n",
		"molt-plan: 1\necosystem: python\nstages:\n  - id: b\n"
	known := []string{"js", "python"}
	for _, c := range []struct{ file, want string }{
		{js + "---\n" + python, ""},
		{"# words\n---\n" + js + "---\n" + python + "---\n", ""},
		{"molt-plan: 1\nstages: []\n", ""}, // of a time when there was one
		{js + "---\nmolt-plan: 1\necosystem: python\nstages: [\n", "molt-plan.yaml:8:9: sequence end token ']' not found"},
		{js + "---\nmolt-plan: 1\nstages: []\n",
			"molt-plan.yaml:6:12: this plan does not say for which ecosystem it is: expected ecosystem: js or python"},
		{js + "---\n" + js, "molt-plan.yaml:7:12: this is the second plan for js; each ecosystem has one"},
		{js + "---\nmolt-plan: 1\necosystem: perth\n",
			"molt-plan.yaml:7:12: there are no packages of perth here: expected js or python"},
		{js + "---\nmolt-plan: 1\necosystem: python\nstages:\n  - id: a\n",
			"molt-plan.yaml:9:9: every stage needs an id of its own, and a is in another plan of this file"},
	} {
		got := ""
		if _, err := Stream([]byte(c.file), known); err != nil {
			got = err.Error()
		}
		if got != c.want {
			t.Errorf("%q: %q, want %q", c.file, got, c.want)
		}
	}
}
