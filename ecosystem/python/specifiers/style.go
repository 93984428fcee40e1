package specifiers

import (
	"regexp"
	"slices"
	"strconv"
	"strings"

	"molt/core/version"
)

// Jump tells the place of the first number that differs. Another epoch is a major jump; what
// differs in suffixes alone is a patch, or the move between prereleases of one release and that
// release.
func (Rules) Jump(from, to version.Version) version.Jump {
	v, w := from.(*Version), to.(*Version)
	switch c := w.Compare(v); {
	case c == 0:
		return version.Same
	case c < 0:
		return version.Back
	case v.epoch != w.epoch:
		return version.Major
	}
	for i := range max(len(v.release), len(w.release)) {
		if v.part(i) != w.part(i) {
			return [...]version.Jump{version.Major, version.Minor, version.Patch}[min(i, 2)]
		}
	}
	if v.Prerelease() && w.post == "" {
		return version.Pre
	}
	return version.Patch
}

// Breaking reports whether the first number that is not zero changes, or the epoch. The
// specification has no rule for it: this is the convention that upper bounds are written by.
func (Rules) Breaking(from, to version.Version) bool {
	v, w := from.(*Version), to.(*Version)
	lead := v.lead()
	return v.epoch != w.epoch || !v.isPrefix(lead+1, w) || v.Prerelease() && v.compareBase(w) == 0 && v.Compare(w) != 0
}

// lead is the place of the first number that is not zero, at most the third.
func (v *Version) lead() int {
	for i := range 2 {
		if v.part(i) != "0" {
			return i
		}
	}
	return 2
}

// Major returns the first number, behind the epoch where there is one.
func (Rules) Major(v version.Version) string { return v.(*Version).numbers(1) }

// numbers writes the epoch and the first n numbers of the release.
func (v *Version) numbers(n int) string {
	short := &Version{epoch: v.epoch, release: make([]number, n)}
	for i := range n {
		short.release[i] = v.part(i)
	}
	return short.Public()
}

// Next raises the number that the jump is about and has as many numbers as before. A prerelease is
// followed by its release.
func (Rules) Next(v version.Version, j version.Jump) string {
	w := v.(*Version)
	if w.Prerelease() {
		return w.numbers(len(w.release))
	}
	place := map[version.Jump]int{version.Major: 0, version.Minor: 1}
	at, ok := place[j]
	if !ok {
		at = 2
	}
	return w.after(at, max(len(w.release), at+1))
}

// after writes the first version after all that share the numbers up to a place, with n numbers.
func (v *Version) after(place, n int) string {
	next := &Version{epoch: v.epoch, release: make([]number, n)}
	for i := range n {
		next.release[i] = "0"
		if i < place {
			next.release[i] = v.part(i)
		}
	}
	next.release[place] = v.part(place).plusOne()
	return next.Public()
}

// plusOne adds one, in digits.
func (n number) plusOne() number {
	digits := []byte(n)
	for i := len(digits) - 1; i >= 0; i-- {
		if digits[i] < '9' {
			digits[i]++
			return number(digits)
		}
		digits[i] = '0'
	}
	return number("1" + string(digits))
}

// Any is the specifier without a clause.
func (Rules) Any() string { return "" }

// AtLeast returns a lower bound. Local parts are no part of order.
func (Rules) AtLeast(v version.Version) string { return ">=" + v.(*Version).Public() }

// Styled writes a lower bound with an upper one, a compatible release, the version, or nothing.
func (Rules) Styled(s version.Style, v version.Version) string {
	w := v.(*Version)
	switch s {
	case version.NextPatch:
		return compatible(w, 3)
	case version.Exact:
		return "==" + w.Normal()
	case version.Any:
		return ""
	}
	lead := w.lead()
	return Scheme.AtLeast(v) + ",<" + w.after(lead, lead+1)
}

// compatible writes the "~=" clause of n numbers that admits a version.
func compatible(v *Version, n int) string {
	suffix := strings.TrimPrefix((&Version{epoch: "0", release: []number{"0"}, pre: v.pre, preN: v.preN, post: v.post, dev: v.dev}).Public(), "0")
	return "~=" + v.numbers(n) + suffix
}

// StyleOf knows the clauses that Styled writes, and prefixes.
func (Rules) StyleOf(text string) version.Style {
	c, err := constrain(text)
	switch {
	case err != nil:
		return version.OtherStyle
	case len(c.clauses) == 0:
		return version.Any
	case len(c.clauses) == 2:
		return styleOfBounds(c.clauses)
	case len(c.clauses) > 2:
		return version.OtherStyle
	}
	one := c.clauses[0]
	switch {
	case one.op == "===", one.op == "==" && !one.prefix:
		return version.Exact
	case one.op == "==" && len(one.v.release) == 1, one.op == "~=" && len(one.v.release) == 2:
		return version.NextMinor
	case one.op == "==" && len(one.v.release) == 2, one.op == "~=" && len(one.v.release) == 3:
		return version.NextPatch
	}
	return version.OtherStyle
}

