package ecosystem

import (
	"context"
	"errors"
	"fmt"
	"io"

	"molt/core/universe"
	"molt/core/version"
	"molt/registry"
)

// Digests are packages of registries, kept as digests. The names that they demand are numbered.
type Digests struct {
	Registries *registry.Registries
	Scheme     version.Scheme
	Numbers    universe.Numbers
}

// Fetch reads a package from the registry that is named for it, or from the cache. The request says
// where and in which form; digestOf makes the digest of an answer, whose links are relative to a
// base. The error is a *universe.UnknownError for a package that is not there, or that of the
// registry.
func (f *Digests) Fetch(ctx context.Context, name string, request registry.Request,
	digestOf func(name string, body io.Reader, base string) ([]byte, error)) (*universe.Package, error) {
	client := f.Registries.For(name)
	if client == nil {
		return nil, &registry.UnreachableError{
			URL: name, Err: fmt.Errorf("no registry is named for %s: \"registry:\" has neither one for this name nor a default",
				name), Answered: true}
	}
	request.Read = func(body io.Reader) ([]byte, error) { return digestOf(name, body, client.Base()) }
	body, err := client.Fetch(ctx, request)
	var missing *registry.NotFoundError
	if errors.As(err, &missing) {
		return nil, &universe.UnknownError{Name: name}
	}
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	p, err := decodeDigest(f.Scheme, body, &f.Numbers)
	if err != nil {
		return nil, &registry.UnreachableError{
			URL: name, Err: fmt.Errorf("the cache has something of %s that cannot be read: %w; molt --refresh asks anew",
				name, err), Answered: true}
	}
	return p, nil
}
