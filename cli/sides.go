package cli

import (
	"errors"
	"fmt"
	"io"

	"molt/ask"
	"molt/input"
)

// over runs a command on the parts of the application that it is about. Their results are one document.
func (c *call) over(cmd command, args []string) error {
	if err := cmd.mistaken(args); err != nil {
		return err
	}
	if cmd.sides == nil {
		return cmd.run(c, args)
	}
	parts, err := ask.FolderOf(c.asking()).Parts(cmd.sides, args)
	if err != nil {
		return err
	}
	if len(parts) == 1 {
		return cmd.run(c.on(parts[0]), parts[0].Args)
	}
	for _, name := range cmd.lone {
		if cmd.Flags().Changed(name) {
			return &input.UsageError{Reason: fmt.Sprintf("--%s makes a copy with the packages of one ecosystem, and the folder "+
				"has several; --ecosystem says of which", name)}
		}
	}
	if c.format == "sarif" || c.format == "junit" {
		return &input.UsageError{Reason: fmt.Sprintf(
			"--format %s is one document, and the folder has packages of several ecosystems; --ecosystem says of which",
			c.format)}
	}
	var documents []any
	attention, first := false, true
	do := func(p ask.Part) error {
		one := c.on(p)
		if c.format == "json" {
			one.gather = &documents
		}
		if c.format == "text" && !c.quiet {
			c.page().Side(p.Side, first)
		}
		first = false
		err := cmd.run(one, p.Args)
		attention = attention || errors.Is(err, errAttention)
		return unlessAttention(err)
	}
	if err := c.together(cmd, parts, do); err != nil {
		return err
	}
	if c.format == "json" {
		if err := c.emit(gathering{Schema: "molt/sides/1", Sides: documents}); err != nil {
			return err
		}
	}
	if attention {
		return errAttention
	}
	return nil
}

// together does for all parts what is to be done, as one change where the command makes one.
func (c *call) together(cmd command, parts []ask.Part, do func(ask.Part) error) error {
	if !cmd.whole {
		return ask.Over(parts, do)
	}
	var rehearse func(ask.Part) error
	if cmd.Flags().Lookup("dry-run") != nil {
		if !unlessDry(cmd.Flags()) {
			return ask.Over(parts, do)
		}
		rehearse = func(p ask.Part) error {
			one := c.on(p)
			one.rehearsing, one.out, one.quiet = true, io.Discard, true
			return unlessAttention(cmd.run(one, p.Args)) // which the second time shows
		}
	}
	err := ask.Whole(c.asking(), cmd.Name(), parts, rehearse, do)
	var back *ask.TakenBackError
	if errors.As(err, &back) {
		c.say("What was done on the other sides is taken back.")
	}
	return err
}
