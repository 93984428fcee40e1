package render

import (
	"bytes"
	"encoding/json"
	"io"

	"molt/input"
)

// JSON writes a document with an indent of two spaces.
func JSON(w io.Writer, doc any) error {
	var b bytes.Buffer
	enc := json.NewEncoder(&b)
	enc.SetEscapeHTML(false)
	enc.SetIndent("", "  ")
	if err := enc.Encode(doc); err != nil {
		return err
	}
	_, err := w.Write(input.EscapeJSON(b.Bytes()))
	return err
}