// styleOfBounds knows a lower bound with the upper one that the next breaking release, or the next minor one, is.
func styleOfBounds(clauses []clause) version.Style {
	low, high := clauses[0], clauses[1]
	if low.op == "<" {
		low, high = high, low
	}
	if low.op != ">=" || high.op != "<" {
		return version.OtherStyle
	}
	for place := range 2 {
		next, err := Parse(low.v.after(place, place+1))
		if err == nil && next.Compare(high.v) == 0 {
			if place == low.v.lead() {
				return version.NextMinor
			}
			return map[int]version.Style{1: version.NextPatch}[place]
		}
	}
	return version.OtherStyle
}

// Restyle moves the clauses of a specifier to a version, each in its own way: bounds to bounds of
// the same form, with as many numbers; an exclusion of what a new lower bound excludes goes. Spaces
// stay. Where that admits no such version, it is rewritten with both bounds.
func (Rules) Restyle(constraint string, to version.Version) string {
	v := to.(*Version)
	c, err := constrain(constraint)
	if err != nil {
		return Scheme.Styled(version.NextMinor, v)
	}
	if version.Admits(c, v) {
		return constraint
	}
	if styled := c.moved(v); styled != "" {
		if again, err := constrain(styled); err == nil && version.Admits(again, v) {
			return styled
		}
	}
	return Scheme.Styled(version.NextMinor, v)
}

func (c *specifier) moved(v *Version) string {
	low := slices.ContainsFunc(c.clauses, func(one clause) bool { return one.op == ">=" || one.op == ">" || one.op == "~=" })
	var kept []string
	for i := range c.clauses {
		one := &c.clauses[i]
		text := c.text[one.from:one.to]
		if one.op == "!=" {
			if low && one.v.Compare(v) < 0 && !one.prefix || !one.holds(v) {
				continue
			}
		} else {
			text = text[:len(text)-len(strings.TrimLeft(text, "=<>~! \t"))] + one.movedTo(v)
		}
		kept = append(kept, text)
	}
	comma := ","
	if i := strings.IndexByte(c.text, ','); i >= 0 {
		rest := c.text[i+1:]
		comma = c.text[len(strings.TrimRight(c.text[:i], " \t")) : len(c.text)-len(strings.TrimLeft(rest, " \t"))]
	}
	return strings.Join(kept, comma)
}

// movedTo rewrites the version of a clause, so that it admits another one.
func (c *clause) movedTo(v *Version) string {
	switch {
	case c.op == "===":
		return v.Normal()
	case c.prefix:
		return v.numbers(len(c.v.release)) + ".*"
	case c.op == "==":
		return v.Normal()
	case c.op == "~=":
		return strings.TrimPrefix(compatible(v, len(c.v.release)), "~=")
	case c.op == "<" && !c.holds(v):
		last := len(c.v.release) - 1
		for last > 0 && c.v.release[last] == "0" {
			last--
		}
		return v.after(last, len(c.v.release))
	case c.op == "<=" && c.holds(v), c.op == "<", c.op == ">":
		return c.v.text
	}
	return v.Public() // "<=" and ">="
}

// Goal reads what people write of a goal: numbers, such as 5 or 4.2, which every release has that
// begins with them; or a specifier.
func (Rules) Goal(text string) (version.Constraint, error) {
	if v, err := Parse(text); err == nil && !v.Prerelease() && v.post == "" && v.local == nil {
		return Scheme.Constrain("==" + v.Public() + ".*")
	} else if err == nil {
		return Scheme.Constrain("==" + text)
	}
	return Scheme.Constrain(text)
}

// Mentions returns the versions of the clauses.
func (Rules) Mentions(constraint string) (all []version.Version) {
	c, err := constrain(constraint)
	if err != nil {
		return version.FindIn(Scheme, constraint)
	}
	for _, one := range c.clauses {
		if one.v != nil {
			all = append(all, one.v)
		} else if v, err := Parse(one.text); err == nil {
			all = append(all, v)
		}
	}
	return all
}

// inProse is a version in a sentence or a heading: two numbers at least, and no part of a longer word.
var inProse = regexp.MustCompile(`(?i)(?:^|[^\w.])v?((?:\d+!)?\d+(?:\.\d+)+(?:(?:a|b|rc)\d+)?(?:\.post\d+)?(?:\.dev\d+)?)(?:[^\w.]|\.?$|\.\s)`)

// FindIn finds versions with a dot in them.
func (Rules) FindIn(prose string) (all []version.Version) {
	for _, m := range inProse.FindAllStringSubmatch(prose, -1) {
		if v, err := Parse(m[1]); err == nil {
			all = append(all, v)
		}
	}
	return all
}

// Numbers returns the first numbers of a version's release, for those who count by them: 0 where
// one is missing or too large.
func (v *Version) Numbers() (major, minor int) {
	read := func(i int) int { n, _ := strconv.Atoi(string(v.part(i))); return n }
	return read(0), read(1)
}
