package cli

import (
	"github.com/spf13/cobra"

	"molt/ask"
	"molt/render/text"
)

func (c *call) untangle() command {
	var take int
	cmd := &cobra.Command{
		Use:   "untangle [GOAL...]",
		Short: "Show why something does not resolve, and the ways out",
		Long: `Untangle shows which demands exclude each other, side by side, each with the way it comes from the manifest, and
then at most five ways out. Every way out was solved; its cost is counted against the lock. Without a GOAL it is about
the manifest as it stands; with goals, of which the first is the framework's, about reaching all of them. --take N
carries out the N-th way: it edits the manifest, relocks and verifies, or edits molt.yaml where the way is a decision
written there; molt back takes that back.`,
		Example: "  molt untangle brackwater@5\n  molt untangle --take 1",
		Args:    cobra.ArbitraryArgs,
	}
	run := func(c *call, args []string) error {
		return c.session(ask.Needs{Write: take > 0, Dated: true, Declared: true}, func(s *ask.Session) error {
			if take > 0 {
				d, err := s.Take(c.ctx, args, take)
				return answer(c, s, d, err, (*text.Page).Taken)
			}
			d, err := s.Untangle(c.ctx, args...)
			return answer(c, s, d, err, (*text.Page).Untangle)
		})
	}
	cmd.Flags().IntVar(&take, "take", 0, "carry out the way out of this number")
	return command{Command: cmd, run: run, takes: runs, sides: ask.Named, operand: goals,
		builds: func(f *flagValues) bool { return f.Changed("take") }}
}
