package cli

import (
	"slices"

	"github.com/spf13/cobra"

	"molt/core/upgrade"
	"molt/render"
)

func (c *call) survey() *cobra.Command {
	return &cobra.Command{
		Use:     "survey",
		Short:   "Show where every declared package stands",
		Long:    "Survey says, for every declared package, what the manifest asks for, what is locked, the newest release\nthat the constraint admits, the newest release of all, and how far behind that is.",
		Example: "  molt survey\n  molt survey --format json --as-of 2025-06-30",
		Args:    cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			return c.session(occasion{dated: true}, func(s *session) error {
				rows, err := upgrade.Survey(c.ctx, s.source, s.a.Application())
				if err != nil {
					return err
				}
				s.still()
				doc := render.NewSurveyDoc(s.a.Eco.Name(), s.a.Manifest.Name(), s.a.Lock != nil, rows)
				if err := c.show(doc, func(p *render.Page) { p.Survey(doc) }); err != nil {
					return err
				}
				for _, r := range rows {
					if slices.Contains(r.Flags, upgrade.Unknown) || slices.Contains(r.Flags, upgrade.Unsatisfied) {
						return errAttention
					}
				}
				return nil
			})
		},
	}
}
