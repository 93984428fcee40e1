package registry

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"strconv"
	"time"

	"github.com/hashicorp/go-retryablehttp"

	"molt/input"
)

// tries is how often something is asked for that fails in a way that may pass.
const tries = 3

func newHTTP(base *url.URL, credential Credential, jobs int) *retryablehttp.Client {
	c := retryablehttp.NewClient()
	c.Logger = nil
	c.RetryMax, c.RetryWaitMin, c.RetryWaitMax = tries-1, 200*time.Millisecond, 2*time.Second
	c.ErrorHandler = retryablehttp.PassthroughErrorHandler
	c.CheckRetry = retry
	transport := http.DefaultTransport.(*http.Transport).Clone()
	transport.MaxIdleConnsPerHost = jobs
	transport.DialContext = (&net.Dialer{Timeout: input.Connect, KeepAlive: 30 * time.Second}).DialContext
	transport.TLSHandshakeTimeout = input.Connect
	transport.ResponseHeaderTimeout = input.Header
	transport.MaxResponseHeaderBytes = 1 << 20
	c.HTTPClient = &http.Client{Transport: &authorizer{base, credential, transport}, CheckRedirect: redirect}
	return c
}

// retry says which failures may pass: those that the library takes for such, but not a server that asks to be left alone
// for long, nor one that did not begin to answer in time.
func retry(ctx context.Context, response *http.Response, err error) (bool, error) {
	if response != nil && retryAfter(response) > input.RetryAfter {
		return false, nil
	}
	var wait net.Error
	if errors.As(err, &wait) && wait.Timeout() {
		return false, err
	}
	return retryablehttp.DefaultRetryPolicy(ctx, response, err)
}

// retryAfter reads how long a server asks to be left alone (RFC 9110, section 10.2.3).
func retryAfter(r *http.Response) time.Duration {
	text := r.Header.Get("Retry-After")
	if seconds, err := strconv.Atoi(text); err == nil {
		return time.Duration(min(seconds, 1<<30)) * time.Second
	}
	if at, err := http.ParseTime(text); err == nil {
		return time.Until(at)
	}
	return 0
}

// redirect bounds how far a server may send a request on. One that was encrypted stays so.
func redirect(r *http.Request, via []*http.Request) error {
	switch {
	case len(via) > input.Redirects:
		return fmt.Errorf("more than %d redirections", input.Redirects)
	case r.URL.Scheme != "http" && r.URL.Scheme != "https":
		return fmt.Errorf("a redirection to %s, which is no address of the web", r.URL.Redacted())
	case via[len(via)-1].URL.Scheme == "https" && r.URL.Scheme != "https":
		return fmt.Errorf("a redirection from https to %s, which is not encrypted", r.URL.Redacted())
	}
	return nil
}

// fetch asks the server. An answer that breaks off is asked for again like any other failure that may pass.
func (c *Client) fetch(ctx context.Context, address string, r Request, entry *entry) (string, error) {
	for n := 1; ; n++ {
		body, broken, err := c.ask(ctx, address, r, entry)
		switch {
		case err == nil || ctx.Err() == nil && (!broken || n == tries):
			return body, err
		case ctx.Err() != nil:
			return "", ctx.Err()
		}
		select {
		case <-time.After(time.Duration(n) * 200 * time.Millisecond):
		case <-ctx.Done():
			return "", ctx.Err()
		}
	}
}

// ask asks once, and says whether the answer broke off.
func (c *Client) ask(ctx context.Context, address string, r Request, entry *entry) (body string, broken bool, err error) {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	response, err := c.request(ctx, address, r.Accept, entry)
	if err != nil {
		return "", false, err
	}
	defer response.Body.Close()
	switch {
	case response.StatusCode == http.StatusNotModified && entry != nil:
		c.renew(entry, response.Header)
		body, err = entry.answer()
		return body, false, err
	case response.StatusCode == http.StatusNotFound:
		c.store(address, r.Accept, response, "")
		return "", false, &NotFoundError{address}
	case response.StatusCode != http.StatusOK:
		return "", false, refused(address, response)
	}
	data, release, err := c.readBody(ctx, cancel, response, address, r.Limit)
	defer release()
	var beyond *input.LimitError
	switch {
	case errors.As(err, &beyond):
		return "", false, &UnreachableError{address, err}
	case err != nil:
		var slow *slowError
		return "", !errors.As(err, &slow), &UnreachableError{address, err}
	}
	body, err = c.understood(address, r, response, data)
	return body, false, err
}

