package fact

import (
	"fmt"
	"testing"
)

func Example() {
	const (
		Asks     Kind = "asks"     // what for
		Openly   Kind = "openly"   // a saying
		Promises Kind = "promises" // a saying
	)
	says := New(Openly, New(Asks, "hull >=3"))
	fmt.Println(says)
	fmt.Println(says.Is(Asks), says.Is(Promises))
	// Output:
	// openly(asks(hull >=3))
	// true false
}

type version struct{ major int }

func (v version) String() string { return fmt.Sprintf("%d.0.0", v.major) }

// Facts about the same are the same, however they were told what they are about.
func TestFacts(t *testing.T) {
	if f, g := New("moves", version{3}, Counted{2, "stage"}), New("moves", "3.0.0", Counted{2, "stage"}); !f.Equal(g) ||
		f.String() != g.String() || f.Equal(New("moves", "3.0.0")) {
		t.Errorf("%s and %s", f, g)
	}
	none := Fact{}
	if !none.None() || none.String() != "" || !Quote("").None() || Quote("as it was [said]").String() != "as it was [said]" ||
		none.Is(Told) {
		t.Errorf("no fact is %q", none)
	}
	a, b := New("a"), New("b", 1)
	if !Joined().None() || !Joined(none, a).Equal(a) || Joined(a, none, b).String() != "together(a, b(1))" ||
		!Joined(a, b).Is("b") {
		t.Errorf("%s, %s", Joined(none, a), Joined(a, none, b))
	}
	of := []any{version{1}}
	if New("x", of...); of[0] != (version{1}) {
		t.Error("what was given to a fact was changed")
	}
}
