package app

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"molt/app/config"
	"molt/core/universe"
)

// mostSettling is how many packages are named of which newer releases wait.
const mostSettling = 5

// Settling says which newer releases of packages wait until they have settled, and until when; "" for none, and where nothing has to settle.
func (a *App) Settling(ctx context.Context, names []string) (string, error) {
	age, err := a.Config.SettleAge()
	if err != nil || age == 0 || a.unsettled == nil {
		return "", err
	}
	limit := a.now().Add(-age)
	locked := map[string][]string{}
	if a.Lock != nil {
		locked = a.Lock.Resolution().Versions()
	}
	var some []string
	packages, releases := 0, 0
	for i, name := range names {
		if slices.Contains(names[:i], name) {
			continue
		}
		p, err := universe.WithDates(ctx, a.unsettled, name)
		var unknown *universe.UnknownError
		if errors.As(err, &unknown) {
			continue
		}
		if err != nil {
			return "", err
		}
		waiting, newest := 0, -1
		for i := range p.Len() {
			r := p.About(i)
			if !r.Version.Prerelease() && !p.Withdrawn(i) && r.Published.After(limit) && !slices.Contains(locked[name], r.Version.String()) {
				waiting, newest = waiting+1, i
			}
		}
		if waiting == 0 {
			continue
		}
		packages, releases = packages+1, releases+waiting
		if len(some) < mostSettling {
			some = append(some, fmt.Sprintf("%s %s until %s", name, p.Version(newest), p.About(newest).Published.Add(age).Format(time.DateOnly)))
		}
	}
	if packages == 0 {
		return "", nil
	}
	if packages > len(some) {
		some = append(some, fmt.Sprintf("and of %d packages more", packages-len(some)))
	}
	says := "1 newer release waits"
	if releases > 1 {
		says = fmt.Sprintf("%d newer releases wait", releases)
	}
	return fmt.Sprintf("%s until \"settle: %s\" in %s is over: %s", says, a.Config.Settle, config.File, strings.Join(some, ", ")), nil
}
