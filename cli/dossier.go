package cli

import (
	"context"
	"errors"
	"fmt"

	"github.com/spf13/cobra"

	"molt/app"
	"molt/ask"
	"molt/core/inspect"
	"molt/core/project"
	"molt/core/version"
	"molt/render/text"
)

func (c *call) dossier() *cobra.Command {
	var previews bool
	var most int
	var to string
	cmd := &cobra.Command{
		Use:   "dossier PACKAGE",
		Short: "Show one package in detail",
		Long: `Dossier shows a package: what is declared and locked here, who brings it in, its releases with what they ask of the
runtime and of the framework, tags, deprecation, links, and the part of its change log between the locked and the
newest release (or the one that --to names), what breaks first. The change log comes from the release's archive.`,
		Example:           "  molt dossier lintbuoy\n  molt dossier nightberth-payments --to 5.0.0 --previews",
		Args:              cobra.ExactArgs(1),
		ValidArgsFunction: c.completeKnown,
		RunE: func(_ *cobra.Command, args []string) error {
			return c.session(occasion{dated: true, also: args}, func(s *session) error {
				var names []string
				name := args[0]
				for _, d := range s.a.Declared() {
					names = append(names, d.As)
					if d.As == args[0] {
						name = d.Package
						if d.Foreign {
							return &app.UsageError{Reason: fmt.Sprintf("%s does not come from the registry but from %s; Molt knows nothing more of it", d.As, d.Text)}
						}
					}
				}
				p, err := s.source.Package(c.ctx, name)
				if err != nil {
					return project.UnknownName(err, args[0], names)
				}
				facts := ask.DossierFacts{Name: args[0], Keeping: s.keeping(args[0]), Package: p, App: s.a.Application(), Goal: project.ParseGoal(s.a.Config.Goal).Name, Previews: previews, Most: most}
				if s.a.Lock != nil {
					if facts.Traces, err = inspect.TraceLocked(c.ctx, s.source, s.a.Lock.Resolution(), name); err != nil {
						return err
					}
				}
				if err := s.changeLog(&facts, to); err != nil {
					return err
				}
				s.still()
				answer := ask.NewDossier(facts)
				return c.show(answer, func(p *text.Page) { p.Dossier(answer) })
			})
		},
	}
	cmd.Flags().BoolVar(&previews, "previews", false, "show prereleases too")
	cmd.Flags().IntVar(&most, "most", 12, "how many releases to show; 0 for all")
	cmd.Flags().StringVar(&to, "to", "", "the release up to which to show the change log (the newest)")
	return cmd
}

// changeLog adds the part of the change log between the locked and the chosen release. That it cannot be had is a remark.
func (s *session) changeLog(facts *ask.DossierFacts, to string) error {
	p := facts.Package
	chosen := p.Newest()
	if to != "" {
		if chosen = p.Release(to); chosen == nil {
			return &app.UsageError{Reason: fmt.Sprintf("--to %s: %s has no such release", to, p.Name)}
		}
	}
	if chosen == nil {
		return nil
	}
	var after version.Version
	if len(facts.Traces) > 0 {
		if r := p.Release(facts.Traces[0].Version); r != nil {
			after = r.Version
		}
	}
	facts.To = chosen
	if after != nil && after.Compare(chosen.Version) >= 0 {
		return nil
	}
	text, err := s.a.ChangeLog(s.ctx, chosen)
	switch {
	case errors.Is(err, context.Canceled):
		return err
	case err != nil:
		facts.NoLog = fmt.Sprintf("The change log of %s cannot be had: %v", chosen.Version, err)
	case text == "":
		facts.NoLog = fmt.Sprintf("The archive of %s carries no change log.", chosen.Version)
	default:
		facts.Log = inspect.ReadLog(p.Scheme, text, after, chosen.Version)
		if facts.Log == nil {
			facts.NoLog = fmt.Sprintf("The change log of %s says nothing of the releases between.", chosen.Version)
		}
	}
	return nil
}
