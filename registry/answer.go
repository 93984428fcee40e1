package registry

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"time"

	"molt/input"
)

// An answer is the body of a response, read within its limit and within time: the reader's own time
// doesn't count. When it ends before its end, failure says why.
type answer struct {
	c       *Client
	ctx     context.Context
	body    io.Reader
	address string
	limit   input.Limit
	watch   *time.Timer // ends the answer when it pauses

	weight  int64         // what it takes of Client.large when it is larger than input.SmallAnswer
	holds   bool          // it has taken that
	n       int64         // bytes so far
	spent   time.Duration // waiting for them
	failure *answerError
}

// An answerError says why an answer ended before its end. It is an *UnreachableError to others.
type answerError struct {
	UnreachableError
	passes bool // it may be gone when the same is asked for again
}

// Unwrap returns the failure as others know it.
func (e *answerError) Unwrap() error { return &e.UnreachableError }

// answer begins to read a response, until done is called. Canceling ends the context of its request.
func (c *Client) answer(ctx context.Context, cancel context.CancelCauseFunc, response *http.Response, address string,
	limit input.Limit, weight int64) (*answer, error) {
	a := &answer{c: c, ctx: ctx, body: response.Body, address: address, limit: limit, weight: weight}
	if response.ContentLength > limit.Bytes {
		return nil, &UnreachableError{address, limit.Exceeded(address), true}
	}
	a.watch = time.AfterFunc(c.idle, func() {
		cancel(fmt.Errorf("%s: the answer paused for more than %s", address, c.idle))
	})
	a.watch.Stop()
	return a, nil
}

// Read reads a part of the answer.
func (a *answer) Read(part []byte) (int, error) {
	if a.failure != nil {
		return 0, a.failure
	}
	if a.n > input.SmallAnswer && !a.holds && a.weight > 0 {
		if err := a.c.large.Acquire(a.ctx, a.weight); err != nil {
			return 0, a.fail(err, false, false)
		}
		a.holds = true
	}
	began := time.Now()
	a.watch.Reset(a.c.idle)
	k, err := a.body.Read(part)
	a.watch.Stop()
	a.spent += time.Since(began)
	a.n += int64(k)
	a.c.progress.received.Add(int64(k))
	switch cause := context.Cause(a.ctx); {
	case cause != nil && a.ctx.Err() != nil:
		return 0, a.fail(cause, true, false)
	case a.n > a.limit.Bytes:
		return 0, a.fail(a.limit.Exceeded(a.address), true, false)
	case err != nil && !errors.Is(err, io.EOF):
		return 0, a.fail(fmt.Errorf("%s: the answer broke off: %w", a.address, err), true, true)
	case err == nil && a.spent > a.c.slowStart+time.Duration(a.n/input.LeastRate)*time.Second:
		return 0, a.fail(fmt.Errorf("%s: the answer drips: %s in %s", a.address, input.Size(a.n), a.spent.Round(time.Second)),
			true, false)
	}
	return k, err
}

// done ends the reading.
func (a *answer) done() {
	a.watch.Stop()
	if a.holds {
		a.c.large.Release(a.weight)
	}
}

func (a *answer) fail(why error, answered, passes bool) error {
	a.failure = &answerError{UnreachableError{a.address, why, answered}, passes}
	return a.failure
}

// end makes sure that the answer is at its end, where its length shows whether it is whole.
func (a *answer) end() error {
	var part [512]byte
	switch n, err := io.ReadFull(a, part[:]); {
	case errors.Is(err, io.EOF):
		return nil
	case n > 0:
		return errors.New("it goes on behind its end")
	default:
		return err
	}
}
