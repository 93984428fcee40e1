package requirement

import (
	"fmt"
	"slices"
	"strings"
)

// A Marker is a condition about an environment: one comparison, or several joined by "and" or by "or".
type Marker struct {
	Join string // "and", "or"; "" for a comparison
	Of   []*Marker

	Left, Right Operand
	Op          string
}

// An Operand is a variable or a text.
type Operand struct {
	Variable string // "" for a text
	Text     string
}

// variables lists the names that markers may use, with the value that each has in an environment; see Environment.
var variables = []string{"os_name", "sys_platform", "platform_machine", "platform_python_implementation",
	"platform_release", "platform_system", "platform_version",
	"python_version", "python_full_version", "implementation_name", "implementation_version", "extra", "extras",
	"dependency_groups"}

// aliases are older names of variables.
var aliases = map[string]string{
	"os.name": "os_name", "sys.platform": "sys_platform", "platform.version": "platform_version",
	"platform.machine":               "platform_machine",
	"platform.python_implementation": "platform_python_implementation",
	"python_implementation":          "platform_python_implementation"}

// markerDepth is how deep parentheses may stand in one another.
const markerDepth = 100

// ParseMarker reads a marker. The error is an *Error.
func ParseMarker(text string) (*Marker, error) {
	s := &scanner{text: text}
	m, err := s.marker()
	if err != nil {
		return nil, err
	}
	if s.spaces(); s.pos < len(text) {
		return nil, s.fail("expected \"and\", \"or\" or the end, found " + s.found())
	}
	return m, nil
}

// marker reads alternatives; "and" binds closer than "or".
func (s *scanner) marker() (*Marker, error) {
	return s.joined("or", func() (*Marker, error) { return s.joined("and", s.term) })
}

func (s *scanner) joined(join string, part func() (*Marker, error)) (*Marker, error) {
	all := &Marker{Join: join}
	for {
		one, err := part()
		if err != nil {
			return nil, err
		}
		all.Of = append(all.Of, one)
		if s.spaces(); !s.word(join) {
			break
		}
	}
	if len(all.Of) == 1 {
		return all.Of[0], nil
	}
	return all, nil
}

// word reads a word of the language when it stands here.
func (s *scanner) word(w string) bool {
	rest := s.text[s.pos:]
	if !strings.HasPrefix(rest, w) || len(rest) > len(w) && (isWord(rest[len(w)]) || rest[len(w)] == '_') {
		return false
	}
	s.pos += len(w)
	return true
}

func (s *scanner) term() (*Marker, error) {
	s.spaces()
	if s.peek() != '(' {
		return s.comparison()
	}
	if s.depth++; s.depth > markerDepth {
		return nil, s.fail(fmt.Sprintf("more than %d parentheses within one another", markerDepth))
	}
	s.pos++
	m, err := s.marker()
	if err != nil {
		return nil, err
	}
	if s.spaces(); s.peek() != ')' {
		return nil, s.fail("expected ), found " + s.found())
	}
	s.pos++
	s.depth--
	return m, nil
}

func (s *scanner) comparison() (*Marker, error) {
	at := s.pos
	left, err := s.operand()
	if err != nil {
		return nil, err
	}
	op, err := s.operator()
	if err != nil {
		return nil, err
	}
	right, err := s.operand()
	if err != nil {
		return nil, err
	}
	if left.Variable == "" && right.Variable == "" {
		return nil, s.failAt(at, "a comparison of two texts is no condition about an environment")
	}
	return &Marker{Left: left, Op: op, Right: right}, nil
}

func (s *scanner) operator() (string, error) {
	s.spaces()
	if s.word("in") {
		return "in", nil
	}
	at := s.pos
	if s.word("not") {
		s.spaces()
		if !s.word("in") {
			return "", s.fail("expected \"in\" behind \"not\", found " + s.found())
		}
		return "not in", nil
	}
	for _, op := range [...]string{"===", "~=", "==", "!=", "<=", ">=", "<", ">"} {
		if strings.HasPrefix(s.text[s.pos:], op) {
			s.pos += len(op)
			return op, nil
		}
	}
	return "", s.failAt(at, "expected an operator, such as == or >=, found "+s.found())
}

func (s *scanner) operand() (Operand, error) {
	s.spaces()
	switch c := s.peek(); {
	case c == '"' || c == '\'':
		end := strings.IndexByte(s.text[s.pos+1:], c)
		if end < 0 {
			return Operand{}, s.fail("the text that begins here does not end")
		}
		text := s.text[s.pos+1 : s.pos+1+end]
		s.pos += end + 2
		return Operand{Text: text}, nil
	case !isWord(c):
		return Operand{}, s.fail("expected a variable or a text in quotes, found " + s.found())
	}
	from := s.pos
	for c := s.peek(); isWord(c) || c == '_' || c == '.'; c = s.peek() {
		s.pos++
	}
	name := s.text[from:s.pos]
	if other, ok := aliases[name]; ok {
		name = other
	}
	if !slices.Contains(variables, name) {
		return Operand{}, s.failAt(from,
			fmt.Sprintf("unknown variable %q; markers know %s", name, strings.Join(variables, ", ")))
	}
	return Operand{Variable: name}, nil
}

// String writes a marker in one form: double quotes, single spaces, and parentheses only where they change the meaning.
func (m *Marker) String() string {
	if m.Join == "" {
		return m.Left.String() + " " + m.Op + " " + m.Right.String()
	}
	parts := make([]string, len(m.Of))
	for i, one := range m.Of {
		parts[i] = one.String()
		if m.Join == "and" && one.Join == "or" {
			parts[i] = "(" + parts[i] + ")"
		}
	}
	return strings.Join(parts, " "+m.Join+" ")
}

func (o Operand) String() string {
	switch {
	case o.Variable != "":
		return o.Variable
	case strings.Contains(o.Text, `"`):
		return "'" + o.Text + "'"
	}
	return `"` + o.Text + `"`
}

// And joins markers, of which each may be nil.
func And(all ...*Marker) *Marker { return join("and", all) }

// Or joins markers; it is nil where one of them is, since that one always holds.
func Or(all ...*Marker) *Marker {
	if slices.Contains(all, nil) {
		return nil
	}
	return join("or", all)
}

func join(word string, all []*Marker) *Marker {
	m := &Marker{Join: word}
	var texts []string
	for _, one := range all {
		switch {
		case one == nil || slices.Contains(texts, one.String()):
			continue
		case one.Join == word:
			m.Of = append(m.Of, one.Of...)
		default:
			m.Of = append(m.Of, one)
		}
		texts = append(texts, one.String())
	}
	switch len(m.Of) {
	case 0:
		return nil
	case 1:
		return m.Of[0]
	}
	return m
}

// Not returns the condition that holds where a condition about groups, or extras, that are asked for does not.
func (m *Marker) Not() *Marker {
	if m == nil {
		return nil
	}
	n := &Marker{Join: m.Join, Left: m.Left, Right: m.Right, Op: map[string]string{"in": "not in", "not in": "in"}[m.Op]}
	switch m.Join {
	case "and":
		n.Join = "or"
	case "or":
		n.Join = "and"
	}
	for _, one := range m.Of {
		n.Of = append(n.Of, one.Not())
	}
	return n
}
