package cli

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"molt/app"
	"molt/ask"
	"molt/core/conflict"
	"molt/core/plan"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/version"
	"molt/doc"
	"molt/render/text"
)

func (c *call) want() *cobra.Command {
	var group, style string
	var dry bool
	cmd := &cobra.Command{
		Use:   "want PACKAGE[@CONSTRAINT]...",
		Short: "Declare packages, or change how they are declared",
		Long: `Want puts packages into the manifest, or changes their lines, and regenerates the lock. A package without a
constraint gets the newest release that resolves with the rest, asked for in the style of its line or of most lines.
Several packages are solved together. What that does to the lock is shown; with --dry-run nothing is written. When it
does not resolve, nothing is written either, and the tangle is shown. molt back takes it back.`,
		Example: `  molt want wakeful-cache
  molt want lintbuoy@^8 lintbuoy-desk --group devDependencies --dry-run`,
		Args:              cobra.MinimumNArgs(1),
		ValidArgsFunction: c.completeWanted,
		RunE: func(_ *cobra.Command, args []string) error {
			if style != "" && !slices.Contains(version.Styles, version.Style(style)) {
				return &app.UsageError{Reason: fmt.Sprintf("--style %q: expected %s", style, styleNames())}
			}
			return c.session(occasion{write: !dry, checked: true}, func(s *session) error {
				groups := s.a.Manifest.Groups()
				if group != "" && !slices.Contains(groups, group) {
					return &app.UsageError{Reason: fmt.Sprintf("--group %q: expected %s", group, strings.Join(groups, ", "))}
				}
				var wanted []plan.Wanted
				for _, arg := range args {
					g := project.ParseGoal(arg)
					if g.Name == "" || strings.ContainsAny(g.Name, " \t") || slices.ContainsFunc(wanted, func(w plan.Wanted) bool { return w.Name == g.Name }) {
						return &app.UsageError{Reason: fmt.Sprintf("%q: expected names of packages, each once, such as keel or keel@^2", arg)}
					}
					wanted = append(wanted, plan.Wanted{Name: g.Name, Group: group, Constraint: g.Constraint})
				}
				got, err := plan.Want(c.ctx, s.source, s.a.Application(), wanted, groups[0], version.Style(style))
				if err != nil {
					return s.unwanted(err)
				}
				for _, w := range wanted {
					if slices.Contains(s.a.Application().Held, w.Name) {
						got.Short = append(got.Short, fmt.Sprintf("%s is held: %s; the hold stays, and plans leave it where this puts it", w.Name, s.a.Config.Hold[w.Name].Reason))
					}
				}
				return s.change("want", got.Changes, got.Short, dry)
			})
		},
	}
	cmd.Flags().StringVar(&group, "group", "", "group of the manifest to declare in")
	cmd.Flags().StringVar(&style, "style", "", "how to ask: "+styleNames())
	cmd.Flags().BoolVar(&dry, "dry-run", false, "show what would change, and write nothing")
	return cmd
}

func styleNames() string {
	var names []string
	for _, s := range version.Styles {
		names = append(names, string(s))
	}
	return strings.Join(names, ", ")
}

func (c *call) drop() *cobra.Command {
	var group string
	var dry bool
	cmd := &cobra.Command{
		Use:   "drop PACKAGE...",
		Short: "Take packages out of the manifest",
		Long: `Drop takes packages out of the manifest and regenerates the lock. It says where the source still imports them, and
which stay in the lock because others need them. With --dry-run nothing is written; molt back takes it back. Exit 1
when something still uses what was dropped.`,
		Example:           "  molt drop foghorn-mail --dry-run",
		Args:              cobra.MinimumNArgs(1),
		ValidArgsFunction: c.completeDeclared,
		RunE: func(_ *cobra.Command, args []string) error {
			return c.session(occasion{write: !dry, checked: true}, func(s *session) error {
				changes, err := s.a.Drop(args, group)
				if err != nil {
					return err
				}
				return s.change("drop", changes, nil, dry)
			})
		},
	}
	cmd.Flags().StringVar(&group, "group", "", "only from this group of the manifest")
	cmd.Flags().BoolVar(&dry, "dry-run", false, "show what would change, and write nothing")
	return cmd
}

