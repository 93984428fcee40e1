package cli

import (
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"molt/app"
	"molt/app/config"
	"molt/demo"
	"molt/doc"
	"molt/input"
)

func (c *call) demo() *cobra.Command {
	return &cobra.Command{
		Use:   "demo [DIR]",
		Short: "Show the whole job on made-up data",
		Long: `Demo copies the booking site of Skerry Ferries into a folder, serves a made-up registry, and takes the site from
brackwater 3 to brackwater 5, showing every command and what it prints. A folder that you name stays, for playing in.`,
		Example: "  molt demo\n  molt demo ./gannet-desk",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			dir, temporary := "", len(args) == 0
			if temporary {
				made, err := os.MkdirTemp("", "molt-demo-")
				if err != nil {
					return err
				}
				defer os.RemoveAll(made)
				dir = filepath.Join(made, demo.Name)
			} else {
				dir = args[0]
			}
			return c.perform(dir, temporary)
		},
	}
}

// A scene plays the demo in one folder.
type scene struct {
	c    *call
	dir  string
	self string
	env  []string
}

func (c *call) perform(dir string, temporary bool) error {
	if err := demo.Copy(dir); errors.Is(err, os.ErrExist) {
		return &input.UsageError{Reason: fmt.Sprintf("%v; the demo wants a folder of its own", err)}
	} else if err != nil {
		return err
	}
	packages, err := demo.Universe()
	if err != nil {
		return err
	}
	address, stop, err := serve(c.ctx, app.Ecosystems[0], packages, "127.0.0.1:0")
	if err != nil {
		return err
	}
	defer stop()
	self, err := os.Executable()
	if err != nil {
		return err
	}
	cache, err := os.MkdirTemp("", "molt-demo-cache-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(cache)
	s := &scene{c: c, dir: dir, self: self}
	s.env = append(os.Environ(), "MOLT_REGISTRY_JS="+address, "MOLT_CACHE="+cache)
	if temporary { // nothing of it is kept, the key of its folder neither
		s.env = append(s.env, "MOLT_STATE="+filepath.Join(cache, "state"))
	}
	if width, ok := columns(c.out); ok {
		s.env = append(s.env, fmt.Sprintf("COLUMNS=%d", width))
	}
	if err := s.play(); err != nil {
		return err
	}
	s.tell("gannet-desk stands on brackwater 5, with a lock that was verified.")
	if !temporary {
		s.tell("To play on in %s: run molt standin beside it, and set MOLT_REGISTRY_JS to the address that it prints.", dir)
	}
	return nil
}

// play is the story.
func (s *scene) play() error {
	s.tell("Skerry Ferries' booking desk stands on brackwater 3. Where exactly?")
	if err := s.run(exitFine, "survey"); err != nil {
		return err
	}
	s.tell("Brackwater 5 is out. What would it mean?")
	if err := s.run(exitAttention, "assess", "brackwater@5"); err != nil {
		return err
	}
	s.tell("Only quaymaster-map stands in the way, and its next major is there as a preview. The crew has tried it, and takes the first way out:")
	if err := s.run(exitFine, "untangle", "brackwater@5", "--take", "1"); err != nil {
		return err
	}
	for _, command := range [][]string{{"assess", "brackwater@5"}, {"plan", "brackwater@5"}} {
		if err := s.run(exitFine, command...); err != nil {
			return err
		}
	}
	s.tell("Not everything in it is said by metadata. moorings-http 6.1.1 says nothing of brackwater, but its next major asks for brackwater 5, so Molt doesn't count on 6.1.1; " +
		"brackwater-devtools 6 accepts brackwater 5 and belongs to the major after it; @types/brackwater never passes what it describes; gannet-seats is pinned, and moves like the others; " +
		"brackwater-forms 4.3.2 is deprecated, and nothing else serves for brackwater 4; and what is removed is still imported in src/desk.js.")
	s.tell("Now stage by stage. After each one the checks of molt.yaml decide.")
	for {
		stage, err := s.next()
		if err != nil {
			return err
		}
		if stage == nil {
			break
		}
		if stage.Raise != nil {
			if err := s.run(exitAttention, "step"); err != nil {
				return err
			}
			s.tell("The harbour office raises its server, and the crew writes that down in molt.yaml:")
			if err := s.edit("node: 20.11.1", "node: 22.11.0"); err != nil {
				return err
			}
		}
		if err := s.run(exitFine, "step"); err != nil {
			return err
		}
	}
	if err := s.run(exitFine, "verify"); err != nil {
		return err
	}
	return s.run(exitFine, "survey")
}

func (s *scene) tell(format string, args ...any) {
	p := s.c.page()
	for line := range strings.SplitSeq(fmt.Sprintf(format, args...), "\n") {
		p.Remark(line)
	}
}

// run shows a command and runs it, and expects an exit code.
func (s *scene) run(want int, args ...string) error {
	s.c.page().Command("molt " + strings.Join(args, " "))
	if s.c.color != "auto" {
		args = append(args, "--color", s.c.color)
	} else if _, ok := columns(s.c.out); ok {
		args = append(args, "--color", "auto")
	}
	command := exec.CommandContext(s.c.ctx, s.self, append(args, "--dir", s.dir, "--quiet="+fmt.Sprint(args[0] != "verify"))...)
	command.Env, command.Stdout, command.Stderr = s.env, s.c.out, s.c.errout
	err := command.Run()
	var exit *exec.ExitError
	code := exitFine
	if errors.As(err, &exit) {
		code = exit.ExitCode()
	} else if err != nil {
		return err
	}
	fmt.Fprintln(s.c.out)
	if s.c.ctx.Err() != nil {
		return s.c.ctx.Err()
	}
	if code != want {
		return fmt.Errorf("the demo expected exit code %d of molt %s, and got %d", want, strings.Join(args, " "), code)
	}
	return nil
}

// edit changes molt.yaml as a person would, and shows what.
func (s *scene) edit(old, replacement string) error {
	file := filepath.Join(s.dir, config.File)
	data, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	if !strings.Contains(string(data), old) {
		return fmt.Errorf("%s does not hold %q", file, old)
	}
	fmt.Fprintf(s.c.out, "  %s\n\n", replacement)
	return os.WriteFile(file, []byte(strings.Replace(string(data), old, replacement, 1)), 0o644)
}

// next returns the next stage of the plan, or nil.
func (s *scene) next() (*doc.PlanStage, error) {
	settings := s.c.settings
	settings.Dir = s.dir
	a, err := app.Open(settings)
	if err != nil {
		return nil, err
	}
	answer, err := a.ReadPlan()
	if err != nil {
		return nil, err
	}
	return answer.Next(), nil
}
