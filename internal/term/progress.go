package term

import (
	"encoding/json"
	"fmt"
	"io"
	"os"
	"time"

	"github.com/schollz/progressbar/v3"
	"golang.org/x/term"
)

// Progress shows how far a command has come, on a terminal only.
type Progress struct {
	bar    *progressbar.ProgressBar // nil for events
	title  string
	events io.Writer
	last   time.Time // of the last event
}

// betweenEvents is how often an event is written.
const betweenEvents = time.Second

// NewEvents returns progress that is written as a line of JSON from time to time.
func NewEvents(out io.Writer, title string) *Progress { return &Progress{title: title, events: out} }

// event is how far a command has come. Size is 0 where it is not known.
type event struct {
	Event   string `json:"event"`
	At      string `json:"at"`
	Bytes   int64  `json:"bytes"`
	Size    int64  `json:"size"`
	Records int64  `json:"records"`
}

func (p *Progress) write(e event) {
	e.At = time.Now().UTC().Format(time.RFC3339Nano)
	text, _ := json.Marshal(e)
	fmt.Fprintf(p.events, "%s\n", text)
}

// refresh is how often the line is written again.
const refresh = 100 * time.Millisecond

// NewProgress returns a progress line on out, or nil, which shows nothing,
// when out is not a terminal.
func NewProgress(out io.Writer, title string) *Progress {
	f, ok := out.(*os.File)
	if !ok || !term.IsTerminal(int(f.Fd())) {
		return nil
	}
	bar := progressbar.NewOptions64(-1,
		progressbar.OptionSetWriter(out), progressbar.OptionSetDescription("  "+title),
		progressbar.OptionShowBytes(true), progressbar.OptionShowCount(), progressbar.OptionThrottle(refresh), progressbar.OptionSetWidth(28),
		progressbar.OptionSetPredictTime(true), progressbar.OptionClearOnFinish(), progressbar.OptionEnableColorCodes(os.Getenv("NO_COLOR") == ""),
		progressbar.OptionUseANSICodes(true), progressbar.OptionSpinnerType(11),
		progressbar.OptionSetSpinnerChangeInterval(0), // which would write on after Done
		progressbar.OptionSetTheme(progressbar.Theme{Saucer: "[yellow]━[reset]", SaucerHead: "[yellow]━[reset]", SaucerPadding: "─"}),
	)
	return &Progress{bar: bar, title: title}
}

// Update moves the line on.
func (p *Progress) Update(bytes, size, records int64) {
	if p == nil {
		return
	}
	if p.events != nil {
		if time.Since(p.last) >= betweenEvents {
			p.last = time.Now()
			p.write(event{Event: p.title, Bytes: bytes, Size: size, Records: records})
		}
		return
	}
	if size > 0 {
		p.bar.ChangeMax64(size + 1) // the end is shown by Done
	}
	p.bar.Describe(fmt.Sprintf("  %s %12s records", p.title, Count(records)))
	_ = p.bar.Set64(bytes) // a line that cannot be written is no reason to fail
}

// Done takes the line away.
func (p *Progress) Done() {
	switch {
	case p == nil:
	case p.events != nil:
		p.write(event{Event: p.title + " ended"})
	default:
		_ = p.bar.Clear()
	}
}
