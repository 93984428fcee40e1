package cli

import (
	"github.com/spf13/cobra"

	"molt/ask"
	"molt/input"
	"molt/registry"
	"molt/render/text"
)

func (c *call) fetch() command {
	var r ask.FetchRequest
	var force bool
	cmd := &cobra.Command{
		Use:   "fetch [GOAL]...",
		Short: "Bring what this application needs, so that everything works offline",
		Long: `Fetch asks the registry for all that survey, assess, plan, every stage and install of this application will look at,
and keeps it in the cache: the documents of packages, and the archives of the lock and of the lock after each stage.
Afterwards these commands work with --offline. Without GOAL, that of the plan counts, or else the one in molt.yaml;
without any, only what the lock needs is fetched.

--snapshot writes all of it to one file, too, with --archives the archives for all platforms included. Such a file is a
registry ("registry: file:///path/to/it" in molt.yaml, or MOLT_REGISTRY_JS), and molt standin serves it: for machines
without a network, and for looking at a question again as it was.`,
		Example: "  molt fetch brackwater@5\n  molt fetch brackwater@5 --snapshot desk.snapshot --archives",
	}
	run := func(c *call, args []string) error {
		if r.Archives && r.Snapshot == "" {
			return &input.UsageError{Reason: "--archives goes with --snapshot FILE"}
		}
		if r.Lock && len(args) > 0 {
			return &input.UsageError{Reason: "--lock-only goes without a goal"}
		}
		if r.Snapshot != "" {
			if err := c.writable("--snapshot", r.Snapshot,
				force, func(file string) bool { _, _, err := registry.Snapshot(file); return err == nil }); err != nil {
				return err
			}
		}
		c.settings.Detailed = r.Snapshot != ""
		r.Goals = args
		return c.session(ask.Needs{Dated: true, Declared: true}, func(s *ask.Session) error {
			var still func()
			r.Watch, still = c.counting("releases at hand")
			d, err := s.Fetch(c.ctx, r)
			still()
			return answer(c, s, d, err, (*text.Page).Fetch)
		})
	}
	f := cmd.Flags()
	f.BoolVar(&r.Lock, "lock-only", false, "what the lock needs, and no goal")
	f.StringVar(&r.Snapshot, "snapshot", "", "write all of it to this file, which must be new or a snapshot")
	f.BoolVar(&force, "force", false, "with --snapshot, replace another file")
	f.BoolVar(&r.Archives, "archives", false, "with --snapshot, put archives into it too")
	return command{Command: cmd, run: run, takes: runs, sides: ask.Named, builds: always, operand: goals}
}
