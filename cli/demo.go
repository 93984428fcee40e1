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
brackwater 3 to brackwater 5, showing every command and what it prints. Its packages hold real code, so with a JavaScript
runtime on this machine the desk's own tests judge every stage. A folder that you name stays, for playing in.`,
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
	runs bool // this machine has a runtime for the desk's tests
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
	var has string
	if s.runs, has, err = s.canRun(); err != nil {
		return err
	}
	if !s.runs {
		if has == "" {
			has = "no JavaScript runtime"
		}
		s.tell("The desk's own tests need a JavaScript runtime (node %s), and this machine has %s: they are left out, and nothing is installed.", demo.Runs, has)
		if err := demo.Still(dir); err != nil {
			return err
		}
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
	if s.runs {
		s.tell("Metadata is one thing, the desk's own tests are another. Rehearsed in a copy, before anything is touched:")
		if err := s.run(exitAttention, "trial", "--all"); err != nil {
			return err
		}
	}
	s.tell("Now stage by stage. After each one the checks of molt.yaml decide, on the packages of that stage.")
	for {
		stage, err := s.next()
		if err != nil {
			return err
		}
		if stage == nil {
			break
		}
		if err := s.stage(stage); err != nil {
			return err
		}
	}
	if err := s.run(exitFine, "verify"); err != nil {
		return err
	}
	return s.run(exitFine, "survey")
}

// stage carries out one stage, with the work of people that it needs.
func (s *scene) stage(stage *doc.PlanStage) error {
	if stage.Raise != nil {
		if err := s.run(exitAttention, "step"); err != nil {
			return err
		}
		s.tell("The harbour office raises its server, and the crew writes that down in molt.yaml:")
		if err := s.edit(config.File, "node: 16.20.2", "node: 20.11.1"); err != nil {
			return err
		}
	}
	if mend, breaks := mends[stage.ID]; breaks && s.runs {
		if err := s.run(exitAttention, append([]string{"step"}, mend.with...)...); err != nil {
			return err
		}
		s.tell("%s", mend.says)
		for _, e := range mend.edits {
			if err := s.edit(e[0], e[1], e[2]); err != nil {
				return err
			}
		}
		fmt.Fprintln(s.c.out)
	}
	return s.run(exitFine, "step")
}

// mends is the work of people where a stage breaks the desk, by stage: what to run it with, and which lines to change.
var mends = map[string]struct {
	with  []string
	says  string
	edits [][3]string // file, what it says, what it is to say
}{
	"minor": {[]string{"--find-culprit"}, "A minor release that took a function away. The crew edits the lines that import it:", [][3]string{
		{"src/sailings.js", `import { cached } from "wakeful-cache";`, `import { remember } from "wakeful-cache";`},
		{"src/sailings.js", `tonight: cached(`, `tonight: remember(`},
	}},
	"goal-5": {nil, "As the plan said: serve has become listen, and the forms are part of brackwater. The crew edits the lines that the advice names:", [][3]string{
		{"src/desk.js", `import { serve, route } from "brackwater";`, `import { listen, route, form, field } from "brackwater";`},
		{"src/desk.js", "import { form, field } from \"brackwater-forms\";\n", ""},
		{"src/desk.js", `serve({ port`, `listen({ port`},
	}},
	"retire-skerry-words": {nil, "The package has another name, and the source still has the old one:", [][3]string{
		{"src/desk.js", `"skerry-words"`, `"lantern-words"`},
	}},
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

// edit changes a file as a person would, and shows the line.
func (s *scene) edit(name, old, replacement string) error {
	file := filepath.Join(s.dir, filepath.FromSlash(name))
	data, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	before, after, found := strings.Cut(string(data), old)
	if !found {
		return fmt.Errorf("%s does not hold %q", file, old)
	}
	line := before[strings.LastIndexByte(before, '\n')+1:] + replacement + after[:strings.IndexByte(after, '\n')]
	if replacement == "" {
		line = "(taken out) " + strings.TrimSpace(old)
	}
	fmt.Fprintf(s.c.out, "  %s:%d  %s\n", name, strings.Count(before, "\n")+1, strings.TrimSpace(line))
	return os.WriteFile(file, []byte(before+replacement+after), 0o644)
}

// canRun reports whether this machine has a runtime for the desk's tests, with what it has.
func (s *scene) canRun() (bool, string, error) {
	settings := s.c.settings
	settings.Dir = s.dir
	a, err := app.Open(settings)
	if err != nil {
		return false, "", err
	}
	name, v := a.RuntimeHere(s.c.ctx)
	return v != "" && a.Suits(name, demo.Runs, v), strings.TrimSpace(name + " " + v), nil
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
