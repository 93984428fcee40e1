package ecosystem

import (
	"slices"
	"strconv"
	"strings"

	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
)

// A apartName name is one that stands apart with a member of a workspace though what is asked for
// under it meets, or nobody else asks for it.
type apartName struct{ member, name string }

// SetApart has the same names stand apart with their members as roots do, those of a lock or of a
// resolution; none, where there are no roots.
func (m *Manifests) SetApart(roots []solve.Edge) error {
	if len(m.files) == 1 { // nothing stands apart where there are no members
		return nil
	}
	m.apart = nil
	for _, e := range roots {
		if e.Apart != "" {
			m.setOneApart(e.Apart, e.Own)
		}
	}
	return m.link()
}

func (m *Manifests) setOneApart(member, name string) {
	if m.apart == nil {
		m.apart = map[apartName]bool{}
	}
	m.apart[apartName{member, name}] = true
}

// divide says which members of a workspace stand apart. One release of a name serves the whole
// workspace as long as what is asked for under it meets. Where it doesn't, the application itself
// has the say, or else the most members that agree; whoever asks for something else has a release
// of its own, and stands apart. What a lock has apart stays so (SetApart), since packages of the
// member may have to see that release (project.TryApart), until the lock is made without. The same
// goes for a member that wants from the registry what another takes from a member.
func (m *Manifests) divide() {
	if m.eco.Strategy().Single || len(m.files) == 1 {
		return
	}
	byName := map[string][]int{} // entries from the registry, by name
	linked := func(name string) bool {
		return slices.ContainsFunc(m.siblings, func(s Sibling) bool { return s.As == name })
	}
	divided := false
	for i, e := range m.entries {
		if !e.Foreign {
			divided = divided || linked(e.As)
			for _, k := range byName[e.As] {
				divided = divided || !m.meet(m.entries[k], e)
			}
			byName[e.As] = append(byName[e.As], i)
		}
	}
	if !divided && m.apart == nil {
		return
	}
	apart := map[string]map[string]bool{} // names, by member
	for name, all := range byName {
		out := m.outvoted(all)
		if linked(name) {
			out = nil
			for _, i := range all {
				if member := project.GroupOf(m.entries[i].Group).Member; member != "" {
					out = append(out, member)
				}
			}
		}
		for _, member := range out {
			if apart[member] == nil {
				apart[member] = map[string]bool{}
			}
			apart[member][name] = true
		}
	}
	for i := range m.entries {
		e := &m.entries[i]
		member := project.GroupOf(e.Group).Member
		if !e.Foreign && (apart[member][e.As] || m.apart[apartName{member, e.As}]) {
			e.Apart, e.Own = member, e.As
		}
	}
	for i := range m.entries {
		if e := &m.entries[i]; e.Apart != "" {
			e.As = universe.Name{Package: e.Own, In: e.Apart}.String()
		}
	}
}

// outvoted returns the members whose entries of one name do not meet those of the rest.
func (m *Manifests) outvoted(entries []int) []string {
	var places []string
	of := map[string][]int{}
	for _, i := range entries {
		member := project.GroupOf(m.entries[i].Group).Member
		if of[member] == nil {
			places = append(places, member)
		}
		of[member] = append(of[member], i)
	}
	slices.Sort(places) // the application itself comes first
	meet := func(a, b string) bool {
		return !slices.ContainsFunc(of[a], func(i int) bool {
			return slices.ContainsFunc(of[b], func(k int) bool { return !m.meet(m.entries[i], m.entries[k]) })
		})
	}
	var most []string
	for _, first := range places {
		group := []string{first}
		for _, other := range places {
			if other != first && !slices.ContainsFunc(group, func(x string) bool { return !meet(x, other) }) {
				group = append(group, other)
			}
		}
		if len(group) > len(most) {
			most = group
		}
		if first == "" {
			break
		}
	}
	return slices.DeleteFunc(places, func(place string) bool { return slices.Contains(most, place) })
}

// meet reports whether some version could satisfy two entries of a name. It asks no registry: sets
// that have a version in common have one where either of them begins, or right after that.
func (m *Manifests) meet(a, b Entry) bool {
	if a.Package != b.Package {
		return false
	}
	if a.Text == b.Text {
		return true
	}
	scheme := m.eco.Scheme()
	x, errX := scheme.Constrain(a.Text)
	y, errY := scheme.Constrain(b.Text)
	if errX != nil || errY != nil { // the name of a release: nobody can say
		return true
	}
	for _, text := range []string{a.Text, b.Text} {
		named := version.Mentions(scheme, text)
		if named == nil {
			return true // it asks for any
		}
		for _, v := range named {
			if version.Admits(x, v) && version.Admits(y, v) {
				return true
			}
			if next, err := scheme.Parse(after(v.String())); err == nil && version.Admits(x, next) && version.Admits(y, next) {
				return true
			}
		}
	}
	return false
}

// after returns the text of a version whose last number is one more.
func after(text string) string {
	at := strings.LastIndexFunc(text, func(c rune) bool { return c < '0' || c > '9' }) + 1
	n, err := strconv.Atoi(text[at:])
	if err != nil {
		return text
	}
	return text[:at] + strconv.Itoa(n+1)
}
