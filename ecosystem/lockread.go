package ecosystem

import (
	"bytes"
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"strconv"
	"strings"

	"github.com/pelletier/go-toml/v2/unstable"

	"molt/core/solve"
	"molt/core/universe"
	"molt/input"
)

// flatTables are those of texts by name.
var flatTables = []string{"overrides", "waived", "members", "registries"}

// DecodeMoltLock reads the molt.lock format. It goes through the text once, expression by
// expression, so that a lock of any number of blocks is read in a time that its length allows. The
// error is a *input.PositionError, a *NewerLockError or a
// *input.LimitError.
func DecodeMoltLock(file string, data []byte) (*Lock, error) {
	if err := input.TOMLDepth(file, data); err != nil {
		return nil, err
	}
	many := bytes.Count(data, []byte("\n[\"at "))
	r := &lockReader{file: file, lock: &Lock{Packages: make([]LockedPackage, 0, many)},
		blocks: make(map[string]bool, many),
		tables: map[string]bool{}, keys: map[string]bool{}}
	r.parser.Reset(data)
	for r.parser.NextExpression() {
		if err := r.expression(r.parser.Expression()); err != nil {
			return nil, err
		}
	}
	if err := r.parser.Error(); err != nil {
		p := &input.PositionError{File: file, Line: 1, Column: 1, Reason: "this is not TOML: " + err.Error()}
		var at *unstable.ParserError
		if errors.As(err, &at) && len(at.Highlight) > 0 {
			start := r.parser.Shape(r.parser.Range(at.Highlight)).Start
			p.Line, p.Column, p.Reason = start.Line, start.Column, "this is not TOML: "+at.Message
		}
		return nil, p
	}
	if r.format == 0 {
		return nil, r.fail(nil, "this is not a lock of Molt's: molt-lock is missing")
	}
	return r.finish()
}

// A lockReader puts a lock together.
type lockReader struct {
	file   string
	parser unstable.Parser
	lock   *Lock
	format int64           // of molt-lock; 0 where it was not there
	blocks map[string]bool // IDs of the packages that were read
	tables map[string]bool // names of the other tables
	table  []string        // the table that the expressions are in
	keys   map[string]bool // of this table
}

// fail is an error at a node of the text, or at its beginning.
func (r *lockReader) fail(n *unstable.Node, reason string, args ...any) error {
	p := &input.PositionError{File: r.file, Line: 1, Column: 1,
		Reason: fmt.Sprintf(reason, args...) + "; molt relock writes it anew"}
	if n != nil && n.Raw.Length > 0 {
		start := r.parser.Shape(n.Raw).Start
		p.Line, p.Column = start.Line, start.Column
	}
	return p
}

// keyPath reads a dotted key, with the node of its first part.
func keyPath(it unstable.Iterator) (parts []string, first *unstable.Node) {
	for it.Next() {
		n := it.Node()
		if first == nil {
			first = n
		}
		parts = append(parts, string(n.Data))
	}
	return parts, first
}

func (r *lockReader) expression(e *unstable.Node) error {
	switch e.Kind {
	case unstable.Comment:
		return nil
	case unstable.Table:
		parts, at := keyPath(e.Key())
		r.table = parts
		if len(r.keys) > 64 { // emptying a large map costs its size each time
			r.keys = map[string]bool{}
		}
		clear(r.keys)
		if id, isPackage := strings.CutPrefix(parts[0], "at "); isPackage && len(parts) == 1 {
			return r.block(at, id)
		}
		name := strings.Join(parts, "\x00")
		if r.tables[name] {
			return r.fail(at, "%s stands in it twice", strings.Join(parts, "."))
		}
		r.tables[name] = true
		if (parts[0] != "application" || len(parts) != 2) && (!slices.Contains(flatTables, parts[0]) || len(parts) != 1) {
			return r.fail(at, "%q is not part of a lock", strings.Join(parts, "."))
		}
		return nil
	case unstable.KeyValue:
		parts, at := keyPath(e.Key())
		name := strings.Join(parts, "\x00")
		if r.keys[name] {
			return r.fail(at, "%s stands there twice", strings.Join(parts, "."))
		}
		r.keys[name] = true
		return r.value(at, parts, e.Value())
	}
	return r.fail(e, "a lock has no arrays of tables")
}

// block begins a package.
func (r *lockReader) block(at *unstable.Node, id string) error {
	p := LockedPackage{}
	p.ID = id
	plain, _, _ := strings.Cut(id, " ")
	sign := strings.LastIndexByte(plain, '@')
	if sign <= 0 {
		return r.fail(at, "%s: the name of the block is not name@version", id)
	}
	p.Name, p.Version = plain[:sign], plain[sign+1:]
	if r.blocks[id] {
		return r.fail(at, "at %s stands in it twice", id)
	}
	r.blocks[id] = true
	r.lock.Packages = append(r.lock.Packages, p)
	return nil
}

