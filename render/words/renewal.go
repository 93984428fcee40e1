package words

import "molt/doc"

// ofRenewals are the words for what becomes of a plan that is made anew.
var ofRenewals = table{
	doc.DroppedStage:   "without stage %s",
	doc.DroppedMoves:   "stage %s without %s",
	doc.BroughtMove:    "stage %s moves %s too",
	doc.WrittenRelease: "%s at %s in stage %s",
	doc.OwnStage:       "stage %s of your own",
	doc.OwnOrder:       "the order of the stages",
	doc.StageNote:      "the note on stage %s",
	doc.StageTitle:     "the title of stage %s",
	doc.PackageNote:    "the note on %s",
	doc.NoLongerHolds:  "%s: %s",
	doc.Dropping:       "what was dropped of %s",
	doc.Bringing:       "what was brought forward",
	doc.Splitting:      "what was split",
	doc.Writing:        "what was written into %s",
	doc.Ordering:       "the order",
	doc.OtherLock:      "%s is not the one that the plan went on from",
	doc.PublishedSince: "%s %s was published on %s",
	doc.RegistryLess:   "the registry no longer has of the declared packages what it had on %s",
	doc.StageNew:       "stage %s is new: %s",
	doc.StageGone:      "stage %s is gone",
	doc.NowOutOfReach:  "the goal is out of reach now",
	doc.NowInReach:     "the goal can be reached now",
	doc.MovesToo:       "stage %s moves %s too, to %s",
	doc.MovesElsewhere: "stage %s moves %s to %s, not to %s",
	doc.MovesNoLonger:  "stage %s no longer moves %s",
}
