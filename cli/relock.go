package cli

import (
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"molt/app"
	"molt/ask"
	"molt/render/text"
)

func (c *call) relock() *cobra.Command {
	var dry bool
	var accepted []string
	cmd := &cobra.Command{
		Use:   "relock",
		Short: "Regenerate the lock from the manifest",
		Long: `Relock resolves what the manifest asks for, near to what is locked already, and writes the lock: every release
with its checksum, its source and its edges. The same manifest, lock and registry give the same bytes everywhere.
When the manifest cannot be resolved the lock stays as it is, the tangle is shown, and the exit code is 1. So it does
when the registry states another checksum for a locked release than the lock does: a published release does not change,
and --accept-checksum NAME@VERSION is how to say that this one did.

In a merge or rebase in which git could not merge the lock, or the declarations of the manifest, relock resolves that:
what only one branch changed is taken as it has it; where both changed a declaration, the one that leads to later
releases; and the lock is solved anew, near to what both had. It says what it took.`,
		Example: "  molt relock\n  molt relock --dry-run --format json",
		Args:    cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			if conflict, err := app.OpenConflict(c.ctx, c.settings); err != nil || conflict != nil {
				return c.relockMerged(conflict, dry, err)
			}
			return c.session(occasion{write: !dry, checked: true}, func(s *session) error {
				lock, data, err := s.a.Relock(c.ctx, s.source, accepted...)
				if err != nil {
					return s.explain(err)
				}
				s.still()
				if !dry {
					if err := s.a.WriteLock(data); err != nil {
						return err
					}
				}
				return c.show(ask.NewLock(lock), func(p *text.Page) {
					word := "holds"
					if dry {
						word = "would hold"
					}
					p.Line("%s %s %d packages for %d declarations.", s.a.Eco.Lock(), word, len(lock.Packages), len(lock.Roots))
				})
			})
		},
	}
	cmd.Flags().BoolVar(&dry, "dry-run", false, "show the lock and write nothing")
	cmd.Flags().StringSliceVar(&accepted, "accept-checksum", nil, "take the changed checksum of this release (name@version)")
	return cmd
}

// relockMerged resolves a conflict that git left.
func (c *call) relockMerged(a *app.App, dry bool, err error) error {
	if err != nil {
		return err
	}
	if !dry {
		release, err := a.Use()
		if err != nil {
			return err
		}
		defer release()
	}
	source, done, err := a.Source(c.ctx, nil)
	if err != nil {
		return err
	}
	defer done()
	source, still := c.watch(source)
	defer still()
	m, err := a.Merge(c.ctx, source)
	if err != nil {
		return (&session{call: c, a: a, source: source, still: still}).explain(err)
	}
	still()
	if !dry {
		if err := a.WriteMerged(m); err != nil {
			return err
		}
	}
	answer := ask.NewLock(m.Locked)
	answer.Took = m.Took
	return c.show(answer, func(p *text.Page) { p.Merged(answer, a.Eco.Lock(), a.Eco.Manifest(), m.Manifest != nil, dry) })
}

func (c *call) verify() *cobra.Command {
	var only []string
	cmd := &cobra.Command{
		Use:   "verify",
		Short: "Check that manifest, lock, what is installed and the runtime agree",
		Long: `Verify compares the manifest with the lock, checks every edge of the lock, looks every locked package up among what
is installed the way the runtime does, and checks the runtime that molt.yaml says is deployed, and the one of this
machine where something is installed, against what the packages require. It looks whether the lock keeps to the fixed
set and to the rules of the house, and whether its checksums are those that the registry stated when it was asked last.
It asks no registry. Exit 1 when something does not agree.`,
		Example: "  molt verify\n  molt verify --only lock,runtime --quiet",
		Args:    cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			a, err := c.open()
			if err != nil {
				return err
			}
			for _, about := range only {
				if !slices.Contains(app.Abouts, about) {
					return &app.UsageError{Reason: fmt.Sprintf("--only %s: expected some of %s", about, strings.Join(app.Abouts, ", "))}
				}
			}
			found, err := a.Verify(c.ctx)
			if err != nil {
				return err
			}
			if only != nil {
				found = slices.DeleteFunc(found, func(f app.Finding) bool { return !slices.Contains(only, f.About) })
			}
			installed, err := a.InstalledRoots()
			if err != nil {
				return err
			}
			answer := ask.NewVerify(found, installed != nil)
			if !c.quiet || !answer.Agrees {
				if err := c.show(answer, func(p *text.Page) { p.Verify(answer) }); err != nil {
					return err
				}
			}
			if !answer.Agrees {
				return errAttention
			}
			return nil
		},
	}
	cmd.Flags().StringSliceVar(&only, "only", nil, "look at these alone: "+strings.Join(app.Abouts, ", "))
	return cmd
}
