package words

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"molt/core/fact"
	"molt/doc"
)

// sources are the files in which facts are declared and found out, by folder.
func sources(t *testing.T) map[string][]*ast.File {
	t.Helper()
	all := map[string][]*ast.File{}
	for _, root := range []string{"core", "doc", "app", "ask"} {
		err := filepath.WalkDir(filepath.Join("../..", root), func(path string, _ fs.DirEntry, err error) error {
			if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
				return err
			}
			file, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
			all[filepath.Dir(path)] = append(all[filepath.Dir(path)], file)
			return err
		})
		if err != nil {
			t.Fatal(err)
		}
	}
	return all
}

// name returns an expression as others write it: "fact.Kind"; a name of the folder's own gets its package's before it.
func name(e ast.Expr, own string) string {
	switch e := e.(type) {
	case *ast.Ident:
		return own + "." + e.Name
	case *ast.SelectorExpr:
		if of, is := e.X.(*ast.Ident); is {
			return of.Name + "." + e.Sel.Name
		}
	}
	return ""
}

// Every kind of fact that is declared has words, and nothing else has; and whoever finds a fact of a kind says as many
// things of it as its words are about.
func TestEveryKindHasWords(t *testing.T) {
	all := sources(t)
	declared, kinds := map[fact.Kind]bool{}, map[string]fact.Kind{}
	for _, files := range all {
		for _, file := range files {
			ast.Inspect(file, func(n ast.Node) bool {
				value, is := n.(*ast.ValueSpec)
				if !is || name(value.Type, file.Name.Name) != "fact.Kind" || value.Values == nil {
					return true
				}
				text, err := strconv.Unquote(value.Values[0].(*ast.BasicLit).Value)
				if err != nil {
					t.Fatal(err)
				}
				kind := fact.Kind(text)
				if declared[kind] {
					t.Errorf("two kinds are called %q", kind)
				}
				declared[kind], kinds[file.Name.Name+"."+value.Names[0].Name] = true, kind
				return true
			})
		}
	}
	for kind := range declared {
		if sentences[kind] == "" && joints[kind] == "" {
			t.Errorf("there are no words for %q", kind)
		}
	}
	for kind := range sentences {
		if !declared[kind] {
			t.Errorf("there are words for %q, which is no kind of fact", kind)
		}
	}
	found := 0
	for _, files := range all {
		for _, file := range files {
			ast.Inspect(file, func(n ast.Node) bool {
				call, is := n.(*ast.CallExpr)
				if !is || call.Ellipsis.IsValid() || !slices.Contains(
					[]string{"fact.New", "doc.Said", "ask.next", "plan.because"}, name(call.Fun, file.Name.Name)) {
					return true
				}
				at := 0
				if name(call.Fun, file.Name.Name) == "ask.next" {
					at = 1 // after the call
				}
				kind, known := kinds[name(call.Args[at], file.Name.Name)]
				if want := strings.Count(sentences[kind], "%"); known && want != len(call.Args)-1-at {
					t.Errorf("%q is about %d things, and somebody says %d of it", kind, want, len(call.Args)-1-at)
				}
				found++
				return true
			})
		}
	}
	if found < 100 {
		t.Errorf("only %d facts were found in the source", found)
	}
}

func TestFill(t *testing.T) {
	d := struct {
		Next *doc.Next
		All  []doc.Next
		none *doc.Next
	}{&doc.Next{Why: doc.Sentence{Fact: fact.New(doc.TicksOff, "runtime")}},
		[]doc.Next{{Why: doc.Sentence{Fact: fact.New(doc.WritesThis, fact.Fact{Kind: doc.LaysOut})}}}, nil}
	Fill(&d)
	if got := d.Next.Why.Words + "; " + d.All[0].Why.Words; got !=
		"ticks off runtime, when people have done it; writes this to lays out what the lock says" {
		t.Errorf("the words are %q", got)
	}
	if got := Of(fact.Fact{Kind: "unheard of"}); !strings.Contains(got, "no words") {
		t.Errorf("a kind without words reads %q", got)
	}
}
