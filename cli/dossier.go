package cli

import (
	"github.com/spf13/cobra"

	"molt/ask"
	"molt/render/text"
)

func (c *call) dossier() command {
	var r ask.DossierRequest
	cmd := &cobra.Command{
		Use:   "dossier PACKAGE",
		Short: "Show one package in detail",
		Long: `Dossier shows a package: what is declared and locked here, who brings it in, its releases with what they ask of the
runtime and of the framework, tags, deprecation, links, and the part of its change log between the locked and the
newest release (or the one that --to names), what breaks first. The change log comes from the release's archive.`,
		Example: "  molt dossier lintbuoy\n  molt dossier nightberth-payments --to 5.0.0 --previews",
		Args:    cobra.ExactArgs(1),
	}
	run := func(c *call, args []string) error {
		r.Name = args[0]
		return c.session(ask.Needs{Dated: true, Also: args}, func(s *ask.Session) error {
			d, err := s.Dossier(c.ctx, r)
			return answer(c, s, d, err, (*text.Page).Dossier)
		})
	}
	cmd.Flags().BoolVar(&r.Previews, "previews", false, "show prereleases too")
	cmd.Flags().IntVar(&r.Most, "most", 12, "how many releases to show; 0 for all")
	cmd.Flags().StringVar(&r.To, "to", "", "the release up to which to show the change log (the newest)")
	return command{Command: cmd, run: run, takes: asks, sides: ask.Named, operand: nameKnown("--to says up to which release")}
}
