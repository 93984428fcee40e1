package cli

import (
	"context"
	"errors"
	"strings"

	"molt/app/ledger"
	"molt/app/locking"
	"molt/app/open"
	"molt/app/tree"
	"molt/ask"
	"molt/core/project"
	"molt/core/solve"
	"molt/core/version"
	"molt/doc"
	"molt/ecosystem"
	"molt/input"
	"molt/render/words"
	"molt/txn"
)

// The exit codes.
const (
	exitFine        = 0
	exitAttention   = 1
	exitUsage       = 2
	exitOutside     = 3
	exitInterrupted = 130
)

// finish is the one place that turns errors into text and an exit code.
func (c *call) finish(err error) int {
	var tangle *ask.TangleError
	var none *locking.NoReleaseError
	switch {
	case err == nil:
		return exitFine
	case c.ctx.Err() != nil, errors.Is(err, context.Canceled): // whatever the error is that came of it
		return c.fail(errors.New("interrupted; the files are as they were before"), exitInterrupted)
	case errors.Is(err, errAttention):
		return exitAttention
	case errors.As(err, &tangle):
		if errors.As(err, &none) {
			c.say("molt: %v", none)
		}
		c.showTangle(tangle)
		return exitAttention
	}
	var changed *ecosystem.IntegrityError
	var command *commandError
	var origin *ecosystem.OriginError
	var held *project.HeldError
	var bare *solve.Tangle
	switch {
	case errors.As(err, &command):
		return command.code
	case errors.Is(err, solve.ErrEndless), errors.As(err, &changed), errors.As(err, &origin), errors.As(err, &held),
		errors.As(err, &bare):
		return c.fail(err, exitAttention)
	case wrongInput(err):
		return c.fail(err, exitUsage)
	}
	return c.fail(err, exitOutside)
}

// fail tells an error, as a document where JSON was asked for, and returns the exit code.
func (c *call) fail(err error, code int) int {
	var edited *ledger.EditedError
	if c.format == "json" {
		answer := doc.Error{Schema: "molt/error/1", Exit: code, Says: input.Harmless(input.InWords(err))}
		var place *input.PositionError
		if errors.As(err, &place) {
			answer.File, answer.Line, answer.Column = place.File, place.Line, place.Column
		}
		_ = doc.JSON(c.out, answer) // there is nobody left to tell
		return code
	}
	c.say("molt: %s", input.InWords(err))
	if errors.As(err, &edited) {
		c.say("%s", strings.TrimRight(edited.Edits, "\n"))
	}
	return code
}

// wantsJSON reports whether arguments ask for JSON, for errors that come before they are read.
func wantsJSON(args []string) bool {
	for i, arg := range args {
		if arg == "--format=json" || arg == "--format" && i+1 < len(args) && args[i+1] == "json" {
			return true
		}
	}
	return false
}

// showTangle prints a tangle that a command met: as the result in JSON, among the messages in text.
func (c *call) showTangle(k *ask.TangleError) {
	words.Fill(&k.Answer)
	if c.format == "json" {
		_ = doc.JSON(c.out, k.Answer) // there is nobody left to tell
		return
	}
	var stage *locking.StageError
	if errors.As(k.Err, &stage) {
		c.say("molt: %s:%d: stage %s does not resolve from where things stand; molt plan --renew makes the plan anew",
			stage.Place.File, stage.Place.Line, stage.Stage)
	} else if before, _, found := strings.Cut(k.Error(), ": these demands"); found {
		c.say("molt: %s", before)
	}
	c.pageOn(c.errout).Untangle(k.Answer)
}

// wrongInput reports whether an error is about the call or about a file that people write.
func wrongInput(err error) bool {
	for _, kind := range []any{
		new(*input.UsageError), new(*open.ConsentError), new(*locking.StaleError), new(*ledger.EditedError),
		new(*txn.NameError),
		new(*input.PositionError), new(*ecosystem.NewerLockError), new(*version.Error),
		new(*project.GoalError), new(*project.NameError), new(*project.FixedError),
		new(*input.KindError), new(*tree.ForeignError), new(*tree.EditedError), new(*input.LimitError),
	} {
		if errors.As(err, kind) {
			return true
		}
	}
	return false
}
