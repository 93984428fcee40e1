package doc

// A Document is an answer of Molt's. What needs attention gives exit code 1.
type Document interface{ NeedsAttention() bool }

// NeedsAttention reports whether the goal is out of reach.
func (d Assess) NeedsAttention() bool { return !d.Reachable }

// NeedsAttention reports whether the goal is out of reach.
func (d Plan) NeedsAttention() bool { return !d.Reachable }

// NeedsAttention reports whether something excludes something.
func (d Untangle) NeedsAttention() bool { return !d.Resolves }

// NeedsAttention reports whether a declared package is unknown, or its constraint admits nothing.
func (d Survey) NeedsAttention() bool { return d.Amiss }

// NeedsAttention reports whether no release fits.
func (d Fit) NeedsAttention() bool {
	for _, r := range d.Releases {
		if r.Fits {
			return false
		}
	}
	return true
}

// NeedsAttention reports whether no published release is admitted.
func (d Range) NeedsAttention() bool { return d.Of != "" && len(d.Admits) == 0 }

// NeedsAttention reports whether something disagrees.
func (d Verify) NeedsAttention() bool { return !d.Agrees }

// NeedsAttention reports whether something still uses what was dropped.
func (d Change) NeedsAttention() bool { return len(d.Uses) > 0 }

// NeedsAttention reports whether the stage failed, waits for people, or was not checked.
func (d Step) NeedsAttention() bool { return !d.Passed || d.Unchecked != "" }

// NeedsAttention reports whether a check fails that passed before, or was not run.
func (d TrialRun) NeedsAttention() bool { return !d.Passed || d.Unchecked != "" }

// NeedsAttention is false: it was only asked.
func (d Trace) NeedsAttention() bool { return false }

// NeedsAttention is false: it was only asked.
func (d Dossier) NeedsAttention() bool { return false }

// NeedsAttention is false: states may differ.
func (d Compare) NeedsAttention() bool { return false }

// NeedsAttention reports whether something of the manifest could not be locked.
func (d Lock) NeedsAttention() bool { return len(d.Outside) > 0 }

// NeedsAttention is false: it was done.
func (d Taken) NeedsAttention() bool { return false }

// NeedsAttention is false: it was done.
func (d Hold) NeedsAttention() bool { return false }

// NeedsAttention is false: it was done.
func (d Back) NeedsAttention() bool { return false }

// NeedsAttention is false: it was done.
func (d OwnVersion) NeedsAttention() bool { return false }

// NeedsAttention is true where facts were left out.
func (d Guides) NeedsAttention() bool {
	for _, f := range d.Files {
		if len(f.Warnings) > 0 {
			return true
		}
	}
	return false
}
