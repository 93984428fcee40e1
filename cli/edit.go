package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"molt/ask"
	"molt/cli/choose"
	"molt/core/solve"
	"molt/core/version"
	"molt/input"
	"molt/render"
	"molt/render/text"
)

func (c *call) want() command {
	var member, group, style string
	var dry, choosing bool
	cmd := &cobra.Command{
		Use:   "want PACKAGE[@CONSTRAINT]...",
		Short: "Declare packages, or change how they are declared",
		Long: `Want puts packages into the manifest, or changes their lines, and regenerates the lock. A package without a
constraint gets the newest release that resolves with the rest, asked for in the style of its line or of most lines.
Several packages are solved together. What that does to the lock is shown; with --dry-run nothing is written. When it
does not resolve, nothing is written either, and the tangle is shown. molt back takes it back.
In a workspace a line is changed in every member that has it, unless --in names one.`,
		Example: `  molt want wakeful-cache
  molt want lintbuoy@^8 lintbuoy-desk --group devDependencies --dry-run`,
		Args: cobra.MinimumNArgs(1),
	}
	run := func(c *call, args []string) error {
		dry := dry || c.rehearsing
		if choosing {
			if len(args) > 1 || strings.Contains(args[0][1:], "@") || style != "" {
				return &input.UsageError{Reason: "want: --choose is about one package, named without a constraint or --style"}
			}
			if err := c.mayChoose("molt want NAME@CONSTRAINT, or --style " + styleNames()); err != nil {
				return err
			}
		}
		return c.session(ask.Needs{Write: !dry, Dated: choosing, Declared: true}, func(s *ask.Session) error {
			if choosing {
				return c.chooseWant(s, args[0], member, group, dry)
			}
			p, err := s.Want(c.ctx, args, member, group, version.Style(style), dry)
			return c.change(s, p, err, dry)
		})
	}
	cmd.Flags().StringVar(&member, "in",
		"", "member of the workspace to declare in, by folder or name; . for the workspace itself")
	cmd.Flags().StringVar(&group, "group", "", "group of the manifest to declare in")
	oneOf(cmd.Flags(), &style, "style", version.Styles, "how to ask: "+styleNames())
	cmd.Flags().BoolVar(&choosing, "choose", false,
		"choose on the terminal among the releases that resolve, and see at once what that comes to")
	cmd.Flags().BoolVar(&dry, "dry-run", false, "show what would change, and write nothing")
	return command{Command: cmd, run: run, takes: runs, sides: ask.Named, whole: true, builds: unlessDry, words: []string{"add"},
		operand: operand{complete: wantedHere, several: true, versioned: true},
		values:  map[string]completion{"in": membersHere, "group": groupsHere}}
}

func styleNames() string {
	return strings.Join(texts(version.Styles), ", ")
}

func (c *call) drop() command {
	var member, group string
	var dry bool
	cmd := &cobra.Command{
		Use:   "drop PACKAGE...",
		Short: "Take packages out of the manifest",
		Long: `Drop takes packages out of the manifest and regenerates the lock. It says where the source still imports them, and
which stay in the lock because others need them. With --dry-run nothing is written; molt back takes it back. Exit 1
when something still uses what was dropped.`,
		Example: "  molt drop foghorn-mail --dry-run",
		Args:    cobra.MinimumNArgs(1),
	}
	run := func(c *call, args []string) error {
		dry := dry || c.rehearsing
		return c.session(ask.Needs{Write: !dry, Declared: true}, func(s *ask.Session) error {
			p, err := s.Drop(c.ctx, args, member, group, dry)
			return c.change(s, p, err, dry)
		})
	}
	cmd.Flags().StringVar(&member, "in", "", "only from this member of the workspace; . for the workspace itself")
	cmd.Flags().StringVar(&group, "group", "", "only from this group of the manifest")
	cmd.Flags().BoolVar(&dry, "dry-run", false, "show what would change, and write nothing")
	return command{Command: cmd, run: run, takes: runs, sides: ask.Named, whole: true, builds: unlessDry, words: []string{"remove"},
		operand: operand{complete: declaredHere, several: true, bare: true},
		values:  map[string]completion{"in": membersHere, "group": groupsHere}}
}

