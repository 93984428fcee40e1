package cli

import (
	"io"

	"molt/app/open"
	"molt/ask"
	"molt/doc"
	"molt/render/text"
	"molt/render/words"
)

// session opens the application and its registry, runs, and closes both.
func (c *call) session(needs ask.Needs, run func(*ask.Session) error) error {
	s, err := ask.Open(c.ctx, c.asking(), needs)
	if err != nil {
		return err
	}
	defer s.Close()
	return s.Missing(c.ctx, run(s))
}

// asking is how questions are asked in this call.
func (c *call) asking() ask.Settings {
	return ask.Settings{Settings: c.settings, Say: c.say, Watch: c.watch}
}

// open reads the application, and changes nothing in it.
func (c *call) open() (*open.View, error) { return ask.Read(c.asking()) }

// use reads the application and takes its folder for changing it.
func (c *call) use() (*open.View, func(), error) { return ask.OpenToChange(c.asking()) }

// A form is a way to write a document in one format.
type form[D any] struct {
	format string
	write  func(io.Writer, D) error
}

// answer shows what a question came to, as JSON or as text, and asks for attention when the
// document does. The question's own error ends it. Further forms are for formats of their own.
func answer[D doc.Document](c *call, s *ask.Session, d D, err error, print func(*text.Page, D),
	more ...form[D]) error {
	if err != nil {
		return err
	}
	if s != nil {
		s.Still()
	}
	words.Fill(&d)
	show := func() error { return c.show(d, func(p *text.Page) { print(p, d) }) }
	for _, f := range more {
		if f.format == c.format {
			show = func() error { return f.write(c.out, d) }
		}
	}
	if err := show(); err != nil {
		return err
	}
	if d.NeedsAttention() {
		return errAttention
	}
	return nil
}

// change shows a change of the manifest that was rehearsed, and carries it out unless it is for show.
func (c *call) change(s *ask.Session, p *ask.Pending, err error, dry bool) error {
	if err != nil {
		return err
	}
	s.Still()
	words.Fill(&p.Answer)
	if c.format == "text" { // people see what is coming before it comes
		c.page().Change(p.Answer)
	}
	if !dry {
		if err := p.Write(c.ctx); err != nil {
			return err
		}
	}
	return answer(c, s, p.Answer, nil, (*text.Page).Changed)
}
