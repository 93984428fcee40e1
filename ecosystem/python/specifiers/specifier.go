package specifiers

import (
	"errors"
	"slices"
	"strings"

	"molt/core/version"
)

// A specifier is a list of clauses, all of which must hold.
type specifier struct {
	text    string
	clauses []clause
}

// A clause compares with one version.
type clause struct {
	op       string
	v        *Version // nil for "==="
	prefix   bool     // a ".*" follows the version
	text     string   // what "===" compares with
	from, to int      // offsets in the specifier's text
}

// operators, the longer ones first.
var operators = [...]string{"===", "~=", "==", "!=", "<=", ">=", "<", ">"}

// Constrain reads a specifier. The error is a *version.Error.
func (Rules) Constrain(text string) (version.Constraint, error) {
	c, err := constrain(text)
	if err != nil {
		return nil, err
	}
	return c, nil
}

func constrain(text string) (*specifier, error) {
	c := &specifier{text: text}
	s := scanner{kind: "constraint", text: text}
	for {
		s.spaces()
		if s.pos < len(text) && s.peek() != ',' {
			one, err := s.clause()
			if err != nil {
				return nil, err
			}
			c.clauses = append(c.clauses, one)
			s.spaces()
		}
		if s.pos == len(text) {
			return c, nil
		}
		if s.peek() != ',' {
			return nil, s.fail("expected a comma, found " + quote(text[s.pos:]))
		}
		s.pos++
	}
}

func (s *scanner) clause() (clause, error) {
	c := clause{from: s.pos}
	for _, op := range operators {
		if strings.HasPrefix(s.text[s.pos:], op) {
			c.op = op
			break
		}
	}
	if c.op == "" {
		reason := "expected an operator (~=, ==, !=, <=, >=, <, > or ===), found " + quote(s.text[s.pos:])
		if isDigit(s.peek()) {
			reason = "expected an operator before the version, such as == or >="
		}
		return c, s.fail(reason)
	}
	s.pos += len(c.op)
	s.spaces()
	at := s.pos
	if c.op == "===" {
		for s.pos < len(s.text) && strings.IndexByte(" \t\r\n\f\v,;)", s.text[s.pos]) < 0 {
			s.pos++
		}
		c.text, c.to = strings.ToLower(s.text[at:s.pos]), s.pos
		if c.text == "" {
			return c, s.fail("expected a version")
		}
		return c, nil
	}
	var err error
	if c.v, err = s.version(); err != nil {
		return c, err
	}
	if s.peek() == '.' && s.at(1) == '*' {
		s.pos += 2
		switch {
		case c.op != "==" && c.op != "!=":
			return c, s.failAt(s.pos-2, "\".*\" goes with == and != alone")
		case c.v.pre != "" || c.v.post != "" || c.v.dev != "" || c.v.local != nil:
			return c, s.failAt(s.pos-2, "\".*\" stands behind numbers alone")
		}
		c.prefix = true
	}
	switch {
	case c.v.local != nil && c.op != "==" && c.op != "!=":
		return c, s.failAt(at, "a local version is compared with == and != alone")
	case c.op == "~=" && len(c.v.release) < 2:
		return c, s.failAt(at, "~= needs two numbers at least, such as ~=1.0")
	}
	c.to = s.pos
	return c, nil
}

// String returns the specifier as it was written.
func (c *specifier) String() string { return c.text }

// Bounded reports whether a clause excludes all that comes after some version.
func (c *specifier) Bounded() bool {
	return slices.ContainsFunc(c.clauses, func(one clause) bool { return one.op != "!=" && one.op[0] != '>' })
}

// Admit returns the releases that satisfy every clause, without the prereleases unless these are
// asked for or there is nothing else.
func (c *specifier) Admit(l version.List) version.Set {
	all, stable := version.NewSet(len(l)), version.NewSet(len(l))
	for i, v := range l {
		if !c.Satisfied(v) {
			continue
		}
		all.Add(i)
		if !v.Prerelease() {
			stable.Add(i)
		}
	}
	if stable.Empty() || c.namesPrerelease() {
		return all
	}
	return stable
}

// Satisfied reports whether every clause holds, whatever else there is.
func (c *specifier) Satisfied(v version.Version) bool {
	w := v.(*Version)
	for i := range c.clauses {
		if !c.clauses[i].holds(w) {
			return false
		}
	}
	return true
}

// Satisfies reports whether a text is a version that satisfies a specifier, prereleases like all
// others; ok is false where that is no specifier.
func Satisfies(text, constraint string) (holds, ok bool) {
	c, err := constrain(constraint)
	if err != nil {
		return false, false
	}
	v, err := Parse(text)
	return err == nil && c.Satisfied(v), true
}

func (c *specifier) namesPrerelease() bool {
	return slices.ContainsFunc(c.clauses, func(one clause) bool {
		if one.op == "===" {
			v, err := Parse(one.text)
			return err == nil && v.Prerelease()
		}
		return one.op != "!=" && one.v.Prerelease()
	})
}

// holds is the comparison of the specification's section of the same name as the operator. Local
// parts of candidates count where the clause has one, with "===", and for ">".
func (c *clause) holds(v *Version) bool {
	switch c.op {
	case "===":
		return v.Normal() == c.text
	case "==":
		return c.equals(v)
	case "!=":
		return !c.equals(v)
	case "~=":
		return v.comparePublic(c.v) >= 0 && c.v.isPrefix(len(c.v.release)-1, v)
	case ">=":
		return v.comparePublic(c.v) >= 0
	case "<=":
		return v.comparePublic(c.v) <= 0
	case "<":
		return v.Compare(c.v) < 0 && (c.v.Prerelease() || !v.isPrereleaseOf(c.v))
	}
	return v.Compare(c.v) > 0 && v.comparePublic(c.v) != 0 && (c.v.post != "" || !v.isPostReleaseOf(c.v))
}

// isPrereleaseOf reports whether a version is a prerelease of another, which is none: of 1.0.post1
// it is 1.0.post1.dev1, and not 1.0a1.
func (v *Version) isPrereleaseOf(w *Version) bool {
	return v.Prerelease() && v.compareBase(w) == 0 && (w.post == "" || v.pre == "" && v.post == w.post)
}

// isPostReleaseOf reports whether a version is a post-release of another, or a prerelease of one.
func (v *Version) isPostReleaseOf(w *Version) bool {
	return v.post != "" && v.compareBase(w) == 0 && v.pre == w.pre && v.preN == w.preN && w.dev == ""
}

func (c *clause) equals(v *Version) bool {
	switch {
	case c.prefix:
		return c.v.isPrefix(len(c.v.release), v)
	case c.v.local == nil:
		return v.comparePublic(c.v) == 0
	}
	return v.Compare(c.v) == 0
}

// isPrefix reports whether the epoch and the first n numbers of the release are those of another version.
func (v *Version) isPrefix(n int, w *Version) bool {
	for i := range n {
		if v.part(i) != w.part(i) {
			return false
		}
	}
	return v.epoch == w.epoch
}

// Check says where a text stops being a specifier, and why; the reason is "" where it is one.
func Check(text string) (offset int, reason string) {
	_, err := constrain(text)
	var bad *version.Error
	if errors.As(err, &bad) {
		return bad.Offset, bad.Reason
	}
	return 0, ""
}
