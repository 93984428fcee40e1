// Package choose lets a person choose on a terminal: a few questions with a few answers each, and
// what the answers come to, worked out again whenever one changes. It decides nothing: whoever calls
// it says what an answer means.
package choose

import (
	"context"
	"errors"
	"fmt"
	"io"
	"strings"

	tea "charm.land/bubbletea/v2"
	"charm.land/lipgloss/v2"

	"molt/input"
)

// ErrCancelled says that the person wants none of it.
var ErrCancelled = errors.New("cancelled; nothing was written")

// A Question has answers, of which one is chosen.
type Question struct {
	Name    string
	Answers []string
	At      int // the chosen one
}

// An Effect is what the chosen answers, one for each question, come to: some lines, and the command that says the same.
type Effect struct {
	Lines   []string
	Command string
	Bad     bool // it does not do
}

// A Choice is what is chosen about.
type Choice struct {
	Title     string
	Questions []Question
	Effect    func(ctx context.Context, at []int) (Effect, error)
}

// Run shows the choice until the person accepts or cancels. It returns the chosen answers; the
// error is ErrCancelled, or that of Effect.
func Run(ctx context.Context, c Choice, in io.Reader, out io.Writer) ([]int, error) {
	m := newModel(ctx, c)
	end, err := tea.NewProgram(m, tea.WithContext(ctx), tea.WithInput(in), tea.WithOutput(out)).Run()
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	if err != nil {
		return nil, err
	}
	done := end.(model)
	switch {
	case done.err != nil:
		return nil, done.err
	case !done.accepted:
		return nil, ErrCancelled
	}
	return done.at(), nil
}

// A model is the state of the screen.
type model struct {
	ctx      context.Context
	choice   Choice
	active   int // question
	effects  map[string]Effect
	working  string // the answers that are being worked out, "" for none
	width    int
	accepted bool
	err      error
}

func newModel(ctx context.Context, c Choice) model {
	return model{ctx: ctx, choice: c, effects: map[string]Effect{}, width: 80}
}

func (m model) at() []int {
	var all []int
	for _, q := range m.choice.Questions {
		all = append(all, q.At)
	}
	return all
}

func (m model) key() string { return fmt.Sprint(m.at()) }

// workedOut is a message: what some answers come to.
type workedOut struct {
	key    string
	effect Effect
	err    error
}

// Init begins to work out what the first answers come to.
func (m model) Init() tea.Cmd { return m.work() }

// work works out what the chosen answers come to.
func (m model) work() tea.Cmd {
	at, key := m.at(), m.key()
	return func() tea.Msg {
		effect, err := m.choice.Effect(m.ctx, at)
		return workedOut{key, effect, err}
	}
}

// Update takes a key, or a result.
func (m model) Update(msg tea.Msg) (tea.Model, tea.Cmd) {
	switch msg := msg.(type) {
	case tea.WindowSizeMsg:
		m.width = msg.Width
	case workedOut:
		if msg.err != nil {
			m.err = msg.err
			return m, tea.Quit
		}
		m.effects[msg.key] = msg.effect
		m.working = ""
		return m.next()
	case tea.KeyPressMsg:
		return m.press(msg.String())
	}
	return m, nil
}

// next works out the chosen answers unless that is done, or something is being worked out, after
// which it is called again.
func (m model) next() (tea.Model, tea.Cmd) {
	if _, known := m.effects[m.key()]; known || m.working != "" {
		return m, nil
	}
	m.working = m.key()
	return m, m.work()
}

// press does what a key is for.
func (m model) press(key string) (tea.Model, tea.Cmd) {
	move := func(by int) {
		q := m.choice.Questions[m.active]
		q.At = (q.At + by + len(q.Answers)) % len(q.Answers)
		m.choice.Questions = append([]Question{}, m.choice.Questions...)
		m.choice.Questions[m.active] = q
	}
	n := len(m.choice.Questions)
	switch key {
	case "ctrl+c", "esc", "q":
		return m, tea.Quit
	case "enter":
		effect, known := m.effects[m.key()]
		if known && !effect.Bad {
			m.accepted = true
			return m, tea.Quit
		}
	case "up", "k", "shift+tab":
		m.active = (m.active + n - 1) % n
	case "down", "j", "tab":
		m.active = (m.active + 1) % n
	case "left", "h":
		move(-1)
	case "right", "l", "space":
		move(1)
	}
	return m.next()
}

var (
	bold  = lipgloss.NewStyle().Bold(true)
	faint = lipgloss.NewStyle().Faint(true)
)

// View draws the screen: the questions with their answers, what these come to, and the keys.
func (m model) View() tea.View {
	b := &strings.Builder{}
	line := func(text string) { b.WriteString(text + "\n") }
	line(bold.Render(input.OneLine(m.choice.Title)))
	line("")
	wide := 0
	for _, q := range m.choice.Questions {
		wide = max(wide, lipgloss.Width(q.Name))
	}
	for i, q := range m.choice.Questions {
		mark := "  "
		if i == m.active {
			mark = "> "
		}
		name := q.Name + strings.Repeat(" ", wide-lipgloss.Width(q.Name))
		if i == m.active {
			name = bold.Render(name)
		}
		line(mark + name + "  " + answers(q, m.width-wide-4))
	}
	line("")
	if effect, known := m.effects[m.key()]; known {
		for _, l := range effect.Lines {
			line("  " + input.OneLine(l))
		}
		if effect.Command != "" {
			line("")
			line(faint.Render("  the same as  ") + input.OneLine(effect.Command))
		}
	} else {
		line(faint.Render("  working it out …"))
	}
	line("")
	line(faint.Render("up and down: question   left and right: answer   enter: do it   esc: leave"))
	return tea.NewView(b.String())
}

// answers writes the answers of a question, the chosen one in brackets; only that one, with its
// number, where they do not fit.
func answers(q Question, width int) string {
	var all []string
	plain := 0
	for i, a := range q.Answers {
		a = input.OneLine(a)
		if i == q.At {
			a = "[" + a + "]"
		} else {
			a = " " + a + " "
		}
		plain += lipgloss.Width(a) + 1
		all = append(all, a)
	}
	if plain <= width {
		all[q.At] = bold.Render(all[q.At])
		return strings.Join(all, " ")
	}
	return bold.Render("["+input.OneLine(q.Answers[q.At])+"]") +
		faint.Render(fmt.Sprintf(" %d of %d", q.At+1, len(q.Answers)))
}
