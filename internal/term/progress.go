package term

import (
	"encoding/json"
	"fmt"
	"io"
	"os"
	"sync"
	"time"

	"github.com/schollz/progressbar/v3"
	"golang.org/x/term"
)

// Progress shows how far a command has come: as a line at a terminal, or a line of text
// or of JSON now and then. Nil shows nothing. It is safe for use by many goroutines.
type Progress struct {
	mutex   sync.Mutex
	out     io.Writer
	title   string
	write   func(p *Progress, s State) // what is written now and then; nil at a terminal
	every   time.Duration              // how often
	moved   bool                       // Update was called
	state   State
	begun   time.Time
	started time.Time // of the phase
	shown   time.Time // when something was written last
	bar     *progressbar.ProgressBar
	stop    chan struct{}
}

// State is how far a phase of a command has come. What is not known is 0.
type State struct {
	Phase       string // such as "verifying"; "" is the title
	Bytes, Size int64  // of the files
	Records, Of int64
	Rejected    int64
}

// How often a line is written, and a phase without a number is seen to go on. A phase
// that is soon over shows nothing.
const (
	betweenEvents = time.Second
	betweenLines  = 10 * time.Second
	refresh       = 100 * time.Millisecond
	patience      = 300 * time.Millisecond
)

// NewEvents returns progress that is written as a line of JSON from time to time.
func NewEvents(out io.Writer, title string) *Progress {
	return start(&Progress{out: out, title: title, write: (*Progress).event, every: betweenEvents})
}

// NewPlain returns progress that is written as a line of text now and then, for logs.
func NewPlain(out io.Writer, title string) *Progress {
	return start(&Progress{out: out, title: title, write: (*Progress).plain, every: betweenLines})
}

// NewProgress returns a progress line on out, or nil, which shows nothing,
// when out is not a terminal.
func NewProgress(out io.Writer, title string) *Progress {
	f, ok := out.(*os.File)
	if !ok || !term.IsTerminal(int(f.Fd())) {
		return nil
	}
	return start(&Progress{out: out, title: title, every: refresh})
}

// start has the progress written on from the first Update, also while nothing is counted.
func start(p *Progress) *Progress {
	p.begun, p.stop = time.Now(), make(chan struct{})
	p.started = p.begun
	if p.every == betweenLines { // what is soon done needs no line
		p.shown = p.begun
	}
	go func() {
		tick := time.NewTicker(p.every)
		defer tick.Stop()
		for {
			select {
			case <-p.stop:
				return
			case <-tick.C:
				p.mutex.Lock()
				p.show()
				p.mutex.Unlock()
			}
		}
	}()
	return p
}

// Update says how far the command has come.
func (p *Progress) Update(s State) {
	if p == nil {
		return
	}
	p.mutex.Lock()
	defer p.mutex.Unlock()
	if s.Phase != p.state.Phase {
		p.clear()
		p.started = time.Now()
		if p.every != betweenLines || time.Since(p.begun) >= betweenEvents { // each phase is named
			p.shown = time.Time{}
		}
	}
	p.state, p.moved = s, true
	if p.write != nil {
		p.show()
	}
}

// Done takes the line away.
func (p *Progress) Done() {
	if p == nil {
		return
	}
	p.mutex.Lock()
	defer p.mutex.Unlock()
	select {
	case <-p.stop:
		return
	default:
		close(p.stop)
	}
	p.clear()
	if p.write != nil {
		p.state.Phase = p.title + " ended"
		p.write(p, p.state)
	}
}

// show writes where the command is, unless that was done lately.
func (p *Progress) show() {
	now := time.Now()
	switch {
	case !p.moved: // something else may be shown or asked before
	case p.write != nil && now.Sub(p.shown) >= p.every:
		p.shown = now
		p.write(p, p.state)
	case p.write == nil && now.Sub(p.started) >= patience:
		p.draw()
	}
}

// draw draws the line at a terminal.
func (p *Progress) draw() {
	done, all := p.state.Bytes, p.state.Size
	if all == 0 {
		done, all = p.state.Records, p.state.Of
	}
	if p.bar == nil {
		p.bar = p.newBar(all)
	}
	if all > 0 {
		p.bar.ChangeMax64(max(all, done) + 1) // the end is shown by Done
	}
	p.bar.Describe("  " + p.text())
	_ = p.bar.Set64(done) // a progress line that cannot be written must not stop the command
	_ = p.bar.RenderBlank()
}

func (p *Progress) newBar(all int64) *progressbar.ProgressBar {
	if all == 0 {
		all = -1
	}
	return progressbar.NewOptions64(all,
		progressbar.OptionSetWriter(p.out), progressbar.OptionThrottle(refresh), progressbar.OptionSetWidth(28),
		progressbar.OptionSetPredictTime(true), progressbar.OptionClearOnFinish(), progressbar.OptionEnableColorCodes(os.Getenv("NO_COLOR") == ""),
		progressbar.OptionUseANSICodes(true), progressbar.OptionSpinnerType(11), progressbar.OptionSetElapsedTime(true),
		progressbar.OptionSetSpinnerChangeInterval(0), // which would write on after Done
		progressbar.OptionSetTheme(progressbar.Theme{Saucer: "[yellow]━[reset]", SaucerHead: "[yellow]━[reset]", SaucerPadding: "─"}),
	)
}

func (p *Progress) clear() {
	if p.bar != nil {
		_ = p.bar.Clear()
		p.bar = nil
	}
}

// text says what is done, with how many records, how fast, and what was rejected.
func (p *Progress) text() string {
	s := p.state
	text := p.title
	if s.Phase != "" {
		text = s.Phase
	}
	if s.Records > 0 {
		text += fmt.Sprintf(" %s", Amount(s.Records, "record"))
		seconds := time.Since(p.started).Seconds()
		if seconds >= 1 {
			text += fmt.Sprintf(", %s/s", Count(int64(float64(s.Records)/seconds)))
		}
	}
	if s.Rejected > 0 {
		text += fmt.Sprintf(", %s rejected", Count(s.Rejected))
	}
	return text
}

// plain writes a line of text.
func (p *Progress) plain(s State) {
	text := p.text()
	done, all := s.Bytes, s.Size
	if all == 0 {
		done, all = s.Records, s.Of
	}
	spent := time.Since(p.started)
	if all > 0 && done > 0 {
		share := float64(done) / float64(all)
		text += fmt.Sprintf(", %.0f %%", 100*share)
		if spent >= time.Second && share < 1 {
			text += fmt.Sprintf(", %s left", Seconds(spent.Seconds()*(1-share)/share))
		}
	} else if spent >= betweenEvents {
		text += ", " + Seconds(spent.Seconds())
	}
	fmt.Fprintf(p.out, "%s  %s\n", time.Now().Format(time.DateTime), text)
}

// event writes a line of JSON.
func (p *Progress) event(s State) {
	type event struct {
		Event    string `json:"event"`
		At       string `json:"at"`
		Bytes    int64  `json:"bytes"`
		Size     int64  `json:"size"` // 0 where it is not known
		Records  int64  `json:"records"`
		Rejected int64  `json:"rejected"`
	}
	e := event{s.Phase, time.Now().UTC().Format(time.RFC3339Nano), s.Bytes, s.Size, s.Records, s.Rejected}
	if e.Event == "" {
		e.Event = p.title
	}
	text, _ := json.Marshal(e)
	fmt.Fprintf(p.out, "%s\n", text)
}