// change rehearses changes of the manifest, puts them on disk unless it is for show only, and prints what they do.
func (s *session) change(what string, changes []project.Change, remarks []string, dry bool) error {
	effect, err := s.a.Rehearse(s.ctx, s.source, changes)
	if err != nil {
		return s.unwanted(err)
	}
	uses, err := s.a.UsesOf(changes)
	if err != nil {
		return err
	}
	s.still()
	answer := ask.NewChange(effect, uses, remarks, !dry)
	if s.format == "text" { // people see what is coming before it comes
		s.page().Change(answer)
	}
	if !dry {
		if err := s.a.Change(s.ctx, what, effect); err != nil {
			return err
		}
	}
	if err := s.show(answer, func(p *text.Page) { p.Changed(answer) }); err != nil {
		return err
	}
	if len(uses) > 0 {
		return errAttention
	}
	return nil
}

// unwanted makes a tangle that a change of the manifest met ready to be shown. Ways out are for manifests as they stand.
func (s *session) unwanted(err error) error {
	var tangle *solve.Tangle
	if !errors.As(err, &tangle) {
		return err
	}
	knot, failed := conflict.Explain(s.ctx, s.source, s.a.Application(), tangle)
	if failed != nil {
		return err
	}
	answer := ask.NewUntangle("", knot, nil, nil, s.a.Place)
	answer.Unwanted = true
	if failed := s.remark(&answer); failed != nil {
		return err
	}
	return &knotError{err, answer}
}

func (c *call) hold() *cobra.Command {
	var reason, until string
	var lift bool
	cmd := &cobra.Command{
		Use:   "hold PACKAGE",
		Short: "Keep a package back, with a reason",
		Long: `Hold writes into molt.yaml that a package stays at the release that it has, with the reason and, if there is one, the
last day. Plans leave it alone until then; after that day Molt says that the hold has ended. --lift ends it now.`,
		Example: `  molt hold lintbuoy --reason "the desk's rules do not know 8 yet" --until 2027-01-31
  molt hold lintbuoy --lift`,
		Args:              cobra.ExactArgs(1),
		ValidArgsFunction: c.completeDeclared,
		RunE: func(_ *cobra.Command, args []string) error {
			a, release, err := c.use()
			if err != nil {
				return err
			}
			defer release()
			name := args[0]
			if lift {
				if err := a.Release(name); err != nil {
					return err
				}
				return c.held(doc.Hold{Schema: "molt/hold/1", Name: name})
			}
			var names []string
			for _, d := range a.Declared() {
				names = append(names, d.As)
			}
			last, badDate := time.Parse(time.DateOnly, until)
			switch {
			case !slices.Contains(names, name):
				says := name + " is not declared"
				if near := project.Nearest(name, names); near != "" {
					says += "; did you mean " + near + "?"
				}
				return &app.UsageError{Reason: says}
			case reason == "":
				return &app.UsageError{Reason: "a hold needs a reason: --reason TEXT"}
			case until != "" && badDate != nil:
				return &app.UsageError{Reason: fmt.Sprintf("--until %q: expected a date such as 2027-01-31", until)}
			case until != "" && time.Now().After(last.AddDate(0, 0, 1)):
				return &app.UsageError{Reason: fmt.Sprintf("--until %s: that day has passed", until)}
			}
			if err := a.Hold(name, app.Hold{Reason: reason, Until: until}); err != nil {
				return err
			}
			return c.held(doc.Hold{Schema: "molt/hold/1", Name: name, Keeping: doc.Keeping{Held: true, Reason: reason, Until: until}})
		},
	}
	cmd.Flags().StringVar(&reason, "reason", "", "why")
	cmd.Flags().StringVar(&until, "until", "", "the last day (2027-01-31)")
	cmd.Flags().BoolVar(&lift, "lift", false, "end the hold")
	return cmd
}

func (c *call) held(answer doc.Hold) error {
	return c.show(answer, func(p *text.Page) { p.Hold(answer) })
}
