package layout

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"time"

	"molt/app/config"
	"molt/app/open"
	"molt/app/run"
	"molt/ecosystem"
	"molt/input"
	"molt/txn"
)

// commandLimit is how long such a command may take.
const commandLimit = "30m"

// installByCommand has the command install a lock in a folder, from a relay that has nothing but
// that lock. What was installed is set aside before, as part of a change; what is installed then
// must be what the lock says.
func (a *Site) installByCommand(ctx context.Context, files *txn.Workspace, lock *ecosystem.Lock,
	within *txn.Transaction) (err error) {
	server, can := a.Eco.(ecosystem.Server)
	if !can {
		return &input.UsageError{Reason: "there is no relay for registries of " + a.Eco.Name()}
	}
	packages, err := locked(a.View, a.archives, lock)
	if err != nil {
		return err
	}
	l, err := (&net.ListenConfig{}).Listen(ctx, "tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	web := &http.Server{Handler: server.Relay(packages, nil), ReadHeaderTimeout: 10 * time.Second}
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		_ = web.Serve(l) // it ends when it is closed
	}()
	defer func() {
		_ = web.Close()
		<-ended
	}()
	modules := ecosystem.InstallFolder(a.Eco)
	if within == nil && files.Exists(modules) { // then it is a change of its own
		if within, err = files.Begin("installing", "install"); err != nil {
			return err
		}
		defer func() {
			if err == nil {
				err = within.Commit()
			} else {
				err = errors.Join(err, within.Undo())
			}
		}()
	}
	if within != nil {
		if err := within.RemoveFolder(modules); err != nil {
			return err
		}
	}
	command := config.Check{Name: "install", Run: a.Config.Install.By, Limit: commandLimit,
		Env: map[string]string{"MOLT_RELAY": "http://" + l.Addr().String()}}
	v, err := open.BareRunner(a.View, files).One(
		ctx, run.Job{Check: command, Kind: run.InstallJob, Dir: files.Dir, Stage: "install"}, nil)
	if err != nil {
		return err
	}
	if !v.Passed {
		return fmt.Errorf("%q, which %s has for installing, failed: %s; whole output: %s", a.Config.Install.By, config.File,
			v.Says, v.Log)
	}
	installed, err := ecosystem.Installed(a.Eco, files.Dir)
	if err != nil {
		return err
	}
	if installed == nil {
		return fmt.Errorf("%q, which %s has for installing, installed nothing; whole output: %s", a.Config.Install.By,
			config.File, v.Log)
	}
	if found := differing(a.View, lock, installed); len(found) > 0 {
		return fmt.Errorf("%q, which %s has for installing, did not install what the lock says: %s", a.Config.Install.By,
			config.File, a.Say(found[0].Says))
	}
	return nil
}
