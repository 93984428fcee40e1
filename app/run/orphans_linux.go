package run

import (
	"bytes"
	"os"
	"path/filepath"
	"strconv"
	"syscall"
	"time"
)

// dieWithParent makes the kernel end a process when the thread that started it ends (prctl(2), PR_SET_PDEATHSIG).
func dieWithParent(a *syscall.SysProcAttr) { a.Pdeathsig = syscall.SIGKILL }

// EndOrphans ends processes that a run left behind and that nothing else ended: those whose
// environment names the run. It waits until none is left, and gives up after a moment.
func EndOrphans(run string) {
	if run == "" {
		return
	}
	mark := []byte(runVariable + "=" + run + "\x00")
	for range 20 {
		found := false
		files, _ := filepath.Glob("/proc/[0-9]*/environ")
		for _, file := range files {
			env, err := os.ReadFile(file)
			if err != nil || !bytes.Contains(append(env, 0), mark) {
				continue
			}
			if pid, err := strconv.Atoi(filepath.Base(filepath.Dir(file))); err == nil && pid != os.Getpid() {
				found = true
				_ = syscall.Kill(pid, syscall.SIGKILL)
			}
		}
		if !found {
			return
		}
		time.Sleep(50 * time.Millisecond)
	}
}
