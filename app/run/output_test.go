package run

import (
	"os"
	"path/filepath"
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
	if len(text) > LogHead+LogTail+100 || !strings.HasSuffix(text, "the end\n") || !strings.Contains(text, "bytes left out") {
		t.Errorf("the log has %d bytes and ends in %q", len(text), text[len(text)-40:])
	}
}
