package ask

import (
	"context"
	"time"

	"molt/app/layout"
	"molt/app/open"
	"molt/doc"
)

// Install lays out what the lock of an application says.
func Install(ctx context.Context, a *open.View, order layout.InstallOrder) (doc.Install, error) {
	began := time.Now()
	r, err := layout.Install(ctx, a, order)
	if err != nil {
		return doc.Install{}, err
	}
	into := order.Into
	if r.Back != "" {
		into = r.Back
	}
	if into == "" {
		into = a.Dir
	}
	d := doc.Install{Schema: "molt/install/1", DryRun: order.Dry, Into: into, Folders: r.Places, Untouched: r.Untouched,
		Added: list(r.Added), Moved: []doc.Moved{}, Removed: list(r.Removed), Mended: list(r.Mended), Edited: list(r.Edited),
		Left:    list(r.Left),
		LeftOut: list(r.LeftOut), Unbuilt: []doc.Unbuilt{}, Built: list(r.Built), Claimed: list(r.Claimed), Odd: list(r.Odd),
		Archives: r.Fetched, Bytes: r.Bytes, Files: r.Linked}
	for _, m := range r.Moved {
		d.Moved = append(d.Moved, doc.Moved(m))
	}
	for _, u := range r.Unbuilt {
		d.Unbuilt = append(d.Unbuilt, doc.Unbuilt(u))
	}
	if a.Lock != nil {
		d.Outside = open.Outside(a, a.Lock)
	}
	if d.Copied = r.Copied; !order.Dry {
		d.Current, d.Former = order.Current, r.Former
	}
	d.Seconds = time.Since(began).Seconds()
	return d, nil
}

// list returns a list that JSON writes as one, where it is empty too.
func list(all []string) []string {
	if all == nil {
		return []string{}
	}
	return all
}
