package cli

import (
	"github.com/spf13/cobra"

	"molt/app/layout"
	"molt/app/open"
	"molt/ask"
	"molt/render/text"
)

func (c *call) install() command {
	var order layout.InstallOrder
	cmd := &cobra.Command{
		Use:   "install",
		Short: "Lay out what the lock says",
		Long: `Install lays out the packages that the lock holds, each where the runtime's own lookup finds exactly the release that
the lock names, and nothing else. It resolves nothing: a lock that was not made for the manifest as it stands is refused.
Archives are checked against the lock's checksums before a byte is unpacked, and unpacked releases are kept once for all
applications; the files of a tree are links to them. What is there as it should be is not touched; the rest is replaced in
one move, so that an end at any moment leaves the old tree or the new one. Releases for other platforms are left out.
Scripts that packages want run are run for those alone that "build:" in molt.yaml names; the others are listed.

--into makes a complete tree for another place: manifest, lock, the files that people keep, and the packages. --current switches
a link to it in one move when all is there, and keeps where the link led before; --current without --into switches back.
Of groups that molt.yaml calls alternatives, the first is installed, unless --only names another one.

Files of installed packages that somebody edited are not overwritten, and a tree that Molt did not lay out is not
replaced, unless --force says so.`,
		Example: "  molt install\n  molt install --only dependencies --into releases/7 --current current",
		Args:    cobra.NoArgs,
	}
	run := func(c *call, _ []string) error {
		order := order
		order.Dry = order.Dry || c.rehearsing
		take := c.use
		if order.Dry || order.Into != "" || order.Current != "" {
			take = func() (*open.View, func(), error) {
				a, err := c.open()
				return a, func() {}, err
			}
		}
		a, release, err := take()
		if err != nil {
			return err
		}
		defer release()
		var still func()
		order.Watch, still = c.counting("packages at hand")
		d, err := ask.Install(c.ctx, a, order)
		still()
		return answer(c, nil, d, err, (*text.Page).Install)
	}
	f := cmd.Flags()
	f.StringSliceVar(&order.Groups, "only", nil, "install what these groups of the manifest need, and no more")
	f.StringVar(&order.Into, "into", "", "make a complete copy in this folder: manifest, lock, source and packages")
	f.StringVar(&order.Current, "current",
		"", "have this link lead to the folder of --into when all is there, in one move")
	f.BoolVar(&order.Dry, "dry-run", false, "say what would change, and change nothing")
	f.BoolVar(&order.Force, "force", false, "replace files that were edited, and a tree that Molt did not lay out")
	return command{Command: cmd, run: run, takes: runs, sides: ask.Each, lone: []string{"into"}, whole: true, builds: unlessDry, values: map[string]completion{"only": groupsHere}}
}
