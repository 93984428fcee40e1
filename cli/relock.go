package cli

import (
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"

	"molt/app/locking"
	"molt/app/stages"
	"molt/ask"
	"molt/doc"
	"molt/render"
	"molt/render/junit"
	"molt/render/sarif"
	"molt/render/text"
)

func (c *call) relock() command {
	var dry bool
	var accepted []string
	cmd := &cobra.Command{
		Use:   "relock",
		Short: "Regenerate the lock from the manifest",
		Long: `Relock resolves what the manifest asks for, near to what is locked already, and writes the lock: every release
with its checksum, its source and its edges. The same manifest, lock and registry give the same bytes everywhere.
When the manifest cannot be resolved the lock stays as it is, the tangle is shown, and the exit code is 1. So it does
when the registry states another checksum for a locked release than the lock does: a published release does not change,
and --accept-checksum NAME@VERSION is how to say that this one did. The lock also has the registries that molt.yaml named for
it; where packages would now come from others, --accept-registry says that this is meant.

In a merge or rebase in which git could not merge the lock, or the declarations of the manifest, relock resolves that:
what only one branch changed is taken as it has it; where both changed a declaration, the one that leads to later
releases; and the lock is solved anew, near to what both had. It says what it took. A lock that cannot be read is made anew
from the manifest, which is said too.

A folder of the application that is declared in place of a package is linked, and what it needs is locked. An archive
at an address or in a file, and a commit of git (by https or ssh), is locked with its digest where the manifests of the
ecosystem name such. What cannot be locked is said, and the exit code is 1.`,
		Example: "  molt relock\n  molt relock --dry-run --format json",
		Args:    cobra.NoArgs,
	}
	run := func(c *call, _ []string) error {
		dry := dry || c.rehearsing
		a, err := locking.OpenConflict(c.ctx, c.settings)
		if err != nil {
			return err
		}
		if a != nil {
			d, files, err := ask.RelockMerged(c.ctx, c.asking(), a, dry)
			return answer(c, nil, d, err, func(p *text.Page, d doc.Lock) {
				p.Merged(d, a.LockFile(), files, dry)
			})
		}
		c.settings.Rebuild = true
		return c.session(ask.Needs{Write: !dry, Declared: true}, func(s *ask.Session) error {
			if s.App.Broken != "" {
				c.say("warning: %s cannot be read (%s), so it is made anew from the manifest", s.App.LockFile(), s.App.Broken)
			}
			d, err := s.Relock(c.ctx, dry, accepted)
			return answer(c, s, d, err, func(p *text.Page, d doc.Lock) {
				word := "holds"
				if dry {
					word = "would hold"
				}
				more := ""
				if len(d.Wider) > 0 {
					more = fmt.Sprintf(", and %d more for other machines than the deployed one", len(d.Wider))
				}
				p.Line("%s %s %s for %s%s.", s.App.LockFile(), word, render.Count(len(d.Packages), "package"),
					render.Count(len(d.Roots), "declaration"), more)
			})
		})
	}
	cmd.Flags().BoolVar(&dry, "dry-run", false, "show the lock and write nothing")
	cmd.Flags().BoolVar(&c.settings.AcceptOrigin, "accept-registry", false,
		"take packages from the registries that molt.yaml names now, where the lock has others")
	cmd.Flags().StringSliceVar(&accepted, "accept-checksum", nil,
		"take the changed checksum of this release (name@version)")
	return command{Command: cmd, run: run, takes: runs, sides: ask.Each, whole: true, builds: unlessDry, words: []string{"lock"},
		values: map[string]completion{"accept-checksum": lockedHere}}
}

func (c *call) verify() command {
	var only []string
	cmd := &cobra.Command{
		Use:   "verify",
		Short: "Check that manifest, lock, what is installed and the runtime agree",
		Long: `Verify compares the manifest with the lock, checks every edge of the lock, looks every locked package up among what
is installed the way the runtime does, and checks the runtime that molt.yaml says is deployed, and the one of this
machine where something is installed, against what the packages require. It looks whether the lock keeps to the fixed
set and to the policy ("rules:" in molt.yaml), and whether its checksums are those that the registry stated when it was asked last.
It asks no registry; what the rules need of one and is not at hand is said, and fetched by molt fetch --lock-only. Exit 1 when something does not agree.`,
		Example: "  molt verify\n  molt verify --only lock,runtime --quiet",
		Args:    cobra.NoArgs,
	}
	run := func(c *call, _ []string) error {
		a, err := c.open()
		if err != nil {
			return err
		}
		d, found, err := ask.Verify(c.ctx, a, only)
		if err == nil && c.quiet && d.Agrees && c.format == "text" {
			return nil
		}
		return answer(c, nil, d, err, (*text.Page).Verify, form[doc.Verify]{"sarif", func(w io.Writer, _ doc.Verify) error {
			return sarif.Write(w, thisVersion(), stages.InRepository(c.ctx, a, ask.LocateVerify(a, found)))
		}},
			form[doc.Verify]{"junit", junit.Verify})
	}
	someOf(cmd.Flags(), &only, "only", doc.Abouts, "look at these alone: "+strings.Join(doc.Abouts, ", "))
	return command{Command: cmd, run: run, takes: reads, formats: []string{"sarif", "junit"}, sides: ask.Each}
}
