package assess

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"molt/core/fact"
	"molt/core/project"
	"molt/samples/projecttest"
)

// Packages share their numbers over their whole lives, or as long as there were both; a few numbers by chance are none.
func TestEqualNumbers(t *testing.T) {
	series := func(name, numbers string) (text string) {
		for v := range strings.FieldsSeq(numbers) {
			text += fmt.Sprintf("%s@%s\n", name, v)
		}
		return text
	}
	for _, test := range []struct {
		name, x, y string
		want       bool
	}{
		{"all their lives", "1.0 1.1 2.0", "1.0 1.1 2.0", true},
		{"three of four", "1.0 1.1 1.2 2.0", "1.0 1.1 2.0", true},
		{"one came later", "1.0 1.1 1.2 2.0 2.1 3.0 4.0 4.1 5.0 5.1", "4.0 4.1 5.0 5.1", true},
		{"one ended", "1.0 1.1 1.2 2.0", "1.0 1.1 1.2 2.0 3.0 3.1 4.0 5.0 6.0", true},
		{"too few to tell", "1.0 2.0 3.0 4.0 5.0 5.1", "4.0 5.0 5.1", false},
		{"numbers of its own since", "1.0 2.0 3.0 4.0 4.1 5.0 5.1", "4.0 4.2 4.3 5.0 5.2 5.3 5.4", false},
		{"nothing in common", "1.0 1.1", "2.0 2.1", false},
		{"one release", "1.0", "1.0", false},
	} {
		source, _ := projecttest.Sketch(t, "app: x@* y@*\n"+series("x", test.x)+series("y", test.y))
		for range 2 { // whichever is asked about
			if got := equalNumbers(source["x"], source["y"]); got != test.want {
				t.Errorf("%s: %v", test.name, got)
			}
			source["x"], source["y"] = source["y"], source["x"]
		}
	}
}

// Packages of one repository that are released on the same days in the same majors are a family,
// whatever their numbers; those that only meet now and then, or are of different majors, are none.
func TestReleasedTogether(t *testing.T) {
	const text = "app: hull@^1 crank@^1 drum@^1 pawl@^1 bell@^2\nhull@1"
	var releases, days strings.Builder
	for i := range 8 {
		for _, one := range []struct {
			name, v string
			day     int
		}{{"crank", fmt.Sprintf("1.%d.0", i), 3 * i}, {"drum", fmt.Sprintf("1.0.%d", i), 3 * i},
			{"pawl", fmt.Sprintf("1.%d.3", i), 3*i + i%2}, {"bell", fmt.Sprintf("2.%d.0", i), 3 * i}} {
			fmt.Fprintf(&releases, "\n%s@%s", one.name, one.v)
			fmt.Fprintf(&days, "\n%s@%s 2020-01-%02d", one.name, one.v, 1+one.day)
		}
	}
	source, app := projecttest.Sketch(t, text+releases.String())
	onDays(t, source, strings.TrimSpace(days.String()))
	for _, name := range []string{"crank", "drum", "pawl", "bell"} {
		source[name].Notes.Repository = "https://code.example/winch"
	}
	a, err := Ask(context.Background(), source, app, []project.Goal{{Name: "hull", Constraint: "1"}})
	if err != nil {
		t.Fatal(err)
	}
	for pair, want := range map[string]fact.Fact{
		"crank drum": fact.New(SameDays, fact.New(OneRepository)), "crank pawl": {}, "crank bell": {}} {
		x, y, _ := strings.Cut(pair, " ")
		if got := a.Akin(x, y); !got.Equal(want) || !a.Akin(y, x).Equal(want) {
			t.Errorf("%s: %s, not %s", pair, got, want)
		}
	}
}

