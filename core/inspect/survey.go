// Package inspect answers questions about an application as it stands: how every declared package
// stands (Survey), why a package is there (TraceLocked), which releases of a package fit (Fits), in
// what two states differ (Compare), and what a change log says.
package inspect

import (
	"context"
	"errors"
	"slices"
	"time"

	"molt/core/conflict"
	"molt/core/fact"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/universe"
	"molt/core/version"
)

// A Row tells how one declared package stands.
type Row struct {
	Name     string
	Group    string
	Declared string // the constraint
	Locked   string // "" when nothing is locked
	// the newest release that the constraint admits and that resolves with the rest, "" when it admits none
	Best     string
	Excluded *Exclusion // a newer one that the constraint admits, and that does not resolve; nil for none
	// the newest release that is neither a prerelease nor deprecated, and not older than the locked one
	Newest   string
	Jump     version.Jump // from locked to newest
	Releases int          // stable releases between locked and newest, newest included
	Behind   time.Duration
	Flags    []Flag
	Optional bool     // it need not be there
	Member   string   // of a workspace, its folder; "" for the application itself
	Since    []string // stable releases published after the time that was asked about, ascending
}

// An Exclusion is a release that is not to be had, and why.
type Exclusion struct {
	Release string
	Why     fact.Fact
}

// A Flag points out what is unusual about a package.
type Flag string

// The flags of a survey.
const (
	Deprecated   Flag = "deprecated"          // the locked release is
	Retiring     Flag = "retiring"            // the newest release is deprecated: renamed, swallowed or abandoned
	BelowTag     Flag = "tag below"           // the registry's tag for the current release points below the locked one
	Preview      Flag = "preview"             // the locked release is a prerelease
	NotLocked    Flag = "not locked"          // there is no lock, or it lacks the package
	Outside      Flag = "not from registry"   // an address or a path
	Unknown      Flag = "unknown to registry" // the registry has no such package
	Unsatisfied  Flag = "admits none"         // no published release fits the constraint
	OutsideRange Flag = "lock off range"      // the locked release does not fit the constraint
	Held         Flag = "held"                // people keep it back
	Differs      Flag = "installed differs"   // what is installed is not what is locked
	OtherWords   Flag = "declared otherwise"  // another member of the workspace asks for it in other words
)

// Survey tells how every declared package stands, in the order of the manifest. Without a lock the versions are those
// that are installed, and without that, those of a resolution; the rows are flagged NotLocked. Only where the lock is
// that of the manifest as it stands are newer releases tried; where that fails, the rows come with an *UntriedError.
func Survey(ctx context.Context, source universe.Source, app project.Application) ([]Row, error) {
	var rows []Row
	for _, d := range app.Declared {
		if project.Registered(d) {
			source.Hint(d.Package)
		}
	}
	base := app.Locked
	if base == nil && app.Installed == nil {
		var err error
		if base, err = project.Baseline(ctx, source, app); err != nil && solve.AsTangle(err) == nil {
			return nil, err
		}
	}
	for _, d := range app.Declared {
		row := Row{Name: d.As, Group: d.Group, Declared: d.Text, Locked: project.VersionOf(base, d.As), Optional: d.Optional}
		installed := app.Installed[d.As]
		if app.Locked == nil && installed != "" {
			row.Locked = installed
		}
		if app.Locked == nil || row.Locked == "" && project.Registered(d) {
			row.Flags = append(row.Flags, NotLocked)
		}
		if installed != "" && installed != row.Locked && !otherFork(base, d.Package, installed) {
			row.Flags = append(row.Flags, Differs)
		}
		if slices.Contains(app.Held, d.As) {
			row.Flags = append(row.Flags, Held)
		}
		if !project.Registered(d) {
			row.Flags = []Flag{Outside}
			rows = append(rows, row)
			continue
		}
		p, err := source.Package(ctx, d.Package)
		var unknown *universe.UnknownError
		switch {
		case errors.As(err, &unknown):
			row.Flags = append(row.Flags, Unknown)
		case err != nil:
			return nil, err
		default:
			row.describe(p, app)
		}
		rows = append(rows, row)
	}
	if !app.Current() || app.Edgeless {
		return rows, nil
	}
	err := resolvable(ctx, source, app, rows)
	if err != nil && ctx.Err() == nil {
		err = &UntriedError{err}
	}
	return rows, err
}

// An UntriedError says why it is not known whether what is in range resolves. The rows are there,
// by what the constraints admit.
type UntriedError struct{ Err error }

