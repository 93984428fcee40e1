package ecosystem_test

import (
	"context"
	"errors"
	"fmt"
	"reflect"
	"strings"
	"testing"

	"molt/core/solve"
	"molt/core/universe"
	"molt/ecosystem"
	"molt/ecosystem/js"
	"molt/ecosystem/js/ranges"
)

const desk = `
	hulk@3
	hulk@4
	deck@1: hulk@^3 rudder@1 opt:lamp@^9 old=nail@^1
	cabin@1: hulk@^4 rudder@1
	rudder@1: peer:hulk@* peer?:flag@*
	lamp@1
	nail@1`

// locked resolves a small application and makes its lock.
func locked(t *testing.T) (*ecosystem.Lock, solve.Problem, universe.Table) {
	t.Helper()
	table, err := universe.Sketch(ranges.Scheme, desk)
	if err != nil {
		t.Fatal(err)
	}
	deck, _ := table.Package(context.Background(), "deck")
	deck.At(0).Files = []universe.File{{Address: "deck/-/deck-1.0.0.tgz", Integrity: "sha512-AA=="}}
	deck.At(0).Runtimes = []universe.Requirement{{Name: "node", Text: ">=18 <23"}}
	p := solve.Problem{Roots: []solve.Root{
		{Demand: universe.Demand{As: "deck", Package: "deck", Text: "*"}, Group: "dependencies"},
		{Demand: universe.Demand{As: "cabin", Package: "cabin", Text: "latest || 1"}, Group: "devDependencies"},
		{Demand: universe.Demand{As: "here", Package: "here", Text: "file:../a \"b\"", Foreign: true}, Group: "dependencies"},
	}}
	p.Roots[1].Text = "1.x"
	r, err := solve.Resolve(context.Background(), table, p)
	if err != nil {
		t.Fatal(err)
	}
	l, err := ecosystem.NewLock(context.Background(), js.JS{}, table, r, nil)
	if err != nil {
		t.Fatal(err)
	}
	return l, p, table
}

func TestLockThereAndBack(t *testing.T) {
	l, p, _ := locked(t)
	l.Overrides, l.Waived = map[string]string{"keel": "1"},
		map[string]string{"deck on cabin": "we ran \"it\"", "@quay/rope on deck": "so do we"}
	data := ecosystem.EncodeMoltLock(l)
	back, err := ecosystem.DecodeMoltLock("molt.lock", data)
	if err != nil {
		t.Fatal(err)
	}
	if !reflect.DeepEqual(l, back) {
		t.Errorf("came back as\n%+v\nwant\n%+v", back, l)
	}
	if again := ecosystem.EncodeMoltLock(back); string(again) != string(data) {
		t.Errorf("the text changed to\n%s", again)
	}
	table, err := back.Universe(js.JS{})
	if err != nil {
		t.Fatal(err)
	}
	r := back.Resolution()
	p.Roots[1], p.Roots[2] = p.Roots[2], p.Roots[1] // the lock sorts them by group
	if err := solve.Verify(context.Background(), table, p, r); err != nil {
		t.Errorf("the lock does not verify on its own: %v", err)
	}
}

// Every edge is a line and every package a block, so that changes to different packages touch different lines.
func TestLockText(t *testing.T) {
	l, _, _ := locked(t)
	text := string(ecosystem.EncodeMoltLock(l))
	for _, want := range []string{
		"molt-lock = 2\necosystem = \"js\"\n",
		"\n[application.\"dependencies\"]\n\"deck *\" = \"deck@1.0.0\"\n\"outside here file:../a \\\"b\\\"\" = \"\"\n",
		"\n[\"at deck@1.0.0\"]\npurl = \"pkg:npm/deck@1.0.0\"\nintegrity = \"sha512-AA==\"\narchive = " +
			"\"deck/-/deck-1.0.0.tgz\"\nruntime.\"node\" = \">=18 <23\"\nneed.\"hulk ^3\" = \"hulk@3.0.0\"\n",
		"need.\"maybe lamp ^9\" = \"\"\n",
		"need.\"old=nail ^1\" = \"nail@1.0.0\"\n",
		"\n[\"at rudder@1.0.0 beside hulk@3.0.0\"]\n",
		"peer.\"maybe flag *\" = \"\"\n",
	} {
		if !strings.Contains(text, want) {
			t.Errorf("the lock lacks %q:\n%s", want, text)
		}
	}
}

