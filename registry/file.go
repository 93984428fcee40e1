package registry

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/hashicorp/go-retryablehttp"

	"molt/input"
	"molt/registry/cache"
)

// Derived returns what is made of files that never change once they are published, which is kept
// for good under a name. Requests for the same name at the same time share one answer. The function
// may ask for files (File, Part). The error is its own, an *UnreachableError, or the context's.
func (c *Client) Derived(ctx context.Context, name string,
	derive func(ctx context.Context) ([]byte, error)) (string, error) {
	if err := ctx.Err(); err != nil {
		return "", err
	}
	key := c.base.String() + "/" + name
	c.work.Add(1)
	shared := c.flight.DoChan("derived "+name, func() (any, error) {
		if e := c.load(key, "derived"); e != nil {
			return e.Body, nil
		}
		if c.offline && c.folder == nil {
			c.miss(name)
			return "", &UnreachableError{key, fmt.Errorf("%s: %w", key, ErrOffline), true}
		}
		body, err := derive(c.alive)
		if err != nil {
			return "", err
		}
		c.cache.Put(nameOf(key, "derived"), cache.Entry{Stored: time.Now(), MaxAge: 1 << 30, Body: string(body)})
		return string(body), nil
	})
	select {
	case answer := <-shared:
		c.work.Done()
		body, _ := answer.Val.(string)
		return body, answer.Err
	case <-ctx.Done():
		go func() {
			<-shared
			c.work.Done()
		}()
		return "", ctx.Err()
	}
}

// File returns a file at an address, which is relative to the base or whole; to another origin than
// that of the base no credential goes. The error is a *NotFoundError, an *UnreachableError or the
// context's.
func (c *Client) File(ctx context.Context, address string, limit input.Limit) ([]byte, error) {
	if err := c.slots.Acquire(ctx, 1); err != nil {
		return nil, err
	}
	defer c.slots.Release(1)
	switch from, err := c.archive(address); {
	case err == nil:
		defer from.Close()
		return io.ReadAll(&limited{from, limit.Bytes, limit.Exceeded(address)})
	case !errors.Is(err, fs.ErrNotExist):
		return nil, &UnreachableError{address, err, true}
	case c.folder != nil && !strings.Contains(address, "://"):
		return nil, &NotFoundError{c.base.String() + "/" + address}
	}
	whole, err := c.whole(address)
	if err != nil {
		return nil, err
	}
	defer c.progress.begin(whole[strings.LastIndexByte(whole, '/')+1:])()
	for n := 1; ; n++ {
		data, broken, err := c.file(ctx, whole, limit)
		if err == nil || ctx.Err() != nil || !broken || n == tries {
			return data, err
		}
	}
}

// whole returns the address of a file, after a look at whether it may be asked for.
func (c *Client) whole(address string) (string, error) {
	if !strings.Contains(address, "://") {
		address = c.base.String() + "/" + address
	}
	u, err := url.Parse(address)
	switch {
	case err != nil || u.User != nil:
		return "", &UnreachableError{"the archive",
			errors.New("the registry gives an address of the archive that is none, or holds a password"), true}
	case u.Scheme != "https" && u.Scheme != "http":
		return "", &UnreachableError{address,
			fmt.Errorf("the registry gives %s as the address of the archive, which is none of the web", u), true}
	case c.base.Scheme == "https" && u.Scheme != "https":
		return "", &UnreachableError{address,
			fmt.Errorf("%s is not encrypted, and the registry's own address is", u.Redacted()), true}
	case c.offline:
		return "", &UnreachableError{address, fmt.Errorf("%s: %w", address, ErrOffline), true}
	}
	return address, nil
}

// file asks once, and says whether the answer broke off.
func (c *Client) file(ctx context.Context, address string, limit input.Limit) (data []byte, broken bool, err error) {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	response, err := c.request(ctx, address, "*/*", nil)
	if err != nil {
		return nil, false, err
	}
	defer response.Body.Close()
	switch {
	case response.StatusCode == http.StatusNotFound:
		return nil, false, &NotFoundError{address}
	case response.StatusCode != http.StatusOK:
		return nil, false, c.refused(address, response)
	}
	answer, err := c.answer(ctx, cancel, response, address, limit, 1)
	if err != nil {
		return nil, false, err
	}
	defer answer.done()
	data, err = io.ReadAll(answer)
	if failed := answer.failure; failed != nil {
		return nil, failed.passes, failed
	}
	return data, false, err
}

