package main

import (
	"errors"
	"fmt"
	"io"
	"os"
	"runtime/pprof"

	"ambertray/internal/cli"
)

// profile runs a command of the program in this process, and writes where it spends its
// time. Releases are optimised by such profiles.
func profile(to string, args []string) error {
	f, err := os.Create(to)
	if err != nil {
		return err
	}
	err = pprof.StartCPUProfile(f)
	if err != nil {
		return errors.Join(err, f.Close())
	}
	status := cli.Main(args, io.Discard, os.Stderr)
	pprof.StopCPUProfile()
	if status != 0 {
		err = fmt.Errorf("exit status %d", status)
	}
	return errors.Join(err, f.Close())
}
