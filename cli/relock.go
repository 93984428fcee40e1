package cli

import (
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"molt/app"
	"molt/render"
)

func (c *call) relock() *cobra.Command {
	var dry bool
	cmd := &cobra.Command{
		Use:   "relock",
		Short: "Regenerate the lock from the manifest",
		Long: `Relock resolves what the manifest asks for, near to what is locked already, and writes the lock: every release
with its checksum, its source and its edges. The same manifest, lock and registry give the same bytes everywhere.
When the manifest cannot be resolved the lock stays as it is, the tangle is shown, and the exit code is 1.`,
		Example: "  molt relock\n  molt relock --dry-run --format json",
		Args:    cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			return c.session(occasion{write: true, checked: true}, func(s *session) error {
				lock, data, err := s.a.Relock(c.ctx, s.source)
				if err != nil {
					return s.explain(err)
				}
				s.still()
				if !dry {
					if err := s.a.WriteLock(c.ctx, data); err != nil {
						return err
					}
				}
				return c.show(render.NewLockDoc(lock), func(p *render.Page) {
					word := "holds"
					if dry {
						word = "would hold"
					}
					fmt.Fprintf(p.W, "%s %s %d packages for %d declarations.\n", s.a.Eco.Lock(), word, len(lock.Packages), len(lock.Roots))
				})
			})
		},
	}
	cmd.Flags().BoolVar(&dry, "dry-run", false, "show the lock and write nothing")
	return cmd
}

func (c *call) verify() *cobra.Command {
	var only []string
	cmd := &cobra.Command{
		Use:   "verify",
		Short: "Check that manifest, lock, what is installed and the runtime agree",
		Long: `Verify compares the manifest with the lock, checks every edge of the lock, looks every locked package up among what
is installed the way the runtime does, and checks the runtime that molt.yaml says is deployed, and the one of this
machine where something is installed, against what the packages require. It asks no registry. Exit 1 when something
does not agree.`,
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
			doc := render.NewVerifyDoc(found, installed != nil)
			if !c.quiet || !doc.Agrees {
				if err := c.show(doc, func(p *render.Page) { p.Verify(doc) }); err != nil {
					return err
				}
			}
			if !doc.Agrees {
				return errAttention
			}
			return nil
		},
	}
	cmd.Flags().StringSliceVar(&only, "only", nil, "look at these alone: "+strings.Join(app.Abouts, ", "))
	return cmd
}
