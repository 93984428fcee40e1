// Package cli is the command line: a file a command, with its flags, one call of the rooms below, and the exit code.
package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log"
	"os"
	"os/signal"
	"runtime/debug"
	"slices"
	"strings"
	"syscall"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"molt/app/open"
	"molt/core/project"
	"molt/doc"
	"molt/input"
	"molt/render/words"
)

// Main runs Molt and returns its exit code.
func Main(args []string, out, errout io.Writer) int {
	log.SetOutput(io.Discard)       // package net/http writes there about what servers do wrong, which is not for people
	debug.SetGCPercent(200)         // a call is short and allocates much at once
	debug.SetMemoryLimit(270 << 20) // beyond that the collector works harder
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM, syscall.SIGHUP, syscall.SIGQUIT)
	defer stop()
	c := &call{ctx: ctx, out: out, errout: errout}
	c.settings.Env, c.settings.Words = os.Getenv, words.Of
	all := commands{}
	root := c.root(all)
	if wantsJSON(args) {
		c.format = "json"
	}
	if slices.Contains(args, "--version") && c.format == "json" {
		return c.finish(doc.JSON(out, map[string]string{"schema": "molt/version/1", "version": versionLine()}))
	}
	root.SetArgs(args)
	root.SetOut(out)
	root.SetErr(errout)
	root.InitDefaultHelpCmd()
	root.InitDefaultCompletionCmd(args...)
	if completion, _, err := root.Find([]string{"completion"}); err == nil {
		completion.Args, completion.RunE = cobra.ArbitraryArgs, func(_ *cobra.Command, words []string) error {
			return &input.UsageError{Reason: fmt.Sprintf(
				"completion %s: expected bash, fish, powershell or zsh", strings.Join(words, " "))}
		}
	}
	words := args
	if len(args) > 0 && (args[0] == cobra.ShellCompRequestCmd || args[0] == cobra.ShellCompNoDescRequestCmd) {
		words = args[1:]
	}
	if cmd, _, err := root.Find(words); err == nil {
		all.fitting(cmd)
	}
	return c.finish(root.ExecuteContext(ctx))
}

// commands are those of Molt.
type commands map[*cobra.Command]command

// root makes all commands.
func (c *call) root(all commands) *cobra.Command {
	cobra.EnableCommandSorting = false
	root := &cobra.Command{
		Use:   "molt",
		Short: "Take a web application from one framework major to the next",
		Long: `Molt shows where an application stands, says which packages are compatible with a framework's new major
and on what evidence, cuts the way there into stages that each resolve, and carries them out with checks and a way back.

Exit codes: 0 nothing needs attention, 1 done and something does, 2 the call or an input file is wrong,
3 the outside failed (registry, disk), 130 interrupted.`,
		Version:               versionLine(), // no template of our own, which would bring in all methods of everything
		SilenceErrors:         true,
		SilenceUsage:          true,
		CompletionOptions:     cobra.CompletionOptions{HiddenDefaultCmd: true},
		PersistentPreRunE:     func(cmd *cobra.Command, _ []string) error { return c.prepare(cmd, all) },
		Args:                  func(cmd *cobra.Command, words []string) error { return unknown(cmd, words) },
		RunE:                  func(cmd *cobra.Command, _ []string) error { return cmd.Help() },
		DisableFlagsInUseLine: true,
	}
	flags := root.PersistentFlags()
	flags.StringVar(&c.settings.Dir, "dir", ".", "folder of the application")
	flags.StringVar(&c.settings.Ecosystem, "ecosystem", "", "ecosystem of the application, when its files do not tell")
	flags.StringVar(&c.format, "format", "text", anyFormat)
	flags.BoolVar(&c.settings.Offline, "offline", false, "ask no registry; use what the cache holds")
	flags.BoolVar(&c.refresh, "refresh", false, "ask the registry again for what was asked for a moment ago")
	flags.StringVar(&c.asOf, "as-of", "", "take the registry as it was on a day (2026-03-31)")
	c.color = "auto"
	oneOf(flags, &c.color, "color", []string{"auto", "always", "never"}, "auto, always or never; NO_COLOR is honoured")
	flags.BoolVar(&c.plain, "plain", false, "no columns, no colours, a line for each row: for a screen reader, or a log")
	flags.BoolVar(&c.quiet, "quiet", false, "no progress; for verify, no result when all is well")
	flags.BoolVar(&c.settings.Allow, "allow-registry",
		false, "from now on, send credentials to the registries that molt.yaml names")
	flags.BoolVar(&c.settings.AllowPlain, "allow-plain-token", false,
		"send tokens and passwords over plain HTTP too, to other machines")
	flags.BoolVar(&c.settings.AllowCommands, "allow-commands", false,
		"from now on, run the checks, tasks, builds and hooks that this folder names")
	flags.IntVar(&c.settings.Jobs, "jobs", 16, "requests to a registry at the same time")
	_ = root.MarkPersistentFlagDirname("dir")
	_ = root.RegisterFlagCompletionFunc("ecosystem", c.completed(ecosystems, true))
	_ = root.RegisterFlagCompletionFunc("format", c.completed(formatsOf, true))
	root.SetFlagErrorFunc(wrongFlag)
	root.SetHelpCommand(all.help())
	for _, part := range []struct {
		id, title string
		commands  []command
	}{
		{"begin", "Set up", []command{c.init(), c.config()}},
		{"know", "Know where you stand",
			[]command{c.survey(), c.dossier(), c.trace(), c.rangeOf(), c.fit(), c.compare(), c.verify(), c.inventory()}},
		{"reach", "Reach a goal",
			[]command{c.assess(), c.plan(), c.trial(), c.step(), c.back(), c.untangle(), c.advice(), c.report()}},
		{"change", "Change one thing",
			[]command{c.want(), c.drop(), c.hold(), c.relock(), c.install(), c.fetch(), c.offer()}},
		{"try", "Try and learn", []command{c.demo(), c.standin(), c.relay(), c.cache()}},
		{"", "", []command{c.schema(), c.manual(all.fitting)}},
	} {
		if part.id != "" {
			root.AddGroup(&cobra.Group{ID: part.id, Title: part.title + ":"})
		}
		for _, cmd := range part.commands {
			all[cmd.Command] = cmd
			c.add(root, part.id, cmd)
		}
	}
	root.SetHelpCommandGroupID("try")
	return root
}

