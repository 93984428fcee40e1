package cli

import (
	"slices"

	"github.com/spf13/cobra"

	"molt/core/version"
	"molt/render"
)

func (c *call) rangeOf() *cobra.Command {
	return &cobra.Command{
		Use:     "range CONSTRAINT VERSION...",
		Short:   "Show which versions a constraint admits",
		Long:    "Range puts a constraint to versions, by the exact rule of the ecosystem, and lists which it admits and which\nit refuses, in ascending order.",
		Example: "  molt range '^1.2.3-beta.2 || 3.x' 1.2.3-beta.3 1.9.0 2.0.0 3.4.5",
		Args:    cobra.MinimumNArgs(2),
		RunE: func(_ *cobra.Command, args []string) error {
			e, err := c.ecosystem()
			if err != nil {
				return err
			}
			constraint, err := e.Scheme().Constrain(args[0])
			if err != nil {
				return err
			}
			var versions []version.Version
			for _, text := range args[1:] {
				v, err := e.Scheme().Parse(text)
				if err != nil {
					return err
				}
				versions = append(versions, v)
			}
			slices.SortStableFunc(versions, version.Version.Compare)
			doc := render.RangeDoc{Schema: "molt/range/1", Ecosystem: e.Name(), Constraint: args[0], Admits: []string{}, Refuses: []string{}}
			for _, v := range versions {
				if constraint.Admits(v) {
					doc.Admits = append(doc.Admits, v.String())
				} else {
					doc.Refuses = append(doc.Refuses, v.String())
				}
			}
			return c.show(doc, func(p *render.Page) { p.Range(doc) })
		},
	}
}
