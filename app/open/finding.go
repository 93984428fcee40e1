package open

import (
	"molt/core/fact"
	"molt/core/project"
	"molt/core/universe"
)

// Waived lists waivers as a lock has them; nil for none.
func Waived(all []project.Waiver) map[string]string {
	var texts map[string]string
	for _, w := range all {
		if texts == nil {
			texts = map[string]string{}
		}
		texts[w.Key()] = w.Reason
	}
	return texts
}

// Written lists overrides as a manifest has them; nil for none.
func Written(overrides []universe.Override) map[string]string {
	var all map[string]string
	for _, o := range overrides {
		if all == nil {
			all = map[string]string{}
		}
		all[o.Key()] = o.Written
	}
	return all
}

// A Finding is something on which manifest, lock and runtime disagree.
type Finding struct {
	About        string // one of doc.Abouts
	Says         fact.Fact
	File         string // of the application, "" for none in particular
	Line, Column int
}
