package cli

import (
	"github.com/spf13/cobra"

	"molt/ask"
	"molt/render/text"
)

func (c *call) advice() command {
	cmd := &cobra.Command{
		Use:   "advice FILE...",
		Short: "Check files of advice, and show what they say",
		Long: `Advice reads files of what upgrade guides say, or folders of such, as "advice:" in molt.yaml names them, and lists their facts. A file that
is broken is pointed at, with its line; facts that this Molt does not know are named. docs/advice.md tells how to write one.`,
		Example: "  molt advice advice/brackwater-5.yaml\n  molt advice ../guides",
		Args:    cobra.MinimumNArgs(1),
	}
	run := func(c *call, args []string) error {
		e, err := c.ecosystem()
		if err != nil {
			return err
		}
		d, err := ask.Advice(e, args)
		return answer(c, nil, d, err, (*text.Page).Guides)
	}
	return command{Command: cmd, run: run, takes: reads}
}
