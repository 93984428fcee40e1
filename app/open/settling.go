package open

import (
	"context"
	"errors"
	"slices"
	"time"

	"molt/core/universe"
)

// An Unsettled is a package of which newer releases wait until they have settled.
type Unsettled struct {
	Name, Newest string
	Releases     int       // how many wait
	Until        time.Time // when the newest of them has settled
}

// Settling returns the packages of which newer releases wait, in the order of their names; none where nothing has to settle.
func (a *App) Settling(ctx context.Context, names []string) (all []Unsettled, err error) {
	age, err := a.Config.SettleAge()
	if err != nil || age == 0 || a.Unsettled == nil {
		return nil, err
	}
	limit := a.Now().Add(-age)
	locked := map[string][]string{}
	if a.Lock != nil {
		locked = a.Lock.Resolution().Versions()
	}
	for i, name := range names {
		if slices.Contains(names[:i], name) {
			continue
		}
		p, err := universe.WithDates(ctx, a.Unsettled, name)
		var unknown *universe.UnknownError
		if errors.As(err, &unknown) {
			continue
		}
		if err != nil {
			return nil, err
		}
		one := Unsettled{Name: name}
		for i := range p.Len() {
			r := p.About(i)
			if !r.Version.Prerelease() && !p.Withdrawn(i) && r.Published.After(limit) && !slices.Contains(locked[name], r.Version.String()) {
				one.Releases++
				one.Newest, one.Until = r.Version.String(), r.Published.Add(age)
			}
		}
		if one.Releases > 0 {
			all = append(all, one)
		}
	}
	return all, nil
}
