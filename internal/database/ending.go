package database

import (
	"context"
	"time"
)

const (
	// EndPatience is how long a target waits for the server to end an interrupted session.
	EndPatience = 10 * time.Second
	endInterval = 20 * time.Millisecond
)

// AwaitEnd waits until a session of the server has ended, by asking whether it is running.
// A server that does not answer has no session to wait for.
func AwaitEnd(ctx context.Context, running func(ctx context.Context) (bool, error)) error {
	for {
		is, err := running(ctx)
		if ctx.Err() != nil {
			return ErrEnding
		}
		if err != nil || !is {
			return nil
		}
		select {
		case <-ctx.Done():
		case <-time.After(endInterval):
		}
	}
}
