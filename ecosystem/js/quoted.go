package js

import "strings"

// quoted finds the string literals of a JavaScript or TypeScript text that stand where an import
// has its specifier: behind from, import or an opening parenthesis. It returns the lines of each,
// from 1, ascending. Comments, templates with parts to fill in and regular expressions are passed
// over; a text that is no program gives whatever it gives.
func quoted(text string) map[string][]int {
	found := map[string][]int{}
	line := 1
	before := "" // the last word or sign, which tells what may follow
	for i := 0; i < len(text); {
		c := text[i]
		switch {
		case c == '\n':
			line++
			i++
		case c == ' ' || c == '\t' || c == '\r':
			i++
		case strings.HasPrefix(text[i:], "//"):
			i += lengthTo(text[i:], "\n")
		case strings.HasPrefix(text[i:], "/*"):
			n := lengthTo(text[i+2:], "*/") + 4
			n = min(n, len(text)-i)
			line += strings.Count(text[i:i+n], "\n")
			i += n
		case c == '"' || c == '\'' || c == '`':
			n := literal(text[i:], c)
			inside := strings.Trim(text[i:i+n], string(c))
			if before == "from" || before == "import" || before == "(" {
				found[inside] = append(found[inside], line)
			}
			line += strings.Count(text[i:i+n], "\n")
			i += n
			before = "literal"
		case c == '/' && beginsExpression(before):
			i += pattern(text[i:])
			before = "literal"
		case isWord(c):
			n := 1
			for i+n < len(text) && isWord(text[i+n]) {
				n++
			}
			before = text[i : i+n]
			i += n
		default:
			before = string(c)
			i++
		}
	}
	return found
}

func isWord(c byte) bool {
	return c == '_' || c == '$' || c >= '0' && c <= '9' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= 0x80
}

// lengthTo returns how long a text is up to a mark, or to its end.
func lengthTo(text, mark string) int {
	if n := strings.Index(text, mark); n >= 0 {
		return n
	}
	return len(text)
}

// literal returns the length of a string literal with its quotes; one that is not closed ends with its line.
func literal(text string, quote byte) int {
	for i := 1; i < len(text); i++ {
		switch text[i] {
		case '\\':
			i++
		case quote:
			return i + 1
		case '\n':
			if quote != '`' {
				return i
			}
		}
	}
	return len(text)
}

// pattern returns the length of a regular expression with its slashes.
func pattern(text string) int {
	class := false
	for i := 1; i < len(text); i++ {
		switch c := text[i]; {
		case c == '\\':
			i++
		case c == '[':
			class = true
		case c == ']':
			class = false
		case c == '/' && !class:
			return i + 1
		case c == '\n':
			return i
		}
	}
	return len(text)
}

// beginsExpression reports whether an expression, and no operator, comes behind a word or a sign.
func beginsExpression(before string) bool {
	switch before {
	case "", "return", "typeof", "case", "in", "of", "do", "else", "void", "delete", "throw", "new", "await", "yield":
		return true
	}
	return strings.Contains("(,=:[!&|?{};+-*%~^<>", before) && before != "literal"
}
