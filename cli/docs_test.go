package cli

import (
	"bytes"
	"flag"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

// made compares a file of docs that is made from the source with what it should be; -update writes it.
func made(t *testing.T, name string, want []byte) {
	t.Helper()
	file := filepath.Join("..", "docs", name)
	if f := flag.Lookup("update"); f != nil && f.Value.String() == "true" {
		if err := os.WriteFile(file, want, 0o644); err != nil {
			t.Fatal(err)
		}
		return
	}
	got, err := os.ReadFile(file)
	if err != nil || !bytes.Equal(got, want) {
		t.Errorf("docs/%s is not what the source says: go test ./cli -run Docs -update (%v)", name, err)
	}
}

// TestDocsReference makes the reference from the commands.
func TestDocsReference(t *testing.T) {
	all := commands{}
	root := (&call{ctx: t.Context(), out: &bytes.Buffer{}, errout: &bytes.Buffer{}}).root(all)
	b := &bytes.Buffer{}
	fmt.Fprintf(b, "# Reference\n\nMade from the commands themselves (`go test ./cli -run Docs -update`); `molt COMMAND "+
		"--help` says the same.\n\n## Common flags\n\nEach command takes those that say something about it, which its `--help` lists.\n\n%s", flagsOfSet(root.PersistentFlags()))
	for _, group := range append(root.Groups(), &cobra.Group{Title: "For other programs and packagers"}) {
		fmt.Fprintf(b, "\n## %s\n", strings.TrimSuffix(group.Title, ":"))
		for _, cmd := range root.Commands() {
			if _, ours := all[cmd]; !ours || cmd.GroupID != group.ID {
				continue
			}
			fmt.Fprintf(b, "\n### molt %s\n\n%s.\n\n    molt %s\n\n%s\n", cmd.Name(), cmd.Short, cmd.Use, cmd.Long)
			if cmd.Example != "" {
				fmt.Fprintf(b, "\n%s\n", indented(cmd.Example))
			}
			if more := all[cmd].formats; more != nil {
				fmt.Fprintf(b, "\nFormats besides text and json: %s.\n", strings.Join(more, ", "))
			}
			if flags := flagsOfSet(cmd.LocalFlags()); flags != "" {
				fmt.Fprintf(b, "\n%s", flags)
			}
		}
	}
	made(t, "reference.md", b.Bytes())
}

func indented(text string) string {
	var lines []string
	for line := range strings.Lines(text) {
		lines = append(lines, "    "+strings.TrimSpace(line))
	}
	return strings.Join(lines, "\n")
}

func flagsOfSet(set *pflag.FlagSet) string {
	b := &strings.Builder{}
	set.VisitAll(func(f *pflag.Flag) {
		if f.Hidden || f.Name == "help" || f.Name == "version" {
			return
		}
		if b.Len() == 0 {
			b.WriteString("| flag | |\n|---|---|\n")
		}
		name, usage := pflag.UnquoteUsage(f)
		fmt.Fprintf(b, "| `%s` | %s |\n", strings.TrimSpace("--"+f.Name+" "+name), strings.ReplaceAll(usage, "|", "\\|"))
	})
	return b.String()
}

// TestDocsHelp makes sure that every command says what it is for, and shows how it is called.
func TestDocsHelp(t *testing.T) {
	all := commands{}
	root := (&call{ctx: t.Context(), out: &bytes.Buffer{}, errout: &bytes.Buffer{}}).root(all)
	look := func(cmd *cobra.Command) {
		if cmd.Short == "" || cmd.Long == "" || cmd.Example == "" || strings.HasSuffix(cmd.Short, ".") {
			t.Errorf("molt %s: a short line without a full stop, a text and an example belong to it", cmd.Name())
		}
	}
	for _, cmd := range root.Commands() {
		look(cmd)
	}
}

// TestDocsErrors makes the table of errors from the source: each message as it is formatted, with the file that has it.
func TestDocsErrors(t *testing.T) {
	says := map[string][]string{} // files by message
	top := ".."
	err := filepath.WalkDir(top, func(file string, d fs.DirEntry, err error) error {
		switch {
		case err != nil:
			return err
		case d.IsDir() && file != top && (strings.HasPrefix(d.Name(), ".") || d.Name() == "testdata" || d.Name() == "bench"):
			return filepath.SkipDir
		case d.IsDir() || !strings.HasSuffix(file, ".go") || strings.HasSuffix(file, "_test.go") ||
			strings.Contains(filepath.ToSlash(file), "test/"):
			return nil
		}
		parsed, err := parser.ParseFile(token.NewFileSet(), file, nil, 0)
		if err != nil {
			return err
		}
		name := strings.TrimPrefix(filepath.ToSlash(file), "../")
		ast.Inspect(parsed, func(n ast.Node) bool {
			for _, text := range messages(n) {
				if !slices.Contains(says[text], name) {
					says[text] = append(says[text], name)
				}
			}
			return true
		})
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	var texts []string
	for text := range says {
		texts = append(texts, text)
	}
	slices.SortFunc(texts, func(a, b string) int {
		if c := strings.Compare(path.Dir(says[a][0]), path.Dir(says[b][0])); c != 0 {
			return c
		}
		return strings.Compare(a, b)
	})
	b := &bytes.Buffer{}
	fmt.Fprintf(b, "# Errors\n\nEvery error that Molt words itself, made from the source (`go test ./cli -run Docs "+
		"-update`). %%s, %%q, %%d and %%v stand for what it is about; an error about a file begins with FILE:LINE:COLUMN, "+
		"and one that wraps another ends with it.\n")
	room := ""
	for _, text := range texts {
		if now := path.Dir(says[text][0]); now != room {
			room = now
			fmt.Fprintf(b, "\n## %s\n\n", room)
		}
		fmt.Fprintf(b, "- `%s`\n", strings.ReplaceAll(text, "`", "'"))
	}
	made(t, "errors-all.md", b.Bytes())
}

// What docs/errors.md explains is what the source says.
func TestDocsErrorsByTopic(t *testing.T) {
	data, err := os.ReadFile("../docs/errors.md")
	if err != nil {
		t.Fatal(err)
	}
	source := &strings.Builder{}
	err = filepath.WalkDir("..", func(where string, e fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(where, ".go") || strings.HasSuffix(where, "_test.go") {
			return err
		}
		text, err := os.ReadFile(where)
		source.Write(text)
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	said := regexp.MustCompile(`"\s*\+\s*(fmt\.Sprintf\(\s*)?"`).ReplaceAllString(source.String(), "") // one text on several lines
	explained := regexp.MustCompile("(?s)\\*\\*`(.+?)`\\*\\*").FindAllStringSubmatch(string(data), -1)
	for _, m := range explained {
		for part := range strings.SplitSeq(strings.Join(strings.Fields(m[1]), " "), "…") {
			if part = strings.Trim(part, " ;:,"); !strings.Contains(said, strings.ReplaceAll(part, `"`, `\"`)) {
				t.Errorf("%q: nothing in the source says %q", m[1], part)
			}
		}
	}
	if len(explained) < 30 {
		t.Errorf("%d errors are explained", len(explained))
	}
}

// messages returns the texts with which a part of the source makes an error.
func messages(n ast.Node) (all []string) {
	literal := func(e ast.Expr) {
		if text, _ := leading(e); strings.Contains(text, " ") {
			all = append(all, strings.Join(strings.Fields(text), " "))
		}
	}
	switch n := n.(type) {
	case *ast.CallExpr:
		switch {
		case isCall(n, "fmt", "Errorf"), isCall(n, "errors", "New"):
			literal(n.Args[0])
		case len(n.Args) >= 2 && isMethod(n, "At"):
			literal(n.Args[1])
		case len(n.Args) >= 1 && (isMethod(n, "fail") || isMethod(n, "errorAt") || isMethod(n, "ErrorAt") ||
			isMethod(n, "failAt")):
			for _, arg := range n.Args {
				literal(arg)
			}
		}
	case *ast.KeyValueExpr:
		if key, ok := n.Key.(*ast.Ident); ok && key.Name == "Reason" {
			literal(n.Value)
		}
	}
	return all
}

// leading returns the text with which an expression begins, as far as the source tells, and whether that is all of it.
func leading(e ast.Expr) (text string, whole bool) {
	switch e := e.(type) {
	case *ast.CallExpr:
		if isCall(e, "fmt", "Sprintf") {
			text, _ = leading(e.Args[0])
		}
	case *ast.BinaryExpr:
		if text, whole = leading(e.X); whole && e.Op == token.ADD {
			more, all := leading(e.Y)
			return text + more, all
		}
	case *ast.BasicLit:
		if e.Kind == token.STRING {
			text, err := strconv.Unquote(e.Value)
			return text, err == nil
		}
	}
	return text, false
}

func isCall(c *ast.CallExpr, pkg, name string) bool {
	s, ok := c.Fun.(*ast.SelectorExpr)
	if !ok || s.Sel.Name != name || len(c.Args) == 0 {
		return false
	}
	x, ok := s.X.(*ast.Ident)
	return ok && x.Name == pkg
}

func isMethod(c *ast.CallExpr, name string) bool {
	s, ok := c.Fun.(*ast.SelectorExpr)
	return ok && s.Sel.Name == name
}
