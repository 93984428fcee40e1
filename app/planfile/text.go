package planfile

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"
	"github.com/goccy/go-yaml/token"

	"molt/app/yamlfile"
	"molt/ecosystem"
)

// A Text is the text of a plan with a view laid over it: which lines each stage and each change has. Edits touch
// these lines alone, so that people's comments, notes and order stay.
type Text struct {
	File   string
	Lines  []string // with their ends
	Tree   *ast.File
	Stages []Block
}

// A Block is a run of lines, from the first to before the last, with the comments above it.
type Block struct {
	From, To int
	Changes  []Block
}

func readPlanText(file string, data []byte) (*Text, error) {
	tree, err := yamlfile.Parse(file, data, parser.ParseComments)
	if err != nil {
		return nil, err
	}
	t := &Text{File: file, Lines: slices.Collect(strings.Lines(string(data))), Tree: tree}
	list := t.sequence("$.stages")
	t.Stages = t.blocks(list, t.end("$.stages"))
	for i := range t.Stages {
		changes := t.sequence(fmt.Sprintf("$.stages[%d].changes", i))
		t.Stages[i].Changes = t.blocks(changes, t.sequenceEnd(changes, t.Stages[i].To))
	}
	return t, nil
}

// Node returns what stands at a path, or nil.
func (t *Text) Node(path string) ast.Node {
	p, err := yaml.PathString(path)
	if err != nil {
		return nil
	}
	n, err := p.FilterFile(t.Tree)
	if err != nil {
		return nil
	}
	return n
}

func (t *Text) sequence(path string) *ast.SequenceNode {
	s, _ := t.Node(path).(*ast.SequenceNode)
	return s
}

// first returns the index of the line on which a node begins.
func (t *Text) first(n ast.Node) int { return t.key(n).Line - 1 }

// key returns the position of a mapping's first key, or where anything else begins.
func (t *Text) key(n ast.Node) *token.Position {
	if m, ok := n.(*ast.MappingNode); ok && len(m.Values) > 0 {
		return m.Values[0].Key.GetToken().Position
	}
	if m, ok := n.(*ast.MappingValueNode); ok {
		return m.Key.GetToken().Position
	}
	return n.GetToken().Position
}

// end returns the index of the line after a key of the document and all below it.
func (t *Text) end(path string) int {
	n := t.Node(path)
	if n == nil {
		return len(t.Lines)
	}
	for i := t.first(n); i < len(t.Lines); i++ {
		if line := t.Lines[i]; line[0] != ' ' && line[0] != '-' && line[0] != '#' && strings.TrimSpace(line) != "" {
			return i
		}
	}
	return len(t.Lines)
}

// sequenceEnd returns the index of the line after a list inside a stage: the first that is indented less than its items.
func (t *Text) sequenceEnd(list *ast.SequenceNode, limit int) int {
	if list == nil || len(list.Values) == 0 {
		return limit
	}
	at := t.first(list.Values[0])
	dash := indentOf(t.Lines[at])
	for i := at + 1; i < limit; i++ {
		line := t.Lines[i]
		text := strings.TrimSpace(line)
		if text != "" && text[0] != '#' && (indentOf(line) < dash || indentOf(line) == dash && text[0] != '-') {
			return i
		}
	}
	return limit
}

func indentOf(line string) int { return len(line) - len(strings.TrimLeft(line, " ")) }

// blocks gives every item of a list its lines. A flow list has none, as its items share them.
func (t *Text) blocks(list *ast.SequenceNode, end int) []Block {
	if list == nil || list.IsFlowStyle {
		return nil
	}
	var all []Block
	for _, item := range list.Values {
		from := t.first(item)
		for from > 0 && !strings.HasPrefix(strings.TrimSpace(t.Lines[from]), "-") {
			from--
		}
		for from > 0 && strings.HasPrefix(strings.TrimSpace(t.Lines[from-1]), "#") {
			from--
		}
		if len(all) > 0 {
			all[len(all)-1].To = from
		}
		all = append(all, Block{From: from, To: end})
	}
	return all
}

// ErrorAt points at what stands at a path, or at the nearest thing above it.
func (t *Text) ErrorAt(path, reason string) error {
	p := &ecosystem.PositionError{File: t.File, Line: 1, Column: 1, Reason: reason}
	for path != "$" {
		if n := t.Node(path); n != nil {
			at := t.key(n)
			p.Line, p.Column = at.Line, at.Column
			return p
		}
		cut := max(strings.LastIndexByte(path, '.'), strings.LastIndexByte(path, '['))
		path = path[:cut]
	}
	return p
}

