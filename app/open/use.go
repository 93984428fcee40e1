package open

import (
	"molt/app/run"
	"molt/txn"
)

// Use takes the folder for changing it, so that no other Molt does the same, and repairs what a Molt left that was
// ended in the middle. The caller releases it.
func (a *App) Use() (release func(), err error) {
	if release, err = a.Files.Take(); err != nil {
		return nil, err
	}
	if err := a.repair(); err != nil {
		release()
		return nil, err
	}
	return release, nil
}

// repair takes away the copies that a killed Molt left, and takes back the change that it had begun.
func (a *App) repair() error {
	a.Runner().ClearCopies()
	says, err := a.Files.Repair(run.EndOrphans)
	if err != nil || says == "" {
		return err
	}
	a.Repaired = says
	return a.Reread()
}

// Unfinished says that a Molt was ended in the middle of a change; "" when there is nothing to say, as while another Molt is
// at work. It changes nothing.
func (a *App) Unfinished() string { return a.Files.Unfinished() }

// BeginSpan makes one of the changes that follow in a folder, of whichever ecosystems (Settings.Within). It repairs what a Molt left first, and says so.
func BeginSpan(s Settings, what string) (span *txn.Span, says string, err error) {
	a, err := OpenFolder(s)
	if err != nil {
		return nil, "", err
	}
	release, err := a.Files.Take()
	if err != nil {
		return nil, "", err
	}
	defer release()
	if says, err = a.Files.Repair(run.EndOrphans); err != nil {
		return nil, "", err
	}
	span, err = a.Files.BeginSpan(what)
	return span, says, err
}
