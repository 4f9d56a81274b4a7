package term

import (
	"fmt"
	"io"
	"os"
	"sync"
	"time"

	"github.com/jedib0t/go-pretty/v6/progress"
	"golang.org/x/term"
)

// Progress shows how far a command has come, on a terminal only.
type Progress struct {
	writer  progress.Writer
	tracker *progress.Tracker
	title   string
	ended   sync.WaitGroup
}

// refresh is how often the line is written anew.
const refresh = 100 * time.Millisecond

// NewProgress returns a progress line on out, or nil, which shows nothing,
// when out is no terminal.
func NewProgress(out io.Writer, title string) *Progress {
	f, ok := out.(*os.File)
	if !ok || !term.IsTerminal(int(f.Fd())) {
		return nil
	}
	p := &Progress{writer: progress.NewWriter(), title: title}
	p.writer.SetOutputWriter(out)
	p.writer.SetUpdateFrequency(refresh)
	p.writer.SetTrackerLength(24)
	p.writer.SetMessageLength(40)
	style := progress.StyleBlocks
	style.Visibility = progress.StyleVisibility{ETA: true, Percentage: true, Speed: true, Tracker: true, Value: true}
	p.writer.SetStyle(style)
	p.tracker = &progress.Tracker{Message: title, Units: progress.UnitsBytes, RemoveOnCompletion: true}
	p.writer.AppendTracker(p.tracker)
	p.ended.Go(p.writer.Render)
	return p
}

// Update moves the line on.
func (p *Progress) Update(bytes, size, records int64) {
	if p == nil {
		return
	}
	p.tracker.UpdateTotal(max(size, 0))
	p.tracker.SetValue(min(bytes, max(size-1, 1))) // the end is Done's to tell
	p.tracker.UpdateMessage(fmt.Sprintf("%s  %s records", p.title, Count(records)))
}

// Done takes the line away.
func (p *Progress) Done() {
	if p == nil {
		return
	}
	p.tracker.MarkAsDone()
	time.Sleep(refresh) // the writer takes a finished line off on its next turn
	p.writer.Stop()
	p.ended.Wait()
}
