package input

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

func TestHarmless(t *testing.T) {
	for text, want := range map[string]string{
		"a\x1b[31mb\x07\u202ec\td\ne\u009b": "a[31mbc\td\ne",
		"\x00\x7f\u0085\u2066\u200f\ufeff":  "",
		"Fähre ⛴":                           "Fähre ⛴",
		"a\xffb":                            "a\uFFFDb",
		"x\U000E0041y":                      "xy",
	} {
		if got := Harmless(text); got != want {
			t.Errorf("Harmless(%q) is %q, want %q", text, got, want)
		}
	}
	if got := OneLine("a\nb\tc\u2028d\x1b"); got != "a b cd" {
		t.Errorf("on one line: %q", got)
	}
}

func FuzzHarmless(f *testing.F) {
	f.Add("a\x1b[2Jb\u202e")
	f.Fuzz(func(t *testing.T, text string) {
		for _, r := range Harmless(text) {
			if r != '\n' && r != '\t' && Obeyed(r) {
				t.Errorf("%q holds %q", Harmless(text), r)
			}
		}
		if strings.ContainsAny(OneLine(text), "\n\r\t") {
			t.Errorf("%q is more than one line", OneLine(text))
		}
	})
}

// What is no file is refused without waiting for it, and a file beyond its limit without reading it.
func TestReadFile(t *testing.T) {
	dir := t.TempDir()
	file := filepath.Join(dir, "file")
	if err := os.WriteFile(file, []byte("12345"), 0o644); err != nil {
		t.Fatal(err)
	}
	if data, err := ReadFile(file, Limit{What: "a test", Bytes: 5}); err != nil || string(data) != "12345" {
		t.Errorf("a file within its limit: %q, %v", data, err)
	}
	var beyond *LimitError
	if _, err := ReadFile(file, Limit{What: "a test", Bytes: 4}); !errors.As(err, &beyond) ||
		!strings.Contains(err.Error(), "a test may hold at most 4 bytes") {
		t.Errorf("a file beyond its limit: %v", err)
	}
	var other *KindError
	if _, err := ReadFile(dir, Manifest); !errors.As(err, &other) || other.Kind != "a folder" {
		t.Errorf("a folder: %v", err)
	}
	if _, err := ReadFile(os.DevNull, Manifest); !errors.As(err, &other) || other.Kind != "a device" {
		t.Errorf("a device: %v", err)
	}
	if _, err := ReadFile(filepath.Join(dir, "none"), Manifest); !errors.Is(err, fs.ErrNotExist) {
		t.Errorf("nothing: %v", err)
	}
}

// What programs print arrives whole, however it is cut, and without what a terminal would obey.
func TestShown(t *testing.T) {
	const text = "10 %\r20 %\r\nFähre\x1b[31m rot\u202e\n⛴\n"
	const want = "10 %\n20 %\nFähre[31m rot\n⛴\n"
	for size := 1; size < 8; size++ {
		var b strings.Builder
		w := Shown(&b)
		for at := 0; at < len(text); at += size {
			if n, err := w.Write([]byte(text[at:min(at+size, len(text))])); err != nil || n == 0 {
				t.Fatal(n, err)
			}
		}
		if b.String() != want {
			t.Errorf("cut in %d: %q", size, b.String())
		}
	}
}

func TestEscapeJSON(t *testing.T) {
	if got := string(EscapeJSON([]byte(
		"{\n\"a\": \"x\u009b\u202e\U000E0041\x7f\"}"))); got != "{\n\"a\": \"x\\u009b\\u202e\\udb40\\udc41\\u007f\"}" {
		t.Errorf("escaped: %s", got)
	}
}

func TestDepth(t *testing.T) {
	var beyond *LimitError
	deep := strings.Repeat("[", Depth) + strings.Repeat("]", Depth)
	lines, dashes := "", strings.Repeat("- ", Depth-1)
	for i := range Depth {
		lines += strings.Repeat(" ", i) + "a:\n"
	}
	for _, fine := range []string{"", deep, `{"a": "[[[{{{\"["}`, strings.Repeat(`{"a": [1]}`, 3*Depth), "{"} {
		if err := JSONDepth("x", []byte(fine)); err != nil {
			t.Errorf("%.40q: %v", fine, err)
		}
	}
	for _, fine := range []string{
		"", deep, lines, dashes + "a\n", strings.Repeat("- a: 1\n  b: 2\n", 3*Depth),
		"a:\n" + strings.Repeat("  x: 1\n", entries), "a: &x 1\nb: *x\n", "[" + strings.Repeat(" ", Line) + "]",
		"a: " + strings.Repeat("b", Line-4)} {
		if err := YAMLDepth("x", []byte(fine)); err != nil {
			t.Errorf("%.40q: %v", fine, err)
		}
	}
	if err := JSONDepth("x", []byte("["+deep+"]")); !errors.As(err, &beyond) {
		t.Errorf("deeper JSON: %v", err)
	}
	if err := JSONDepth("x", []byte("\n\n["+deep+"]")); err == nil || !strings.HasPrefix(err.Error(), "x:3: ") {
		t.Errorf("deeper JSON on line 3: %v", err)
	}
	if err := YAMLDepth("x", []byte("a:\n"+strings.Repeat("  x: 1\n", entries+1))); err == nil ||
		!strings.HasPrefix(err.Error(), fmt.Sprintf("x:%d: ", entries+2)) {
		t.Errorf("one entry too many: %v", err)
	}
	for _, bad := range []string{"[" + deep + "]", lines + strings.Repeat(" ", Depth) + "a:\n", "- " + dashes + "a\n",
		"- - " + dashes, "a:\n" + strings.Repeat("-\n", entries+1), "a: " + strings.Repeat("[] ", Line),
		"a:\n" + strings.Repeat("  x: 1\n", entries+1), "[" + strings.Repeat("x,", entries) + "]",
		"a: &x 1\nb: [" + strings.Repeat("*x,", Aliases+1) + "]\n"} {
		if err := YAMLDepth("x", []byte(bad)); !errors.As(err, &beyond) {
			t.Errorf("%.40q: %v", bad, err)
		}
	}
}

func TestLines(t *testing.T) {
	text := []byte("ab\n\ncd")
	var lines Lines
	for offset, want := range [][2]int{{1, 1}, {1, 2}, {1, 3}, {2, 1}, {3, 1}, {3, 2}, {3, 3}, {3, 3}} {
		if line, column := lines.Place(text, offset); line != want[0] || column != want[1] {
			t.Errorf("%d is at %d:%d, want %v", offset, line, column, want)
		}
	}
}
