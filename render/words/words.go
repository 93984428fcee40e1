// Package words puts facts into English, in one place: a sentence for each kind. Whoever finds something out says what it
// is and what it is about; how that reads is decided here, for text, Markdown, HTML, JSON and the comments of files alike.
package words

import (
	"fmt"
	"reflect"
	"strings"
	"sync"

	"molt/doc"
	"molt/render"
)

// sentences are the words of each kind of fact, with %s or %d for what it is about, in that order.
var sentences = map[doc.FactKind]string{
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

	doc.Told:          "%s",
	doc.NoSuchPackage: "%s: the registry has no such package",
	doc.NothingFits:   "%s: no published release fits %s",
	doc.IsBehind:      "%s is at %s; the newest release is %s",
	doc.IsRetiring:    "%s is deprecated, renamed or abandoned",
	doc.RetiresAs:     "%s: %s",
	doc.MovesWith:     "%s moves to %s in the same stage as %s",
	doc.RuntimeShort:  "%s needs %s %s, and %s is deployed",
	doc.SaidBecause:   "%s: %s",

	doc.LogUnread: "The change log of %s could not be read: %s",
	doc.NoLog:     "The archive of %s carries no change log.",
	doc.LogSilent: "The change log of %s says nothing of the releases between.",
}

// Of returns the words of a fact. One of a kind that has none is a mistake of Molt's, and says so.
func Of(f doc.Fact) string {
	sentence, known := sentences[f.Kind]
	if !known {
		return fmt.Sprintf("(no words for %q %v)", f.Kind, f.Of)
	}
	of := make([]any, len(f.Of))
	for i, one := range f.Of {
		switch a := one.(type) {
		case doc.Fact:
			one = Of(a)
		case doc.Counted:
			one = render.Count(a.N, a.Of)
		case []string:
			one = strings.Join(a, " and ")
		}
		of[i] = one
	}
	return fmt.Sprintf(sentence, of...)
}

// Each returns the words of several facts, a line each.
func Each(all []doc.Fact) (lines []string) {
	for _, f := range all {
		lines = append(lines, Of(f))
	}
	return lines
}

// Fill puts the words of all facts into a document, which is given by its address.
func Fill(document any) { fill(reflect.ValueOf(document)) }

var (
	sentence = reflect.TypeFor[doc.Sentence]()
	plain    sync.Map // by type, whether nothing in it can be a sentence
)

// holds reports whether a value of a type may hold a sentence. A type that holds itself, as a tree does, counts as one.
func holds(t reflect.Type) bool {
	if t == sentence || t.Kind() == reflect.Interface {
		return true
	}
	if known, there := plain.Load(t); there {
		return !known.(bool)
	}
	plain.Store(t, false)
	found := false
	switch t.Kind() {
	case reflect.Pointer, reflect.Slice:
		found = holds(t.Elem())
	case reflect.Struct:
		for i := range t.NumField() {
			found = found || t.Field(i).IsExported() && holds(t.Field(i).Type)
		}
	}
	plain.Store(t, !found)
	return found
}

func fill(v reflect.Value) {
	if !holds(v.Type()) { // documents may be long, and are mostly numbers and names
		return
	}
	switch v.Kind() {
	case reflect.Pointer, reflect.Interface:
		if !v.IsNil() {
			fill(v.Elem())
		}
	case reflect.Slice:
		for i := range v.Len() {
			fill(v.Index(i))
		}
	case reflect.Struct:
		if v.Type() == sentence {
			if s := v.Addr().Interface().(*doc.Sentence); s.Fact.Kind != "" {
				s.Words = Of(s.Fact)
			}
			return
		}
		for i := range v.NumField() {
			if v.Type().Field(i).IsExported() {
				fill(v.Field(i))
			}
		}
	}
}