// Descriptions do not pass the minor of what they describe, where it has one of that number.
func TestDescribedMinor(t *testing.T) {
	source, app := projecttest.Sketch(
		t, "app: hull@~1.0 @types/hull@^1\nhull@1.0\nhull@1.1\nhull@2\n@types/hull@1.0\n@types/hull@1.0.9\n@types/hull@1.1\n@types/hull@1.7")
	app.Kin = func(name string) project.Kin {
		if about, ok := strings.CutPrefix(name, "@types/"); ok {
			return project.Kin{Name: about, Describes: about}
		}
		return project.Kin{Name: name}
	}
	a, err := Ask(context.Background(), source, app, []project.Goal{{Name: "hull", Constraint: "2"}})
	if err != nil {
		t.Fatal(err)
	}
	for release, want := range map[string]bool{"1.0.0": true, "1.0.9": true, "1.1.0": false, "1.7.0": true} {
		r, _, err := a.Solve(Choice{"hull": {"1.0.0"}, "@types/hull": {release}}, nil)
		if err != nil || (r != nil) != want {
			t.Errorf("hull 1.0.0 with types %s: %v, %v", release, r != nil, err)
		}
	}
}

// A package that numbers its majors for itself follows nobody, though it was at the framework's major now and then.
func TestOwnMajors(t *testing.T) {
	for _, test := range []struct {
		name, more, days string
		want             bool
	}{
		{"as the framework", "hull-bell@3.5", "hull-bell@3.5.0 2023-02-01", true},
		{"one before the framework's", "hull-bell@3.5", "hull-bell@3.5.0 2022-08-01", false},
		{"one past the framework's last", "hull-bell@3.5\nhull-bell@4.5",
			"hull-bell@3.5.0 2023-02-01\nhull-bell@4.5.0 2023-08-01", false},
	} {
		source, app := projecttest.Sketch(
			t, "app: hull@^1 hull-bell@^1\nhull@1\nhull@2\nhull@3\nhull-bell@1.5\nhull-bell@2.5\n"+test.more)
		onDays(t, source, "hull@1.0.0 2021-01-01\nhull@2.0.0 2022-01-01\nhull@3.0.0 2023-01-01\nhull-bell@1.5.0 "+
			"2021-02-01\nhull-bell@2.5.0 2022-02-01\n"+test.days)
		a, err := Ask(context.Background(), source, app, []project.Goal{{Name: "hull", Constraint: "2"}})
		if err != nil {
			t.Fatal(err)
		}
		if got := a.kin.capped["hull-bell"]; got != test.want {
			t.Errorf("%s: it is taken to follow: %v", test.name, got)
		}
	}
}

// Without dates, many majors in common and the same newest one tell that a package of a scope that is named after the
// framework's follows it; what its numbers were for before that does not count.
func TestMajorsWithoutDates(t *testing.T) {
	kin := func(name string) project.Kin {
		scope, rest, _ := strings.Cut(name, "/")
		return project.Kin{Scope: scope, Name: rest}
	}
	numbers := func(name, more string, majors ...int) (text string) {
		for _, m := range majors {
			text += fmt.Sprintf("\n%s@%d.3%s", name, m, more)
		}
		return text
	}
	for _, test := range []struct {
		name, releases string
		want           bool
	}{
		{"it does", numbers("@hull-lint/rules", "", 4, 5, 6, 7, 8, 9), true},
		{"it was for others once", numbers("@hull-lint/rules", ": peer:@hull/core@9", 2) +
			numbers("@hull-lint/rules", "", 4, 5, 6, 7, 8, 9), true},
		{"it is for others now", numbers("@hull-lint/rules", ": peer:@hull/core@4", 8) +
			numbers("@hull-lint/rules", "", 4, 5, 6, 7, 9), false},
		{"it is ahead", numbers("@hull-lint/rules", "", 4, 5, 6, 7, 8, 9, 10), false},
		{"it is behind", numbers("@hull-lint/rules", "", 4, 5, 6, 7, 8), false},
		{"it says what it is for", numbers("@hull-lint/rules", ": peer:@hull/core@>=3", 4, 5, 6, 7, 8, 9), false},
		{"a few majors", numbers("@hull-lint/rules", "", 5, 6, 9), false},
	} {
		source, app := projecttest.Sketch(
			t, "app: @hull/core@^5 @hull-lint/rules@^5"+numbers("@hull/core", "", 1, 2, 3, 4, 5, 6, 7, 8, 9)+test.releases)
		app.Kin = kin
		a, err := Ask(context.Background(), source, app, []project.Goal{{Name: "@hull/core", Constraint: "6"}})
		if err != nil {
			t.Fatal(err)
		}
		if got := a.kin.capped["@hull-lint/rules"]; got != test.want {
			t.Errorf("%s: it is taken to follow: %v", test.name, got)
		}
	}
}
