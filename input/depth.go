package input

import (
	"bytes"
	"encoding/json"
	"fmt"
)

// JSONDepth is an error, a *LimitError, when a JSON text nests deeper than Depth. It looks at
// brackets outside of strings and leaves everything else to the parser, which may then be a
// recursive one.
func JSONDepth(name string, data []byte) error { return bracketDepth(name, "JSON", data) }

// TOMLDepth is JSONDepth for TOML, whose brackets nest in the same way.
func TOMLDepth(name string, data []byte) error { return bracketDepth(name, "TOML", data) }

func bracketDepth(name, what string, data []byte) error {
	depth := 0
	for i := 0; i < len(data); i++ {
		switch data[i] {
		case '"':
			for i++; i < len(data) && data[i] != '"'; i++ {
				if data[i] == '\\' {
					i++
				}
			}
		case '[', '{':
			if depth++; depth > Depth {
				return tooDeep(lineOf(name, data, i), what)
			}
		case ']', '}':
			depth--
		}
	}
	return nil
}

// YAMLDepth is an error, a *LimitError, when a YAML text nests deeper than Depth, in brackets or in
// indentation, when one mapping or list has more than Entries, or when the text refers back to
// anchors more than Aliases times, which is how a short text becomes an endless one. It may count
// brackets, dashes and asterisks in strings and comments too; no text that people write comes near.
//
// A line of YAML may have at most Line bytes, since the time that reading it takes grows with the
// square of that, unless all of the text is JSON.
func YAMLDepth(name string, data []byte) error {
	if at := longLine(data); at >= 0 && !json.Valid(data) {
		return &LimitError{lineOf(name, data, at), fmt.Sprintf("a line of YAML may have at most %d bytes", Line)}
	}
	aliases := 0
	var commas []int // of each open bracket
	lead := true     // at the beginning of a line, where each dash opens a block
	var blocks openBlocks
	opens := blocks.at
	column := 0
	for i := 0; i < len(data); i++ {
		c := data[i]
		switch {
		case c == '\n':
			lead, column = true, 0
			continue
		case lead && c == ' ':
		case lead && (c == '-' || c == '?') &&
			(i+1 == len(data) || data[i+1] == ' ' || data[i+1] == '\n' || data[i+1] == '\t' || data[i+1] == '\r'):
			if err := opens(name, data, i, column); err != nil {
				return err
			}
		case lead:
			lead = false
			if err := opens(name, data, i, column); err != nil {
				return err
			}
		}
		column++
		switch c {
		case '[', '{':
			if commas = append(commas, 0); len(commas) > Depth {
				return tooDeep(lineOf(name, data, i), "YAML")
			}
		case ']', '}':
			commas = commas[:max(0, len(commas)-1)]
		case ',':
			if n := len(commas); n > 0 {
				if commas[n-1]++; commas[n-1] >= entries {
					return tooMany(lineOf(name, data, i))
				}
			}
		case '*':
			if i == 0 || data[i-1] == ' ' || data[i-1] == '[' || data[i-1] == ',' || data[i-1] == '\n' {
				if aliases++; aliases > Aliases {
					return &LimitError{lineOf(name, data, i), fmt.Sprintf("YAML may refer back to anchors at most %d times", Aliases)}
				}
			}
		}
	}
	return nil
}

// longLine returns where the first line begins that is too long; -1 for none.
func longLine(data []byte) int {
	at := 0
	for line := range bytes.Lines(data) {
		if len(line) > Line {
			return at
		}
		at += len(line)
	}
	return -1
}

// openBlocks are the blocks of a YAML text that are open, by their columns, and how many entries each has.
type openBlocks struct{ columns, entries []int }

// at takes an entry that begins at a place, in a column: of the block there, which it opens when there is none.
func (b *openBlocks) at(name string, data []byte, i, column int) error {
	n := len(b.columns)
	for n > 0 && b.columns[n-1] > column {
		n--
	}
	b.columns, b.entries = b.columns[:n], b.entries[:n]
	if n == 0 || b.columns[n-1] < column {
		b.columns, b.entries = append(b.columns, column), append(b.entries, 0)
		n++
	}
	if n > Depth {
		return tooDeep(lineOf(name, data, i), "YAML")
	}
	if b.entries[n-1]++; b.entries[n-1] > entries {
		return tooMany(lineOf(name, data, i))
	}
	return nil
}

// lineOf is the name with the number of the line at a place in the text.
func lineOf(name string, data []byte, at int) string {
	return fmt.Sprintf("%s:%d", name, 1+bytes.Count(data[:at], []byte("\n")))
}

func tooDeep(name, what string) error {
	return &LimitError{name, fmt.Sprintf("%s may nest at most %d deep", what, Depth)}
}

func tooMany(name string) error {
	return &LimitError{name, fmt.Sprintf("a mapping or a list in YAML may have at most %d entries", entries)}
}
