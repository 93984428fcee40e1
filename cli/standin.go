package cli

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"time"

	"github.com/spf13/cobra"

	"molt/core/universe"
	"molt/demo"
	"molt/ecosystem"
	"molt/ecosystem/standin"
	"molt/input"
)

func (c *call) standin() *cobra.Command {
	var listen string
	cmd := &cobra.Command{
		Use:   "standin [UNIVERSE]",
		Short: "Serve a made-up registry on this machine",
		Long: `Standin serves the packages of a universe file as a registry over HTTP on a loopback address, documents and archives,
until it is interrupted. Without UNIVERSE it serves the demo's packages. docs/formats.md describes the file.`,
		Example: "  molt standin\n  molt standin --listen 127.0.0.1:7411 packages.universe",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			e, err := c.ecosystem()
			if err != nil {
				return err
			}
			packages, err := demo.Universe()
			if len(args) > 0 {
				data, rerr := input.ReadFile(args[0], input.Universe)
				if rerr != nil {
					return &input.UsageError{Reason: rerr.Error()}
				}
				packages, err = standin.ReadUniverse(args[0], data, e.Scheme())
			}
			if err != nil {
				return err
			}
			address, stop, err := serve(c.ctx, e, packages, listen)
			if err != nil {
				return err
			}
			defer stop()
			fmt.Fprintf(c.out, "%d packages at %s\nMOLT_REGISTRY_JS=%s\n", len(packages), address, address)
			<-c.ctx.Done()
			return nil
		},
	}
	cmd.Flags().StringVar(&listen, "listen", "127.0.0.1:0", "loopback address to serve on; port 0 takes a free one")
	return cmd
}

// serve serves packages on a loopback address until stop is called.
func serve(ctx context.Context, e ecosystem.Ecosystem, packages universe.Table, listen string) (address string, stop func(), err error) {
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
		return "", nil, &input.UsageError{Reason: fmt.Sprintf("--listen %q: expected a loopback address such as 127.0.0.1:7411", listen)}
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
