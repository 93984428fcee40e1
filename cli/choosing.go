package cli

import (
	"errors"
	"os"

	"golang.org/x/term"

	"molt/cli/choose"
	"molt/input"
)

// mayChoose makes sure that there is somebody to choose. The rest says by which flags it goes without.
func (c *call) mayChoose(without string) error {
	if c.format != "text" || !term.IsTerminal(int(os.Stdin.Fd())) || !term.IsTerminal(int(os.Stderr.Fd())) {
		return &input.UsageError{Reason: "--choose asks on a terminal, and there is none; without it: " + without}
	}
	return nil
}

// arguments writes arguments, with a space before each.
func arguments(all []string) (text string) {
	for _, a := range all {
		text += " " + a
	}
	return text
}

// unchosen makes of a choice that was cancelled an end without a word of blame.
func (c *call) unchosen(err error) error {
	if errors.Is(err, choose.ErrCancelled) {
		c.say("%v", err)
		return errAttention
	}
	return err
}

// mostChoices is how many releases there are to choose from.
const mostChoices = 12
