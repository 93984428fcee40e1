package cli

import (
	"github.com/spf13/cobra"

	"molt/ask"
	"molt/render/cyclonedx"
)

func (c *call) inventory() command {
	cmd := &cobra.Command{
		Use:   "inventory",
		Short: "Print what the lock holds as a bill of materials",
		Long: `Inventory prints the releases of the lock as a bill of materials in CycloneDX (ECMA-424): each with its package URL, its
digests, its licence, what it needs, and whether the application runs with it, can do without, or has it for development
alone (scope required, optional, excluded). The same lock gives the same bytes.`,
		Example: "  molt inventory > desk.cdx.json",
		Args:    cobra.NoArgs,
	}
	run := func(c *call, _ []string) error {
		return c.session(ask.Needs{}, func(s *ask.Session) error {
			d, err := s.Inventory(c.ctx)
			if err != nil {
				return err
			}
			s.Still()
			return cyclonedx.Write(c.out, s.App.Manifest.Name(), s.App.Manifest.Version(), thisVersion(), d)
		})
	}
	return command{Command: cmd, run: run, takes: asks, sides: ask.Single("inventory")}
}
