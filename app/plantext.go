package app

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"
	"github.com/goccy/go-yaml/token"

	"molt/ecosystem"
)

// A planText is the text of a plan with a view laid over it: which lines each stage and each change has. Edits touch
// these lines alone, so that people's comments, notes and order stay.
type planText struct {
	file   string
	lines  []string // with their ends
	tree   *ast.File
	stages []block
}

// A block is a run of lines, from the first to before the last, with the comments above it.
type block struct {
	from, to int
	changes  []block
}

func readPlanText(file string, data []byte) (*planText, error) {
	tree, err := parseYAML(file, data, parser.ParseComments)
	if err != nil {
		return nil, err
	}
	t := &planText{file: file, lines: slices.Collect(strings.Lines(string(data))), tree: tree}
	list := t.sequence("$.stages")
	t.stages = t.blocks(list, t.end("$.stages"))
	for i := range t.stages {
		changes := t.sequence(fmt.Sprintf("$.stages[%d].changes", i))
		t.stages[i].changes = t.blocks(changes, t.sequenceEnd(changes, t.stages[i].to))
	}
	return t, nil
}

// node returns what stands at a path, or nil.
func (t *planText) node(path string) ast.Node {
	p, err := yaml.PathString(path)
	if err != nil {
		return nil
	}
	n, err := p.FilterFile(t.tree)
	if err != nil {
		return nil
	}
	return n
}

func (t *planText) sequence(path string) *ast.SequenceNode {
	s, _ := t.node(path).(*ast.SequenceNode)
	return s
}

// first returns the index of the line on which a node begins.
func (t *planText) first(n ast.Node) int { return t.key(n).Line - 1 }

// key returns the position of a mapping's first key, or where anything else begins.
func (t *planText) key(n ast.Node) *token.Position {
	if m, ok := n.(*ast.MappingNode); ok && len(m.Values) > 0 {
		return m.Values[0].Key.GetToken().Position
	}
	if m, ok := n.(*ast.MappingValueNode); ok {
		return m.Key.GetToken().Position
	}
	return n.GetToken().Position
}

// end returns the index of the line after a key of the document and all below it.
func (t *planText) end(path string) int {
	n := t.node(path)
	if n == nil {
		return len(t.lines)
	}
	for i := t.first(n); i < len(t.lines); i++ {
		if line := t.lines[i]; line[0] != ' ' && line[0] != '-' && line[0] != '#' && strings.TrimSpace(line) != "" {
			return i
		}
	}
	return len(t.lines)
}

// sequenceEnd returns the index of the line after a list inside a stage: the first that is indented less than its items.
func (t *planText) sequenceEnd(list *ast.SequenceNode, limit int) int {
	if list == nil || len(list.Values) == 0 {
		return limit
	}
	at := t.first(list.Values[0])
	dash := indentOf(t.lines[at])
	for i := at + 1; i < limit; i++ {
		line := t.lines[i]
		text := strings.TrimSpace(line)
		if text != "" && text[0] != '#' && (indentOf(line) < dash || indentOf(line) == dash && text[0] != '-') {
			return i
		}
	}
	return limit
}

func indentOf(line string) int { return len(line) - len(strings.TrimLeft(line, " ")) }

// blocks gives every item of a list its lines. A flow list has none, as its items share them.
func (t *planText) blocks(list *ast.SequenceNode, end int) []block {
	if list == nil || list.IsFlowStyle {
		return nil
	}
	var all []block
	for _, item := range list.Values {
		from := t.first(item)
		for from > 0 && !strings.HasPrefix(strings.TrimSpace(t.lines[from]), "-") {
			from--
		}
		for from > 0 && strings.HasPrefix(strings.TrimSpace(t.lines[from-1]), "#") {
			from--
		}
		if len(all) > 0 {
			all[len(all)-1].to = from
		}
		all = append(all, block{from: from, to: end})
	}
	return all
}