func (e *UntriedError) Error() string {
	return "whether the newest releases in range resolve is not known: " + e.Err.Error()
}

// Unwrap returns the cause.
func (e *UntriedError) Unwrap() error { return e.Err }

// resolvable lowers the best release of each row to one that resolves with the rest of the
// application, and says what excludes the newer one.
func resolvable(ctx context.Context, source universe.Source, app project.Application, rows []Row) error {
	newer := map[string]string{}
	for _, row := range rows {
		if row.Best != "" && row.Locked != "" && row.Best != row.Locked {
			newer[row.Name] = row.Best
		}
	}
	if len(newer) == 0 {
		return nil
	}
	if all, err := conflict.Together(ctx, source, app, newer); err != nil || all { // it nearly always does
		return err
	}
	for i := range rows {
		row := &rows[i]
		if newer[row.Name] == "" {
			continue
		}
		p, err := source.Package(ctx, app.Declared[i].Package)
		if err != nil {
			return err
		}
		q, err := conflict.NewReasons(ctx, source, app, row.Name, p)
		if err != nil {
			return err
		}
		newest, at := p.Index(row.Best), p.Index(row.Locked)
		o, err := q.Why(newest)
		if err != nil {
			return err
		}
		if o == nil || o.Apart || newest < at {
			continue
		}
		row.Excluded = &Exclusion{o.Release, o.Says}
		admitted, _ := p.Admit(row.Declared)
		var among []int
		for i := at; i < newest; i++ {
			if admitted.Has(i) && (i == at || !p.Version(i).Prerelease() && !p.Deprecated(i) && !p.Withdrawn(i)) {
				among = append(among, i)
			}
		}
		best, err := q.Newest(among)
		if err != nil {
			return err
		}
		if best >= 0 {
			row.Best = p.Version(best).String()
		}
	}
	return nil
}

// otherFork reports whether a version is locked for a package in other environments than the ones
// that a fork of it is for.
func otherFork(locked *solve.Resolution, fork, release string) bool {
	return locked != nil && slices.ContainsFunc(locked.Packages, func(n solve.Node) bool {
		return n.Version == release && n.Name != fork && universe.Plain(n.Name) == universe.Plain(fork)
	})
}

// published notes the stable releases of a row that were published after a time.
func (row *Row) published(p *universe.Package, since time.Time) {
	for i := range p.Len() {
		if r := p.About(i); !r.Version.Prerelease() && r.Deprecated == "" && !p.Withdrawn(i) && r.Published.After(since) {
			row.Since = append(row.Since, r.Version.String())
		}
	}
}

func (row *Row) describe(p *universe.Package, app project.Application) {
	if !app.Since.IsZero() {
		row.published(p, app.Since)
	}
	admitted, _ := p.Admit(row.Declared)
	if best := universe.BestOf(p, admitted); best >= 0 {
		row.Best = p.Version(best).String()
	} else {
		row.Flags = append(row.Flags, Unsatisfied)
	}
	locked := p.Index(row.Locked)
	newest := p.Newest()
	if newest == nil {
		return
	}
	row.Newest = newest.Version.String()
	if last := universe.NewestStable(p); last != nil && last.Deprecated != "" {
		row.Flags = append(row.Flags, Retiring)
	}
	if locked < 0 {
		return
	}
	here := p.About(locked)
	if here.Version.Compare(newest.Version) > 0 { // a preview, or a deprecated one: nothing newer is to be had
		newest, row.Newest = here, row.Locked
	}
	row.Jump = app.JumpOf(row.Name, here.Version, newest.Version)
	for i := locked + 1; i < p.Len(); i++ {
		if r := p.About(i); !r.Version.Prerelease() && !p.Withdrawn(i) && r.Version.Compare(newest.Version) <= 0 {
			row.Releases++
		}
	}
	if row.Releases > 0 && !here.Published.IsZero() && newest.Published.After(here.Published) {
		row.Behind = newest.Published.Sub(here.Published)
	}
	if here.Deprecated != "" && !slices.Contains(row.Flags, Retiring) {
		row.Flags = append(row.Flags, Deprecated)
	}
	if here.Version.Prerelease() {
		row.Flags = append(row.Flags, Preview)
	}
	if i := p.Index(p.Current); i >= 0 && i < locked {
		row.Flags = append(row.Flags, BelowTag)
	}
	if !admitted.Has(locked) {
		row.Flags = append(row.Flags, OutsideRange)
	}
}
