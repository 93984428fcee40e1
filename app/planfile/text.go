package planfile

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"

	"molt/app/yamlfile"
	"molt/doc"
)

// A Text is the text of a plan with a view laid over it: which lines each stage and each change has. Edits touch
// these lines only, so that people's comments, notes and order stay.
type Text struct {
	*yamlfile.Text
	Stages []Block
}

// A Block is a run of lines, from the first to before the last, with the comments above it.
type Block struct {
	From, To int
	Changes  []Block
}

func readPlanText(file string, data []byte) (*Text, error) {
	inner, err := yamlfile.Open(file, data)
	if err != nil {
		return nil, err
	}
	t := &Text{Text: inner}
	t.cut()
	return t, nil
}

// cut finds the lines of stages and changes.
func (t *Text) cut() {
	list := t.Sequence("$.stages")
	t.Stages = t.blocks(list, t.End("$.stages"))
	for i := range t.Stages {
		changes := t.Sequence(fmt.Sprintf("$.stages[%d].changes", i))
		t.Stages[i].Changes = t.blocks(changes, t.SequenceEnd(changes, t.Stages[i].To))
	}
}

// blocks gives every item of a list its lines. A flow list has none, as its items share them.
func (t *Text) blocks(list *ast.SequenceNode, end int) []Block {
	if list == nil || list.IsFlowStyle {
		return nil
	}
	var all []Block
	for _, item := range list.Values {
		from := t.First(item)
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

// set is Set, and finds the lines again.
func (t *Text) set(mapping, key, value, after string) error {
	err := t.Set(mapping, key, value, after)
	if err == nil {
		t.cut()
	}
	return err
}

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
func (p *Plan) Split(id string, first, second doc.PlanStage) error {
	i := p.Index(id)
	t, old := p.Text, p.Text.Stages
	if i >= len(old) || len(old[i].Changes) != len(p.Stages[i].Changes) {
		return t.ErrorAt(fmt.Sprintf("$.stages[%d]", i),
			"the stages of this plan are not written as a list with a line for each key; molt plan makes it anew")
	}
	var text []string
	for n, st := range []doc.PlanStage{first, second} {
		head := st
		head.Changes, head.Locked, head.Effort, head.Advice, head.Aims = nil, nil, nil, nil, nil
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
			if slices.ContainsFunc(st.Changes, func(x doc.PlanChange) bool { return x.Name == c.Name && x.Group == c.Group }) {
				text = append(text, t.Lines[old[i].Changes[j].From:old[i].Changes[j].To]...)
			}
		}
		tail, err := itemLines(doc.PlanStage{ID: "x", Locked: st.Locked, Effort: st.Effort, Advice: st.Advice})
		if err != nil {
			return err
		}
		if at := slices.IndexFunc(tail, func(l string) bool {
			return strings.HasPrefix(l, "    advice:") || strings.HasPrefix(l, "    lock:") ||
				strings.HasPrefix(l, "    effort:")
		}); at >= 0 {
			text = append(text, tail[at:]...)
		}
	}
	t.Lines = slices.Replace(t.Lines, old[i].From, old[i].To, text...)
	return p.reread()
}

// Bring moves the change of a package from the first later stage that has one into a stage, with
// what people wrote at it. A stage that is left without changes goes.
func (p *Plan) Bring(into, name string) error {
	t, to := p.Text, p.Index(into)
	for i := to + 1; i < len(p.Stages); i++ {
		k := slices.IndexFunc(p.Stages[i].Changes, func(c doc.PlanChange) bool { return c.Name == name })
		if k < 0 {
			continue
		}
		old := t.Stages
		if i >= len(old) || len(old[i].Changes) != len(p.Stages[i].Changes) ||
			len(old[to].Changes) != len(p.Stages[to].Changes) || len(old[to].Changes) == 0 {
			return t.ErrorAt(fmt.Sprintf("$.stages[%d]", i),
				"the stages of this plan are not written as a list with a line for each key; molt plan makes it anew")
		}
		var lines []string
		from, end := old[i].From, old[i].To
		for j, c := range p.Stages[i].Changes { // of every group that has it
			if c.Name == name {
				lines = append(lines, t.Lines[old[i].Changes[j].From:old[i].Changes[j].To]...)
			}
		}
		var rest []string
		for at := from; at < end; at++ {
			moved := false
			for j, c := range p.Stages[i].Changes {
				moved = moved || c.Name == name && at >= old[i].Changes[j].From && at < old[i].Changes[j].To
			}
			if !moved {
				rest = append(rest, t.Lines[at])
			}
		}
		if !slices.ContainsFunc(p.Stages[i].Changes, func(c doc.PlanChange) bool { return c.Name != name }) {
			rest = nil
		}
		t.Lines = slices.Replace(t.Lines, from, end, rest...)
		last := old[to].Changes[len(old[to].Changes)-1].To
		t.Lines = slices.Insert(t.Lines, last, lines...)
		return p.reread()
	}
	return nil
}

// Count writes how many locked packages a stage adds, removes and moves.
func (p *Plan) Count(id string, n doc.PlanLocked) error {
	i := p.Index(id)
	if p.Stages[i].Locked == nil || *p.Stages[i].Locked == n {
		return nil
	}
	for _, one := range []struct {
		key string
		n   int
	}{{"added", n.Added}, {"removed", n.Removed}, {"moved", n.Moved}} {
		if err := p.Text.set(fmt.Sprintf("$.stages[%d].lock", i), one.key, fmt.Sprint(one.n), ""); err != nil {
			return err
		}
	}
	p.Stages[i].Locked = &n
	return nil
}

// reread takes over the text.
func (p *Plan) reread() error {
	document, err := Read(p.Text.File, p.Text.Bytes())
	if err != nil {
		return err
	}
	*p = *document
	return nil
}

// itemLines writes a stage as an item of the list of stages.
func itemLines(st doc.PlanStage) ([]string, error) {
	data, err := yaml.MarshalWithOptions(struct {
		Stages []doc.PlanStage `yaml:"stages"`
	}{[]doc.PlanStage{st}}, yaml.IndentSequence(true))
	if err != nil {
		return nil, err
	}
	lines := slices.Collect(strings.Lines(string(bytes.TrimPrefix(data, []byte("stages:\n")))))
	return lines, nil
}