// errorAt points at what stands at a path, or at the nearest thing above it.
func (t *planText) errorAt(path, reason string) error {
	p := &ecosystem.PositionError{File: t.file, Line: 1, Column: 1, Reason: reason}
	for path != "$" {
		if n := t.node(path); n != nil {
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
func (t *planText) set(mapping, key, value, after string) error {
	if n := t.node(mapping + "." + key); n != nil {
		line, from, to, ok := t.span(n)
		if !ok {
			return t.errorAt(mapping+"."+key, fmt.Sprintf("expected \"%s: VALUE\" on one line", key))
		}
		if from == to {
			value = " " + value
		}
		t.lines[line] = t.lines[line][:from] + value + t.lines[line][to:]
		return t.again()
	}
	n := t.node(mapping + "." + after)
	if n == nil {
		return t.errorAt(mapping, fmt.Sprintf("expected %q here", after))
	}
	line, _, to, ok := t.span(n)
	if !ok {
		return t.errorAt(mapping+"."+after, fmt.Sprintf("expected \"%s: VALUE\" on one line", after))
	}
	whole := t.node(mapping)
	if m, is := whole.(*ast.MappingNode); is && m.IsFlowStyle {
		t.lines[line] = t.lines[line][:to] + ", " + key + ": " + value + t.lines[line][to:]
		return t.again()
	}
	indent := strings.Repeat(" ", t.key(whole).Column-1)
	t.lines = slices.Insert(t.lines, line+1, indent+key+": "+value+"\n")
	return t.again()
}

// span returns where a scalar stands: the index of its line, and from which byte of the line to before which. It is not
// ok for what goes over several lines.
func (t *planText) span(n ast.Node) (line, from, to int, ok bool) {
	tk := n.GetToken()
	line = tk.Position.Line - 1
	text := t.lines[line]
	characters := []rune(text)
	from = len(string(characters[:min(tk.Position.Column-1, len(characters))]))
	if _, null := n.(*ast.NullNode); null && !strings.HasPrefix(text[from:], "null") { // nothing is written
		return line, from, from, true
	}
	written := strings.TrimSpace(tk.Origin)
	return line, from, from + len(written), strings.HasPrefix(text[from:], written) && !strings.HasPrefix(written, "|") && !strings.HasPrefix(written, ">")
}

// again reads the text after an edit.
func (t *planText) again() error {
	next, err := readPlanText(t.file, t.bytes())
	if err != nil {
		return err
	}
	*t = *next
	return nil
}

func (t *planText) bytes() []byte { return []byte(strings.Join(t.lines, "")) }

// mark sets the status of a stage, and the lock that the next one goes on from.
func (p *PlanDoc) mark(id, status, lock string) error {
	i := p.index(id)
	if err := p.text.set(fmt.Sprintf("$.stages[%d]", i), "status", status, "id"); err != nil {
		return err
	}
	p.Stages[i].Status = status
	if p.Made == nil || lock == "" {
		return nil
	}
	p.Made.Lock = lock
	return p.text.set("$.made", "lock", lock, "on")
}

// split puts some of a stage's changes into a stage of its own behind it. What people wrote stays with its change.
func (p *PlanDoc) split(id string, first, second StageDoc) error {
	i := p.index(id)
	t, old := p.text, p.text.stages
	if i >= len(old) || len(old[i].changes) != len(p.Stages[i].Changes) {
		return t.errorAt(fmt.Sprintf("$.stages[%d]", i), "the stages of this plan are not written as a list with a line for each key; molt plan makes it anew")
	}
	var text []string
	for n, st := range []StageDoc{first, second} {
		head := st
		head.Changes, head.Lock, head.Effort, head.Advice, head.Aims = nil, nil, nil, nil, nil
		lines, err := itemLines(head)
		if err != nil {
			return err
		}
		if n == 0 { // the comments above the stage
			for _, l := range t.lines[old[i].from:old[i].to] {
				if !strings.HasPrefix(strings.TrimSpace(l), "#") {
					break
				}
				text = append(text, l)
			}
		}
		text = append(append(text, lines...), "    changes:\n")
		for j, c := range p.Stages[i].Changes {
			if slices.ContainsFunc(st.Changes, func(x ChangeDoc) bool { return x.Name == c.Name && x.Group == c.Group }) {
				text = append(text, t.lines[old[i].changes[j].from:old[i].changes[j].to]...)
			}
		}
		tail, err := itemLines(StageDoc{ID: "x", Lock: st.Lock, Effort: st.Effort, Advice: st.Advice})
		if err != nil {
			return err
		}
		if at := slices.IndexFunc(tail, func(l string) bool {
			return strings.HasPrefix(l, "    advice:") || strings.HasPrefix(l, "    lock:") || strings.HasPrefix(l, "    effort:")
		}); at >= 0 {
			text = append(text, tail[at:]...)
		}
	}
	t.lines = slices.Replace(t.lines, old[i].from, old[i].to, text...)
	doc, err := decodePlan(t.file, t.bytes())
	if err != nil {
		return err
	}
	*p = *doc
	return nil
}

// itemLines writes a stage as an item of the list of stages.
func itemLines(st StageDoc) ([]string, error) {
	data, err := yaml.MarshalWithOptions(struct {
		Stages []StageDoc `yaml:"stages"`
	}{[]StageDoc{st}}, yaml.IndentSequence(true))
	if err != nil {
		return nil, err
	}
	lines := slices.Collect(strings.Lines(string(bytes.TrimPrefix(data, []byte("stages:\n")))))
	return lines, nil
}