// value takes one key with its value.
func (r *lockReader) value(at *unstable.Node, parts []string, v *unstable.Node) error {
	text, isText := string(v.Data), v.Kind == unstable.String
	if r.table == nil {
		switch key := strings.Join(parts, "."); {
		case key == "molt-lock" && v.Kind == unstable.Integer:
			format, err := strconv.ParseInt(text, 10, 64)
			if err != nil || format < 1 {
				return r.fail(at, "molt-lock: %s is no number of a format", text)
			}
			if r.format = format; format > newestLockFormat() {
				return &NewerLockError{r.file, format, newestLockFormat()}
			}
		case key == "ecosystem" && isText:
			r.lock.Ecosystem = text
		case key == "folded" && v.Kind == unstable.Bool:
			r.lock.Folded = text == "true"
		default:
			return r.fail(at, "%q is not part of a lock", key)
		}
		return nil
	}
	if !isText {
		return r.fail(at, "%s is not a text", strings.Join(parts, "."))
	}
	if r.table[0] == "application" {
		if len(parts) != 1 {
			return r.fail(at, "%q is not part of a lock", strings.Join(parts, "."))
		}
		r.lock.Roots = append(r.lock.Roots, readEdge(parts[0], text, r.table[1]))
		return nil
	}
	if slices.Contains(flatTables, r.table[0]) {
		if len(parts) != 1 {
			return r.fail(at, "%q is not part of a lock", strings.Join(parts, "."))
		}
		into := &r.lock.Overrides
		switch r.table[0] {
		case "registries":
			into = &r.lock.Origins
		case "waived":
			into = &r.lock.Waived
		}
		if r.table[0] == "members" {
			if into = &r.lock.Members; !fs.ValidPath(parts[0]) || parts[0] == "." {
				return r.fail(at, "members: %q is no folder below the application", parts[0])
			}
		}
		if *into == nil {
			*into = map[string]string{}
		}
		(*into)[parts[0]] = text
		return nil
	}
	p := &r.lock.Packages[len(r.lock.Packages)-1]
	switch {
	case len(parts) == 1 && parts[0] == "purl":
		p.PURL = text
	case len(parts) == 1 && parts[0] == "integrity":
		p.Integrity = text
	case len(parts) == 1 && parts[0] == "archive":
		p.Source = text
	case len(parts) == 1 && parts[0] == "when":
		p.When = text
	case len(parts) == 1 && parts[0] == "runs":
		p.Runs = text
	case len(parts) == 2 && parts[0] == "need":
		p.Needs = append(p.Needs, readEdge(parts[1], text, ""))
	case len(parts) == 2 && parts[0] == "peer":
		p.Peers = append(p.Peers, readEdge(parts[1], text, ""))
	case len(parts) == 2 && parts[0] == "runtime":
		p.Runtimes = append(p.Runtimes, universe.Requirement{Name: parts[1], Text: text})
	default:
		return r.fail(at, "%s: %q is not part of a package's block", p.ID, strings.Join(parts, "."))
	}
	return nil
}

// finish sorts what was read, and looks whether every edge leads to a block.
func (r *lockReader) finish() (*Lock, error) {
	check := func(by string, edges []solve.Edge) error {
		for _, e := range edges {
			if e.To != "" && !r.blocks[e.To] {
				return r.fail(nil, "%s leads to %s, which has no block", by, e.To)
			}
		}
		return nil
	}
	if err := check("the application", r.lock.Roots); err != nil {
		return nil, err
	}
	byName := func(a, b solve.Edge) int { return strings.Compare(a.Name, b.Name) }
	for i := range r.lock.Packages {
		p := &r.lock.Packages[i]
		for _, edges := range [][]solve.Edge{p.Needs, p.Peers} {
			if err := check(p.ID, edges); err != nil {
				return nil, err
			}
			slices.SortFunc(edges, byName)
		}
		slices.SortFunc(p.Runtimes, func(a, b universe.Requirement) int { return strings.Compare(a.Name, b.Name) })
	}
	convertLock(r.lock, r.format)
	sortRoots(r.lock.Roots)
	if byID := func(a, b LockedPackage) int { return strings.Compare(a.ID, b.ID) }; !slices.IsSortedFunc(
		r.lock.Packages, byID) {
		// as it is when nobody merged it
		slices.SortFunc(r.lock.Packages, byID)
	}
	return r.lock, nil
}
