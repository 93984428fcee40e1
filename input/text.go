package input

import (
	"bytes"
	"fmt"
	"strings"
	"unicode"
	"unicode/utf16"
)

// Harmless takes out of a text from outside what a terminal would obey: control characters (C0, DEL
// and C1) but for line ends and tabs, marks that turn the direction of writing (UAX #9), and other
// characters that leave no trace on the screen. Bytes that are no UTF-8 become U+FFFD.
func Harmless(text string) string {
	clean := true
	for _, r := range text {
		if !harmless(r) || r == unicode.ReplacementChar {
			clean = false
			break
		}
	}
	if clean {
		return text
	}
	return strings.Map(func(r rune) rune {
		if harmless(r) {
			return r
		}
		return -1
	}, strings.ToValidUTF8(text, "\uFFFD"))
}

// OneLine is Harmless for a text that must not begin a new line: line ends and tabs become spaces.
func OneLine(text string) string {
	text = Harmless(text)
	if !strings.ContainsAny(text, "\n\t\u2028\u2029") {
		return text
	}
	return strings.NewReplacer("\n", " ", "\t", " ", "\u2028", " ", "\u2029", " ").Replace(text)
}

func harmless(r rune) bool { return r == '\n' || r == '\t' || !Obeyed(r) }

// Obeyed reports whether a terminal may obey a character instead of showing it.
func Obeyed(r rune) bool {
	switch {
	case r < 0x20, r >= 0x7f && r < 0xa0: // C0, DEL, C1
		return true
	case r == 0x061c, r == 0x200e, r == 0x200f, r >= 0x202a && r <= 0x202e, r >= 0x2066 && r <= 0x2069: // direction
		return true
	case r == 0x200b, r == 0x2060, r == 0xfeff, r == 0x2028, r == 0x2029: // invisible, or a line end in some places
		return true
	case r >= 0xe0000 && r <= 0xe007f: // tags, which spell text that nobody sees
		return true
	}
	return false
}

// EscapeJSON writes the characters of a JSON text that a terminal may obey as \u escapes, which
// mean the same (RFC 8259, section 7). Line ends and tabs between values stay.
func EscapeJSON(text []byte) []byte {
	if !bytes.ContainsFunc(text, func(r rune) bool { return r != '\n' && r != '\t' && Obeyed(r) }) {
		return text
	}
	var b bytes.Buffer
	for _, r := range string(text) {
		switch {
		case r == '\n' || r == '\t' || !Obeyed(r):
			b.WriteRune(r)
		case r > 0xffff:
			high, low := utf16.EncodeRune(r)
			fmt.Fprintf(&b, `\u%04x\u%04x`, high, low)
		default:
			fmt.Fprintf(&b, `\u%04x`, r)
		}
	}
	return b.Bytes()
}

// mostQuoted is how many characters of a line of a file an error quotes.
const mostQuoted = 60

// Quote quotes a line of a file for an error, cut where it is long: nobody needs more to find it,
// and it may hold what is not for logs.
func Quote(line string) string {
	runes := []rune(Harmless(line))
	if len(runes) > mostQuoted {
		return fmt.Sprintf("%q…", string(runes[:mostQuoted]))
	}
	return fmt.Sprintf("%q", string(runes))
}
