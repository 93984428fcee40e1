package ranges

import (
	"strings"

	"molt/core/version"
	"molt/core/version/semver"
)

// Restyle keeps the operator of a constraint with a single comparator, and for x-ranges the number of parts that are
// written; whatever else it was given becomes a caret range.
func (Rules) Restyle(constraint string, to version.Version) string {
	v := to.(*semver.Version)
	c, err := Scheme.Constrain(constraint)
	if err == nil && version.Admits(c, v) {
		return constraint
	}
	caret := "^" + v.Plain()
	if err != nil {
		return caret
	}
	styled := restyle(strings.TrimSpace(constraint), v)
	if c, err := Scheme.Constrain(styled); err != nil || !version.Admits(c, v) {
		return caret
	}
	return styled
}

func restyle(trimmed string, v *semver.Version) string {
	plain := v.Plain()
	if strings.ContainsAny(trimmed, " |") {
		return "^" + plain
	}
	operator := trimmed[:len(trimmed)-len(strings.TrimLeft(trimmed, "<>=~^v"))]
	rest := trimmed[len(operator):]
	parts := strings.Split(strings.SplitN(strings.SplitN(rest, "-", 2)[0], "+", 2)[0], ".")
	switch {
	case strings.HasPrefix(operator, "<"): // an upper bound alone cannot ask for a release above it
		return "^" + plain
	case v.Pre != "" || len(parts) >= 3 && !isWild(parts[1]) && !isWild(parts[2]):
		return operator + plain
	}
	numbers := strings.Split(semver.Version{Major: v.Major, Minor: v.Minor, Patch: v.Patch}.Plain(), ".")
	for i := range min(len(parts), 3) {
		if isWild(parts[i]) {
			numbers[i] = parts[i]
		}
	}
	return operator + strings.Join(numbers[:min(len(parts), 3)], ".")
}

func isWild(part string) bool { return part == "" || part == "x" || part == "X" || part == "*" }

// Styled writes a caret range, a tilde range, the version, or a star.
func (Rules) Styled(s version.Style, v version.Version) string {
	text := v.(*semver.Version).Plain()
	switch s {
	case version.NextPatch:
		return "~" + text
	case version.Exact:
		return text
	case version.Any:
		return "*"
	}
	return "^" + text
}

// StyleOf knows a single comparator by its operator.
func (Rules) StyleOf(constraint string) version.Style {
	text := strings.TrimSpace(constraint)
	if text == "" || isWild(text) {
		return version.Any
	}
	if _, err := Scheme.Constrain(text); err != nil || strings.ContainsAny(text, " |") {
		return version.OtherStyle
	}
	rest := strings.TrimLeft(text, "^~=v")
	_, err := Scheme.Parse(rest)
	switch operator := text[:len(text)-len(rest)]; {
	case operator == "^":
		return version.NextMinor
	case operator == "~":
		return version.NextPatch
	case err == nil && (operator == "" || operator == "=" || operator == "v"):
		return version.Exact
	}
	return version.OtherStyle
}

// Any returns the star.
func (Rules) Any() string { return "*" }

// AtLeast returns a lower bound, without zeros that say nothing: >=22 for 22.0.0.
func (Rules) AtLeast(release version.Version) string {
	v := release.(*semver.Version)
	text := v.Plain()
	if v.Pre == "" {
		text = strings.TrimSuffix(strings.TrimSuffix(text, ".0"), ".0")
	}
	return ">=" + text
}

// Goal reads what people write of a goal: a range, such as 5, 5.2 or ^5.1.0.
func (Rules) Goal(text string) (version.Constraint, error) { return Scheme.Constrain(text) }
