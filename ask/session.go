package ask

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"

	"molt/app/config"
	"molt/app/locking"
	"molt/app/open"
	"molt/app/run"
	"molt/app/stages"
	"molt/doc"
	"molt/registry"
)

// Settings say how an application is opened.
type Settings struct {
	open.Settings
	// Say tells people something besides the answer. It must not be nil.
	Say func(format string, args ...any)
	// Watch may show how far the registries are, until what it returns is called; it may be nil.
	Watch func(progress func() registry.Progress) (still func())
}

// Needs say what a question needs of a session.
type Needs struct {
	Write    bool     // the folder is taken into use, for changing it
	Dated    bool     // publication times of the declared packages
	Also     []string // and of these
	Declared bool     // every declared package must be there
	Goals    []string // that it is about, for messages; without any, the ones that the application has
}

// A Session is an application with its registry, for the time of one question or of several. Its methods answer them.
//
// Laws:
//
//   - A method that only answers writes nothing, in the application's folder or outside of the cache. What a method is to
//     write is written whole or not at all, and only in a session that was opened with Needs.Write.
//   - A document is complete when it is returned: it refers to nothing that Close ends.
//   - After something was written, App is read again, so that the next question is about what is on disk.
//   - Methods of one session are called one after the other. Sessions of one folder that write exclude each other; the
//     second gets a *txn.BusyError.
//   - Close may be called more than once, and ends every goroutine that the session began.
type Session struct {
	// App is the application with its registries open. It is another one once
	// something was written, or advice was asked for.
	App *open.Question

	base  *open.Question // App without advice
	say   func(format string, args ...any)
	still func()
	ahead func() // waits for what was begun ahead
	ends  []func()
	goals []string // see Needs

	execution *stages.Execution // of the stages that the session carries out or tries; nil before the first
}

// Read opens an application without its registry, and changes nothing in it. What a Molt left that
// was ended in the middle of a change is only spoken of.
func Read(set Settings) (*open.View, error) {
	a, err := open.Open(set.Settings)
	if err != nil {
		return nil, err
	}
	if says := open.Unfinished(a); says != "" {
		set.Say("warning: %s", says)
	}
	warn(set, a)
	return a, nil
}

// OpenToChange opens an application without its registry and takes its folder for changing it, until what it
// returns is called. What a Molt left that was ended in the middle of a change is repaired first.
func OpenToChange(set Settings) (*open.View, func(), error) {
	a, err := open.Open(set.Settings)
	if err != nil {
		return nil, nil, err
	}
	a, release, err := a.Take()
	if err != nil {
		return nil, nil, err
	}
	if a.Repaired != "" {
		set.Say("repaired: %s", a.Repaired)
	}
	warn(set, a)
	return a, release, nil
}

func warn(set Settings, a *open.View) {
	for _, w := range open.Warnings(a) {
		set.Say("warning: %s", w)
	}
}

// Open opens an application with its registry. The caller closes the session.
func Open(ctx context.Context, set Settings, needs Needs) (*Session, error) {
	var a *open.View
	var ends []func()
	var err error
	if needs.Write {
		var release func()
		if a, release, err = OpenToChange(set); err == nil {
			ends = append(ends, release)
		}
	} else {
		a, err = Read(set)
	}
	if err != nil {
		return nil, err
	}
	return newSession(ctx, set, needs, a, ends)
}

// newSession opens the registry of an application.
func newSession(ctx context.Context, set Settings, needs Needs, a *open.View, ends []func()) (*Session, error) {
	s := &Session{say: set.Say, still: func() {}, ahead: func() {}, ends: ends, goals: needs.Goals}
	if err := s.open(ctx, set, needs, a); err != nil {
		if s.App != nil {
			err = s.Missing(ctx, err)
		}
		s.Close()
		return nil, err
	}
	return s, nil
}

func (s *Session) open(ctx context.Context, set Settings, needs Needs, a *open.View) error {
	var dated []string
	if needs.Dated {
		dated = append(a.DeclaredPackages(), needs.Also...)
	}
	if needs.Declared {
		with, says, err := a.WithArchives(ctx)
		for _, one := range says {
			s.say("warning: %s", one)
		}
		if err != nil {
			return err
		}
		a = with
	}
	q, err := a.Ask(ctx, dated)
	if err != nil {
		return err
	}
	s.App, s.base = q, q
	s.ends = append(s.ends, q.Close)
	if says := q.Withheld(); says != "" {
		s.say("warning: %s", says)
	}
	if set.Watch != nil {
		s.still = sync.OnceFunc(set.Watch(q.Progress))
		s.ends = append(s.ends, s.still)
	}
	if !needs.Declared {
		return nil
	}
	s.ahead = locking.Ahead(ctx, q)
	s.ends = append(s.ends, s.ahead)
	absent, err := locking.CheckDeclared(ctx, q)
	if err != nil {
		return err
	}
	if absent != nil {
		s.say("note: left out, as the registry has no such package and it need not be there: %s", strings.Join(absent, ", "))
	}
	if q, err = q.Without(ctx, absent); err == nil {
		q, err = q.Forked(ctx)
	}
	if err != nil {
		return err
	}
	s.App, s.base = q, q
	return nil
}

