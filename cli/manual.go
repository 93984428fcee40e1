package cli

import (
	"os"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"
)

func (c *call) manual() *cobra.Command {
	return &cobra.Command{
		Use:   "manual DIR",
		Short: "Write a manual page for every command",
		Long: "Manual writes the manual pages of Molt and of each of its commands into a folder, which is made when it " +
			"is not there.",
		Example: "  molt manual ./man",
		Args:    cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := os.MkdirAll(args[0], 0o755); err != nil {
				return err
			}
			epoch := time.Unix(0, 0).UTC() // the same pages every time
			return doc.GenManTree(cmd.Root(), &doc.GenManHeader{Title: "MOLT", Section: "1", Source: "Molt", Date: &epoch},
				args[0])
		},
	}
}
