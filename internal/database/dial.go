package database

import (
	"net"
	"time"

	"ambertray/internal/platform"
)

// Dialer returns how drivers connect to servers. A server, or the network before it, that vanishes without
// a word is noticed within about three minutes.
func Dialer() *net.Dialer {
	return &net.Dialer{
		KeepAliveConfig: net.KeepAliveConfig{Enable: true, Idle: 45 * time.Second, Interval: 15 * time.Second, Count: 9},
		Control:         platform.EndSilent,
	}
}
