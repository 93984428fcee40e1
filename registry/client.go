// Package registry talks to package registries: one HTTP client with retries, bounded concurrency and an on-disk
// cache that follows HTTP's own rules; directories on disk in the same role; and the universe files that the stand-in
// serves. What a registry answers is hostile until it was understood: it comes within the limits of package input, and
// nothing is kept of it before.
package registry

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"sync"
	"time"

	"github.com/hashicorp/go-retryablehttp"
	"golang.org/x/sync/semaphore"
	"golang.org/x/sync/singleflight"

	"molt/input"
	"molt/registry/cache"
)

// A Client fetches documents below one base address. It may be used concurrently.
type Client struct {
	base            *url.URL
	folder          *folder // nil for a registry on the web
	offline         bool
	unsaid          time.Duration // see Options
	since           time.Time     // see Options
	cache           *cache.Cache
	http            *retryablehttp.Client
	slots           *semaphore.Weighted
	large           *semaphore.Weighted // for answers that are larger than input.SmallAnswer
	document        input.Limit
	keys            string // see Options
	progress        progress
	idle, slowStart time.Duration // input.Idle and input.SlowStart, which tests shorten

	mu     sync.Mutex
	missed map[string]bool // while offline

	flight singleflight.Group
	alive  context.Context // ends with the client
	end    context.CancelFunc
	work   sync.WaitGroup
}

// Options say how a client works.
type Options struct {
	Base       string        // http://, https:// or file:// address, without user and password
	Credential Credential    // for Base's scheme, host and port, and no other
	Below      string        // the path below which the credential is sent, as "/"; "" for that of Base
	Keys       string        // what to do where the registry wants to know who asks, for messages; "" for nothing
	Offline    bool          // answer from the cache only
	Since      time.Time     // answers from before are asked for again, however long they count; zero for none
	Unsaid     time.Duration // how long an answer counts where the registry does not say
	Cache      string        // folder of the cache, "" for none
	CacheLimit int64         // how much of answers the cache may keep, in bytes; 0 for the usual limit
	Jobs       int           // requests at the same time
	Document   int64         // how large a document may be, in bytes; 0 for the usual limit
}

// A Request asks for something below the base address.
type Request struct {
	Path   string // whose segments are escaped already
	Accept string
	// Instead are media types whose answers, where the cache has one that counts, serve as well.
	Instead []string
	Limit   input.Limit // zero for that of documents
	// Read checks an answer as it comes and returns what is to be kept of it. Before that nothing
	// is kept: a page that asks for a password, or half an archive, is an error and no answer. It
	// is called again when an answer broke off.
	Read func(body io.Reader) ([]byte, error)
	// Understand does the same with an answer that is there as a whole. Without Read and Understand all is kept as it is.
	Understand func(body []byte) ([]byte, error)
}

// A NotFoundError reports that the registry has no such document.
type NotFoundError struct{ URL string }

func (e *NotFoundError) Error() string { return e.URL + ": not found" }

// An UnreachableError reports that the registry gave no usable answer.
type UnreachableError struct {
	URL      string
	Err      error
	Answered bool // it did answer, or was not asked
}

func (e *UnreachableError) Error() string {
	if e.Answered {
		return e.Err.Error()
	}
	return fmt.Sprintf("the registry did not answer: %s; --offline works with what the cache holds", cause(e.Err))
}

// cause says why in a few words, with the address.
func cause(err error) string {
	var at *url.Error
	var call *os.SyscallError
	switch {
	case errors.As(err, &at) && errors.As(err, &call):
		return at.URL + ": " + call.Err.Error()
	case errors.As(err, &at):
		return at.URL + ": " + at.Err.Error()
	}
	return dialling.ReplaceAllString(err.Error(), "")
}

// dialling is what the network says before why it failed.
var dialling = regexp.MustCompile(`dial tcp \S+: (connect: )?`)

func (e *UnreachableError) Unwrap() error { return e.Err }

func (c *Client) miss(path string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.missed == nil {
		c.missed = map[string]bool{}
	}
	c.missed[unescaped(path)] = true
}

