package run

import (
	"fmt"
	"io"
	"strings"
	"testing"
)

// Of what a command prints, the verdict shows the line that tells why it failed.
func TestLastLine(t *testing.T) {
	for output, want := range map[string]string{
		"":                 "",
		"one\ntwo\n\n  \n": "two",
		"one\ntwo":         "two",
		"x.js:1\nimport { a } from \"b\";\n         ^\nSyntaxError: no export named 'a'\n    at run (x.js:1)\n\nNode.js " +
			"v20.20.2\n": "SyntaxError: no export named 'a'",
		"Error: first\nError: second\nbye":            "Error: second",
		"TypeError [ERR_X]: it is\n    at y\n":        "TypeError [ERR_X]: it is",
		"  java.lang.IllegalStateException: no\n\tat": "java.lang.IllegalStateException: no",
		"error[E0308]: mismatched types\nmore\n":      "error[E0308]: mismatched types",
		"panic: nil\n\ngoroutine 1\nexit status 2\n":  "panic: nil",
		"0 Errors: none\nall is well\n":               "all is well",
		"no Error here: really\nend\n":                "end",
		"SomethingError:\nthe last\n":                 "the last",
	} {
		l := &LastLine{}
		for i := range output { // in whatever pieces it comes
			_, _ = io.WriteString(writer{l}, output[i:i+1])
		}
		if got := l.String(); got != want {
			t.Errorf("%q says %q, want %q", output, got, want)
		}
	}
}

// Besides that line, it keeps the first others that name errors, each once.
func TestOtherErrors(t *testing.T) {
	l := &LastLine{}
	_, _ = io.WriteString(writer{l}, "Error: one\nError: two\nError: one\nplain\nError: three\nError: two\n")
	if got := strings.Join(l.Others(), "; "); l.String() != "Error: two" || got != "Error: one; Error: three" {
		t.Errorf("it says %q, and others %q", l, got)
	}
	l = &LastLine{}
	for i := range 100 {
		_, _ = fmt.Fprintf(writer{l}, "Error: number %d\n", i)
	}
	if all := l.Others(); len(all) != mostErrors || all[0] != "Error: number 0" || l.String() != "Error: number 99" {
		t.Errorf("of many it says %q, and others %q", l, all)
	}
	if l = (&LastLine{}); l.Others() != nil && len(l.Others()) != 0 {
		t.Errorf("of nothing it says %q", l.Others())
	}
}

type writer struct{ *LastLine }

func (w writer) Write(p []byte) (int, error) { w.LastLine.Write(p); return len(p), nil }
