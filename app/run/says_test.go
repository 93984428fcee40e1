package run

import (
	"io"
	"testing"
)

// Of what a command prints, the verdict shows the line that tells why it failed.
func TestLastLine(t *testing.T) {
	for output, want := range map[string]string{
		"":                 "",
		"one\ntwo\n\n  \n": "two",
		"one\ntwo":         "two",
		"x.js:1\nimport { a } from \"b\";\n         ^\nSyntaxError: no export named 'a'\n    at run (x.js:1)\n\nNode.js v20.20.2\n": "SyntaxError: no export named 'a'",
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

type writer struct{ *LastLine }

func (w writer) Write(p []byte) (int, error) { w.LastLine.Write(p); return len(p), nil }
