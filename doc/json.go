// Package doc holds the documents in which Molt answers: one type each, with the tags of its JSON
// form, which docs/formats.md describes. Documents are values; package ask fills them, and the
// packages below render print them.
package doc

import (
	"bytes"
	"encoding/json"
	"io"

	"molt/input"
)

// JSON writes a document with an indent of two spaces.
func JSON(w io.Writer, answer any) error {
	var b bytes.Buffer
	enc := json.NewEncoder(&b)
	enc.SetEscapeHTML(false)
	enc.SetIndent("", "  ")
	if err := enc.Encode(answer); err != nil {
		return err
	}
	_, err := w.Write(input.EscapeJSON(b.Bytes()))
	return err
}
