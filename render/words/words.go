// Package words puts facts into English, in one place: a sentence for each kind. Whoever finds something out says what it
// is and what it is about; how that reads is decided here, for text, Markdown, HTML, JSON, SARIF and the plan's file.
package words

import (
	"fmt"
	"maps"
	"reflect"
	"strings"
	"sync"

	"molt/core/fact"
	"molt/doc"
	"molt/render"
)

// A table is the words of each kind of fact, with %s or %d for what it is about, in that order.
type table map[fact.Kind]string

// sentences are the words of all kinds.
var sentences = merged(table{fact.Told: "%s"}, ofDocuments, ofProject, ofAssess, ofPlan, ofConflict, ofInspect, ofFindings,
	ofRenewals)

func merged(tables ...table) table {
	all := table{}
	for _, one := range tables {
		maps.Copy(all, one)
	}
	return all
}

// Of returns the words of a fact. One of a kind that has none is a mistake of Molt's, and says so.
func Of(f fact.Fact) string {
	if f.None() {
		return ""
	}
	of := make([]any, len(f.Of))
	var texts []string
	for i, one := range f.Of {
		switch a := one.(type) {
		case fact.Fact:
			text := Of(a)
			one, texts = text, append(texts, text)
		case fact.Counted:
			one = render.Count(a.N, a.Of)
		case []string:
			one = strings.Join(a, " and ")
		}
		of[i] = one
	}
	if joint := joints[f.Kind]; joint != "" {
		return strings.Join(texts, joint)
	}
	sentence, known := sentences[f.Kind]
	if !known {
		return fmt.Sprintf("(no words for %s)", f)
	}
	return fmt.Sprintf(sentence, of...)
}

// Each returns the words of several facts, a line each.
func Each(all []fact.Fact) (lines []string) {
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
			if s := v.Addr().Interface().(*doc.Sentence); !s.Fact.None() {
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
