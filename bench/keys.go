package main

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"slices"
	"sync/atomic"
	"time"

	"github.com/creack/pty"
)

// measureKeys runs a full-screen command at a terminal, and prints how long its first
// screen takes, and how long it is from a key to the next thing that is drawn:
//
//	go run ./bench keys ./ambertray review FILE
func measureKeys(command []string) error {
	cmd := exec.Command(command[0], command[1:]...)
	cmd.Env = append(os.Environ(), "TERM=xterm-256color")
	start := time.Now()
	tty, err := pty.StartWithSize(cmd, &pty.Winsize{Cols: 120, Rows: 40})
	if err != nil {
		return err
	}
	defer cmd.Process.Kill()
	var drawn atomic.Int64 // when something was drawn last
	first := make(chan time.Duration, 1)
	go func() {
		buf := make([]byte, 1<<16)
		for seen := false; ; {
			n, err := tty.Read(buf)
			if err != nil {
				return
			}
			drawn.Store(time.Now().UnixNano())
			if !seen && bytes.Contains(buf[:n], []byte("heading")) {
				seen = true
				first <- time.Since(start)
			}
		}
	}()
	select {
	case took := <-first:
		fmt.Printf("first screen %.0f ms\n", took.Seconds()*1000)
	case <-time.After(time.Minute):
		return fmt.Errorf("no first screen")
	}
	const keys = 60
	var answers []time.Duration
	for i := range keys {
		time.Sleep(60 * time.Millisecond)
		pressed := time.Now().UnixNano()
		key := "\x1b[B" // down, and every other time up, so that each is seen
		if i%2 == 1 {
			key = "\x1b[A"
		}
		_, err := tty.WriteString(key)
		if err != nil {
			return err
		}
		for drawn.Load() < pressed && time.Now().UnixNano()-pressed < int64(time.Second) {
			time.Sleep(100 * time.Microsecond)
		}
		answers = append(answers, time.Duration(drawn.Load()-pressed))
	}
	slices.Sort(answers)
	peak := make(chan int64, 1)
	ended := make(chan struct{})
	close(ended)
	watchMemory(cmd.Process.Pid, ended, peak)
	fmt.Printf("keys: median %.0f ms, nine of ten %.0f ms, slowest %.0f ms; %d MB at the peak\n",
		answers[keys/2].Seconds()*1000, answers[keys*9/10].Seconds()*1000, answers[keys-1].Seconds()*1000, <-peak/1000)
	return nil
}
