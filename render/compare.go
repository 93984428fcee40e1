package render

import (
	"fmt"
	"io"
	"strings"

	"molt/core/inspect"
	"molt/input"
)

// CompareDoc is "molt/compare/1".
type CompareDoc struct {
	Schema      string                         `json:"schema"`
	Before      string                         `json:"before"`
	After       string                         `json:"after"`
	Counts      map[inspect.DifferenceKind]int `json:"counts"` // every kind, also those of which there is none
	Differences []DifferenceDoc                `json:"differences"`
}

// A DifferenceDoc is what became of one package. From and To are ascending, and empty where the package is not.
type DifferenceDoc struct {
	Name     string                 `json:"name"`
	Declared bool                   `json:"declared"`
	Kind     inspect.DifferenceKind `json:"kind"`
	From     []string               `json:"from"`
	To       []string               `json:"to"`
}

// NewCompareDoc makes the document of a comparison.
func NewCompareDoc(before, after string, all []inspect.Difference) CompareDoc {
	doc := CompareDoc{"molt/compare/1", before, after, map[inspect.DifferenceKind]int{}, []DifferenceDoc{}}
	for _, k := range inspect.DifferenceKinds {
		doc.Counts[k] = 0
	}
	for _, d := range all {
		doc.Counts[d.Kind]++
		doc.Differences = append(doc.Differences, DifferenceDoc{d.Name, d.Declared, d.Kind, append([]string{}, d.From...), append([]string{}, d.To...)})
	}
	return doc
}

// sentence counts the differences.
func (doc CompareDoc) sentence() string {
	if len(doc.Differences) == 0 {
		return fmt.Sprintf("%s and %s hold the same.", doc.Before, doc.After)
	}
	verb := "differ"
	if len(doc.Differences) == 1 {
		verb = "differs"
	}
	var parts []string
	for _, k := range inspect.DifferenceKinds {
		if n := doc.Counts[k]; n > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", n, k))
		}
	}
	return fmt.Sprintf("From %s to %s %s %s: %s.", doc.Before, doc.After, count(len(doc.Differences), "package"), verb, strings.Join(parts, ", "))
}

// parts groups the differences: declared ones, the rest.
func (doc CompareDoc) parts() (declared, rest []DifferenceDoc) {
	for _, d := range doc.Differences {
		if d.Declared {
			declared = append(declared, d)
		} else {
			rest = append(rest, d)
		}
	}
	return declared, rest
}

// Compare prints a comparison: how many of what, then the declared packages, then the rest.
func (p *Page) Compare(doc CompareDoc) {
	p.heading("%s", doc.sentence())
	declared, rest := doc.parts()
	for _, part := range []struct {
		title string
		all   []DifferenceDoc
	}{{"Declared", declared}, {"Brought in by others", rest}} {
		if len(part.all) == 0 {
			continue
		}
		p.Line("")
		p.heading("%s", part.title)
		var rows [][]cell
		for _, d := range part.all {
			style := &faint
			switch d.Kind {
			case inspect.ByMajor, inspect.GoneBack, inspect.Unclear:
				style = &notice
			}
			rows = append(rows, []cell{{string(d.Kind), style}, {d.Name, &bold}, plain(d.move())})
		}
		p.table("  ", rows)
	}
}

// move says where a package went.
func (d DifferenceDoc) move() string {
	from, to := strings.Join(d.From, ", "), strings.Join(d.To, ", ")
	switch {
	case from == "":
		return to
	case to == "":
		return from
	}
	return from + " to " + to
}

// CompareMarkdown writes a comparison as Markdown, fit for a review.
func CompareMarkdown(w io.Writer, doc CompareDoc) error {
	b := strings.Builder{}
	fmt.Fprintf(&b, "%s\n", escapeMarkdown(doc.sentence()))
	declared, rest := doc.parts()
	table := func(all []DifferenceDoc) {
		b.WriteString("\n| package | move | from | to |\n|---|---|---|---|\n")
		for _, d := range all {
			fmt.Fprintf(&b, "| %s | %s | %s | %s |\n", escapeMarkdown(d.Name), d.Kind, escapeMarkdown(strings.Join(d.From, ", ")), escapeMarkdown(strings.Join(d.To, ", ")))
		}
	}
	if len(declared) > 0 {
		table(declared)
	}
	if len(rest) > 0 {
		fmt.Fprintf(&b, "\n<details><summary>%s brought in by others</summary>\n", count(len(rest), "package"))
		table(rest)
		b.WriteString("\n</details>\n")
	}
	_, err := io.WriteString(w, input.Harmless(b.String()))
	return err
}

// escapeMarkdown makes text literal in Markdown.
func escapeMarkdown(text string) string {
	text = input.OneLine(text)
	return strings.NewReplacer("\\", "\\\\", "|", "\\|", "*", "\\*", "_", "\\_", "`", "\\`", "<", "&lt;", "[", "\\[").Replace(text)
}
