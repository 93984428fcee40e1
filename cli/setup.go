package cli

import (
	"bufio"
	"errors"
	"io"
	"os"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"molt/ask"
	"molt/render/text"
)

func (c *call) init() command {
	var r ask.InitRequest
	cmd := &cobra.Command{
		Use:   "init",
		Short: "Write a commented molt.yaml from what is found",
		Long: `Init writes molt.yaml with what files of the application and this machine tell: the runtimes that are required or here, the
checks that the manifest names, the groups, and the package that the most others depend on, which is probably the framework.
What nobody can know it asks for on a terminal, and otherwise leaves open. It changes no molt.yaml that is there.`,
		Example: "  molt init --dry-run\n  molt init --registry http://localhost:4873 --goal brackwater@5",
		Args:    cobra.NoArgs,
	}
	run := func(c *call, _ []string) error {
		if term.IsTerminal(int(os.Stdin.Fd())) && !r.Dry && c.format == "text" {
			r.Ask = c.question
		}
		d, err := ask.Init(c.ctx, c.asking(), r)
		return answer(c, nil, d, err, (*text.Page).Init)
	}
	cmd.Flags().StringVar(&r.Registry, "registry", "", "address of the registry")
	cmd.Flags().StringVar(&r.Goal, "goal", "", "the goal, such as brackwater@5")
	cmd.Flags().BoolVar(&r.Dry, "dry-run", false, "show it and write nothing")
	return command{Command: cmd, run: run, takes: asks, values: map[string]completion{"goal": goalsBegun}}
}

// question asks a person for a line.
func (c *call) question(what string) string {
	c.say("%s:", what)
	line, err := bufio.NewReader(os.Stdin).ReadString('\n')
	if err != nil && !errors.Is(err, io.EOF) {
		return ""
	}
	return strings.TrimSpace(line)
}

func (c *call) config() command {
	cmd := &cobra.Command{
		Use:   "config",
		Short: "Show every value that counts, and where it comes from",
		Long: "Config shows what counts for this application: from molt.yaml with the line, from a variable of the " +
			"environment, from a file or from this machine, or by default.",
		Example: "  molt config",
		Args:    cobra.NoArgs,
	}
	run := func(c *call, _ []string) error {
		a, err := c.open()
		if err != nil {
			return err
		}
		return answer(c, nil, ask.Config(c.ctx, a), nil, (*text.Page).Settings)
	}
	return command{Command: cmd, run: run, takes: asks, sides: ask.Each}
}
