package inspect

import "molt/core/fact"

// Why a constraint had better be another. All but the first two are about the constraint, the newest release that
// resolves with the rest, and where the third is given, the release that is locked.
const (
	KeepsToNewest   fact.Kind = "admits all, keeps to newest" // the constraint, the release to keep to
	KeepsToLocked   fact.Kind = "admits all, keeps to locked" // the constraint, the release to keep to
	RefusesFitting  fact.Kind = "refuses what fits"
	RefusesBreaking fact.Kind = "refuses a breaking move"
	RefusesNewest   fact.Kind = "refuses the newest"
)
