package run

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

// The log of an endless output holds its beginning and its end.
func TestLogOfAnEndlessOutput(t *testing.T) {
	name := filepath.Join(t.TempDir(), "big.log")
	f, err := os.Create(name)
	if err != nil {
		t.Fatal(err)
	}
	l := &Log{File: f}
	block := []byte(strings.Repeat("glug ", 1<<17) + "\n")
	for range 100 {
		l.Write(block)
	}
	l.Write([]byte("the end\n"))
	if err := l.Close(); err != nil {
		t.Fatal(err)
	}
	data, err := os.ReadFile(name)
	if err != nil {
		t.Fatal(err)
	}
	text := string(data)
	if len(text) > logHead+logTail+100 || !strings.HasSuffix(text, "the end\n") ||
		!strings.Contains(text, "bytes left out") {
		t.Errorf("the log has %d bytes and ends in %q", len(text), text[len(text)-40:])
	}
}

// Lines that warn of what is deprecated are kept, each once, whatever process or line of a file
// they name; code, and the names of tests, are none.
func TestWarnings(t *testing.T) {
	l := &LastLine{}
	text := `(node:41) [HULL01] DeprecationWarning: hull.open() is deprecated
(node:42) [HULL01] DeprecationWarning: hull.open() is deprecated
ok 3 - the deprecated form still answers
  ✓ shows what is deprecated
keel deprecated keel.send(status): use keel.sendStatus(status) app.js:10:5
src/a.py:3: RemovedInHull5Warning: the old alias
    warnings.warn(OLD_DEPRECATED_MSG, RemovedInHull5Warning)
sail.draw is no longer supported in sail 18
the cargo will be removed in the morning
rope.tie will be removed in version 3
`
	for range 3 {
		l.Write([]byte(text))
	}
	want := []string{"(node:41) [HULL01] DeprecationWarning: hull.open() is deprecated",
		"keel deprecated keel.send(status): use keel.sendStatus(status) app.js:10:5",
		"src/a.py:3: RemovedInHull5Warning: the old alias", "sail.draw is no longer supported in sail 18",
		"rope.tie will be removed in version 3"}
	if got := l.Warnings(); !slices.Equal(got, want) {
		t.Errorf("got %q", got)
	}
	for i := range 100 {
		l.Write(fmt.Appendf(nil, "%c%c is deprecated\n", 'a'+i%26, 'a'+i/26))
	}
	if n := len(l.Warnings()); n != mostWarnings {
		t.Errorf("%d are kept", n)
	}
}
