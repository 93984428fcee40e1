package doc

import (
	"encoding/json"
	"strings"
)

// A Fact is something that was found out, as a value: its kind, and what it is about, in the order that the kind has. A
// text for people is made of it in one place, render/words, which has a sentence for each kind.
type Fact struct {
	Kind FactKind
	Of   []any // names, texts, numbers and facts
}

// Said returns the sentence of a fact, which has no words yet.
func Said(kind FactKind, of ...any) Sentence { return Sentence{Fact: Fact{kind, of}} }

// A Counted is a number of things, for the words of a fact: 2 of "stage".
type Counted struct {
	N  int
	Of string
}

// A FactKind is what a fact says. The comment behind each lists what it is about.
type FactKind string

// A Sentence is a fact in a document. Its words come in before the document is shown (words.Fill), and are what JSON has.
type Sentence struct {
	Fact  Fact
	Words string
}

// MarshalJSON writes the words.
func (s Sentence) MarshalJSON() ([]byte, error) { return json.Marshal(s.Words) }

// UnmarshalJSON reads words, of which the fact is not known.
func (s *Sentence) UnmarshalJSON(data []byte) error { return json.Unmarshal(data, &s.Words) }

// A Call is a call of Molt that leads on. It is shown as one types it.
type Call struct {
	Command string
	Args    []string
}

// String writes the call as one types it.
func (c Call) String() string {
	return strings.Join(append([]string{"molt", c.Command}, c.Args...), " ")
}

// MarshalJSON writes the call as one types it.
func (c Call) MarshalJSON() ([]byte, error) { return json.Marshal(c.String()) }

// UnmarshalJSON reads a call.
func (c *Call) UnmarshalJSON(data []byte) error {
	var text string
	if err := json.Unmarshal(data, &text); err != nil {
		return err
	}
	words := strings.Fields(strings.TrimPrefix(text, "molt "))
	if len(words) > 0 {
		c.Command, c.Args = words[0], words[1:]
	}
	return nil
}
