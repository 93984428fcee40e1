package cli

import (
	"errors"
	"slices"

	"github.com/spf13/cobra"

	"molt/app"
	"molt/ask"
	"molt/core/inspect"
	"molt/core/project"
	"molt/core/version"
	"molt/render/text"
)

func (c *call) rangeOf() *cobra.Command {
	var of string
	var advise bool
	cmd := &cobra.Command{
		Use:   "range CONSTRAINT [VERSION...]",
		Short: "Show which versions a constraint admits",
		Long: `Range puts a constraint to versions, by the exact rule of the ecosystem, and lists which it admits and which it
refuses, in ascending order. With --of PACKAGE the versions are the published releases, drawn as a lane for each
major, with what the constraint would resolve to today and the first release that it refuses. --advise says whether a
nearer constraint would serve this application better, and why.`,
		Example: `  molt range '^1.2.3-beta.2 || 3.x' 1.2.3-beta.3 1.9.0 2.0.0 3.4.5
  molt range '^3.6.0' --of brackwater --advise`,
		Args: cobra.MinimumNArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			switch {
			case of == "" && len(args) < 2:
				return &app.UsageError{Reason: "range: expected versions after the constraint, or --of PACKAGE"}
			case of != "" && len(args) > 1:
				return &app.UsageError{Reason: "range: expected either versions or --of PACKAGE"}
			case advise && of == "":
				return &app.UsageError{Reason: "--advise: expected --of PACKAGE with it"}
			case of != "":
				return c.rangePublished(args[0], of, advise)
			}
			e, err := c.ecosystem()
			if err != nil {
				return err
			}
			constraint, err := e.Scheme().Constrain(args[0])
			if err != nil {
				return err
			}
			var versions version.List
			for _, text := range args[1:] {
				v, err := e.Scheme().Parse(text)
				if err != nil {
					return err
				}
				versions = append(versions, v)
			}
			slices.SortStableFunc(versions, version.Version.Compare)
			answer := ask.NewRange(e.Name(), args[0])
			admitted := constraint.Admit(versions)
			for i, v := range versions {
				if admitted.Has(i) {
					answer.Admits = append(answer.Admits, v.String())
				} else {
					answer.Refuses = append(answer.Refuses, v.String())
				}
			}
			return c.show(answer, func(p *text.Page) { p.Range(answer) })
		},
	}
	cmd.Flags().StringVar(&of, "of", "", "put it to the published releases of this package")
	cmd.Flags().BoolVar(&advise, "advise", false, "say which constraint would serve the application better")
	_ = cmd.RegisterFlagCompletionFunc("of", c.completeKnown) // the flag exists
	return cmd
}

// rangePublished puts a constraint to the published releases of a package.
func (c *call) rangePublished(constraint, of string, advise bool) error {
	return c.session(occasion{}, func(s *session) error {
		var names []string
		name := of
		for _, d := range s.a.Declared() {
			names = append(names, d.As)
			if d.As == of {
				name = d.Package
			}
		}
		p, err := s.source.Package(c.ctx, name)
		if err != nil {
			return project.UnknownName(err, of, names)
		}
		set, err := p.Admit(constraint)
		if err != nil {
			return err
		}
		answer := ask.NewRange(s.a.Eco.Name(), constraint)
		ask.Published(&answer, of, p, set)
		if advise {
			advice, err := inspect.Advise(c.ctx, s.source, s.a.Application(), of, constraint)
			var bad *version.Error
			if err != nil && !errors.As(err, &bad) { // a tag has no neighbours
				return err
			}
			ask.Advise(&answer, advice)
		}
		s.still()
		if err := c.show(answer, func(p *text.Page) { p.Range(answer) }); err != nil {
			return err
		}
		if set.Empty() {
			return errAttention
		}
		return nil
	})
}
