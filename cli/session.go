package cli

import (
	"molt/app"
	"molt/core/universe"
)

// A session is an application with its registry, for the time of one command.
type session struct {
	*call
	a      *app.App
	source universe.Source
	still  func() // ends the progress, before the result is printed; may be called twice
}

// An occasion says what a command wants of a session.
type occasion struct {
	write   bool     // the folder is taken into use, for changing it
	dated   bool     // publication times of the declared packages are wanted
	also    []string // and of these packages
	checked bool     // the registry must have every declared package
}

// session opens the application and its registry, runs, and closes both.
func (c *call) session(o occasion, run func(*session) error) error {
	s := &session{call: c}
	var err error
	if o.write {
		var release func()
		if s.a, release, err = c.use(); err != nil {
			return err
		}
		defer release()
	} else if s.a, err = c.open(); err != nil {
		return err
	}
	var dated []string
	if o.dated {
		dated = append(s.a.DeclaredPackages(), o.also...)
	}
	source, closeSource, err := s.a.Source(c.ctx, dated)
	if err != nil {
		return err
	}
	defer closeSource()
	if says := s.a.Withheld(); says != "" {
		s.say("warning: %s", says)
	}
	s.source, s.still = c.watch(source)
	defer s.still()
	if o.checked {
		if err := s.a.CheckDeclared(c.ctx, s.source); err != nil {
			return err
		}
	}
	return run(s)
}
