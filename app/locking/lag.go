package locking

import (
	"context"
	"time"

	"molt/app/ledger"
	"molt/app/open"
	"molt/core/inspect"
	"molt/core/version"
	"molt/ecosystem"
)

// A Past is what a record of the ledger made of the lock.
type Past struct {
	ledger.Record
	Before, After *ecosystem.Lock // nil where there was none
}

// ReadPast lists what was carried out that changed the lock of this side, the oldest first.
func ReadPast(ctx context.Context, a *open.View) ([]Past, error) {
	records, err := a.Ledger.History(ctx)
	if err != nil {
		return nil, err
	}
	var all []Past
	for _, r := range records {
		before, after, err := a.Ledger.Contents(r, a.LockFile())
		if err != nil {
			return nil, err
		}
		if before == nil && after == nil {
			continue
		}
		p := Past{Record: r}
		for _, side := range []struct {
			data []byte
			lock **ecosystem.Lock
		}{{before, &p.Before}, {after, &p.After}} {
			if side.data == nil {
				continue
			}
			if *side.lock, err = a.DecodeLock(a.LockFile(), side.data); err != nil {
				return nil, err
			}
		}
		all = append(all, p)
	}
	return all, nil
}

// Moved lists what differs in the lock.
func (p Past) Moved(scheme version.Scheme) []inspect.Difference {
	state := func(l *ecosystem.Lock) inspect.State {
		if l == nil {
			return inspect.State{}
		}
		return inspect.StateOf(l.Resolution())
	}
	return inspect.Compare(scheme, state(p.Before), state(p.After))
}

// A Lag is how far behind the declared packages of a lock are.
type Lag struct {
	At               time.Time
	Releases, Majors int
}

// LagOf measures a lock against what is published now: how many stable releases its declared
// packages have not taken, and how many of these packages are behind by a major. Packages that the
// registry does not have count for nothing.
func LagOf(ctx context.Context, a *open.Question, l *ecosystem.Lock, at time.Time) (Lag, error) {
	lag := Lag{At: at}
	for _, r := range l.Declarations() {
		n := l.Resolution().Node(r.To)
		if n == nil {
			continue
		}
		p, err := a.Source.Package(ctx, n.Name)
		if err != nil {
			if ctx.Err() != nil {
				return lag, ctx.Err()
			}
			continue
		}
		from := p.Index(n.Version)
		if from < 0 {
			continue
		}
		major := false
		for i := range p.Stable().All() {
			if i > from && p.About(i).Deprecated == "" && !p.Withdrawn(i) {
				lag.Releases++
				major = major || p.Scheme.Jump(p.Version(from), p.Version(i)) == version.Major
			}
		}
		if major {
			lag.Majors++
		}
	}
	return lag, nil
}
