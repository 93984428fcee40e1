package universe

import "strings"

// Harmless takes out of a text from elsewhere what a terminal would obey: control characters but for line ends and
// tabs, and marks that turn the direction of writing.
func Harmless(text string) string {
	return strings.Map(func(r rune) rune {
		switch {
		case r == '\n' || r == '\t':
			return r
		case r < 0x20, r >= 0x7f && r < 0xa0, r >= 0x202a && r <= 0x202e, r >= 0x2066 && r <= 0x2069, r == 0x200e, r == 0x200f:
			return -1
		}
		return r
	}, text)
}
