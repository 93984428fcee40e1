package universe_test

import (
	"testing"
	"time"

	"molt/core/universe"
	"molt/ecosystem/js/ranges"
)

// Constraints that are about majors alone: those that existed on a day, and those up to the newest
// that another constraint names.
func TestMajorsAlone(t *testing.T) {
	table, err := universe.Sketch(
		ranges.Scheme, "keel@1.0.0\nkeel@1.1.0\nkeel@2.0.0\nkeel@2.1.0\nkeel@3.0.0-rc.1\nkeel@3.0.0")
	if err != nil {
		t.Fatal(err)
	}
	p := table["keel"]
	for i, day := range []string{"2020-01-01", "2021-06-01", "2021-01-01", "2022-06-01", "2021-12-01", "2022-01-01"} {
		if p.At(i).Published, err = time.Parse(time.DateOnly, day); err != nil {
			t.Fatal(err)
		}
	}
	day := func(text string) time.Time {
		d, err := time.Parse(time.DateOnly, text)
		if err != nil {
			t.Fatal(err)
		}
		return d
	}
	for _, test := range []struct{ text, want string }{
		{universe.AsOf(">=1", day("2020-06-01")), "1.0.0 … 1.1.0"},
		{universe.AsOf(">=1.1", day("2021-01-01")), "1.1.0 … 2.1.0"}, // later releases of a major that existed count
		{universe.AsOf(">=1", day("2023-01-01")), "1.0.0 … 3.0.0"},
		{universe.AsOf(">=2", day("2020-06-01")), "nothing"},
		{universe.OrOlder("^2.0.0 <2.1.0"), "1.0.0 … 2.1.0"}, // to the end of the major
		{universe.OrOlder("1.0.0"), "1.0.0 … 1.1.0"},
		{universe.OrOlder(">=3"), "1.0.0 … 3.0.0"},
		{universe.OrOlder("^9"), "nothing"},
	} {
		set, err := p.Admit(test.text)
		if err != nil {
			t.Errorf("%s: %v", test.text, err)
		}
		got := "nothing"
		if !set.Empty() {
			got = p.Version(set.Min()).String() + " … " + p.Version(set.Max()).String()
		}
		if got != test.want {
			t.Errorf("%s admits %s, want %s", test.text, got, test.want)
		}
	}
	for _, text := range []string{"boat or older", "boat (as of 2020-01-01)", ">=1 (as of 2020-13-01)"} {
		if set, err := p.Admit(text); err == nil || !set.Empty() {
			t.Errorf("%s: %v, %v", text, set, err)
		}
	}
	if born := p.Born(p.Index("3.0.0-rc.1")); !born.Equal(day("2022-01-01")) { // a preview is no birth
		t.Errorf("3 was born on %s", born)
	}
}
