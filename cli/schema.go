package cli

import (
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"molt/doc"
	"molt/input"
)

func (c *call) schema() command {
	cmd := &cobra.Command{
		Use:   "schema [NAME]",
		Short: "Print the JSON Schema of a document",
		Long: `Schema prints the JSON Schema (draft 2020-12) of a document that --format json prints, or of a file of advice. Without
NAME it lists which there are.`,
		Example: "  molt schema survey\n  molt schema plan > plan.schema.json",
		Args:    cobra.MaximumNArgs(1),
	}
	run := func(c *call, args []string) error {
		if len(args) == 0 {
			_, err := fmt.Fprintln(c.out, strings.Join(doc.Schemas(), "\n"))
			return err
		}
		if !slices.Contains(doc.Schemas(), args[0]) {
			return &input.UsageError{Reason: fmt.Sprintf(
				"there is no document %q; known: %s", args[0], strings.Join(doc.Schemas(), ", "))}
		}
		_, err := c.out.Write(doc.Schema(args[0]))
		return err
	}
	return command{Command: cmd, run: run, operand: operand{complete: values(doc.Schemas()...)}}
}
