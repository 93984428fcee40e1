package cli

import (
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"molt/app/config"
	"molt/app/open"
	"molt/demo"
	"molt/doc"
	"molt/ecosystem"
	"molt/input"
)

func (c *call) demo() command {
	cmd := &cobra.Command{
		Use:   "demo [DIR]",
		Short: "Show the whole job on made-up data",
		Long: `Demo copies the booking site of Skerry Ferries into a folder, serves a made-up registry, and takes the site from
brackwater 3 to brackwater 5, showing every command and what it prints. With --ecosystem python it is the line's back office that goes from
marram 4.2 to marram 5.2. The packages hold real code, so with the language's runtime on this machine the application's own tests judge every
stage. A folder that you name stays, for playing in.`,
		Example: "  molt demo\n  molt demo ./gannet-desk\n  molt demo --ecosystem python",
		Args:    cobra.MaximumNArgs(1),
	}
	run := func(c *call, args []string) error {
		t, err := c.story()
		if err != nil {
			return err
		}
		dir, temporary := "", len(args) == 0
		if temporary {
			made, err := os.MkdirTemp("", "molt-demo-")
			if err != nil {
				return err
			}
			defer os.RemoveAll(made)
			dir = filepath.Join(made, t.Name)
		} else {
			dir = args[0]
		}
		return c.perform(t, dir, temporary)
	}
	return command{Command: cmd, run: run, takes: ofEcosystem}
}

// A story is a scenario with what is told about it.
type story struct {
	demo.Scenario
	eco     ecosystem.Ecosystem
	runtime string // as people call it
	app     string // "desk": the application, as its people call it
	ends    string
	play    func(s *showing) error
	raises  string          // what is told when a runtime is to be raised
	raised  [3]string       // an edit, as edit takes it
	mends   map[string]mend // the work of people where a stage breaks the application, by stage
}

// A mend is what to run a stage with, what is told then, and which lines to change.
type mend struct {
	with  []string
	says  string
	edits [][3]string // file, what it says, what it is to say
}

// story returns the one of the ecosystem that the call names, else the first.
func (c *call) story() (*story, error) {
	name := c.settings.Ecosystem
	if name == "" {
		name = demo.Scenarios[0].Ecosystem
	}
	scenario, ok := demo.For(name)
	e, err := open.Named(name)
	if err != nil {
		return nil, err
	}
	if !ok {
		return nil, &input.UsageError{Reason: "there is no demo of " + name}
	}
	t := stories[name]
	t.Scenario, t.eco = scenario, e
	return &t, nil
}

// A showing plays the demo in one folder.
type showing struct {
	*story
	c    *call
	dir  string
	self string
	env  []string
	runs bool // this machine has a runtime for the desk's tests
}

func (c *call) perform(t *story, dir string, temporary bool) error {
	if err := t.Copy(dir); errors.Is(err, os.ErrExist) {
		return &input.UsageError{Reason: fmt.Sprintf("%v; the demo wants a folder of its own", err)}
	} else if err != nil {
		return err
	}
	packages, err := t.Universe()
	if err != nil {
		return err
	}
	address, stop, err := serve(c.ctx, t.eco, packages, "127.0.0.1:0")
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
	s := &showing{story: t, c: c, dir: dir, self: self}
	variable := "MOLT_REGISTRY_" + strings.ToUpper(t.Ecosystem)
	s.env = append(os.Environ(), variable+"="+address, "MOLT_CACHE="+cache)
	if temporary { // nothing of it is kept, the key of its folder neither
		s.env = append(s.env, "MOLT_STATE="+filepath.Join(cache, "state"))
	}
	settings := c.settings
	settings.Dir, settings.Env = dir, s.variable
	a, err := open.Open(settings)
	if err != nil {
		return err
	}
	if err := open.SetUp(a, &a.Config); err != nil { // the demo wrote what is there
		return err
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
			has = "no " + t.runtime
		}
		s.tell("The %s's own tests need a %s (%s), and this machine has %s: they are left out, and nothing is installed.",
			t.app, t.runtime, t.Runs, has)
		if err := t.Still(dir); err != nil {
			return err
		}
	}
	if err := t.play(s); err != nil {
		return err
	}
	s.tell("%s", t.ends)
	if !temporary {
		s.tell("To play on in %s: run molt standin --ecosystem %s beside it, and set %s to the address that it prints.",
			dir, t.Ecosystem, variable)
	}
	return nil
}

