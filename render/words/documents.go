package words

import "molt/doc"

// ofDocuments are the words of what documents say by themselves.
var ofDocuments = table{
	doc.TicksOff:        "ticks off %s, when people have done it",
	doc.TicksIt:         "ticks it off, when it is done",
	doc.CarriesOut:      "carries out %s, the next stage of %s",
	doc.CarriesOutNext:  "carries out the next stage in the application itself",
	doc.CarriesOutUntil: "carries out %s, which passes; mend the application before %s",
	doc.CarriesOutAgain: "carries it out, and when it fails finds out which change it is",
	doc.WritesLock:      "writes %s from the manifest",
	doc.RenewsLock:      "makes the lock anew from the manifest",
	doc.LocksWay:        "makes the lock with that",
	doc.SaysWhatMeans:   "says what %s means for every package",
	doc.SaysWhatNewest:  "says what its newest major means for every package",
	doc.CutsStages:      "cuts the way there into stages",
	doc.PlansAsFar:      "plans as far as it goes today",
	doc.WritesThis:      "writes this to %s",
	doc.TriesStage:      "tries %s in a copy; molt step carries it out",
	doc.TriesEach:       "tries the stages one after the other, and shows which of them fails",
	doc.FindsCulprit:    "finds out which of its %d changes it is",
	doc.GoesOn:          "goes on; molt back returns to before this stage",
	doc.GoesOnWith:      "goes on with %s; molt back returns to before this stage",
	doc.LaysOut:         "lays out what the lock says",
	doc.MakesBranches:   "puts each of these on a branch of its own",
	doc.RenewsBranches:  "renews the branches, after one of them was merged",
	doc.ShowsStanding:   "shows where every declared package stands",
	doc.ShowsSettings:   "shows what counts, once %s says it",

	doc.Declares:     "%s declares %s, of which %d are behind, %d by a major",
	doc.DeclaresSome: "%s; no goal is named.",
	doc.StandsOn:     "%s; it stands on %s.",
	doc.ReachedIn:    "%s; %s can be reached in %s.",
	doc.Reached:      "%s; %s can be reached.",
	doc.OutAlone:     "%s; %s is out of reach today: it does not resolve even by itself.",
	doc.OutForMany:   "%s; %s is out of reach today: %s have no release that is compatible with it.",
	doc.OutForWant:   "%s; %s is out of reach today, for want of a compatible release of %s.",
	doc.OutOfReach:   "%s; %s is out of reach today.",

	doc.SketchReached: "%s is reached in %s, and %s after it",
	doc.SketchOut:     "%s is out of reach; %s can be done already",
	doc.SketchMoves:   "%s move, %d by a major; %s in the lock",
	doc.SketchStage:   "  %s: %s",

	doc.NoSuchPackage: "%s: the registry has no such package",
	doc.NothingFits:   "%s: no published release fits %s",
	doc.IsBehind:      "%s is at %s; the newest release is %s",
	doc.IsRetiring:    "%s is deprecated, renamed or abandoned",
	doc.RetiresAs:     "%s: %s",
	doc.MovesWith:     "%s moves to %s in the same stage as %s",
	doc.SaidBecause:   "%s: %s",

	doc.LogUnread: "The change log of %s could not be read: %s",
	doc.NoLog:     "The archive of %s carries no change log.",
	doc.LogSilent: "The change log of %s says nothing of the releases between.",

	doc.AdviceSource:   "%s (%s)",
	doc.WaitToSettle:   "waiting until releases have settled",
	doc.SplitOff:       "%s from %s, apart",
	doc.PeerUndeclared: "%s %s has %s %s as a peer, and nobody declares it: %s is added to the lock; %s declares it",

	doc.TakenAsDeployed: "%s %s is taken to be deployed, as %s; \"runtime:\" in %s says what is",
	doc.HoldStays:       "%s is held: %s; the hold stays, and plans leave it where this puts it",
	doc.PlanAside: "the plan before, with what people wrote into it, is now %s; %s makes a plan anew and keeps what they " +
		"decided",
	doc.AdmitsNewest: "it admits the newest release that resolves with the rest, and stops before the next major",
	doc.VersionMoves: "%s to %s",
}
