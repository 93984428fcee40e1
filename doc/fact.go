package doc

import (
	"strings"

	"molt/core/fact"
)

// A Sentence is a fact in a document. Its words come in before the document is shown or written (words.Fill), and are
// what JSON and YAML have.
type Sentence struct {
	Fact  fact.Fact
	Words string
}

// SentenceOf returns the sentence of a fact, which has no words yet.
func SentenceOf(f fact.Fact) Sentence { return Sentence{Fact: f} }

// Said is SentenceOf for a fact of a kind, which is about some things.
func Said(kind fact.Kind, of ...any) Sentence { return SentenceOf(fact.New(kind, of...)) }

// Sentences returns the sentences of some facts.
func Sentences(all []fact.Fact) (sentences []Sentence) {
	for _, f := range all {
		sentences = append(sentences, SentenceOf(f))
	}
	return sentences
}

// InWords returns a sentence of which the words alone are known.
func InWords(text string) Sentence { return Sentence{fact.Quote(text), text} }

// IsZero reports whether nothing is said.
func (s Sentence) IsZero() bool { return s.Fact.None() && s.Words == "" }

// String returns the words, and the fact of a sentence that has none yet.
func (s Sentence) String() string {
	if s.Words == "" {
		return s.Fact.String()
	}
	return s.Words
}

// MarshalText writes the words, for JSON and YAML.
func (s Sentence) MarshalText() ([]byte, error) { return []byte(s.Words), nil }

// UnmarshalText reads words.
func (s *Sentence) UnmarshalText(text []byte) error {
	*s = InWords(string(text))
	return nil
}

// UnmarshalYAML reads words; what is no text is an error with its place.
func (s *Sentence) UnmarshalYAML(read func(any) error) error {
	var text string
	err := read(&text)
	*s = InWords(text)
	return err
}

// A Call is a call of Molt that leads on. It is shown as one types it.
type Call struct {
	Command string
	Args    []string
}

// String writes the call as one types it.
func (c Call) String() string {
	return strings.Join(append([]string{"molt", c.Command}, c.Args...), " ")
}

// MarshalText writes the call as one types it, for JSON.
func (c Call) MarshalText() ([]byte, error) { return []byte(c.String()), nil }

// UnmarshalText reads a call.
func (c *Call) UnmarshalText(text []byte) error {
	words := strings.Fields(strings.TrimPrefix(string(text), "molt "))
	if len(words) > 0 {
		c.Command, c.Args = words[0], words[1:]
	}
	return nil
}
