package cli

import (
	"github.com/spf13/cobra"

	"molt/ask"
	"molt/render/text"
)

func (c *call) offer() command {
	var dry bool
	cmd := &cobra.Command{
		Use:   "offer",
		Short: "Offer what is new as branches to review, a set of changes on each",
		Long: `Offer is the regular look, without a goal: all patch releases together, all minor ones together, and each breaking move by
itself with its family. Each set was resolved from the lock as it is, and is one commit on a branch of its own, named
molt/…, on top of what is checked out; the commit says what moves and what the change logs call breaking. A package is in
one set alone, so that sets do not change the same lines. The work tree is not touched.

When one was merged, or something newer is published, molt offer renews the others in place and takes away what has
become empty. A branch on which somebody worked is left alone.`,
		Example: "  molt offer --dry-run\n  molt offer",
		Args:    cobra.NoArgs,
	}
	run := func(c *call, _ []string) error {
		return c.session(ask.Needs{Write: !dry, Dated: true, Declared: true}, func(s *ask.Session) error {
			d, err := s.Offer(c.ctx, dry)
			return answer(c, s, d, err, (*text.Page).Offers)
		})
	}
	cmd.Flags().BoolVar(&dry, "dry-run", false, "show the sets and make no branches")
	return command{Command: cmd, run: run, takes: asks, sides: ask.Each}
}
