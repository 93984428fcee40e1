package cli

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"molt/app/open"
	"molt/ask"
	"molt/doc"
	"molt/ecosystem"
	"molt/input"
	"molt/render/text"
	"os"
	"strings"

	"golang.org/x/term"
)

// A call is one run of Molt: the common flags, and where results and messages go.
type call struct {
	ctx         context.Context
	out, errout io.Writer
	settings    open.Settings
	format      string
	color       string
	refresh     bool
	asOf        string
	quiet       bool
	plain       bool
	gather      *[]any // where documents go that are to be one; nil for a single one
	rehearsing  bool   // nothing is to be written
}

// ecosystem returns the one that the call names, else that of the folder, else the first.
func (c *call) ecosystem() (ecosystem.Ecosystem, error) {
	return open.EcosystemOf(c.settings.Ecosystem, c.settings.Dir)
}

// say prints a message for people besides the result.
func (c *call) say(format string, args ...any) {
	fmt.Fprintln(c.errout, input.Harmless(fmt.Sprintf(format, args...)))
}

// page returns where text results go.
func (c *call) page() *text.Page { return c.pageOn(c.out) }

func (c *call) pageOn(w io.Writer) *text.Page {
	p := &text.Page{W: w, Width: 100}
	if n, ok := columns(w); ok {
		p.Width = n
		p.Color = os.Getenv("NO_COLOR") == "" && os.Getenv("TERM") != "dumb"
	}
	var n int
	if _, err := fmt.Sscan(os.Getenv("COLUMNS"), &n); err == nil && n > 0 {
		p.Width = n
	}
	switch c.color {
	case "always":
		p.Color = true
	case "never":
		p.Color = false
	}
	p.Width = max(p.Width, 30)
	if c.plain {
		p.Plain, p.Color, p.Width = true, false, unbroken
	}
	return p
}

// columns returns the width of a terminal, and whether w is one.
func columns(w io.Writer) (int, bool) {
	f, ok := w.(*os.File)
	if !ok || !term.IsTerminal(int(f.Fd())) {
		return 0, false
	}
	n, _, err := term.GetSize(int(f.Fd()))
	if err != nil || n <= 0 {
		return narrowest, true
	}
	return n, true
}

// unbroken is the width of a page on which no line is broken.
const unbroken = 1 << 20

// narrowest is the width taken for a terminal that does not tell its own.
const narrowest = 80

// show prints a result as JSON or as text.
func (c *call) show(answer any, print func(*text.Page)) error {
	if c.format == "json" {
		return c.emit(answer)
	}
	p := c.page()
	print(p)
	return p.Err()
}

// errAttention ends a call whose result, already shown, asks for attention.
var errAttention = errors.New("something needs attention")

// A commandError ends a call with the exit code of a command that the caller named.
type commandError struct{ code int }

func (e *commandError) Error() string {
	return fmt.Sprintf("the command ended with exit code %d", e.code)
}

// A gathering is several documents as one: what a command says of each side of an application, or of each stage.
type gathering struct {
	Schema string `json:"schema"`
	Sides  []any  `json:"sides,omitempty"`
	Stages []any  `json:"stages,omitempty"`
}

// emit writes a document, or puts it into the gathering that is being made.
func (c *call) emit(document any) error {
	if c.gather != nil {
		*c.gather = append(*c.gather, document)
		return nil
	}
	return doc.JSON(c.out, document)
}

// on returns the call as it is for one part of the application.
func (c *call) on(p ask.Part) *call {
	one := *c
	one.settings = p.Settings.Settings
	return &one
}

func unlessAttention(err error) error {
	if errors.Is(err, errAttention) {
		return nil
	}
	return err
}

// goOn asks whether to carry out the next stage.
func (c *call) goOn() bool {
	c.say("go on? [y/N]")
	return c.yes()
}

// yes reads an answer.
func (c *call) yes() bool {
	answer, err := bufio.NewReader(os.Stdin).ReadString('\n')
	if err != nil && !errors.Is(err, io.EOF) {
		return false
	}
	answer = strings.ToLower(strings.TrimSpace(answer))
	return answer == "y" || answer == "yes"
}
