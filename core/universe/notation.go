package universe

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"molt/core/version"
)

// A Table is a Source that holds everything in memory.
type Table map[string]*Package

// Package returns the package of that name, or an *UnknownError.
func (t Table) Package(_ context.Context, name string) (*Package, error) {
	if p, ok := t[name]; ok {
		return p, nil
	}
	return nil, &UnknownError{Name: name}
}

// Hint does nothing.
func (t Table) Hint(...string) {}

// Sketch reads a universe from a few characters, for tests and examples. A line is a release and its demands:
//
//	hulk@1.2.0: keel@^2 peer:mast@>=3 peer?:flag@* opt:lamp@1 jib=sail@^1
//
// "peer:" marks a peer, "peer?:" an optional peer, "opt:" an optional need, "dev:" what a release
// is developed with, and "as=name" an alias. Versions and constraints are those of the scheme, and
// the last parts of a version may be missing ("hulk@1"); a constraint may hold "&" for a space, so
// that "^1&||&^3" is one word. Text after "#" is a comment.
func Sketch(scheme version.Scheme, text string) (Table, error) {
	releases := map[string][]Release{}
	for n, line := range strings.Split(text, "\n") {
		line, _, _ = strings.Cut(line, "#")
		if strings.TrimSpace(line) == "" {
			continue
		}
		head, demands, _ := strings.Cut(line, ": ")
		head = strings.TrimSuffix(strings.TrimSpace(head), ":")
		at := strings.LastIndexByte(head, '@')
		if at <= 0 {
			return nil, fmt.Errorf("line %d: expected name@version, found %q", n+1, head)
		}
		v, err := version.Complete(scheme, head[at+1:])
		if err != nil {
			return nil, fmt.Errorf("line %d: %w", n+1, err)
		}
		r := Release{Version: v}
		for _, word := range strings.Fields(demands) {
			if err := r.sketchDemand(word); err != nil {
				return nil, fmt.Errorf("line %d: %w", n+1, err)
			}
		}
		releases[head[:at]] = append(releases[head[:at]], r)
	}
	t := Table{}
	for name, all := range releases {
		t[name] = NewPackage(name, scheme, all)
	}
	return t, nil
}

func (r *Release) sketchDemand(word string) error {
	d, kind, err := SketchDemand(word)
	if err != nil {
		return err
	}
	return r.Take(d, kind)
}

// Take adds a demand of a kind ("need", "peer" or "dev"). A second one of that kind on one name is
// an error: only one would count.
func (r *Release) Take(d Demand, kind string) error {
	list := &r.Needs
	switch kind {
	case "peer":
		list = &r.Peers
	case "dev":
		list = &r.Tested
	}
	if slices.ContainsFunc(*list, func(x Demand) bool { return x.As == d.As }) {
		return fmt.Errorf("there are two demands on %s; put both into one, joined by &", d.As)
	}
	*list = append(*list, d)
	return nil
}

// SketchDemand reads one demand of the notation that Sketch documents. The kind is "need", "peer" or "dev".
func SketchDemand(word string) (d Demand, kind string, err error) {
	kind = "need"
	prefix, rest, found := strings.Cut(word, ":")
	found = found && !strings.Contains(prefix, "@") // else it belongs to the constraint
	switch {
	case !found:
		rest = word
	case prefix == "peer":
		kind = "peer"
	case prefix == "peer?":
		kind, d.Optional = "peer", true
	case prefix == "opt":
		d.Optional = true
	case prefix == "dev":
		kind = "dev"
	default:
		return d, kind, fmt.Errorf("%q begins with a word that is none of peer, peer?, opt and dev", word)
	}
	at := strings.LastIndexByte(rest, '@')
	if at <= 0 {
		return d, kind, fmt.Errorf("expected name@constraint, found %q", rest)
	}
	d.As, d.Text = rest[:at], strings.ReplaceAll(rest[at+1:], "&", " ")
	d.Package = d.As
	if as, name, ok := strings.Cut(d.As, "="); ok {
		d.As, d.Package = as, name
	}
	if name, extras, ok := strings.Cut(d.Package, "["); ok && strings.HasSuffix(extras, "]") {
		d.As, d.Package, d.Extras = name, name, strings.TrimSuffix(extras, "]")
	}
	return d, kind, nil
}
