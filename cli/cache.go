package cli

import (
	"github.com/spf13/cobra"

	"molt/ask"
	"molt/input"
	"molt/render/text"
)

func (c *call) cache() command {
	var verify, clear bool
	cmd := &cobra.Command{
		Use:   "cache",
		Short: "Show what Molt keeps for all applications, look through it, or clear it",
		Long: `Cache shows the size of what Molt has fetched and keeps outside of applications: the answers of registries, and
unpacked releases, whose files installed trees are links to. MOLT_CACHE says where; else it is the user's cache folder.
--verify reads every file of the unpacked releases and takes away those that are not as they were made; whoever needs one
makes it anew. --clear takes everything away; applications keep what is installed in them.`,
		Example: "  molt cache\n  molt cache --verify",
		Args:    cobra.NoArgs,
	}
	run := func(c *call, _ []string) error {
		if verify && clear {
			return &input.UsageError{Reason: "--verify and --clear: one of them"}
		}
		d, err := ask.Cache(c.ctx, c.settings.Env, verify, clear)
		return answer(c, nil, d, err, (*text.Page).Cache)
	}
	cmd.Flags().BoolVar(&verify, "verify", false, "look through the unpacked releases")
	cmd.Flags().BoolVar(&clear, "clear", false, "take everything away")
	return command{Command: cmd, run: run}
}
