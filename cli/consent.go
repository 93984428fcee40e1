package cli

import (
	"os"

	"golang.org/x/term"

	"molt/app/open"
)

// Releases may be built from their source, to know what these need or to lay them out, by a call that changes something;
// all others only read.
func always(*flagValues) bool { return true }

func unlessDry(flags *flagValues) bool {
	dry, _ := flags.GetBool("dry-run")
	return !dry
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
