package cli

import (
	"github.com/spf13/cobra"

	"molt/ask"
	"molt/input"
	"molt/render/text"
)

func (c *call) rangeOf() command {
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
	}
	run := func(c *call, args []string) error {
		switch {
		case of == "" && len(args) < 2:
			return &input.UsageError{Reason: "range: expected versions after the constraint, or --of PACKAGE"}
		case of != "" && len(args) > 1:
			return &input.UsageError{Reason: "range: expected either versions or --of PACKAGE"}
		case advise && of == "":
			return &input.UsageError{Reason: "--advise: expected --of PACKAGE with it"}
		case of != "":
			return c.session(ask.Needs{}, func(s *ask.Session) error {
				d, err := s.RangeOf(c.ctx, args[0], of, advise)
				return answer(c, s, d, err, (*text.Page).Range)
			})
		}
		e, err := c.ecosystem()
		if err != nil {
			return err
		}
		d, err := ask.Range(e, args[0], args[1:])
		return answer(c, nil, d, err, (*text.Page).Range)
	}
	cmd.Flags().StringVar(&of, "of", "", "put it to the published releases of this package")
	cmd.Flags().BoolVar(&advise, "advise", false, "say which constraint would serve the application better")
	return command{Command: cmd, run: run, takes: asks, sides: ask.Of(&of), values: map[string]completion{"of": knownHere}}
}
