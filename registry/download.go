package registry

import (
	"bytes"
	"context"
	"errors"
	"io"
	"io/fs"
	"net/http"
	"strings"
	"time"

	"molt/archive"
	"molt/input"
)

// A Sink takes what is downloaded. Reset lets go of all that was written, since a download that broke off starts over.
type Sink interface {
	io.Writer
	Reset() error
}

// A Memory is a sink that holds what is downloaded.
type Memory struct{ bytes.Buffer }

// Reset lets go of what was written.
func (m *Memory) Reset() error {
	m.Buffer.Reset()
	return nil
}

// Download copies an archive as it comes, without holding it. Its address is relative to the base
// or whole; to another origin than that of the base no credential goes. What was written is only to
// be used when there is no error: the digests, a W3C subresource-integrity string, are known to
// match then. Else the error is an *archive.DigestError, a *NotFoundError, an
// *UnreachableError, the context's, or the sink's own. Nothing is cached here.
func (c *Client) Download(ctx context.Context, address, integrity string, w Sink) error {
	if err := c.slots.Acquire(ctx, 1); err != nil {
		return err
	}
	defer c.slots.Release(1)
	switch from, err := c.archive(address); {
	case err == nil:
		return c.copyFile(from, address, integrity, w)
	case !errors.Is(err, fs.ErrNotExist):
		return &UnreachableError{address, err, true}
	case c.folder != nil && !strings.Contains(address, "://"):
		return &NotFoundError{c.base.String() + "/" + address}
	}
	address, err := c.whole(address)
	if err != nil {
		return err
	}
	for n := 1; ; n++ {
		broken, err := c.download(ctx, address, integrity, w)
		switch {
		case err == nil || ctx.Err() == nil && (!broken || n == tries):
			return err
		case ctx.Err() != nil:
			return ctx.Err()
		}
		if err := w.Reset(); err != nil {
			return err
		}
		select {
		case <-time.After(time.Duration(n) * 200 * time.Millisecond):
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

// download tries once, and says whether the answer broke off.
func (c *Client) download(ctx context.Context, address, integrity string, w io.Writer) (broken bool, err error) {
	digest, err := archive.NewDigest(address, integrity)
	if err != nil {
		return false, err
	}
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	response, err := c.request(ctx, address, "*/*", nil)
	if err != nil {
		return false, err
	}
	defer response.Body.Close()
	switch {
	case response.StatusCode == http.StatusNotFound:
		return false, &NotFoundError{address}
	case response.StatusCode != http.StatusOK:
		return false, c.refused(address, response)
	}
	body, err := c.answer(ctx, cancel, response, address, input.Archive, 0)
	if err != nil {
		return false, err
	}
	defer body.done()
	_, err = io.Copy(io.MultiWriter(digest, w), body)
	switch failed := body.failure; {
	case failed != nil:
		return failed.passes, failed
	case err != nil: // the sink's own
		return false, err
	}
	return false, digest.Check()
}

// copyFile downloads from a folder.
func (c *Client) copyFile(from io.ReadCloser, address, integrity string, w io.Writer) error {
	defer from.Close()
	digest, err := archive.NewDigest(address, integrity)
	if err != nil {
		return err
	}
	if _, err := io.Copy(io.MultiWriter(digest, w),
		&limited{from, input.Archive.Bytes, input.Archive.Exceeded(address)}); err != nil {
		return &UnreachableError{address, err, true}
	}
	return digest.Check()
}
