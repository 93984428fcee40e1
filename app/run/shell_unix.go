//go:build !windows

package run

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"syscall"
	"time"
)

// grace is how long the commands of a group have to end by themselves.
const grace = time.Second

// shell runs a command line in a process group of its own, which is asked to end when the context does, and made to
// shortly after.
func shell(ctx context.Context, line string) *exec.Cmd {
	c := exec.CommandContext(ctx, "/bin/sh", "-c", line)
	c.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	dieWithParent(c.SysProcAttr)
	c.Cancel = func() error {
		group := c.Process.Pid
		time.AfterFunc(grace, func() { _ = syscall.Kill(-group, syscall.SIGKILL) })
		return syscall.Kill(-group, syscall.SIGTERM)
	}
	return c
}

// endGroup ends what a command has left running.
func endGroup(c *exec.Cmd) {
	if c.Process != nil {
		_ = syscall.Kill(-c.Process.Pid, syscall.SIGKILL)
	}
}

// guard ends a group of processes when Molt is gone without having done so itself, as after kill
// -9: a shell of its own waits for a word from Molt, and on a pipe that nobody holds any more it
// gets none. The caller calls leave when the group has ended.
func guard(c *exec.Cmd) (leave func(), err error) {
	r, w, err := os.Pipe()
	if err != nil {
		return nil, err
	}
	defer r.Close()
	g := exec.Command("/bin/sh", "-c", fmt.Sprintf("read word || kill -9 -%d", c.Process.Pid))
	g.Stdin = r
	g.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	if err := g.Start(); err != nil {
		w.Close()
		return nil, err
	}
	return func() {
		_, _ = w.WriteString("done\n")
		w.Close()
		_ = g.Wait()
	}, nil
}
