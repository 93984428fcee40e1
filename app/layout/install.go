// Package layout puts on disk what a lock says, and nothing else: the packages of an application, a
// release of it elsewhere, a registry for other installers, and whatever a later call without a
// network needs. Nothing in it asks for a newer release.
package layout

import (
	"context"
	"os"

	"molt/app/open"
	"molt/app/run"
	"molt/app/tree"
	"molt/txn"
)

// Install lays out what the lock says, and nothing else. The folder was taken for changing it
// (Use), unless it is for show or for another folder. A lock that does not fit the manifest is an
// *input.UsageError; other errors are those of tree.Tree. A link is switched when all the rest is
// done, in one move.
func Install(ctx context.Context, a *open.View, order InstallOrder) (*Installed, error) {
	if err := switchable(order.Current); err != nil {
		return nil, err
	}
	if order.Current != "" && order.Into == "" {
		return switchBack(order)
	}
	lock, err := lockFor(a, order.Groups)
	if err != nil {
		return nil, err
	}
	files := a.Files
	if order.Into != "" {
		empty, err := takes(a, order.Into, order.Force)
		if err != nil {
			return nil, err
		}
		if empty && order.Dry {
			if order.Into, err = os.MkdirTemp("", "molt-dry-"); err != nil {
				return nil, err
			}
			defer os.RemoveAll(order.Into)
		}
		if err := os.MkdirAll(order.Into, 0o755); err != nil {
			return nil, err
		}
		if files, err = txn.OpenWorkspace(order.Into, a.User); err != nil {
			return nil, err
		}
		if !order.Dry {
			release, err := files.Take()
			if err != nil {
				return nil, err
			}
			defer release()
			if _, err := files.Repair(run.EndOrphans); err != nil {
				return nil, err
			}
		}
	}
	done := &Installed{}
	from := a.Archives()
	defer from.Close()
	// The packages come first: where they are, a folder is known to be Molt's.
	if done.Report, err = layOut(ctx, from, files, lock,
		tree.LayoutOrder{Dry: order.Dry, Force: order.Force, Watch: order.Watch}); err != nil || order.Dry ||
		order.Into == "" {
		return done, err
	}
	if done.Copied, err = copySources(ctx, a, order.Into); err != nil || order.Current == "" {
		return done, err
	}
	done.Former, err = switchLink(order.Current, order.Into)
	return done, err
}
