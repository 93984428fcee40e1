package words

import "molt/doc"

// ofFindings are the words of what verify finds.
var ofFindings = table{
	doc.AtLine:          "%s:%d: %s",
	doc.LockMissing:     "there is no %s; molt relock writes one",
	doc.ForksUnnamed:    "it has several releases of %s, for environments or alternatives that molt.yaml does not name",
	doc.OtherChoices:    "it was made for other alternatives than molt.yaml names",
	doc.NotLocked:       "%s is not in the lock",
	doc.NotLockedSo:     "%s %s is not in the lock",
	doc.LockedForOther:  "%s asks for %s, the lock was made for %s",
	doc.LockedOffRange:  "%s asks for %s, and the lock has %s",
	doc.NoLongerAsked:   "%s is in the lock and no longer in %q",
	doc.OverrideAnew:    "%s: overrides has %s %s, and the lock was made without that",
	doc.OverrideGone:    "the lock was made with an override of %s, and %s has none",
	doc.WaiverGone:      "the lock was made with a waiver of %s (%s), which molt.yaml does not have in force",
	doc.MemberSince:     "the lock was made without the member %s of the workspace, %s",
	doc.MemberGone:      "the lock was made with the member %s of the workspace, which is no longer there",
	doc.OriginMoved:     "%s were locked from %s, and %s now has them from %s",
	doc.OriginMovedEnv:  "%s were locked from %s, and %s now has them from what a variable of the environment says",
	doc.PackagesOf:      "packages of %s",
	doc.PackagesLike:    "packages such as %s",
	doc.OriginStrange:   "%s is locked at %s, and packages of %s come from %s",
	doc.NotOfRegistry:   "%s does not come from a registry: it is neither locked nor laid out",
	doc.ChecksumDiffers: "%s: the lock has the checksum %s, and %s has %s; a published release does not change",
	doc.AnotherPlace:    "another place in it",
	doc.LastAnswer:      "the registry, when it was asked last,",
	doc.FrameworkTwice: "%s is the framework of a goal, of which the whole application shares one release, and the lock " +
		"has %s",
	doc.SelfContradicts: "the lock contradicts itself: %s",
	doc.BreaksRule:      "%s: %s",
	doc.WeakDigest:      "%s: the registry states SHA-1 alone, which no longer proves what an archive is",
	doc.GivenOtherwise:  "%s: %s gives %s %s",
	doc.OneUnjudged: "1 package is not judged by the rules about licences and age, such as %s: what the registry says of it " +
		"is not at hand; molt fetch --lock-only brings it",
	doc.SomeUnjudged: "%d packages are not judged by the rules about licences and age, such as %s: what the registry says " +
		"of them is not at hand; molt fetch --lock-only brings it",
	doc.PlaceAtFault:    "%s: %s",
	doc.NotInLock:       "%s is installed but not locked",
	doc.NorMorePackages: "so are %d more packages",
	doc.NotInstalled:    "%s %s is missing; %s needs it",
	doc.InstalledOther:  "%s: %s %s is installed, the lock has %s %s",
	doc.NotLaidOut:      "%s is missing: it comes from %s, and not from a registry, so Molt does not lay it out",
	doc.FileEdited:      "%s was edited: it is not as it was published; molt install --force takes the package as it was",
	doc.MoreFilesEdited: "so were %d more files",
	doc.RuntimeUnfit:    "%s %s %s; %s needs %s",
	doc.RuntimeUnfits:   "%s %s %s; %s need %s",
	doc.DeployedThere:   "is deployed%s",
	doc.RunsHere:        "runs here",
	doc.NamesAndMore:    "%s and %d more",
}
