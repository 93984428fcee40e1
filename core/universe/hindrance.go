package universe

import "strings"

// A release that cannot be used, for a reason that only shows when it is looked at, says so by a demand that nothing serves: a hindrance. Its name
// is a sentence about the release, behind a mark that no package's name begins with.

const hindrance = "! "

// Hindrance returns the demand of a release that cannot be used. What it says is what follows the release's name in a sentence: "has no archive".
func Hindrance(says string) Demand { return Demand{As: hindrance + says, Package: hindrance + says} }

// Hinders returns what a hindrance says, by the name that it demands.
func Hinders(name string) (says string, ok bool) { return strings.CutPrefix(name, hindrance) }