// Still ends what Watch began: from now on the answer is shown.
func (s *Session) Still() { s.still() }

// Close ends the session.
func (s *Session) Close() {
	for _, end := range slices.Backward(s.ends) {
		end()
	}
	s.ends = nil
}

// A TangleError is a tangle that a question met, explained, with its ways out.
type TangleError struct {
	Err    error
	Answer doc.Untangle
}

func (e *TangleError) Error() string { return e.Err.Error() }

// Unwrap returns the error that was explained.
func (e *TangleError) Unwrap() error { return e.Err }

// advice reads what upgrade guides say, and allows previews for this question.
func (s *Session) advice(ctx context.Context, previews []string) error {
	advised, warnings, err := s.base.Advised(ctx, s.names(previews))
	for _, w := range warnings {
		s.say("warning: %s", w)
	}
	if err == nil {
		s.App = advised
	}
	return err
}

// reread goes on with the application as it is on disk by now.
func (s *Session) reread(ctx context.Context) error {
	after, err := s.base.Again(ctx)
	if err == nil {
		s.App, s.base = after, after
	}
	return err
}

// executing is how stages are carried out or tried in this session.
func (s *Session) executing(watcher run.Watcher) *stages.Execution {
	if s.execution == nil {
		s.execution = stages.NewExecution(s.App, watcher)
	}
	s.execution.Watch = watcher
	return s.execution
}

// mostSettling is how many packages are named of which newer releases wait.
const mostSettling = 5

// settling tells people which newer releases wait until they have settled, and returns them;
// without names, of all that is declared.
func (s *Session) settling(ctx context.Context, names ...string) ([]doc.Settling, error) {
	if names == nil {
		names = s.App.DeclaredPackages()
	}
	all, err := s.App.Settling(ctx, names)
	if len(all) == 0 {
		return nil, err
	}
	var waiting []doc.Settling
	var some []string
	releases := 0
	for _, u := range all {
		waiting = append(waiting, doc.Settling{Name: u.Name, Newest: u.Newest, Releases: u.Releases, Until: day(u.Until)})
		releases += u.Releases
		if len(some) < mostSettling {
			some = append(some, fmt.Sprintf("%s %s until %s", u.Name, u.Newest, day(u.Until)))
		}
	}
	if n := len(all) - len(some); n > 0 {
		some = append(some, fmt.Sprintf("and of %d packages more", n))
	}
	says := "1 newer release waits"
	if releases > 1 {
		says = fmt.Sprintf("%d newer releases wait", releases)
	}
	s.say("note: %s until \"settle: %s\" in %s is over: %s", says, s.App.Config.Settle, config.File,
		strings.Join(some, ", "))
	return waiting, nil
}

// name returns the canonical form of a name that people wrote.
func (s *Session) name(written string) string { return s.App.Canonical(written) }

// names is name for several.
func (s *Session) names(written []string) []string {
	var all []string
	for _, name := range written {
		all = append(all, s.name(name))
	}
	return all
}

// keeping says whether, why and until when a package is held.
func (s *Session) keeping(name string) doc.Keeping {
	if !slices.Contains(s.App.Application().Held, name) {
		return doc.Keeping{}
	}
	hold := s.App.Config.Hold[name]
	return doc.Keeping{Held: true, Reason: hold.Reason, Until: hold.Until}
}

// Missing makes of an error about a document that is not at hand, while offline, one that names all
// that are missing; other errors stay what they are.
func (s *Session) Missing(ctx context.Context, err error) error {
	if !errors.Is(err, registry.ErrOffline) || ctx.Err() != nil {
		return err
	}
	names := s.App.DeclaredPackages()
	if s.App.Lock != nil {
		for _, p := range s.App.Lock.Packages {
			names = append(names, p.Name)
		}
	}
	for _, name := range names { // so that each was asked for
		_, _ = s.App.Source.Package(ctx, name)
	}
	s.ahead()
	missed := s.App.Missed()
	if len(missed) == 0 { // it is an archive, say
		return err
	}
	goals := s.goals
	if len(goals) == 0 {
		goals = []string{s.App.GoalText()}
	}
	return &MissingError{missed, strings.TrimSpace("molt fetch " + strings.Join(goals, " ")), err}
}