// theDesk is the story of the booking desk.
func theDesk(s *showing) error {
	s.tell("Skerry Ferries' booking desk stands on brackwater 3. Where exactly?")
	if err := s.run(exitFine, "survey"); err != nil {
		return err
	}
	s.tell("Brackwater 5 is out. What would it mean?")
	if err := s.run(exitAttention, "assess", "brackwater@5"); err != nil {
		return err
	}
	s.tell("Only quaymaster-map stands in the way, and its next major is there as a preview. The crew has tried it, and " +
		"takes the first way out:")
	if err := s.run(exitFine, "untangle", "brackwater@5", "--take", "1"); err != nil {
		return err
	}
	for _, command := range [][]string{{"assess", "brackwater@5"}, {"plan", "brackwater@5"}} {
		if err := s.run(exitFine, command...); err != nil {
			return err
		}
	}
	s.tell("Not everything in it is said by metadata. moorings-http 6.1.1 says nothing of brackwater, but its next " +
		"major asks for brackwater 5, so Molt doesn't count on 6.1.1; " +
		"brackwater-devtools 6 accepts brackwater 5 and belongs to the major after it; @types/brackwater never passes what " +
		"it describes; gannet-seats is pinned, and moves like the others; " +
		"brackwater-forms 4.3.2 is deprecated, and nothing else serves for brackwater 4; and what is removed is still " +
		"imported in src/desk.js.")
	s.tell("The test kit and the linter have new majors, too. Each goal has standings of its own; they share a stage " +
		"only where solving shows that they must:")
	if err := s.run(exitFine, "assess", "sounding-tests@5", "lintbuoy@8"); err != nil {
		return err
	}
	if s.runs {
		s.tell("Metadata is one thing, the desk's own tests are another. Rehearsed in a copy, before anything is touched:")
		if err := s.run(exitAttention, "trial", "--all"); err != nil {
			return err
		}
	}
	if err := s.stages(); err != nil {
		return err
	}
	if err := s.run(exitFine, "verify"); err != nil {
		return err
	}
	return s.run(exitFine, "survey")
}

// stages carries out all stages.
func (s *showing) stages() error {
	s.tell("Now stage by stage. After each one the checks of molt.yaml decide, on the packages of that stage.")
	for {
		stage, err := s.next()
		if err != nil {
			return err
		}
		if stage == nil {
			return nil
		}
		if err := s.carryOut(stage); err != nil {
			return err
		}
	}
}