// help is the command that shows the help of another one.
func (all commands) help() *cobra.Command {
	return &cobra.Command{
		Use:   "help [COMMAND]",
		Short: "Show the help of a command",
		RunE: func(cmd *cobra.Command, words []string) error {
			found, _, err := cmd.Root().Find(words)
			if err != nil || found == cmd.Root() && len(words) > 0 {
				return unknown(cmd.Root(), words)
			}
			all.fitting(found)
			return found.Help()
		},
		ValidArgsFunction: func(cmd *cobra.Command, args []string, begun string) (names []string, _ cobra.ShellCompDirective) {
			for _, one := range cmd.Root().Commands() {
				if len(args) == 0 && strings.HasPrefix(one.Name(), begun) {
					names = append(names, one.Name())
				}
			}
			return names, cobra.ShellCompDirectiveNoFileComp
		},
	}
}

// usage makes the errors of a check of arguments what they are: mistakes of the call.
func usage(check cobra.PositionalArgs) cobra.PositionalArgs {
	if check == nil {
		return nil
	}
	return func(cmd *cobra.Command, args []string) error {
		if err := check(cmd, args); err != nil {
			expected := strings.TrimSuffix(cmd.UseLine(), " [flags]")
			if !strings.ContainsAny(expected, "[A") && len(args) > 0 {
				expected += " without " + input.Quote(strings.Join(args, " "))
			}
			return &input.UsageError{Reason: fmt.Sprintf("expected %s; %s --help says more", expected, cmd.CommandPath())}
		}
		return nil
	}
}

