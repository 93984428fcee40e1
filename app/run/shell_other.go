//go:build !linux && !windows

package run

import "syscall"

// dieWithParent does nothing: the system has no such signal. The guard serves.
func dieWithParent(*syscall.SysProcAttr) {}
