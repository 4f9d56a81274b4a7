package source

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"strings"
	"time"
)

// Stdin is the name of standard input.
const Stdin = "-"

// IsWeb reports whether a name is a web address.
func IsWeb(name string) bool {
	return strings.HasPrefix(name, "http://") || strings.HasPrefix(name, "https://")
}

// IsLocal reports whether a name is that of a local file, archive members
// included.
func IsLocal(name string) bool { return name != Stdin && !IsWeb(name) }

const (
	// MaxFetch is the largest file that is fetched from a web address.
	MaxFetch = 64 << 30
	// fetchStall is how long a web server may be silent.
	fetchStall   = 60 * time.Second
	maxRedirects = 10
)

// ErrFetch is returned when a web address does not give a whole file.
var ErrFetch = errors.New("could not be fetched")

// Opener opens sources. What can be read only once, standard input and web
// addresses, is kept in a temporary file, so that a survey and a load read the
// same bytes. It is used by one goroutine.
type Opener struct {
	Stdin io.Reader
	// MaxFetch, when not 0, stands for the constant of that name.
	MaxFetch int64
	local    map[string]kept
	secret   map[string]string    // web addresses by their public names
	books    map[string]*openBook // by their path
	lender   *Opener              // whose files are used, or nil
}

// Beside returns an opener for another goroutine, which uses the workbooks and the temporary files
// that o has. Until it is closed, o is not used.
func (o *Opener) Beside() *Opener {
	return &Opener{Stdin: o.Stdin, MaxFetch: o.MaxFetch, secret: o.secret, lender: o}
}

// Open opens the source of that name. The error of a local file has its path.
func (o *Opener) Open(ctx context.Context, name string, opts Options) (*Source, error) {
	path, member, err := o.place(ctx, name)
	if err != nil {
		return nil, err
	}
	if member == "" {
		book, err := o.book(name, path)
		if err != nil {
			return nil, err
		}
		if book != nil {
			s, err := book.open(name, opts)
			if err != nil {
				return nil, fmt.Errorf("open %s: %w", name, err)
			}
			return s, nil
		}
	}
	return open(name, path, member, opts)
}

// place returns the local file that a name means, and the member of it.
func (o *Opener) place(ctx context.Context, name string) (path, member string, err error) {
	if IsLocal(name) {
		info, err := os.Stat(name)
		if err != nil {
			i := strings.LastIndex(name, memberSign)
			if i > 0 {
				return name[:i], name[i+len(memberSign):], nil
			}
		}
		if err != nil || !isStream(info) {
			return name, "", nil
		}
	}
	k, ok := o.local[name]
	if !ok && o.lender != nil {
		k, ok = o.lender.local[name]
	}
	if !ok {
		k.path, k.err = o.keep(ctx, name)
		if o.local == nil {
			o.local = map[string]kept{}
		}
		if k.err == nil || !IsWeb(name) { // a second try would read a stream from its middle
			o.local[name] = k
		}
	}
	return k.path, "", k.err
}

// kept is the temporary file of what can be read only once, or why it could not be read.
type kept struct {
	path string
	err  error
}

// isStream reports whether a file can be read only once: a named pipe, or what a
// shell hands over as one.
func isStream(info os.FileInfo) bool {
	return info.Mode()&(os.ModeNamedPipe|os.ModeCharDevice|os.ModeSocket) != 0
}

// keep copies a stream into a temporary file.
func (o *Opener) keep(ctx context.Context, name string) (path string, err error) {
	f, err := os.CreateTemp("", "ambertray-source-")
	if err != nil {
		return "", err
	}
	defer func() {
		closeErr := f.Close()
		if err == nil {
			err = closeErr
		}
		if err != nil {
			os.Remove(f.Name())
		}
	}()
	switch {
	case IsWeb(name):
		err = o.fetch(ctx, f, name)
	case name == Stdin:
		err = copyStream(ctx, f, func() (io.ReadCloser, error) { return io.NopCloser(o.Stdin), nil })
	default:
		err = copyStream(ctx, f, func() (io.ReadCloser, error) { return os.Open(name) })
	}
	if err != nil {
		return "", err
	}
	return f.Name(), nil
}

// copyStream opens a stream and copies it. Since opening and reading one may wait
// for ever, and cannot be ended from here, both are left behind when ctx ends.
func copyStream(ctx context.Context, to *os.File, open func() (io.ReadCloser, error)) error {
	done := make(chan error, 1)
	go func() {
		from, err := open()
		if err == nil {
			_, err = io.Copy(&cancelled{to, ctx}, from)
			err = errors.Join(err, from.Close())
		}
		done <- err
	}()
	select {
	case err := <-done:
		return err
	case <-ctx.Done():
		return context.Cause(ctx)
	}
}

// cancelled writes nothing more once its context has ended.
type cancelled struct {
	io.Writer
	ctx context.Context
}

func (c *cancelled) Write(p []byte) (int, error) {
	err := c.ctx.Err()
	if err != nil {
		return 0, err
	}
	return c.Writer.Write(p)
}

// fetch copies what a web address gives. It is called url in errors, by its public
// name.
func (o *Opener) fetch(ctx context.Context, to io.Writer, url string) error {
	address, err := o.address(url)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	silent := time.AfterFunc(fetchStall, func() { cancel(fmt.Errorf("the server was silent for %s", fetchStall)) })
	defer silent.Stop()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return fetchError(url, err)
	}
	client := http.Client{CheckRedirect: func(_ *http.Request, via []*http.Request) error {
		if len(via) > maxRedirects {
			return fmt.Errorf("more than %d redirects", maxRedirects)
		}
		return nil
	}}
	res, err := client.Do(req)
	if err != nil {
		return fetchError(url, err)
	}
	defer res.Body.Close()
	if res.StatusCode != http.StatusOK {
		return fetchError(url, fmt.Errorf("the server says %s", res.Status))
	}
	limit := o.MaxFetch
	if limit == 0 {
		limit = MaxFetch
	}
	n, err := io.Copy(to, io.LimitReader(&stallReader{res.Body, silent}, limit+1))
	switch {
	case err != nil && context.Cause(ctx) != nil:
		return fetchError(url, context.Cause(ctx))
	case err != nil:
		return fetchError(url, fmt.Errorf("the transfer ended after %d bytes: %w", n, err))
	case n > limit:
		return fetchError(url, fmt.Errorf("larger than %d bytes", limit))
	}
	return nil
}

func fetchError(url string, err error) error {
	return fmt.Errorf("%s: %w: %w", Public(url), ErrFetch, withoutAddress(err))
}

// stallReader puts the time-out for a silent server off with every read.
type stallReader struct {
	io.Reader
	silent *time.Timer
}

func (l *stallReader) Read(p []byte) (int, error) {
	n, err := l.Reader.Read(p)
	l.silent.Reset(fetchStall)
	return n, err
}

// Close closes workbooks and removes the temporary files.
func (o *Opener) Close() {
	for _, b := range o.books {
		b.close()
	}
	for _, k := range o.local {
		os.Remove(k.path)
	}
}