// request sends a request, with the validators of an entry where there is one. The error is an *UnreachableError.
func (c *Client) request(ctx context.Context, address, accept string, entry *entry) (*http.Response, error) {
	request, err := retryablehttp.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return nil, &UnreachableError{address, err}
	}
	request.Header.Set("Accept", accept)
	if entry != nil {
		entry.condition(request.Header)
	}
	if !c.since.IsZero() { // caches on the way shall ask too (RFC 9111, section 5.2.1.4)
		request.Header.Set("Cache-Control", "no-cache")
	}
	response, err := c.http.Do(request)
	if err != nil {
		return nil, &UnreachableError{address, err}
	}
	slog.Debug("fetched", "url", address, "status", response.StatusCode)
	return response, nil
}

// refused says that a server answered with something else than what was asked for.
func refused(address string, response *http.Response) error {
	says := fmt.Sprintf("%s answered %s", address, response.Status)
	if wait := retryAfter(response); wait > 0 {
		says += fmt.Sprintf(", and asks to be left alone for %s; Molt waits at most %s", wait.Round(time.Second), input.RetryAfter)
	}
	return &UnreachableError{address, errors.New(says)}
}

// A slowError ends an answer that takes too long.
type slowError struct {
	address string
	says    string
}

func (e *slowError) Error() string { return e.address + ": " + e.says }

// readBody reads an answer within its limit and within time. One that is larger than input.SmallAnswer is read when it is
// the only one, until release is called.
func (c *Client) readBody(ctx context.Context, cancel context.CancelCauseFunc, response *http.Response, address string, limit input.Limit) (body []byte, release func(), err error) {
	release = func() {}
	large := false
	grow := func(n int64) error {
		if large || n <= input.SmallAnswer {
			return nil
		}
		if err := c.large.Acquire(ctx, 1); err != nil {
			return err
		}
		large, release = true, func() { c.large.Release(1) }
		return nil
	}
	var b bytes.Buffer
	err = c.receive(ctx, cancel, response, address, limit, grow, &b)
	return b.Bytes(), release, err
}

// receive copies an answer within its limit and within time. Before it holds more, it asks whether it may, for which no server is blamed.
func (c *Client) receive(ctx context.Context, cancel context.CancelCauseFunc, response *http.Response, address string, limit input.Limit, grow func(n int64) error, w io.Writer) error {
	began, waited := time.Now(), time.Duration(0)
	watch := time.AfterFunc(c.idle, func() {
		cancel(&slowError{address, fmt.Sprintf("the answer paused for more than %s", c.idle)})
	})
	defer watch.Stop()
	ask := func(n int64) error {
		watch.Stop()
		before := time.Now()
		err := grow(n)
		waited += time.Since(before)
		watch.Reset(c.idle)
		return err
	}
	if response.ContentLength > limit.Bytes {
		return limit.Exceeded(address)
	}
	if err := ask(response.ContentLength); err != nil {
		return err
	}
	if b, inMemory := w.(*bytes.Buffer); inMemory {
		b.Grow(int(max(min(response.ContentLength, limit.Bytes), 0)) + bytes.MinRead)
	}
	part := make([]byte, 32<<10)
	for n := int64(0); ; {
		k, err := response.Body.Read(part)
		n += int64(k)
		watch.Reset(c.idle)
		switch {
		case context.Cause(ctx) != nil && ctx.Err() != nil:
			return context.Cause(ctx)
		case n > limit.Bytes:
			return limit.Exceeded(address)
		}
		if _, failed := w.Write(part[:k]); failed != nil {
			return &writeError{failed}
		}
		switch {
		case errors.Is(err, io.EOF):
			return nil
		case err != nil:
			return err
		case time.Since(began)-waited > c.slowStart+time.Duration(n/input.LeastRate)*time.Second:
			return &slowError{address, fmt.Sprintf("the answer drips: %s in %s", input.Size(n), time.Since(began).Round(time.Second))}
		}
		if err := ask(n); err != nil {
			return err
		}
	}
}