// A Parts reads parts of a file by range requests (RFC 9110, section 14), as an io.ReaderAt.
type Parts struct {
	c       *Client
	ctx     context.Context
	address string
	size    int64
	from    int64 // of what was read last
	last    []byte
}

// part is how much is asked for at a time: the list of files at the end of most archives, with some of the last files.
const part = 32 << 10

// errWhole reports a server that doesn't give parts.
var errWhole = errors.New("the server does not give parts of files")

// Parts begins to read a file from its end. The error is errors.ErrUnsupported where the server
// doesn't give parts, else as that of File.
func (c *Client) Parts(ctx context.Context, address string) (*Parts, error) {
	if c.folder != nil && !strings.Contains(address, "://") {
		data, err := c.File(ctx, address, input.Archive)
		return &Parts{c, ctx, address, int64(len(data)), 0, data}, err
	}
	whole, err := c.whole(address)
	if err != nil {
		return nil, err
	}
	p := &Parts{c: c, ctx: ctx, address: whole}
	if err := p.ask(fmt.Sprintf("bytes=-%d", part)); err != nil {
		if errors.Is(err, errWhole) {
			return nil, errors.ErrUnsupported
		}
		return nil, err
	}
	return p, nil
}

// Size is the length of the whole file.
func (p *Parts) Size() int64 { return p.size }

// ReadAt reads a part of the file.
func (p *Parts) ReadAt(b []byte, at int64) (int, error) {
	if at < 0 || at >= p.size {
		return 0, io.EOF
	}
	if at < p.from || at+int64(len(b)) > p.from+int64(len(p.last)) && p.from+int64(len(p.last)) < p.size {
		end := min(at+max(int64(len(b)), part), p.size)
		if err := p.ask(fmt.Sprintf("bytes=%d-%d", at, end-1)); err != nil {
			return 0, err
		}
	}
	if at < p.from || at > p.from+int64(len(p.last)) {
		return 0, &UnreachableError{p.address,
			fmt.Errorf("%s: the server gave another part than the one that was asked for", p.address), true}
	}
	n := copy(b, p.last[at-p.from:])
	if n < len(b) {
		return n, io.EOF
	}
	return n, nil
}

// ask asks for a part.
func (p *Parts) ask(bytesRange string) error {
	c := p.c
	if err := c.slots.Acquire(p.ctx, 1); err != nil {
		return err
	}
	defer c.slots.Release(1)
	ctx, cancel := context.WithCancelCause(p.ctx)
	defer cancel(nil)
	request, err := retryablehttp.NewRequestWithContext(ctx, http.MethodGet, p.address, nil)
	if err != nil {
		return &UnreachableError{p.address, err, false}
	}
	request.Header.Set("Accept", "*/*")
	request.Header.Set("Accept-Encoding", "identity")
	request.Header.Set("Range", bytesRange)
	response, err := c.http.Do(request)
	if err != nil {
		return &UnreachableError{p.address, err, false}
	}
	defer response.Body.Close()
	switch response.StatusCode {
	case http.StatusPartialContent:
	case http.StatusOK, http.StatusRequestedRangeNotSatisfiable, http.StatusNotImplemented, http.StatusMethodNotAllowed:
		return errWhole
	case http.StatusNotFound:
		return &NotFoundError{p.address}
	default:
		return c.refused(p.address, response)
	}
	from, size, ok := contentRange(response.Header.Get("Content-Range"))
	if !ok || p.size > 0 && size != p.size {
		return errWhole
	}
	answer, err := c.answer(ctx, cancel, response, p.address, input.Archive, 1)
	if err != nil {
		return err
	}
	defer answer.done()
	var data bytes.Buffer
	if _, err := data.ReadFrom(answer); err != nil {
		return err
	}
	p.from, p.size, p.last = from, size, data.Bytes()
	return nil
}

// contentRange reads "bytes 200-1000/67589".
func contentRange(text string) (from, size int64, ok bool) {
	rest, ok := strings.CutPrefix(text, "bytes ")
	span, whole, found := strings.Cut(rest, "/")
	first, last, spans := strings.Cut(span, "-")
	from, err := strconv.ParseInt(first, 10, 64)
	to, err2 := strconv.ParseInt(last, 10, 64)
	size, err3 := strconv.ParseInt(whole, 10, 64)
	return from, size, ok && found && spans && err == nil && err2 == nil && err3 == nil && from >= 0 && from <= to &&
		to < size
}
