package cli

import (
	"os"
	"slices"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"molt/app/open"
)

// building are the commands that may build releases from their source, to know what these need or
// to lay them out; all others only read.
var building = []string{"relock", "want", "drop", "step", "trial", "back", "install", "fetch", "untangle"}

// builds reports whether this call of a command may.
func builds(cmd *cobra.Command) bool {
	if dry := cmd.Flags().Lookup("dry-run"); dry != nil && dry.Changed && dry.Value.String() == "true" {
		return false
	}
	if cmd.Name() == "untangle" && !cmd.Flags().Changed("take") {
		return false
	}
	return slices.Contains(building, cmd.Name())
}

// consent asks the person whether lines may run. Without a terminal there is nobody to ask.
func (c *call) consent() func([]open.Line) bool {
	if c.format == "json" || !term.IsTerminal(int(os.Stdin.Fd())) {
		return nil
	}
	return func(lines []open.Line) bool {
		c.say("This folder wants these commands run, which you have not allowed here:")
		for _, l := range lines {
			c.say("  %s", l)
		}
		c.say("Allow them, now and later? [y/N]")
		return c.yes()
	}
}