// carryOut carries out one stage, with the work of people that it needs.
func (s *showing) carryOut(stage *doc.PlanStage) error {
	if stage.Raise != nil {
		if err := s.run(exitAttention, "step"); err != nil {
			return err
		}
		s.tell("%s", s.raises)
		if err := s.edit(s.raised[0], s.raised[1], s.raised[2]); err != nil {
			return err
		}
	}
	if mend, breaks := s.mends[stage.ID]; breaks && s.runs {
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

// deskMends is the work of the desk's people.
var deskMends = map[string]mend{
	"minor": {[]string{"--find-culprit"},
		"A minor release that took a function away. The crew edits the lines that import it:", [][3]string{
			{"src/sailings.js", `import { cached } from "wakeful-cache";`, `import { remember } from "wakeful-cache";`},
			{"src/sailings.js", `tonight: cached(`, `tonight: remember(`},
		}},
	"goal-5": {nil, "As the plan said: serve has become listen, and the forms are part of brackwater. The crew edits " +
		"the lines that the advice names:", [][3]string{
		{"src/desk.js", `import { serve, route } from "brackwater";`,
			`import { listen, route, form, field } from "brackwater";`},
		{"src/desk.js", "import { form, field } from \"brackwater-forms\";\n", ""},
		{"src/desk.js", `serve({ port`, `listen({ port`},
	}},
	"retire-skerry-words": {nil, "The package has another name, and the source still has the old one:", [][3]string{
		{"src/desk.js", `"skerry-words"`, `"lantern-words"`},
	}},
}

// officeMends is the work of the office's people.
var officeMends = map[string]mend{
	"goal-5.2": {nil, "As the release notes said: watch_now has a module of its own. The crew edits the lines that the " +
		"advice names:", [][3]string{
		{"office/rosters.py", "from marram import render, route, watch_now", "from marram import clock, render, route"},
		{"office/rosters.py", "{watch_now():%Y}", "{clock.now():%Y}"},
	}},
}

// theOffice is the story of the back office.
func theOffice(s *showing) error {
	s.tell("Skerry Ferries' back office stands on marram 4.2, a long-term release. Where exactly?")
	if err := s.run(exitFine, "survey"); err != nil {
		return err
	}
	s.tell("The next long-term release is 5.2. What would it mean?")
	for _, command := range [][]string{{"assess"}, {"plan"}} {
		if err := s.run(exitFine, command...); err != nil {
			return err
		}
	}
	s.tell("Few packages of this language have an upper bound, so what their authors claim to be for decides: " +
		"quay-forms 2.1 names marram up to 4.2, and 2.4 names 5.2. " +
		"marram 5.2.6 was withdrawn by its makers, chartroom 2.0 has no form that can be read without building it, and " +
		"tidetable is pinned to a post-release.")
	if err := s.stages(); err != nil {
		return err
	}
	if err := s.run(exitFine, "verify"); err != nil {
		return err
	}
	return s.run(exitFine, "survey")
}

// stories are the stories, by ecosystem.
var stories = map[string]story{
	"js": {runtime: "JavaScript runtime", app: "desk",
		ends: "gannet-desk stands on brackwater 5, with a lock that was verified.", play: theDesk,
		raises: "The harbour office raises its server, and the crew writes that down in molt.yaml:",
		raised: [3]string{config.File, "node: 16.20.2", "node: 20.11.1"}, mends: deskMends},
	"python": {runtime: "Python", app: "office",
		ends:   "skua-office stands on marram 5.2, with a lock that was verified and that ordinary installers read.",
		play:   theOffice,
		raises: "The harbour office raises its server, and the crew writes that down in molt.yaml:",
		raised: [3]string{config.File, `python: "3.9"`, `python: "3.11"`}, mends: officeMends},
}

// variable returns a variable of the environment in which the demo runs its commands.
func (s *showing) variable(name string) string {
	for _, entry := range slices.Backward(s.env) {
		if value, ok := strings.CutPrefix(entry, name+"="); ok {
			return value
		}
	}
	return ""
}

func (s *showing) tell(format string, args ...any) {
	p := s.c.page()
	for line := range strings.SplitSeq(fmt.Sprintf(format, args...), "\n") {
		p.Remark(line)
	}
}

// run shows a command and runs it, and expects an exit code.
func (s *showing) run(want int, args ...string) error {
	s.c.page().Command("molt " + strings.Join(args, " "))
	if s.c.color != "auto" {
		args = append(args, "--color", s.c.color)
	} else if _, ok := columns(s.c.out); ok {
		args = append(args, "--color", "auto")
	}
	command := exec.CommandContext(
		s.c.ctx, s.self, append(args, "--dir", s.dir, "--quiet="+fmt.Sprint(args[0] != "verify"))...)
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
func (s *showing) edit(name, old, replacement string) error {
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
func (s *showing) canRun() (bool, string, error) {
	settings := s.c.settings
	settings.Dir = s.dir
	a, err := open.Open(settings)
	if err != nil {
		return false, "", err
	}
	name, v := a.RuntimeHere(s.c.ctx)
	return v != "" && open.Suits(a, name, s.Runs, v), strings.TrimSpace(name + " " + v), nil
}

// next returns the next stage of the plan, or nil.
func (s *showing) next() (*doc.PlanStage, error) {
	settings := s.c.settings
	settings.Dir = s.dir
	a, err := open.Open(settings)
	if err != nil {
		return nil, err
	}
	answer, err := a.ReadPlan()
	if err != nil {
		return nil, err
	}
	return answer.Next(), nil
}
