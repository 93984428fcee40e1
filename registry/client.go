// Package registry talks to package registries: one HTTP client with retries, bounded concurrency and an on-disk
// cache that follows HTTP's own rules; directories on disk in the same role; and the universe files that the stand-in
// serves.
package registry

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"github.com/hashicorp/go-retryablehttp"
	"golang.org/x/sync/semaphore"
)

// largestDocument bounds what is read of one answer, in bytes.
const largestDocument = 256 << 20

// A Client fetches documents below one base address. It may be used concurrently.
type Client struct {
	base    *url.URL
	token   string
	offline bool
	cache   *cache
	reduce  func(accept string, body []byte) []byte
	http    *retryablehttp.Client
	slots   *semaphore.Weighted

	mu     sync.Mutex
	flight map[string]*call
}

type call struct {
	done chan struct{}
	body []byte
	err  error
}

// Options say how a client works.
type Options struct {
	Base    string // http://, https:// or file:// address
	Token   string // bearer token for Base's host, "" for none
	Offline bool   // answer from the cache alone
	Cache   string // folder of the cache, "" for none
	Jobs    int    // requests at the same time
	// Reduce, when it is not nil, leaves of a document what will be read of it, before it is kept and answered. What it does
	// not know it returns as it is.
	Reduce func(accept string, body []byte) []byte
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

// New returns a client.
func New(o Options) (*Client, error) {
	base, err := url.Parse(o.Base)
	if err != nil || base.Scheme != "http" && base.Scheme != "https" && base.Scheme != "file" {
		return nil, fmt.Errorf("registry address %q: expected one that begins with http://, https:// or file://", o.Base)
	}
	base.Path = strings.TrimSuffix(base.Path, "/")
	c := &Client{base: base, token: o.Token, offline: o.Offline, reduce: o.Reduce, flight: map[string]*call{}}
	c.slots = semaphore.NewWeighted(int64(max(o.Jobs, 1)))
	if o.Cache != "" && base.Scheme != "file" {
		c.cache = &cache{dir: o.Cache}
	}
	c.http = retryablehttp.NewClient()
	c.http.Logger = nil
	c.http.RetryMax, c.http.RetryWaitMin, c.http.RetryWaitMax = 2, 200*time.Millisecond, 2*time.Second
	c.http.ErrorHandler = retryablehttp.PassthroughErrorHandler
	transport := http.DefaultTransport.(*http.Transport).Clone()
	transport.MaxIdleConnsPerHost = max(o.Jobs, 1)
	c.http.HTTPClient = &http.Client{Transport: transport}
	return c, nil
}

// Base returns the address that all documents lie below, without a final slash.
func (c *Client) Base() string { return c.base.String() }

// Close lets go of idle connections.
func (c *Client) Close() { c.http.HTTPClient.CloseIdleConnections() }

// Get fetches the document at a path below the base; the path's segments are escaped already. Requests for the same
// document at the same time share one answer. The error is a *NotFoundError, an *UnreachableError, or the context's.
func (c *Client) Get(ctx context.Context, path, accept string) ([]byte, error) {
	key := accept + " " + path
	c.mu.Lock()
	f, running := c.flight[key]
	if !running {
		f = &call{done: make(chan struct{})}
		c.flight[key] = f
	}
	c.mu.Unlock()
	if !running {
		f.body, f.err = c.get(ctx, path, accept)
		c.mu.Lock()
		delete(c.flight, key)
		c.mu.Unlock()
		close(f.done)
		return f.body, f.err
	}
	select {
	case <-f.done:
		return f.body, f.err
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

func (c *Client) get(ctx context.Context, path, accept string) ([]byte, error) {
	if err := c.slots.Acquire(ctx, 1); err != nil {
		return nil, err
	}
	defer c.slots.Release(1)
	if c.base.Scheme == "file" {
		return c.read(path)
	}
	address := c.base.String() + "/" + path
	entry := c.cache.load(address, accept)
	switch {
	case entry != nil && (c.offline || entry.fresh(time.Now())):
		return entry.answer()
	case c.offline:
		return nil, &UnreachableError{address, fmt.Errorf("%s: %w", address, ErrOffline)}
	}
	request, err := retryablehttp.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return nil, &UnreachableError{address, err}
	}
	request.Header.Set("Accept", accept)
	if c.token != "" {
		request.Header.Set("Authorization", "Bearer "+c.token)
	}
	if entry != nil {
		entry.condition(request.Header)
	}
	response, err := c.http.Do(request)
	if err != nil {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return nil, &UnreachableError{address, err}
	}
	defer response.Body.Close()
	slog.Debug("fetched", "url", address, "status", response.StatusCode)
	if response.StatusCode == http.StatusNotModified && entry != nil {
		c.cache.renew(entry, response.Header)
		return entry.answer()
	}
	body, err := io.ReadAll(io.LimitReader(response.Body, largestDocument+1))
	switch {
	case err != nil && ctx.Err() != nil:
		return nil, ctx.Err()
	case err != nil:
		return nil, &UnreachableError{address, err}
	case len(body) > largestDocument:
		return nil, &UnreachableError{address, fmt.Errorf("the answer is larger than %d MB", largestDocument>>20)}
	case response.StatusCode == http.StatusNotFound:
		c.cache.store(address, accept, response, nil)
		return nil, &NotFoundError{address}
	case response.StatusCode != http.StatusOK:
		return nil, &UnreachableError{address, fmt.Errorf("%s answered %s", address, response.Status)}
	}
	if c.reduce != nil {
		body = c.reduce(accept, body)
	}
	c.cache.store(address, accept, response, body)
	return body, nil
}

// read answers from a folder: the document of name is name.json.
func (c *Client) read(path string) ([]byte, error) {
	name, err := url.PathUnescape(path)
	if err != nil || !filepath.IsLocal(filepath.FromSlash(name)) {
		return nil, &NotFoundError{path}
	}
	file := filepath.FromSlash(c.base.Path + "/" + name + ".json")
	body, err := os.ReadFile(file)
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