func TestLockErrors(t *testing.T) {
	tests := []struct{ text, says string }{
		{"molt-lock = ", "molt.lock:1:"},
		{"ecosystem = \"js\"\n", "molt-lock is missing"},
		{"molt-lock = 1\nweather = \"fair\"\n", "\"weather\" is not part of a lock"},
		{"molt-lock = 1\n[harbour]\n", "\"harbour\" is not part of a lock"},
		{"molt-lock = 1\n[\"at keel\"]\n", "not name@version"},
		{"molt-lock = 1\n[\"at keel@1.0.0\"]\nneed.\"nail ^1\" = \"nail@1.0.0\"\n", "leads to nail@1.0.0"},
		{"molt-lock = 1\n[\"at keel@1.0.0\"]\nneed.\"nail ^1\" = 7\n", "is not a text"},
		{"molt-lock = 1\n[\"at keel@1.0.0\"]\ncolour = \"red\"\n", "\"colour\" is not part of"},
		{"molt-lock = 1\n[application]\ndependencies = 7\n", "is not part of a lock"},
	}
	for _, test := range tests {
		if _, err := ecosystem.DecodeMoltLock("molt.lock", []byte(test.text)); err == nil ||
			!strings.Contains(err.Error(), test.says) {
			t.Errorf("%q: %v, want an error that says %q", test.text, err, test.says)
		}
	}
	var newer *ecosystem.NewerLockError
	if _, err := ecosystem.DecodeMoltLock("molt.lock", []byte("molt-lock = 99\nfuture = true\n")); !errors.As(
		err, &newer) || newer.Format != 99 {
		t.Errorf("a lock from the future: %v", err)
	}
}

// A constraint that is a tag is checked against what it named when the lock was made.
func TestLockWithTag(t *testing.T) {
	l := &ecosystem.Lock{Ecosystem: "js",
		Roots:    []solve.Edge{{Name: "keel", Package: "keel", Constraint: "next", Group: "dependencies", To: "keel@2.0.0"}},
		Packages: []ecosystem.LockedPackage{{Node: solve.Node{ID: "keel@2.0.0", Name: "keel", Version: "2.0.0"}}}}
	table, err := l.Universe(js.JS{})
	if err != nil {
		t.Fatal(err)
	}
	set, err := table["keel"].Admit("next")
	if err != nil || set.Count() != 1 {
		t.Errorf("the tag admits %d releases: %v", set.Count(), err)
	}
}

func FuzzDecodeMoltLock(f *testing.F) {
	f.Add([]byte("molt-lock = 1\necosystem = \"js\"\n[application.\"dependencies\"]\n\"keel ^1\" = " +
		"\"keel@1.0.0\"\n[\"at keel@1.0.0\"]\npurl = \"pkg:npm/keel@1.0.0\"\n"))
	f.Add([]byte("molt-lock = 2\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		l, err := ecosystem.DecodeMoltLock("molt.lock", data)
		if err != nil {
			return
		}
		text := ecosystem.EncodeMoltLock(l)
		back, err := ecosystem.DecodeMoltLock("molt.lock", text)
		if err != nil {
			t.Fatalf("what was written cannot be read: %v\n%s", err, text)
		}
		if string(ecosystem.EncodeMoltLock(back)) != string(text) {
			t.Fatalf("the text is not stable:\n%s", text)
		}
	})
}

// The time to read a lock grows with its length and not with its square: one of 20,000 blocks is read within a test.
func TestLongLock(t *testing.T) {
	var b strings.Builder
	b.WriteString("molt-lock = 1\necosystem = \"js\"\n")
	for i := range 20_000 {
		fmt.Fprintf(&b, "\n[\"at p%d@1.0.0\"]\npurl = \"pkg:npm/p%d@1.0.0\"\nneed.\"p%d ^1.0.0\" = \"p%d@1.0.0\"\n",
			i, i, (i+1)%20_000, (i+1)%20_000)
	}
	l, err := ecosystem.DecodeMoltLock("molt.lock", []byte(b.String()))
	if err != nil || len(l.Packages) != 20_000 {
		t.Fatalf("%v", err)
	}
	for _, twice := range []string{"[\"at p1@1.0.0\"]\n", "[\"at q@1.0.0\"]\npurl = \"x\"\npurl = \"y\"\n"} {
		if _, err := ecosystem.DecodeMoltLock("molt.lock", []byte(b.String()+twice)); err == nil ||
			!strings.Contains(err.Error(), "twice") {
			t.Errorf("%q: %v", twice, err)
		}
	}
}
