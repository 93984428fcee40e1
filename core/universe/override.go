package universe

import (
	"slices"
)

// An Override is what a manifest says of every edge to a name, whatever the packages that make them
// ask for. Declarations of the application itself are not bound by it.
type Override struct {
	Demand         // As is the name; Package and Text say what serves it
	Shared  bool   // peers get what the application declares under the name, whatever that is by then
	Any     string // the constraint that admits any release, where Shared
	Written string // as the manifest has it
	// By is the package whose edges are bound, and Of the constraint that its release meets; "" for all.
	By, Of string
}

// Key tells overrides apart: the name, with the package whose edges alone are bound.
func (o Override) Key() string {
	switch {
	case o.By == "":
		return o.As
	case o.Of == "":
		return o.As + " below " + o.By
	}
	return o.As + " below " + o.By + "@" + o.Of
}

// Binds reports whether the edge that one release of a package has to a name is bound.
func (o Override) Binds(p *Package, i int, as string) bool {
	if o.As != as || o.By != "" && o.By != p.Name {
		return false
	}
	if o.Of == "" {
		return true
	}
	set, err := p.Admit(o.Of)
	return err == nil && set.Has(i)
}

// Overridden shows of a source releases whose needs and peers ask for what overrides say. What they ask for themselves
// stays among Covered. An override of the edges of one package comes before one of all edges.
func Overridden(s Source, overrides []Override) Source {
	if len(overrides) == 0 {
		return s
	}
	return Changed(s, func(p *Package) (*Package, error) {
		var own []Override
		for _, o := range overrides {
			if o.By == "" || o.By == p.Name {
				own = append(own, o)
			}
		}
		slices.SortStableFunc(own, func(a, b Override) int { return len(b.By) - len(a.By) })
		find := func(i int, d Demand) *Override {
			for k, o := range own {
				if o.Binds(p, i, d.As) {
					return &own[k]
				}
			}
			return nil
		}
		releases := p.Copies()
		if !slices.ContainsFunc(own, func(o Override) bool {
			return slices.ContainsFunc(releases, func(r Release) bool {
				named := func(d Demand) bool { return d.As == o.As }
				return slices.ContainsFunc(r.Needs, named) || slices.ContainsFunc(r.Peers, named)
			})
		}) {
			return p, nil
		}
		for i := range releases {
			r := &releases[i]
			r.Covered = slices.Clone(r.Covered)
			for k, list := range []*[]Demand{&r.Needs, &r.Peers} {
				*list = slices.Clone(*list)
				for j, d := range *list {
					if o := find(i, d); o != nil {
						r.Covered = append(r.Covered, d)
						d.Package, d.Text, d.Foreign = o.Package, o.Text, o.Foreign
						if o.Shared && k == 1 {
							d.Text = o.Any
						}
						(*list)[j] = d
					}
				}
			}
			r.Covered = distinct(r.Covered)
		}
		return p.With(releases), nil
	})
}