func (c *call) hold() command {
	var reason, until string
	var lift bool
	cmd := &cobra.Command{
		Use:   "hold PACKAGE",
		Short: "Keep a package back, with a reason",
		Long: `Hold writes into molt.yaml that a package stays at the release that it has, with the reason and, if there is one, the
last day. Plans leave it alone until then; after that day Molt says that the hold has ended. --lift ends it now.`,
		Example: `  molt hold lintbuoy --reason "the desk's rules do not know 8 yet" --until 2027-01-31
  molt hold lintbuoy --lift`,
		Args: cobra.ExactArgs(1),
	}
	run := func(c *call, args []string) error {
		a, release, err := c.use()
		if err != nil {
			return err
		}
		defer release()
		if lift {
			d, err := ask.Lift(a, args[0])
			return answer(c, nil, d, err, (*text.Page).Hold)
		}
		d, err := ask.Hold(a, args[0], reason, until)
		return answer(c, nil, d, err, (*text.Page).Hold)
	}
	cmd.Flags().StringVar(&reason, "reason", "", "why")
	cmd.Flags().StringVar(&until, "until", "", "the last day (2027-01-31)")
	cmd.Flags().BoolVar(&lift, "lift", false, "end the hold")
	return command{Command: cmd, run: run, takes: reads, sides: ask.Named, whole: true,
		operand: operand{complete: declaredHere, bare: true, instead: "it keeps the release that is locked"}}
}

// chooseWant lets a person choose which release of a package to ask for, and how.
func (c *call) chooseWant(s *ask.Session, name, member, group string, dry bool) error {
	releases, err := s.WantChoices(c.ctx, name, mostChoices)
	if err != nil {
		return err
	}
	s.Still()
	if len(releases) == 0 {
		return &input.UsageError{Reason: fmt.Sprintf(
			"no release of %s resolves with the application as it stands; molt fit %s says why", name, name)}
	}
	styles := []string{}
	for _, style := range version.Styles {
		styles = append(styles, string(style))
	}
	questions := []choose.Question{
		{Name: "release", Answers: releases},
		{Name: "style", Answers: styles, At: max(0, slices.Index(version.Styles, s.UsualStyle()))}}
	asked := func(at []int) (string, error) {
		constraint, err := s.Styled(version.Styles[at[1]], releases[at[0]])
		return name + "@" + constraint, err
	}
	at, err := choose.Run(c.ctx, choose.Choice{
		Title: "A release of " + name, Questions: questions,
		Effect: func(_ context.Context, at []int) (choose.Effect, error) {
			arg, err := asked(at)
			if err != nil {
				return choose.Effect{}, err
			}
			effect := choose.Effect{Command: "molt want '" + arg + "'"}
			p, err := s.Want(c.ctx, []string{arg}, member, group, version.OtherStyle, true)
			var tangle *solve.Tangle
			switch {
			case errors.As(err, &tangle):
				effect.Lines, effect.Bad = []string{"does not resolve with the rest"}, true
				return effect, nil
			case err != nil:
				return effect, err
			}
			for _, change := range p.Answer.Changes {
				if change.To != nil {
					effect.Lines = append(effect.Lines,
						fmt.Sprintf("%s %s, at %s", change.Name, change.To.Constraint, change.To.Version))
				}
			}
			effect.Lines = append(effect.Lines, render.Count(len(p.Answer.Lock), "package")+" would change in the lock")
			if len(p.Answer.Changes) == 0 {
				effect.Lines = []string{"as it is already"}
			}
			return effect, nil
		}}, os.Stdin, c.errout)
	if err != nil {
		return c.unchosen(err)
	}
	arg, err := asked(at)
	if err != nil {
		return err
	}
	p, err := s.Want(c.ctx, []string{arg}, member, group, version.OtherStyle, dry)
	return c.change(s, p, err, dry)
}
