//go:build !linux

package txntest

// memory is the folder of a file system in memory; "", since only Linux is known to have one.
func memory() string { return "" }
