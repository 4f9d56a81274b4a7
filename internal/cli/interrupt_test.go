//go:build unix

package cli

import (
	"bufio"
	"fmt"
	"os"
	"os/exec"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// TestInterruptible sends signals to a program that does not listen: to this test, started again.
func TestInterruptible(t *testing.T) {
	const busy = "AMBERTRAY_TEST_BUSY"
	if os.Getenv(busy) != "" {
		ctx, stop := interruptible()
		defer stop()
		fmt.Println("busy")
		<-ctx.Done()
		fmt.Println("interrupted")
		select {}
	}
	for _, signal := range []syscall.Signal{syscall.SIGINT, syscall.SIGTERM} {
		c := exec.Command(os.Args[0], "-test.run=^TestInterruptible$")
		c.Env = append(os.Environ(), busy+"=1")
		out, err := c.StdoutPipe()
		require.NoError(t, err)
		require.NoError(t, c.Start())
		lines := bufio.NewScanner(out)
		require.True(t, lines.Scan())
		require.NoError(t, c.Process.Signal(signal))
		require.NoError(t, c.Process.Signal(signal))
		require.True(t, lines.Scan())
		require.Equal(t, "interrupted", lines.Text(), "one that comes twice is one")
		ended := make(chan bool)
		go func() { _ = c.Wait(); close(ended) }()
		require.Eventually(t, func() bool {
			_ = c.Process.Signal(signal)
			select {
			case <-ended:
				return true
			default:
				return false
			}
		}, 20*time.Second, 100*time.Millisecond)
		require.Equal(t, signal, c.ProcessState.Sys().(syscall.WaitStatus).Signal())
	}
}
