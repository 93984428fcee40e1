// Package md prints documents as Markdown.
package md

import (
	"fmt"
	"io"
	"strings"

	"molt/doc"
	"molt/input"
	"molt/render"
)

// Compare writes a comparison as Markdown, fit for a review.
func Compare(w io.Writer, answer doc.Compare) error {
	b := strings.Builder{}
	fmt.Fprintf(&b, "%s\n", escapeMarkdown(render.Differing(answer)))
	declared, rest := render.Differences(answer)
	table := func(all []doc.Difference) {
		b.WriteString("\n| package | move | from | to |\n|---|---|---|---|\n")
		for _, d := range all {
			fmt.Fprintf(&b, "| %s | %s | %s | %s |\n", escapeMarkdown(d.Name), d.Kind,
				escapeMarkdown(strings.Join(d.From, ", ")), escapeMarkdown(strings.Join(d.To, ", ")))
		}
	}
	if len(declared) > 0 {
		table(declared)
	}
	if len(rest) > 0 {
		fmt.Fprintf(&b, "\n<details><summary>%s brought in by others</summary>\n", render.Count(len(rest), "package"))
		table(rest)
		b.WriteString("\n</details>\n")
	}
	_, err := io.WriteString(w, input.Harmless(b.String()))
	return err
}

// escapeMarkdown makes text literal in Markdown. A comment that nobody sees comes after an @, since
// where Markdown is shown, a name behind one may call somebody.
func escapeMarkdown(text string) string {
	text = input.OneLine(text)
	return strings.NewReplacer("\\", "\\\\", "|", "\\|", "*", "\\*", "_", "\\_", "`", "\\`", "<", "&lt;", "[", "\\[",
		"@", "@<!-- -->").Replace(text)
}
