package universe

import (
	"slices"
)

// An Override is what a manifest says of every edge to a name, whatever the packages that make them ask for. Declarations of
// the application itself are not bound by it.
type Override struct {
	Demand         // As is the name; Package and Text say what serves it
	Shared  bool   // the edges get what the application declares under the name, and Text admits any
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

// Overridden shows of a source releases whose needs and peers ask for what overrides say. One that is about the edges of a package comes before one that is
// about all.
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
				if o.As != d.As {
					continue
				}
				if o.Of != "" {
					if set, err := p.Admit(o.Of); err != nil || !set.Has(i) {
						continue
					}
				}
				return &own[k]
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
			for _, list := range []*[]Demand{&r.Needs, &r.Peers} {
				*list = slices.Clone(*list)
				for k, d := range *list {
					if o := find(i, d); o != nil {
						d.Package, d.Text, d.Foreign = o.Package, o.Text, o.Foreign
						(*list)[k] = d
					}
				}
			}
		}
		return p.With(releases), nil
	})
}