// unescaped writes a path for people.
func unescaped(path string) string {
	if name, err := url.PathUnescape(path); err == nil {
		return name
	}
	return path
}

// ErrOffline is wrapped where --offline meets a document that the cache does not hold.
var ErrOffline = errors.New("not in the cache, and Molt was told to stay offline")

// CacheDir is the folder of answers in that of the cache.
const CacheDir = "answers"

// usualCache is how much of answers is kept where nobody says: those about some tens of thousands of packages.
const usualCache = 1 << 30

// allLarge is how many answers that are larger than input.SmallAnswer are read at the same time, as
// they come; of those that are held whole, one at a time is.
const allLarge = 2

// New returns a client. The error is about the address, and holds no secret.
func New(o Options) (*Client, error) {
	base, err := ParseAddress(o.Base)
	if err != nil {
		return nil, err
	}
	c := &Client{base: base, offline: o.Offline, document: input.Document, idle: input.Idle, slowStart: input.SlowStart}
	c.unsaid, c.since, c.keys = o.Unsaid, o.Since, o.Keys
	if o.Document > 0 {
		c.document.Bytes = o.Document
	}
	c.alive, c.end = context.WithCancel(context.Background())
	c.slots = semaphore.NewWeighted(int64(min(max(o.Jobs, 1), input.Answers)))
	c.large = semaphore.NewWeighted(allLarge)
	if o.CacheLimit == 0 {
		o.CacheLimit = usualCache
	}
	if base.Scheme == "file" {
		c.folder = newFolder(filepath.FromSlash(base.Path))
	}
	if o.Cache != "" {
		c.cache = cache.In(filepath.Join(o.Cache, CacheDir), o.CacheLimit)
	}
	c.http = newHTTP(base, o, max(o.Jobs, 1))
	return c, nil
}

// Base returns the address that all documents lie below, without a final slash.
func (c *Client) Base() string { return c.base.String() }

// Close ends what is still under way, and lets go of idle connections. Nothing may be asked for afterwards.
func (c *Client) Close() {
	c.end()
	c.work.Wait()
	c.cache.Close()
	c.folder.Close()
	c.http.HTTPClient.CloseIdleConnections()
}

// Fetch returns the document at a path below the base; requests for the same document at the same
// time share one answer, which does not depend on who asked first, nor on whether that one still
// waits. The error is a *NotFoundError, an *UnreachableError, or the context's.
func (c *Client) Fetch(ctx context.Context, r Request) (string, error) {
	if err := ctx.Err(); err != nil {
		return "", err
	}
	c.work.Add(1)
	shared := c.flight.DoChan(r.Accept+" "+r.Path, func() (any, error) { return c.get(c.alive, r) })
	select {
	case answer := <-shared:
		c.work.Done()
		body, _ := answer.Val.(string)
		return body, answer.Err
	case <-ctx.Done():
		go func() { // until the answer is there, which Close hastens
			<-shared
			c.work.Done()
		}()
		return "", ctx.Err()
	}
}

func (c *Client) get(ctx context.Context, r Request) (string, error) {
	if err := c.slots.Acquire(ctx, 1); err != nil {
		return "", err
	}
	defer c.slots.Release(1)
	if r.Limit == (input.Limit{}) {
		r.Limit = c.document
	}
	defer c.progress.documents.Add(1)
	if c.folder != nil {
		return c.read(r)
	}
	address := c.base.String() + "/" + r.Path
	entry := c.load(address, r.Accept)
	for _, accept := range r.Instead {
		if entry != nil && c.fresh(entry) {
			break
		}
		if other := c.load(address, accept); other != nil && (c.fresh(other) || c.offline && entry == nil) {
			entry = other
		}
	}
	switch {
	case entry != nil && (c.offline || c.fresh(entry)):
		return entry.answer()
	case c.offline:
		c.miss(r.Path)
		return "", &UnreachableError{address, fmt.Errorf("%s: %w", address, ErrOffline), true}
	}
	defer c.progress.begin(r.Path)()
	return c.fetch(ctx, address, r, entry)
}
