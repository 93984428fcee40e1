package cli

import (
	"errors"
	"fmt"
	"os"
	"os/exec"
	"strings"

	"github.com/spf13/cobra"

	"molt/app/config"
	"molt/ask"
	"molt/input"
)

func (c *call) relay() command {
	var listen, stage string
	var through bool
	cmd := &cobra.Command{
		Use:   "relay [-- COMMAND…]",
		Short: "Serve what the lock holds as a registry on this machine, for another installer",
		Long: `Relay is a registry on a loopback address that has exactly the packages and releases of the lock, or with --stage those of a
stage that is to do, so that whatever installs from it can take nothing else. It runs until it is interrupted, or as long as COMMAND
runs, which finds its address in MOLT_RELAY and no tokens of Molt's; it ends with the exit code of COMMAND. Archives are where the registry has them; with --through they come through the relay,
checked against the lock's checksums.`,
		Example: "  molt relay\n  molt relay --through -- sh -c 'echo $MOLT_RELAY'",
	}
	run := func(c *call, args []string) error {
		if at := cmd.ArgsLenAtDash(); len(args) > 0 && at != 0 {
			return &input.UsageError{Reason: "relay: a command comes after --"}
		}
		return c.session(ask.Needs{}, func(s *ask.Session) error {
			handler, count, err := s.Relay(c.ctx, stage, through)
			if err != nil {
				return err
			}
			s.Still()
			address, stop, err := listenOn(c.ctx, handler, listen)
			if err != nil {
				return err
			}
			defer stop()
			if len(args) == 0 {
				fmt.Fprintf(c.out, "%d packages at %s\nMOLT_RELAY=%s\n", count, address, address)
				<-c.ctx.Done()
				return nil
			}
			run := exec.CommandContext(c.ctx, args[0], args[1:]...)
			run.Dir, run.Env = s.App.Dir, append(config.WithoutTokens(os.Environ()), "MOLT_RELAY="+address)
			run.Stdin, run.Stdout, run.Stderr = os.Stdin, c.out, c.errout
			if err := run.Run(); err != nil {
				if c.ctx.Err() != nil {
					return c.ctx.Err()
				}
				c.say("molt: %s: %v", strings.Join(args, " "), err)
				var exit *exec.ExitError
				if errors.As(err, &exit) && exit.ExitCode() > 0 {
					return &commandError{exit.ExitCode()}
				}
				return errAttention
			}
			return nil
		})
	}
	f := cmd.Flags()
	f.StringVar(&listen, "listen", "127.0.0.1:0", "loopback address to serve on; port 0 takes a free one")
	f.StringVar(&stage, "stage", "", "have the releases of this stage, instead of the lock's")
	f.BoolVar(&through, "through", false, "have archives come through the relay")
	return command{Command: cmd, run: run, takes: asks, sides: ask.Single("relay"), values: map[string]completion{"stage": stagesToDo}}
}
