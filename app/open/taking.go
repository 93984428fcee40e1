package open

import (
	"molt/app/run"
	"molt/txn"
)

// Take takes the folder for changing it, so that no other Molt does the same, and repairs what a Molt left that was
// ended in the middle. It returns the application as it is then. The caller releases the folder.
func (a *View) Take() (used *View, release func(), err error) {
	if release, err = a.Files.Take(); err != nil {
		return nil, nil, err
	}
	if used, err = repaired(a); err != nil {
		release()
		return nil, nil, err
	}
	return used, release, nil
}

// repaired takes away the copies that a killed Molt left, and takes back the change that it had begun.
func repaired(a *View) (*View, error) {
	a.Runner().ClearCopies()
	says, err := a.Files.Repair(run.EndOrphans)
	if err != nil || says == "" {
		return a, err
	}
	after, err := a.Again()
	if err == nil {
		after.Repaired = says
	}
	return after, err
}

// Unfinished says that a Molt was ended in the middle of a change; "" when there is nothing to say,
// as while another Molt is at work. It changes nothing.
func Unfinished(a *View) string { return a.Files.Unfinished() }

// BeginSpan makes one of the changes that follow in a folder, of whichever ecosystems
// (Settings.Within). It repairs what a Molt left first, and says so.
func BeginSpan(s Settings, what string) (span *txn.Span, says string, err error) {
	a, err := openFolder(s)
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
