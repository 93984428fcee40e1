package cli

import (
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"molt/app/open"
	"molt/app/stages"
	"molt/ecosystem"
	"molt/input"
)

// An application with several ecosystems has a side for each (open.Side). A command is about all of
// them, one after the other, or about those that its arguments name.

// A finder says what a call of a command is about in a folder with several ecosystems.
type finder func(c *call, cmd *cobra.Command, sides []open.Side, args []string) ([]work, error)

// A work is what a command is to do on one side.
type work struct {
	side string
	args []string
}

// onSides makes of what a command does for one ecosystem what it does for an application with several.
func (c *call) onSides(one command, run func(*cobra.Command, []string) error) func(*cobra.Command, []string) error {
	over := run
	if one.Name() == "back" {
		over = c.backOnSides(run)
	} else if one.sides != nil {
		over = c.eachSide(one, run)
	}
	return func(cmd *cobra.Command, args []string) error {
		if err := one.mistaken(args); err != nil {
			return err
		}
		return over(cmd, args)
	}
}

func (c *call) eachSide(one command, run func(*cobra.Command, []string) error) func(*cobra.Command, []string) error {
	return func(cmd *cobra.Command, args []string) error {
		sides := open.Sides(c.settings)
		if sides == nil {
			return run(cmd, args)
		}
		all, err := one.sides(c, cmd, sides, args)
		if err != nil {
			return err
		}
		if into := cmd.Flags().Lookup("into"); into != nil && into.Changed && len(all) > 1 {
			return &input.UsageError{Reason: "--into makes a copy with the packages of one ecosystem, and the folder has " +
				"several; --ecosystem says of which"}
		}
		if len(all) > 1 && (c.format == "sarif" || c.format == "junit") {
			return &input.UsageError{Reason: fmt.Sprintf(
				"--format %s is one document, and the folder has packages of several ecosystems; --ecosystem says of which",
				c.format)}
		}
		plainly := func() error { return c.overSides(all, func(args []string) error { return run(cmd, args) }) }
		over := plainly
		if len(all) > 1 && one.whole {
			if unlessDry(cmd.Flags()) {
				over = func() error { return c.asOne(one.Name(), plainly) }
			}
			if err := c.rehearsed(cmd, plainly); err != nil {
				return err
			}
		}
		if len(all) > 1 && c.format == "json" {
			return c.sidesOf(over)
		}
		return over()
	}
}

// asOne has what is done on all sides taken back where one of them fails, also by a Molt that comes
// after one that was ended in between.
func (c *call) asOne(name string, over func() error) error {
	span, says, err := open.BeginSpan(c.settings, name)
	if err != nil {
		return err
	}
	if says != "" {
		c.say("repaired: %s", says)
	}
	c.settings.Within = span
	defer func() { c.settings.Within = nil }()
	if err = over(); err != nil && !errors.Is(err, errAttention) {
		if failed := span.Undo(); failed != nil {
			return errors.Join(err, failed)
		}
		c.say("What was done on the other sides is taken back.")
		return err
	}
	if failed := span.Commit(); failed != nil {
		return failed
	}
	return err
}

// rehearsed goes through all sides without writing anything, so that none is written where another fails.
func (c *call) rehearsed(cmd *cobra.Command, over func() error) error {
	dry := cmd.Flags().Lookup("dry-run")
	if dry == nil || dry.Value.String() == "true" {
		return nil
	}
	usual, quiet := c.out, c.quiet
	c.out, c.quiet = io.Discard, true
	_ = dry.Value.Set("true") // it takes that
	err := over()
	_ = dry.Value.Set("false")
	c.out, c.quiet = usual, quiet
	if errors.Is(err, errAttention) {
		return nil // which the second time shows
	}
	return err
}

// overSides does what is to be done on each side.
func (c *call) overSides(all []work, run func(args []string) error) error {
	attention := false
	for i, w := range all {
		c.settings.Ecosystem = w.side
		if c.format == "text" && len(all) > 1 && !c.quiet {
			c.page().Side(w.side, i == 0)
		}
		err := run(w.args)
		if attention = attention || errors.Is(err, errAttention); err != nil && !errors.Is(err, errAttention) {
			return err
		}
	}
	if attention {
		return errAttention
	}
	return nil
}

// backOnSides goes back stage by stage, each on the side whose lock it changed.
func (c *call) backOnSides(run func(*cobra.Command, []string) error) func(*cobra.Command, []string) error {
	return func(cmd *cobra.Command, args []string) error {
		sides := open.Sides(c.settings)
		if sides == nil {
			return run(cmd, args)
		}
		if name, _ := cmd.Flags().GetString("package"); name != "" {
			if c.settings.Ecosystem = c.sideOf(sides, name); c.settings.Ecosystem == "" {
				c.settings.Ecosystem = sides[0].Ecosystem.Name()
			}
			return run(cmd, args)
		}
		for {
			stage, err := c.lastStage(sides)
			if err != nil {
				return err
			}
			if stage.side == "" || len(args) > 0 && !slices.Contains(stage.args, args[0]) {
				// none, or not that one, which is said
				c.settings.Ecosystem = sides[0].Ecosystem.Name()
				return run(cmd, args)
			}
			c.settings.Ecosystem = stage.side
			last := stage.args[len(stage.args)-1]
			if err := run(cmd, []string{last}); err != nil || len(args) == 0 || last == args[0] {
				return err
			}
		}
	}
}

