package words

import (
	"go/ast"
	"go/parser"
	"go/token"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"molt/doc"
)

// Every kind of fact that doc declares has words, and nothing else has.
func TestEveryKindHasWords(t *testing.T) {
	declared := map[doc.FactKind]bool{}
	files, err := filepath.Glob("../../doc/*.go")
	if err != nil {
		t.Fatal(err)
	}
	for _, name := range files {
		file, err := parser.ParseFile(token.NewFileSet(), name, nil, 0)
		if err != nil {
			t.Fatal(err)
		}
		ast.Inspect(file, func(n ast.Node) bool {
			value, is := n.(*ast.ValueSpec)
			if !is {
				return true
			}
			if kind, is := value.Type.(*ast.Ident); is && kind.Name == "FactKind" {
				text, err := strconv.Unquote(value.Values[0].(*ast.BasicLit).Value)
				if err != nil {
					t.Fatal(err)
				}
				if declared[doc.FactKind(text)] {
					t.Errorf("two kinds are called %q", text)
				}
				declared[doc.FactKind(text)] = true
			}
			return true
		})
	}
	for kind := range declared {
		if sentences[kind] == "" {
			t.Errorf("there are no words for %q", kind)
		}
	}
	for kind := range sentences {
		if !declared[kind] {
			t.Errorf("there are words for %q, which is no kind of fact", kind)
		}
	}
}

func TestFill(t *testing.T) {
	d := struct {
		Next *doc.Next
		All  []doc.Next
		none *doc.Next
	}{&doc.Next{Why: doc.Sentence{Fact: doc.Fact{Kind: doc.TicksOff, Of: []any{"runtime"}}}},
		[]doc.Next{{Why: doc.Sentence{Fact: doc.Fact{Kind: doc.WritesThis, Of: []any{doc.Fact{Kind: doc.LaysOut}}}}}}, nil}
	Fill(&d)
	if got := d.Next.Why.Words + "; " + d.All[0].Why.Words; got !=
		"ticks off runtime, when people have done it; writes this to lays out what the lock says" {
		t.Errorf("the words are %q", got)
	}
	if got := Of(doc.Fact{Kind: "unheard of"}); !strings.Contains(got, "no words") {
		t.Errorf("a kind without words reads %q", got)
	}
}
