//go:build !windows

package app

import (
	"context"
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
