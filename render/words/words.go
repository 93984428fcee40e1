// Package words puts facts into English, in one place: a sentence for each kind. Whoever finds something out says what it
// is and what it is about; how that reads is decided here, for text, Markdown, HTML, JSON and the comments of files alike.
package words

import (
	"fmt"
	"reflect"

	"molt/doc"
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
}

// Of returns the words of a fact. One of a kind that has none is a mistake of Molt's, and says so.
func Of(f doc.Fact) string {
	sentence, known := sentences[f.Kind]
	if !known {
		return fmt.Sprintf("(no words for %q %v)", f.Kind, f.Of)
	}
	of := make([]any, len(f.Of))
	for i, one := range f.Of {
		if fact, is := one.(doc.Fact); is {
			one = Of(fact)
		}
		of[i] = one
	}
	return fmt.Sprintf(sentence, of...)
}

// Fill puts the words of all facts into a document, which is given by its address.
func Fill(document any) { fill(reflect.ValueOf(document)) }

var sentence = reflect.TypeFor[doc.Sentence]()

func fill(v reflect.Value) {
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
