package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"molt/core/universe"
	"molt/demo"
	"molt/ecosystem"
	"molt/ecosystem/standin"
	"molt/input"
	"molt/registry"
	"molt/render"
)

func (c *call) standin() command {
	var listen string
	cmd := &cobra.Command{
		Use:   "standin [FILE]",
		Short: "Serve a made-up registry, or a snapshot of one, on this machine",
		Long: `Standin serves the packages of a universe file, or of a snapshot that molt fetch made, as a registry over HTTP on a
loopback address, documents and archives, until it is interrupted. Without a file it serves the demo's packages.
docs/formats.md describes both files.`,
		Example: "  molt standin\n  molt standin --listen 127.0.0.1:7411 packages.universe\n  molt standin desk.snapshot",
		Args:    cobra.MaximumNArgs(1),
	}
	run := func(c *call, args []string) error {
		e, err := c.ecosystem()
		if err != nil {
			return err
		}
		server, can := e.(ecosystem.Server)
		if !can {
			return &input.UsageError{Reason: "there is no stand-in for registries of " + e.Name()}
		}
		handler, count, done, err := c.served(server, e, args)
		if err != nil {
			return err
		}
		defer done()
		address, stop, err := listenOn(c.ctx, handler, listen)
		if err != nil {
			return err
		}
		defer stop()
		fmt.Fprintf(c.out, "%s at %s\nMOLT_REGISTRY_%s=%s\n", render.Count(count, "package"), address,
			strings.ToUpper(e.Name()), address)
		<-c.ctx.Done()
		return nil
	}
	cmd.Flags().StringVar(&listen, "listen", "127.0.0.1:0", "loopback address to serve on; port 0 takes a free one")
	return command{Command: cmd, run: run, takes: ofEcosystem | inFolder}
}

// served returns what the stand-in serves: the demo's packages, or those of a file.
func (c *call) served(server ecosystem.Server, e ecosystem.Ecosystem,
	args []string) (handler http.Handler, count int, done func(), err error) {
	done = func() {}
	if len(args) == 0 {
		scenario, ok := demo.For(e.Name())
		if !ok {
			return nil, 0, nil, &input.UsageError{
				Reason: fmt.Sprintf("the demo has no packages of %s: name a universe file", e.Name())}
		}
		packages, err := scenario.Universe()
		if err != nil {
			return nil, 0, nil, err
		}
		return server.StandIn(packages), len(packages.Table), done, err
	}
	if zipped(args[0]) {
		return serveSnapshot(c.ctx, server, e, args[0])
	}
	data, err := input.ReadFile(args[0], input.Universe)
	if err != nil {
		return nil, 0, nil, &input.UsageError{Reason: input.InWords(err)}
	}
	packages, err := standin.ReadUniverse(args[0], data, e.Scheme())
	return server.StandIn(packages), len(packages.Table), done, err
}

// zipped reports whether a file begins like a ZIP file.
func zipped(file string) bool {
	f, err := os.Open(file)
	if err != nil {
		return false
	}
	defer f.Close()
	var head [4]byte
	_, err = io.ReadFull(f, head[:])
	return err == nil && string(head[:]) == "PK\x03\x04"
}

// serveSnapshot serves the packages of a snapshot, and the archives that it has.
func serveSnapshot(ctx context.Context, server ecosystem.Server, e ecosystem.Ecosystem,
	file string) (http.Handler, int, func(), error) {
	about, names, err := registry.Snapshot(file)
	if err == nil && about.Ecosystem != e.Name() {
		err = fmt.Errorf("%s is of %s, and this is %s", file, about.Ecosystem, e.Name())
	}
	if err != nil {
		return nil, 0, nil, &input.UsageError{Reason: input.InWords(err)}
	}
	path, err := filepath.Abs(file)
	if err != nil {
		return nil, 0, nil, err
	}
	client, err := registry.New(registry.Options{Base: "file://" + filepath.ToSlash(path)})
	if err != nil {
		return nil, 0, nil, err
	}
	source := e.Protocols()[0].Open(ctx, registry.Only(client), ecosystem.Detail{Everything: true})
	done := func() { source.Close(); client.Close() }
	packages := universe.Table{}
	source.Hint(names...)
	for _, name := range names {
		if packages[name], err = source.Package(ctx, name); err != nil {
			done()
			return nil, 0, nil, err
		}
	}
	return server.Relay(packages, func(ctx context.Context, _ *universe.Package, r *universe.Release) ([]byte, error) {
		var b registry.Memory
		err := client.Download(ctx, r.File().Address, r.File().Integrity, &b)
		return b.Bytes(), err
	}), len(packages), done, nil
}

// serve serves packages on a loopback address until stop is called.
func serve(ctx context.Context, e ecosystem.Ecosystem, packages standin.Universe,
	listen string) (address string, stop func(), err error) {
	server, can := e.(ecosystem.Server)
	if !can {
		return "", nil, &input.UsageError{Reason: "there is no stand-in for registries of " + e.Name()}
	}
	return listenOn(ctx, server.StandIn(packages), listen)
}

// listenOn serves on a loopback address until stop is called.
func listenOn(ctx context.Context, handler http.Handler, listen string) (address string, stop func(), err error) {
	host, _, err := net.SplitHostPort(listen)
	if ip := net.ParseIP(host); err != nil || host != "localhost" && (ip == nil || !ip.IsLoopback()) {
		return "", nil, &input.UsageError{
			Reason: fmt.Sprintf("--listen %q: expected a loopback address such as 127.0.0.1:7411", listen)}
	}
	l, err := (&net.ListenConfig{}).Listen(ctx, "tcp", listen)
	if err != nil {
		return "", nil, err
	}
	web := &http.Server{Handler: handler, ReadHeaderTimeout: 10 * time.Second}
	served := make(chan error, 1)
	go func() { served <- web.Serve(l) }()
	return "http://" + l.Addr().String(), func() {
		_ = web.Close()
		if err := <-served; err != nil && !errors.Is(err, http.ErrServerClosed) {
			fmt.Fprintf(os.Stderr, "serving ended early: %v\n", err)
		}
	}, nil
}
