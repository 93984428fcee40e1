package cli

import (
	"github.com/spf13/cobra"

	"molt/ask"
	"molt/input"
	"molt/render/cyclonedx"
)

func (c *call) inventory() *cobra.Command {
	return &cobra.Command{
		Use:   "inventory",
		Short: "Print what the lock holds as a bill of materials",
		Long: `Inventory prints the releases of the lock as a bill of materials in CycloneDX (ECMA-424): each with its package URL, its
digests and what it needs. The same lock gives the same bytes.`,
		Example: "  molt inventory > desk.cdx.json",
		Args:    cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			a, err := c.open()
			if err != nil {
				return err
			}
			if a.Lock == nil {
				return &input.UsageError{Reason: "there is no " + a.LockFile() + "; molt relock writes one"}
			}
			return cyclonedx.Write(c.out, a.Manifest.Name(), a.Manifest.Version(), thisVersion(), ask.NewLock(a.Lock))
		},
	}
}
