package input

import (
	"bytes"
	"io"
	"unicode/utf8"
)

// Shown returns a writer that passes on what other programs print, made harmless. A carriage return
// begins a new line, so that what a program would have overwritten is read one below the other.
func Shown(w io.Writer) io.Writer { return &shown{w: w} }

type shown struct {
	w        io.Writer
	open     []byte // the beginning of a character of which the rest is still to come
	returned bool   // the last character was a carriage return
}

// Write makes text harmless and passes it on. It always takes all of it.
func (s *shown) Write(p []byte) (int, error) {
	text := append(s.open, p...)
	s.open = nil
	if n := incomplete(text); n > 0 {
		s.open = bytes.Clone(text[len(text)-n:])
		text = text[:len(text)-n]
	}
	if !s.returned && !bytes.ContainsFunc(text, func(r rune) bool { return r != '\n' && (r < ' ' || r > '~') }) {
		// most of what is printed
		_, err := s.w.Write(text)
		return len(p), err
	}
	var out bytes.Buffer
	for _, r := range string(text) {
		switch {
		case r == '\r':
			out.WriteByte('\n')
		case r == '\n' && s.returned:
		case harmless(r):
			out.WriteRune(r)
		}
		s.returned = r == '\r'
	}
	_, err := s.w.Write(out.Bytes())
	return len(p), err
}

// incomplete returns how many bytes at the end of a text begin a character that does not end in it.
func incomplete(text []byte) int {
	for n := 1; n < utf8.UTFMax && n <= len(text); n++ {
		if c := text[len(text)-n]; utf8.RuneStart(c) {
			if c >= utf8.RuneSelf && !utf8.FullRune(text[len(text)-n:]) {
				return n
			}
			return 0
		}
	}
	return 0
}
