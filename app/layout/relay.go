package layout

import (
	"context"
	"net/http"

	"molt/app/locking"
	"molt/app/open"
	"molt/core/universe"
	"molt/ecosystem"
	"molt/input"
	"molt/registry"
)

// Relay returns a registry of exactly the packages and releases of the lock, or of that of a stage
// that is to do, and how many packages it has. Archives are where the registry has them, or go
// through it, checked. The registry is open as long as the relay is.
func Relay(ctx context.Context, a *open.Question, stage string, through bool) (http.Handler, int, error) {
	server, can := a.Eco.(ecosystem.Server)
	if !can {
		return nil, 0, &input.UsageError{Reason: "there is no relay for registries of " + a.Eco.Name()}
	}
	lock, err := lockFor(a.View, nil)
	if err != nil {
		return nil, 0, err
	}
	if stage != "" {
		if lock, err = lockOf(ctx, a, stage); err != nil {
			return nil, 0, err
		}
	}
	packages, err := locked(a.View, a.Archives(), lock.Whole())
	if err != nil {
		return nil, 0, err
	}
	if !through {
		return server.Relay(packages, nil), len(packages), nil
	}
	return server.Relay(packages, func(ctx context.Context, p *universe.Package, r *universe.Release) ([]byte, error) {
		var into registry.Memory
		client, err := a.RegistryOf(p.Name)
		if err != nil {
			return nil, err
		}
		err = client.Download(ctx, r.File().Address, r.File().Integrity, &into)
		return into.Bytes(), err
	}), len(packages), nil
}

// lockOf solves the stages that are to do up to one, and returns the lock that they lead to.
func lockOf(ctx context.Context, a *open.Question, id string) (*ecosystem.Lock, error) {
	plan, err := a.ReadPlan()
	if err != nil {
		return nil, err
	}
	stages, err := plan.Until(id)
	if err != nil {
		return nil, err
	}
	w, err := locking.Walk(a)
	if err != nil {
		return nil, err
	}
	for i := range stages {
		if err := w.Stage(ctx, &stages[i]); err != nil {
			return nil, locking.AtStage(a.View, plan, &stages[i], err)
		}
	}
	return locking.NewLock(ctx, a, w.Locked, w.Manifest, a.Lock)
}
