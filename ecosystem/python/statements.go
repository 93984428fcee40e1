package python

import "strings"

// There is no well-kept parser of Python for Go: the pure ones end at a grammar of ten years ago,
// the others need a C compiler, and a lexer made for colouring takes three seconds a megabyte. What
// imports need is little: the logical lines of the language's reference (section 2.1), which joins
// lines in brackets and behind backslashes, and knows strings and comments; an import is a
// statement of one such line.

// A statement is a logical line, or a part of one between semicolons, without comments; strings are a pair of quotes.
type statement struct {
	text string
	line int // from 1
}

// A sourceScanner cuts source into statements.
type sourceScanner struct {
	src  string
	pos  int
	line int
}

// statementsOf lists the statements of a file in order. What cannot be read ends the list.
func statementsOf(src string) []statement {
	s := &sourceScanner{src: strings.TrimPrefix(src, "\ufeff"), line: 1}
	var all []statement
	var text strings.Builder
	depth, began := 0, 1
	end := func() {
		if t := strings.TrimSpace(text.String()); t != "" {
			all = append(all, statement{t, began})
		}
		text.Reset()
	}
	for s.pos < len(s.src) {
		c := s.src[s.pos]
		if text.Len() == 0 {
			began = s.line
		}
		switch {
		case c == '\n':
			s.line++
			s.pos++
			if depth > 0 {
				text.WriteByte(' ')
			} else {
				end()
			}
		case c == '\\' && strings.HasPrefix(strings.TrimPrefix(s.src[s.pos+1:], "\r"), "\n"):
			s.pos += strings.IndexByte(s.src[s.pos:], '\n') + 1
			s.line++
			text.WriteByte(' ')
		case c == '#':
			for s.pos < len(s.src) && s.src[s.pos] != '\n' {
				s.pos++
			}
		case c == ';' && depth == 0:
			s.pos++
			end()
		case c == '"' || c == '\'':
			prefix := strings.ToLower(text.String()[max(0, text.Len()-2):])
			s.skipString(strings.ContainsAny(letters(prefix), "ft"))
			text.WriteString(`""`)
		default:
			switch c {
			case '(', '[', '{':
				depth++
			case ')', ']', '}':
				depth = max(0, depth-1)
			}
			if c != ' ' && c != '\t' && c != '\r' && c != '\f' || text.Len() > 0 {
				text.WriteByte(c)
			}
			s.pos++
		}
	}
	end()
	return all
}

// letters returns the letters at the end of a text, which may be the prefix of a string.
func letters(text string) string {
	return text[len(strings.TrimRight(text, "rbuft")):]
}

// skipString goes behind a string. In one with expressions, these are skipped as source.
func (s *sourceScanner) skipString(expressions bool) {
	quote := s.src[s.pos : s.pos+1]
	if strings.HasPrefix(s.src[s.pos:], strings.Repeat(quote, 3)) {
		quote = strings.Repeat(quote, 3)
	}
	s.pos += len(quote)
	for s.pos < len(s.src) {
		switch c := s.src[s.pos]; {
		case strings.HasPrefix(s.src[s.pos:], quote):
			s.pos += len(quote)
			return
		case c == '\\':
			s.pos++
			if s.pos < len(s.src) && s.src[s.pos] == '\n' {
				s.line++
			}
			s.pos++
		case c == '\n':
			s.line++
			s.pos++
			if len(quote) == 1 { // it does not end: what follows is read as if it did
				return
			}
		case expressions && c == '{' && strings.HasPrefix(s.src[s.pos+1:], "{"):
			s.pos += 2
		case expressions && c == '{':
			s.skipExpression(quote)
		default:
			s.pos++
		}
	}
}

// skipExpression goes behind the braces of an expression in a string, in which strings of any
// quotes may stand; a string that it is in ends it where it does not end itself.
func (s *sourceScanner) skipExpression(outer string) {
	depth := 0
	for s.pos < len(s.src) {
		switch c := s.src[s.pos]; c {
		case '{', '[', '(':
			depth++
			s.pos++
		case '}', ']', ')':
			s.pos++
			if depth--; depth <= 0 {
				return
			}
		case '"', '\'':
			if strings.HasPrefix(s.src[s.pos:], outer) && !strings.Contains(line(s.src[s.pos+len(outer):]), outer) {
				return // it closes the string that this is in
			}
			s.skipString(strings.ContainsAny(letters(strings.ToLower(s.src[max(0, s.pos-2):s.pos])), "ft"))
		case '\n':
			if len(outer) == 1 {
				return
			}
			s.line++
			s.pos++
		default:
			s.pos++
		}
	}
}

// line returns a text up to the end of its first line.
func line(text string) string {
	before, _, _ := strings.Cut(text, "\n")
	return before
}