// lastStage returns the side of what was carried out last, with the names of all that was, the oldest first.
func (c *call) lastStage(sides []open.Side) (work, error) {
	var last work
	for _, s := range sides {
		a, err := c.openSide(s)
		if err != nil {
			return work{}, err
		}
		records, err := stages.CarriedOut(c.ctx, a)
		if err != nil || len(records) == 0 {
			return work{}, err
		}
		if last.args == nil {
			last.side = s.Ecosystem.Name()
			for _, r := range records {
				last.args = append(last.args, r.Stage)
			}
		}
		if slices.Contains(records[len(records)-1].Files(), a.LockFile()) {
			last.side = s.Ecosystem.Name()
		}
	}
	return last, nil
}

// each is about all sides.
func each(_ *call, _ *cobra.Command, sides []open.Side, args []string) (all []work, err error) {
	for _, s := range sides {
		all = append(all, work{s.Ecosystem.Name(), args})
	}
	return all, nil
}

// named is about the sides that declare, or have locked, what the arguments name, and about all without any.
func named(c *call, cmd *cobra.Command, sides []open.Side, args []string) ([]work, error) {
	if len(args) == 0 {
		return each(c, cmd, sides, args)
	}
	var all []work
	for _, arg := range args {
		name, _, _ := strings.Cut(arg[min(1, len(arg)):], "@") // a name may begin with one
		if name = arg[:min(1, len(arg))] + name; strings.ContainsAny(name, "[<>=!~") {
			name = name[:strings.IndexAny(name, "[<>=!~")]
		}
		side := c.sideOf(sides, name)
		if side == "" {
			return nil, &input.UsageError{
				Reason: fmt.Sprintf("%s is neither declared nor locked here, and the folder has packages of %s; --ecosystem says "+
					"of which it is one", name, sideNames(sides))}
		}
		i := slices.IndexFunc(all, func(w work) bool { return w.side == side })
		if i < 0 {
			i, all = len(all), append(all, work{side: side})
		}
		all[i].args = append(all[i].args, arg)
	}
	return all, nil
}

// one is about a single side, which the call has to name.
func one(_ *call, cmd *cobra.Command, sides []open.Side, _ []string) ([]work, error) {
	return nil, &input.UsageError{
		Reason: fmt.Sprintf("molt %s is about one ecosystem, and the folder has packages of %s; --ecosystem says of which",
			cmd.Name(), sideNames(sides))}
}

// ranged is about the side of the package that --of names.
func ranged(c *call, cmd *cobra.Command, sides []open.Side, args []string) ([]work, error) {
	of, _ := cmd.Flags().GetString("of")
	if of == "" {
		return []work{{sides[0].Ecosystem.Name(), args}}, nil
	}
	all, err := named(c, cmd, sides, []string{of})
	if err != nil {
		return nil, err
	}
	return []work{{all[0].side, args}}, nil
}

func sideNames(sides []open.Side) string {
	var names []string
	for _, s := range sides {
		names = append(names, s.Ecosystem.Name())
	}
	return strings.Join(names, " and of ")
}

// sideOf returns the side of a name, "" for none.
func (c *call) sideOf(sides []open.Side, name string) string {
	for _, s := range sides {
		if s.Declares(name) {
			return s.Ecosystem.Name()
		}
	}
	for _, s := range sides {
		if a, err := c.openSide(s); err == nil && a.Lock != nil &&
			len(a.Lock.Resolution().Versions()[ecosystem.Canonical(s.Ecosystem, name)]) > 0 {
			return s.Ecosystem.Name()
		}
	}
	return ""
}

func (c *call) openSide(s open.Side) (*open.View, error) {
	settings := c.settings
	settings.Ecosystem = s.Ecosystem.Name()
	return open.Open(settings)
}

// planned is about the sides of the goals, in the call or in the configuration; about those with a
// plan where that is looked at again.
func planned(c *call, cmd *cobra.Command, sides []open.Side, args []string) (all []work, err error) {
	if len(args) > 0 {
		return named(c, cmd, sides, args)
	}
	for _, s := range sides {
		a, err := c.openSide(s)
		if err != nil {
			return nil, err
		}
		if _, _, there := open.SideOfPlan(a, ""); there || stages.HasGoal(a) {
			all = append(all, work{s.Ecosystem.Name(), nil})
		}
	}
	if all == nil {
		all = append(all, work{sides[0].Ecosystem.Name(), nil}) // which says what is missing
	}
	return all, nil
}

// staged is about the sides that have a stage to do, first those whose goal is not reached yet;
// about the first of them unless all stages are meant.
func staged(c *call, cmd *cobra.Command, sides []open.Side, args []string) ([]work, error) {
	var before, after []work
	for _, s := range sides {
		a, err := c.openSide(s)
		if err != nil {
			return nil, err
		}
		stage := ""
		if len(args) > 0 {
			stage = args[0]
		}
		switch left, toGoal, ok := open.SideOfPlan(a, stage); {
		case !ok || left == 0 && stage == "":
		case stage != "", toGoal > 0:
			before = append(before, work{s.Ecosystem.Name(), args})
		default:
			after = append(after, work{s.Ecosystem.Name(), args})
		}
	}
	switch {
	case before == nil && after == nil:
		return []work{{sides[0].Ecosystem.Name(), args}}, nil // which says what is missing
	case before == nil:
		before = after
	}
	if all, _ := cmd.Flags().GetBool("all"); !all {
		before = before[:1]
	}
	return before, nil
}
