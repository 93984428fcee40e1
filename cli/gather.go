package cli

import (
	"bytes"
	"encoding/json"
	"errors"
	"io"

	"molt/doc"
)

// A gathering is several documents as one: what a command says of each side of an application, or of each stage.
type gathering struct {
	Schema string            `json:"schema"`
	Sides  []json.RawMessage `json:"sides,omitempty"`
	Stages []json.RawMessage `json:"stages,omitempty"`
}

// gathered runs a part of a command and returns the documents that it wrote. An error that is not a
// call for attention ends the command, whose document is then that of the error.
func (c *call) gathered(run func() error) ([]json.RawMessage, error) {
	usual := c.out
	b := &bytes.Buffer{}
	c.out = b
	err := run()
	c.out = usual
	if err != nil && !errors.Is(err, errAttention) {
		return nil, err
	}
	var all []json.RawMessage
	for d := json.NewDecoder(b); ; {
		var one json.RawMessage
		switch failed := d.Decode(&one); {
		case errors.Is(failed, io.EOF):
			return all, err
		case failed != nil:
			return nil, failed
		}
		all = append(all, one)
	}
}

// sidesOf writes what a command says of several sides as one document.
func (c *call) sidesOf(run func() error) error {
	all, err := c.gathered(run)
	if err != nil && !errors.Is(err, errAttention) {
		return err
	}
	return errors.Join(err, doc.JSON(c.out, gathering{Schema: "molt/sides/1", Sides: all}))
}
