package planfile

import "testing"

// TestStream finds the documents of ecosystems with the lines that they have in the file, and puts others in their place.
func TestStream(t *testing.T) {
	const js, python = "# a plan\nmolt-plan: 1\necosystem: js\nstages: []\n", "molt-plan: 1\necosystem: python\nstages:\n  - note: |\n      ecosystem: perth\n"
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
