package cli

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"
)

// manual is told how to show the flags of a command that say something about it.
func (c *call) manual(fitting func(*cobra.Command)) command {
	cmd := &cobra.Command{
		Use:   "manual DIR",
		Short: "Write a manual page for every command",
		Long: "Manual writes the manual pages of Molt and of each of its commands into a folder, which is made when it " +
			"is not there.",
		Example: "  molt manual ./man",
		Args:    cobra.ExactArgs(1),
	}
	run := func(c *call, args []string) error {
		if err := os.MkdirAll(args[0], 0o755); err != nil {
			return err
		}
		for _, one := range append([]*cobra.Command{cmd.Root()}, cmd.Root().Commands()...) {
			fitting(one)
			if err := writePage(one, filepath.Join(args[0], strings.ReplaceAll(one.CommandPath(), " ", "-")+".1")); err != nil {
				return err
			}
		}
		return nil
	}
	return command{Command: cmd, run: run}
}

// writePage writes the manual page of a command.
func writePage(cmd *cobra.Command, file string) error {
	epoch := time.Unix(0, 0).UTC() // the same pages every time
	b := &bytes.Buffer{}
	if err := doc.GenMan(cmd, &doc.GenManHeader{Title: "MOLT", Section: "1", Source: "Molt", Date: &epoch}, b); err != nil {
		return err
	}
	return os.WriteFile(file, b.Bytes(), 0o644)
}
