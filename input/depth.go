package input

import (
	"bytes"
	"fmt"
)

// JSONDepth is an error, a *LimitError, when a JSON text nests deeper than Depth. It looks at brackets outside of strings
// and leaves everything else to the parser, which may then be a recursive one.
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

// YAMLDepth is an error, a *LimitError, when a YAML text nests deeper than Depth, in brackets or in indentation, when one
// mapping or list has more than Entries, or when the text refers back to anchors more than Aliases times, which is how a
// short text becomes an endless one. It may count brackets, dashes and asterisks in strings and comments too; no text that
// people write comes near.
func YAMLDepth(name string, data []byte) error {
	aliases := 0
	var commas []int           // of each open bracket
	lead, dashes := true, 0    // at the beginning of a line; the dashes there nest
	var indents, entries []int // the open blocks, and how many lines each has
	column := 0
	for i := 0; i < len(data); i++ {
		c := data[i]
		switch {
		case c == '\n':
			lead, dashes, column = true, 0, 0
			continue
		case lead && c == ' ':
		case lead && (c == '-' || c == '?') && i+1 < len(data) && (data[i+1] == ' ' || data[i+1] == '\n'):
			dashes++
		case lead:
			lead = false
			for len(indents) > 0 && indents[len(indents)-1] > column {
				indents, entries = indents[:len(indents)-1], entries[:len(entries)-1]
			}
			if n := len(indents); n == 0 || indents[n-1] < column {
				indents, entries = append(indents, column), append(entries, 0)
			}
			if len(indents) > Depth || dashes > Depth {
				return tooDeep(lineOf(name, data, i), "YAML")
			}
			if entries[len(entries)-1]++; entries[len(entries)-1] > Entries {
				return tooMany(lineOf(name, data, i))
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
				if commas[n-1]++; commas[n-1] >= Entries {
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

// lineOf is the name with the number of the line at a place in the text.
func lineOf(name string, data []byte, at int) string {
	return fmt.Sprintf("%s:%d", name, 1+bytes.Count(data[:at], []byte("\n")))
}

func tooDeep(name, what string) error {
	return &LimitError{name, fmt.Sprintf("%s may nest at most %d deep", what, Depth)}
}

func tooMany(name string) error {
	return &LimitError{name, fmt.Sprintf("a mapping or a list in YAML may have at most %d entries", Entries)}
}
