// Package registry talks to package registries: one HTTP client with retries, bounded concurrency and an on-disk
// cache that follows HTTP's own rules; directories on disk in the same role; and the universe files that the stand-in
// serves. What a registry answers is hostile until it was understood: it comes within the limits of package input, and
// nothing is kept of it before.
package registry

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"sync"
	"time"

	"github.com/hashicorp/go-retryablehttp"
	"golang.org/x/sync/semaphore"
	"golang.org/x/sync/singleflight"

	"molt/input"
)

// A Client fetches documents below one base address. It may be used concurrently.
type Client struct {
	base            *url.URL
	offline         bool
	unsaid          time.Duration // see Options
	since           time.Time     // see Options
	cache           *cache
	http            *retryablehttp.Client
	slots           *semaphore.Weighted
	large           *semaphore.Weighted // for the one answer that may be larger than input.SmallAnswer
	document        input.Limit
	idle, slowStart time.Duration // input.Idle and input.SlowStart, which tests shorten

	flight singleflight.Group
	alive  context.Context // ends with the client
	end    context.CancelFunc
	work   sync.WaitGroup
}

// Options say how a client works.
type Options struct {
	Base       string        // http://, https:// or file:// address, without user and password
	Credential Credential    // for Base's scheme, host and port, and no other
	Offline    bool          // answer from the cache alone
	Since      time.Time     // answers from before are asked for again, however long they count; zero for none
	Unsaid     time.Duration // how long an answer counts where the registry does not say
	Cache      string        // folder of the cache, "" for none
	Jobs       int           // requests at the same time
	Document   int64         // how large a document may be, in bytes; 0 for the usual limit
}

// A Request asks for something below the base address.
type Request struct {
	Path   string // whose segments are escaped already
	Accept string
	Limit  input.Limit // zero for that of documents
	// Understand checks an answer and returns what is to be kept of it. Before that nothing is kept: a page that asks for
	// a password, or half an archive, is an error and no answer. Nil takes everything as it is.
	Understand func(body []byte) ([]byte, error)
}

// A NotFoundError reports that the registry has no such document.
type NotFoundError struct{ URL string }

func (e *NotFoundError) Error() string { return e.URL + ": not found" }

// An UnreachableError reports that the registry gave no usable answer.
type UnreachableError struct {
	URL string
	Err error
}

func (e *UnreachableError) Error() string {
	return fmt.Sprintf("the registry did not answer: %v", e.Err)
}
func (e *UnreachableError) Unwrap() error { return e.Err }

// ErrOffline is wrapped where --offline meets a document that the cache does not hold.
var ErrOffline = errors.New("not in the cache, and Molt was told to stay offline")

// New returns a client. The error is about the address, and holds no secret.
func New(o Options) (*Client, error) {
	base, err := ParseAddress(o.Base)
	if err != nil {
		return nil, err
	}
	c := &Client{base: base, offline: o.Offline, document: input.Document, idle: input.Idle, slowStart: input.SlowStart}
	c.unsaid, c.since = o.Unsaid, o.Since
	if o.Document > 0 {
		c.document.Bytes = o.Document
	}
	c.alive, c.end = context.WithCancel(context.Background())
	c.slots = semaphore.NewWeighted(int64(min(max(o.Jobs, 1), input.Answers)))
	c.large = semaphore.NewWeighted(1)
	if o.Cache != "" && base.Scheme != "file" {
		c.cache = &cache{dir: o.Cache}
	}
	c.http = newHTTP(base, o.Credential, max(o.Jobs, 1))
	return c, nil
}

// Base returns the address that all documents lie below, without a final slash.
func (c *Client) Base() string { return c.base.String() }

// Close ends what is still under way, and lets go of idle connections. Nothing may be asked for afterwards.
func (c *Client) Close() {
	c.end()
	c.work.Wait()
	c.http.HTTPClient.CloseIdleConnections()
}

// Fetch returns the document at a path below the base; requests for the same document at the same time share one answer, which does
// not depend on who asked first, nor on whether that one still waits. The error is a *NotFoundError, an *UnreachableError, or the
// context's.
func (c *Client) Fetch(ctx context.Context, r Request) ([]byte, error) {
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	c.work.Add(1)
	shared := c.flight.DoChan(r.Accept+" "+r.Path, func() (any, error) { return c.get(c.alive, r) })
	select {
	case answer := <-shared:
		c.work.Done()
		body, _ := answer.Val.([]byte)
		return body, answer.Err
	case <-ctx.Done():
		go func() { // until the answer is there, which Close hastens
			<-shared
			c.work.Done()
		}()
		return nil, ctx.Err()
	}
}

func (c *Client) get(ctx context.Context, r Request) ([]byte, error) {
	if err := c.slots.Acquire(ctx, 1); err != nil {
		return nil, err
	}
	defer c.slots.Release(1)
	if r.Limit == (input.Limit{}) {
		r.Limit = c.document
	}
	if c.base.Scheme == "file" {
		return c.read(r)
	}
	address := c.base.String() + "/" + r.Path
	entry := c.cache.load(address, r.Accept)
	switch {
	case entry != nil && (c.offline || entry.freshFor(c.unsaid) && !entry.Stored.Before(c.since)):
		return entry.answer()
	case c.offline:
		return nil, &UnreachableError{address, fmt.Errorf("%s: %w", address, ErrOffline)}
	}
	return c.fetch(ctx, address, r, entry)
}

// read answers from a folder: the document of name is name.json.
func (c *Client) read(r Request) ([]byte, error) {
	name, err := url.PathUnescape(r.Path)
	if err != nil || !filepath.IsLocal(filepath.FromSlash(name)) {
		return nil, &NotFoundError{r.Path}
	}
	file := filepath.FromSlash(c.base.Path + "/" + name + ".json")
	body, err := input.ReadFile(file, r.Limit)
	if err == nil && r.Understand != nil {
		body, err = r.Understand(body)
	}
	switch {
	case errors.Is(err, fs.ErrNotExist):
		if _, err := os.Stat(filepath.FromSlash(c.base.Path)); err != nil {
			return nil, &UnreachableError{file, err}
		}
		return nil, &NotFoundError{file}
	case err != nil:
		return nil, &UnreachableError{file, err}
	}
	return body, nil
}

// understood keeps the body of an answer, once it was understood.
func (c *Client) understood(address string, r Request, response *http.Response, body []byte) ([]byte, error) {
	if r.Understand != nil {
		var err error
		if body, err = r.Understand(body); err != nil {
			return nil, &UnreachableError{address, fmt.Errorf("%s: %w", address, err)}
		}
	}
	c.cache.store(address, r.Accept, response, body)
	return body, nil
}
