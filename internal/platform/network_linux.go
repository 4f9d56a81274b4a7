package platform

import (
	"errors"
	"strings"
	"syscall"
	"time"

	"golang.org/x/sys/unix"
)

// silence is how long a peer may leave unconfirmed what was sent to it.
const silence = 3 * time.Minute

// EndSilent makes a new TCP connection end if its peer vanishes without a word while data is sent to it. Otherwise
// that takes a quarter of an hour. It is for net.Dialer.
func EndSilent(network, _ string, c syscall.RawConn) error {
	if !strings.HasPrefix(network, "tcp") {
		return nil
	}
	var failed error
	err := c.Control(func(fd uintptr) {
		failed = unix.SetsockoptInt(int(fd), unix.IPPROTO_TCP, unix.TCP_USER_TIMEOUT, int(silence.Milliseconds()))
	})
	return errors.Join(err, failed)
}