// set gives a key of a mapping a value that needs no quotes; the key is added after another where it is missing. The
// mapping may have a line for each key, or all of them between braces.
func (t *Text) set(mapping, key, value, after string) error {
	if n := t.Node(mapping + "." + key); n != nil {
		line, from, to, ok := t.span(n)
		if !ok {
			return t.ErrorAt(mapping+"."+key, fmt.Sprintf("expected \"%s: VALUE\" on one line", key))
		}
		if from == to {
			value = " " + value
		}
		t.Lines[line] = t.Lines[line][:from] + value + t.Lines[line][to:]
		return t.again()
	}
	n := t.Node(mapping + "." + after)
	if n == nil {
		return t.ErrorAt(mapping, fmt.Sprintf("expected %q here", after))
	}
	line, _, to, ok := t.span(n)
	if !ok {
		return t.ErrorAt(mapping+"."+after, fmt.Sprintf("expected \"%s: VALUE\" on one line", after))
	}
	whole := t.Node(mapping)
	if m, is := whole.(*ast.MappingNode); is && m.IsFlowStyle {
		t.Lines[line] = t.Lines[line][:to] + ", " + key + ": " + value + t.Lines[line][to:]
		return t.again()
	}
	indent := strings.Repeat(" ", t.key(whole).Column-1)
	t.Lines = slices.Insert(t.Lines, line+1, indent+key+": "+value+"\n")
	return t.again()
}

// span returns where a scalar stands: the index of its line, and from which byte of the line to before which. It is not
// ok for what goes over several lines.
func (t *Text) span(n ast.Node) (line, from, to int, ok bool) {
	tk := n.GetToken()
	line = tk.Position.Line - 1
	text := t.Lines[line]
	characters := []rune(text)
	from = len(string(characters[:min(tk.Position.Column-1, len(characters))]))
	if _, null := n.(*ast.NullNode); null && !strings.HasPrefix(text[from:], "null") { // nothing is written
		return line, from, from, true
	}
	written := strings.TrimSpace(tk.Origin)
	return line, from, from + len(written), strings.HasPrefix(text[from:], written) && !strings.HasPrefix(written, "|") && !strings.HasPrefix(written, ">")
}

// again reads the text after an edit.
func (t *Text) again() error {
	next, err := readPlanText(t.File, t.Bytes())
	if err != nil {
		return err
	}
	*t = *next
	return nil
}

func (t *Text) Bytes() []byte { return []byte(strings.Join(t.Lines, "")) }

// Mark sets the status of a stage, and the lock that the next one goes on from.
func (p *Plan) Mark(id, status, lock string) error {
	i := p.Index(id)
	if err := p.Text.set(fmt.Sprintf("$.stages[%d]", i), "status", status, "id"); err != nil {
		return err
	}
	p.Stages[i].Status = status
	if p.Made == nil || lock == "" {
		return nil
	}
	p.Made.Lock = lock
	return p.Text.set("$.made", "lock", lock, "on")
}

// Split puts some of a stage's changes into a stage of its own behind it. What people wrote stays with its change.
func (p *Plan) Split(id string, first, second Stage) error {
	i := p.Index(id)
	t, old := p.Text, p.Text.Stages
	if i >= len(old) || len(old[i].Changes) != len(p.Stages[i].Changes) {
		return t.ErrorAt(fmt.Sprintf("$.stages[%d]", i), "the stages of this plan are not written as a list with a line for each key; molt plan makes it anew")
	}
	var text []string
	for n, st := range []Stage{first, second} {
		head := st
		head.Changes, head.Lock, head.Effort, head.Advice, head.Aims = nil, nil, nil, nil, nil
		lines, err := itemLines(head)
		if err != nil {
			return err
		}
		if n == 0 { // the comments above the stage
			for _, l := range t.Lines[old[i].From:old[i].To] {
				if !strings.HasPrefix(strings.TrimSpace(l), "#") {
					break
				}
				text = append(text, l)
			}
		}
		text = append(append(text, lines...), "    changes:\n")
		for j, c := range p.Stages[i].Changes {
			if slices.ContainsFunc(st.Changes, func(x Change) bool { return x.Name == c.Name && x.Group == c.Group }) {
				text = append(text, t.Lines[old[i].Changes[j].From:old[i].Changes[j].To]...)
			}
		}
		tail, err := itemLines(Stage{ID: "x", Lock: st.Lock, Effort: st.Effort, Advice: st.Advice})
		if err != nil {
			return err
		}
		if at := slices.IndexFunc(tail, func(l string) bool {
			return strings.HasPrefix(l, "    advice:") || strings.HasPrefix(l, "    lock:") || strings.HasPrefix(l, "    effort:")
		}); at >= 0 {
			text = append(text, tail[at:]...)
		}
	}
	t.Lines = slices.Replace(t.Lines, old[i].From, old[i].To, text...)
	doc, err := Read(t.File, t.Bytes())
	if err != nil {
		return err
	}
	*p = *doc
	return nil
}

// itemLines writes a stage as an item of the list of stages.
func itemLines(st Stage) ([]string, error) {
	data, err := yaml.MarshalWithOptions(struct {
		Stages []Stage `yaml:"stages"`
	}{[]Stage{st}}, yaml.IndentSequence(true))
	if err != nil {
		return nil, err
	}
	lines := slices.Collect(strings.Lines(string(bytes.TrimPrefix(data, []byte("stages:\n")))))
	return lines, nil
}
