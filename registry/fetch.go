package registry

import (
	"cmp"
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/hashicorp/go-retryablehttp"

	"molt/input"
)

// tries is how often something is asked for that fails in a way that may pass.
const tries = 3

func newHTTP(base *url.URL, o Options, jobs int) *retryablehttp.Client {
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
	c.HTTPClient = &http.Client{Transport: &authorizer{
		base, strings.TrimSuffix(cmp.Or(o.Below, base.Path), "/"), o.Credential, transport}, CheckRedirect: redirect}
	return c
}

// retry says which failures may pass: those that the library takes for such, but not a server that
// asks to be left alone for long, nor one that did not begin to answer in time.
func retry(ctx context.Context, response *http.Response, err error) (bool, error) {
	if response != nil && retryAfter(response) > input.RetryAfter {
		return false, nil
	}
	var away *redirectError
	if errors.As(err, &away) {
		return false, err
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

// A redirectError says why a redirection is not followed.
type redirectError struct{ says string }

func (e *redirectError) Error() string { return e.says }

// redirect bounds how far a server may send a request on. One that was encrypted stays so.
func redirect(r *http.Request, via []*http.Request) error {
	switch {
	case len(via) > input.Redirects:
		return &redirectError{fmt.Sprintf("more than %d redirections", input.Redirects)}
	case r.URL.Scheme != "http" && r.URL.Scheme != "https":
		return &redirectError{fmt.Sprintf("a redirection to %s, which is no address of the web", r.URL.Redacted())}
	case via[len(via)-1].URL.Scheme == "https" && r.URL.Scheme != "https":
		return &redirectError{fmt.Sprintf("a redirection from https to %s, which is not encrypted", r.URL.Redacted())}
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
func (c *Client) ask(ctx context.Context, address string, r Request,
	entry *entry) (body string, broken bool, err error) {
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
		return "", false, c.refused(address, response)
	}
	weight := int64(allLarge)
	if r.Read != nil {
		weight = 1
	}
	answer, err := c.answer(ctx, cancel, response, address, r.Limit, weight)
	if err != nil {
		return "", false, err
	}
	defer answer.done()
	kept, err := understand(r, answer)
	if err == nil {
		err = answer.end()
	}
	switch failed := answer.failure; {
	case failed != nil:
		return "", failed.passes, failed
	case ctx.Err() != nil:
		return "", false, ctx.Err()
	case err != nil:
		return "", false, &UnreachableError{address, fmt.Errorf("%s gives no usable answer: %w", address, err), true}
	}
	c.store(address, r.Accept, response, string(kept))
	return string(kept), false, nil
}

// understand reads an answer into what is kept of it.
func understand(r Request, body io.Reader) ([]byte, error) {
	if r.Read != nil {
		return r.Read(body)
	}
	data, err := io.ReadAll(body)
	if err != nil || r.Understand == nil {
		return data, err
	}
	return r.Understand(data)
}

// request sends a request, with the validators of an entry where there is one. The error is an *UnreachableError.
func (c *Client) request(ctx context.Context, address, accept string, entry *entry) (*http.Response, error) {
	request, err := retryablehttp.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return nil, &UnreachableError{address, err, false}
	}
	request.Header.Set("Accept", accept)
	if entry != nil {
		entry.condition(request.Header)
	}
	if !c.since.IsZero() { // caches on the way shall ask too (RFC 9111, section 5.2.1.4)
		request.Header.Set("Cache-Control", "no-cache")
	}
	response, err := c.http.Do(request)
	var away *redirectError
	if errors.As(err, &away) {
		return nil, &UnreachableError{address, fmt.Errorf("%s answered with %s", address, away.says), true}
	}
	var untrusted *tls.CertificateVerificationError
	if errors.As(err, &untrusted) {
		return nil, &UnreachableError{address, fmt.Errorf("%s: its certificate is not trusted: %w; add its authority to "+
			"those of the platform, or name a file with it in SSL_CERT_FILE", address, untrusted.Err), true}
	}
	if err != nil {
		return nil, unanswered(address, err)
	}
	slog.Debug("fetched", "url", address, "status", response.StatusCode)
	return response, nil
}

// unanswered says why there is no response: nobody answered, or what came is no HTTP.
func unanswered(address string, err error) error {
	var wrapped *url.Error
	if errors.As(err, &wrapped) { // says the address once more
		err = wrapped.Err
	}
	var network net.Error
	if errors.As(err, &network) || errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) ||
		errors.Is(err, context.Canceled) {
		return &UnreachableError{address, fmt.Errorf("%s: %w", address, err), false}
	}
	return &UnreachableError{address, fmt.Errorf("%s gives no usable answer: %w", address, err), true}
}

// refused says that a server answered with something else than what was asked for.
func (c *Client) refused(address string, response *http.Response) error {
	says := fmt.Sprintf("%s answered %s", address, response.Status)
	switch response.StatusCode {
	case http.StatusUnauthorized, http.StatusForbidden, http.StatusProxyAuthRequired:
		if c.keys != "" {
			says += "; " + c.keys
		}
	}
	if wait := retryAfter(response); wait > 0 {
		says += fmt.Sprintf(", and asks to be left alone for %s; Molt waits at most %s", wait.Round(time.Second),
			input.RetryAfter)
	}
	return &UnreachableError{address, errors.New(says), true}
}
