package open

import (
	"fmt"
	"os"
	"regexp"
	"slices"
	"strings"

	"molt/app/config"
	"molt/ecosystem"
	"molt/ecosystem/registered"
	"molt/input"
)

// findLock returns that name: what the configuration says, else the usual one, unless the folder
// has one alone of another name that a lock may have.
func findLock(a *View) (string, error) {
	usual := ecosystem.LockFile(a.Eco)
	namer, ok := a.Eco.(ecosystem.LockNamer)
	if name := a.Config.Lock; name != "" {
		if slices.ContainsFunc(a.OtherSides(), func(s Side) bool {
			n, ok := s.Ecosystem.(ecosystem.LockNamer)
			return ok && n.IsLock(name)
		}) {
			return usual, nil
		}
		if name != usual && (!ok || !namer.IsLock(name)) {
			return "", a.Config.Place.At(false,
				fmt.Sprintf("%q: no lock of %s has such a name; the usual one is %s", name, a.Eco.Name(), usual), "lock")
		}
		return name, nil
	}
	if !ok || a.Files.Exists(usual) {
		return usual, nil
	}
	entries, err := os.ReadDir(a.Dir)
	if err != nil {
		return "", err
	}
	var names []string
	for _, e := range entries {
		if namer.IsLock(e.Name()) {
			names = append(names, e.Name())
		}
	}
	switch len(names) {
	case 0:
		return usual, nil
	case 1:
		return names[0], nil
	}
	return "", &input.UsageError{Reason: fmt.Sprintf(
		"%s are locks, and nothing says which is the application's: \"lock: %s\" in %s would", strings.Join(names, ", "),
		names[0], config.File)}
}

// A lockReading is the lock as it is being read, while something else is.
type lockReading struct {
	done   chan struct{}
	unread error // why the file cannot be read
	lock   *ecosystem.Lock
	err    error // what is wrong in it
}

// readLock begins to read the lock, which takes as long as reading the manifest does.
func readLock(a *View) *lockReading {
	r := &lockReading{done: make(chan struct{})}
	go func() {
		defer close(r.done)
		var data []byte
		if data, r.unread = a.Files.Read(a.LockFile(), input.Lock); r.unread == nil {
			r.lock, r.err = ecosystem.DecodeLock(a.Eco, a.LockFile(), data)
		}
	}()
	return r
}

// bind leads the declarations to the packages of a lock that does not tell that itself.
func bind(a *View, l *ecosystem.Lock) {
	l.Bind(a.Manifest.Entries(), func(when, only string) bool {
		c, ok := a.Eco.(ecosystem.Conditional)
		return !ok || when == "" || slices.ContainsFunc(a.Environments(), func(e ecosystem.Environment) bool {
			return c.Holds(when, []ecosystem.Environment{e}) && c.Holds(only, []ecosystem.Environment{e})
		})
	})
}

// lockLike is what files are called that have the lock of some program.
var lockLike = regexp.MustCompile(`(?i)(^|[-._])lock([-._]|$)|\.lockb?$`)

// otherLock returns the name of a file in the folder that looks like another program's lock; "" for none.
func otherLock(a *View) string {
	entries, err := os.ReadDir(a.Dir)
	if err != nil {
		return ""
	}
	for _, e := range entries {
		if e.Type().IsRegular() && e.Name() != a.LockFile() && lockLike.MatchString(e.Name()) &&
			!slices.ContainsFunc(registered.Ecosystems, func(x ecosystem.Ecosystem) bool { return ecosystem.LockFile(x) == e.Name() }) {
			return e.Name()
		}
	}
	return ""
}

// DecodeLock reads a lock of the application, as it is or was.
func (a *View) DecodeLock(file string, data []byte) (*ecosystem.Lock, error) {
	l, err := ecosystem.DecodeLock(a.Eco, file, data)
	if err == nil {
		bind(a, l)
	}
	return l, err
}

func (r *lockReading) wait() { <-r.done }
