package cli

import (
	"github.com/spf13/cobra"

	"molt/app/open"
	"molt/ask"
	"molt/doc"
	"molt/render/md"
	"molt/render/text"
)

func (c *call) compare() command {
	cmd := &cobra.Command{
		Use:   "compare BEFORE [AFTER]",
		Short: "Show what differs between two locks, trees, plans, inventories or revisions",
		Long: `Compare lists the packages in which two states differ, by the size of the move, those that the application
declares first. A state is the word "locked" or "installed"; a lock; a plan (what is locked, moved as its stages have
it); a folder with a lock or with something installed; an inventory, a text with a name and a version a line; or a
revision of git, for the lock in it. Without AFTER it is what is locked now.`,
		Example: `  molt compare HEAD
  molt compare v2.3.0 installed
  molt compare locked molt-plan.yaml --format md`,
		Args: cobra.RangeArgs(1, 2),
	}
	run := func(c *call, args []string) error {
		a, err := c.open()
		if err != nil {
			return err
		}
		if len(args) == 1 {
			args = append(args, open.LockedState)
		}
		d, err := ask.Compare(c.ctx, a, args[0], args[1])
		return answer(c, nil, d, err, (*text.Page).Compare, form[doc.Compare]{"md", md.Compare})
	}
	return command{Command: cmd, run: run, takes: reads, formats: []string{"md"}, sides: ask.Each, operand: operand{complete: statesHere, several: true}}
}