// prepare checks the common flags.
func (c *call) prepare(cmd *cobra.Command, all commands) error {
	known, _ := formatsOf(nil, cmd, "")
	if !slices.Contains(known, c.format) {
		asked := c.format
		c.format = "text"
		return &input.UsageError{Reason: fmt.Sprintf("--format %q: expected %s for molt %s", asked, inWords(known), cmd.Name())}
	}
	if err := all.strange(cmd); err != nil {
		return err
	}
	switch {
	case c.refresh && c.settings.Offline:
		return &input.UsageError{Reason: "--refresh asks the registry, and --offline does not"}
	case c.settings.Jobs < 1:
		return &input.UsageError{Reason: "--jobs: expected at least 1"}
	}
	if info, err := os.Stat(c.settings.Dir); err == nil && !info.IsDir() {
		return &input.UsageError{Reason: fmt.Sprintf("--dir %s: that is a file: expected the folder of the application",
			c.settings.Dir)}
	}
	if !cmd.Flags().Changed("dir") && cmd.Name() != "init" && cmd.Name() != "demo" {
		if above := open.Above(c.settings.Dir); above != "" {
			c.settings.Dir = above
			if !c.quiet {
				c.say("the application is in %s", above)
			}
		}
	}
	if c.refresh {
		c.settings.Since = time.Now()
	}
	if may := all[cmd].builds; may != nil {
		c.settings.Builds = may(cmd.Flags())
	}
	c.settings.AskConsent = c.consent()
	if c.asOf != "" {
		day, err := time.Parse(time.DateOnly, c.asOf)
		if err != nil {
			return &input.UsageError{Reason: fmt.Sprintf("--as-of %q: expected a date such as 2026-03-31", c.asOf)}
		}
		c.settings.AsOf = day.AddDate(0, 0, 1).Add(-time.Second)
	}
	return nil
}

// add makes a command one of Molt's.
func (c *call) add(root *cobra.Command, group string, cmd command) {
	cmd.GroupID, cmd.Hidden, cmd.SuggestFor = group, group == "", cmd.words
	cmd.Annotations = map[string]string{moreFormats: strings.Join(cmd.formats, " ")}
	cmd.Args = usage(cmd.Args)
	cmd.RunE = func(_ *cobra.Command, args []string) error { return c.over(cmd, args) }
	if cmd.operand.complete != nil {
		cmd.ValidArgsFunction = c.completed(cmd.operand.complete, cmd.operand.several)
	}
	cmd.LocalNonPersistentFlags().VisitAll(func(f *pflag.Flag) {
		complete := cmd.values[f.Name]
		if one, is := f.Value.(*choice); is {
			complete = values(one.known...)
		}
		if complete != nil {
			_ = cmd.RegisterFlagCompletionFunc(f.Name, c.completed(complete, true)) // the flag is there
		}
	})
	root.AddCommand(cmd.Command)
}

// anyFormat is what is said of --format where no command is meant.
const anyFormat = "text or json; md, sarif and junit where the command has them"

// fitting hides the common flags that say nothing about a command, in its help and when words are completed.
func (all commands) fitting(cmd *cobra.Command) {
	one, ours := all[cmd]
	cmd.Root().PersistentFlags().VisitAll(func(f *pflag.Flag) {
		f.Hidden = ours && one.takes&taken[f.Name] != taken[f.Name]
		if f.Name != "format" {
			return
		}
		f.Usage = anyFormat
		if known, err := formatsOf(nil, cmd, ""); ours && err == nil {
			f.Usage = inWords(known)
		}
	})
}

// strange refuses a common flag that says nothing about a command.
func (all commands) strange(cmd *cobra.Command) (err error) {
	one, known := all[cmd]
	if !known {
		return nil
	}
	cmd.Flags().Visit(func(f *pflag.Flag) {
		if f.Name == "offline" { // what asks no registry is offline in any case
			return
		}
		if of := taken[f.Name]; one.takes&of != of && err == nil {
			err = &input.UsageError{Reason: fmt.Sprintf("%s takes no --%s; see %[1]s --help", cmd.CommandPath(), f.Name)}
		}
	})
	return err
}

// wrongFlag is the error of a flag that is not there, or whose value is none.
func wrongFlag(cmd *cobra.Command, err error) error {
	if words := cmd.Flags().Args(); !cmd.HasParent() && len(words) > 0 { // a flag of a command that is not there
		return unknown(cmd, words)
	}
	says := err.Error()
	var unknown *pflag.NotExistError
	if errors.As(err, &unknown) {
		var known []string
		cmd.Flags().VisitAll(func(f *pflag.Flag) { known = append(known, f.Name) })
		if near := project.Nearest(unknown.GetSpecifiedName(), known); near != "" {
			says += "; did you mean --" + near + "?"
		}
	}
	var bad *pflag.InvalidValueError
	if errors.As(err, &bad) {
		if one, is := bad.GetFlag().Value.(*choice); is {
			return &input.UsageError{Reason: fmt.Sprintf("--%s %q: expected %s", bad.GetFlag().Name, bad.GetValue(), one.expected())}
		}
	}
	return &input.UsageError{Reason: fmt.Sprintf("%s; see %s --help", says, cmd.CommandPath())}
}
