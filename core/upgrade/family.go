package upgrade

import (
	"slices"
	"strings"
)

// A family is packages that move in step, and the ground on which they are one; "" for a package alone.
type family struct {
	names  []string
	ground string
}

// families groups names that move in step: as people said, else those that were published under the same version
// numbers and have a scope, a name stem or a repository in common.
func (p *planner) families(names []string) []family {
	var groups []family
	seen := map[string]bool{}
	for _, name := range names {
		if seen[name] {
			continue
		}
		group := family{names: []string{name}}
		for _, other := range names {
			if ground := p.akin(name, other); other != name && !seen[other] && ground != "" {
				group.names = append(group.names, other)
				group.ground = ground
			}
		}
		for _, n := range group.names {
			seen[n] = true
		}
		groups = append(groups, group)
	}
	return groups
}

// akin returns the ground on which two packages move in step, "" for none.
func (p *planner) akin(a, b string) string {
	for _, family := range p.app.Families {
		if slices.Contains(family, a) && slices.Contains(family, b) {
			return "declared as a family"
		}
	}
	common := ""
	switch {
	case stem(a) == stem(b) && a[0] == '@':
		common = "one scope"
	case stem(a) == stem(b):
		common = "one name stem"
	case p.repository(a) != "" && p.repository(a) == p.repository(b):
		common = "one repository"
	default:
		return ""
	}
	if !p.sameHistory(a, b) {
		return ""
	}
	return common + ", and equal release numbers"
}

func (p *planner) repository(name string) string {
	pkg, err := p.pkg(name)
	if err != nil {
		return ""
	}
	return strings.TrimSuffix(pkg.Notes.Repository, ".git")
}

// familyStage adds a stage of the family that is being looked at, with the ground on which it is one.
func (p *planner) familyStage(kind StageKind, id, title string, to map[string]string, reason func(name string) string) (bool, error) {
	before := len(p.plan.Stages)
	done, err := p.stage(kind, id, title, to, reason)
	if len(p.plan.Stages) > before && len(p.bridging.names) > 1 {
		p.plan.Stages[before].Family = p.bridging.ground
	}
	return done, err
}

// sameHistory reports whether two packages were published under the same version numbers, at least three times out of
// four.
func (p *planner) sameHistory(a, b string) bool {
	pa, errA := p.pkg(a)
	pb, errB := p.pkg(b)
	if errA != nil || errB != nil {
		return false
	}
	both := 0
	for i := range pa.Releases {
		if pb.Index(pa.Releases[i].Version.String()) >= 0 {
			both++
		}
	}
	return both > 1 && 4*both >= 3*(len(pa.Releases)+len(pb.Releases)-both)
}

// stem is what the names of a family share: the scope, or the part before the first hyphen.
func stem(name string) string {
	if scope, _, ok := strings.Cut(name, "/"); ok && name[0] == '@' {
		return scope
	}
	first, _, _ := strings.Cut(name, "-")
	return first
}
