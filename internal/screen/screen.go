// Package screen is the full-screen view of a review: keys in, the session called, the
// columns and sample rows drawn. 80 columns and 24 rows are enough, and colours are not
// needed.
package screen

import (
	"context"
	"errors"
	"fmt"
	"io"
	"regexp"
	"sync"
	"time"

	"charm.land/bubbles/v2/textinput"
	tea "charm.land/bubbletea/v2"
	"github.com/charmbracelet/colorprofile"

	"ambertray/internal/load"
	"ambertray/internal/pass"
	"ambertray/internal/review"
	"ambertray/internal/survey"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

// Outcome is what a person has decided.
type Outcome struct {
	Saved bool
	Load  bool   // the plan is to be loaded
	To    string // into this target, unless one was named before
}

// The smallest terminal.
const (
	minWidth  = 80
	minHeight = 24
)

// mode is what keys mean.
type mode uint8

const (
	browsing  mode = iota
	editing        // a value of the column
	searching      // a column
	naming         // the target of a load
	reading        // the definition
	leaving        // with something that is not saved
)

// model is the state of the view.
type model struct {
	session *review.Session
	title   string
	target  bool // one was named
	ctx     context.Context
	send    func(tea.Msg)

	width, height int
	at, top       int // the column that is looked at, and the first that is shown
	row           int // the first sample row that is shown
	rows          [][]review.Cell
	mode          mode
	input         textinput.Model
	field         field // that is edited
	scroll        int   // of the definition
	dialect       int   // of the definition, in dialect.All

	work     *worker
	looking  bool // the whole source is surveyed
	progress pass.Progress
	check    *load.Check // of the plan as it is now, nil until it is known
	message  string      // what was done, or
	fault    string      // why not
	outcome  Outcome
}

// worker is the one check that runs beside; a new one ends it.
type worker struct {
	turn sync.Mutex // of those that read the source, and use the target
	stop context.CancelFunc
}

// What happens beside the keys.
type (
	lookedMsg struct {
		survey *survey.Survey
		err    error
	}
	checkedMsg struct {
		of    *tray.Tray
		check *load.Check
		err   error
	}
	progressMsg pass.Progress
)

// Run shows a review until the person leaves it.
func Run(ctx context.Context, s *review.Session, title string, target bool, in io.Reader, out io.Writer) (Outcome, error) {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	m := &model{session: s, title: title, target: target, ctx: ctx, work: &worker{}, input: textinput.New(), looking: !s.Whole, width: minWidth, height: minHeight}
	m.input.Prompt = ""
	m.refresh()
	p := tea.NewProgram(m, tea.WithContext(ctx), tea.WithInput(in), tea.WithOutput(out), tea.WithFPS(framesPerSecond))
	m.send = p.Send
	_, err := p.Run()
	cancel()
	m.work.turn.Lock() // until what runs beside has ended
	defer m.work.turn.Unlock()
	if errors.Is(err, tea.ErrInterrupted) || errors.Is(err, tea.ErrProgramKilled) {
		err = context.Canceled
	}
	return m.outcome, err
}

// Init implements tea.Model.
func (m *model) Init() tea.Cmd {
	if m.looking {
		return m.look()
	}
	return m.recheck()
}

// framesPerSecond is how often the screen is drawn at most: a key must be seen at once.
const framesPerSecond = 100

// betweenProgress is how often progress is shown.
const betweenProgress = 100 * time.Millisecond

// watch returns what hands progress on, now and then.
func (m *model) watch() func(pass.Progress) {
	var last time.Time
	return func(p pass.Progress) {
		if time.Since(last) > betweenProgress {
			last = time.Now()
			m.send(progressMsg(p))
		}
	}
}

// look surveys the whole source beside.
func (m *model) look() tea.Cmd {
	return func() tea.Msg {
		m.work.turn.Lock()
		defer m.work.turn.Unlock()
		s, err := m.session.Look(m.ctx, m.watch())
		return lookedMsg{s, err}
	}
}

// settleTime is how long a plan must stay as it is before the whole source is converted by it.
const settleTime = 150 * time.Millisecond

// recheck converts the whole source by the plan beside, instead of one that did so.
func (m *model) recheck() tea.Cmd {
	if m.work.stop != nil {
		m.work.stop()
	}
	m.check, m.progress = nil, pass.Progress{}
	ctx, stop := context.WithCancel(m.ctx)
	m.work.stop = stop
	t := *m.session.Tray()
	if m.looking {
		return nil // the survey comes first
	}
	return func() tea.Msg {
		select {
		case <-ctx.Done():
			return nil
		case <-time.After(settleTime):
		}
		m.work.turn.Lock()
		defer m.work.turn.Unlock()
		check, err := m.session.Check(ctx, &t, m.watch())
		if ctx.Err() != nil {
			return nil
		}
		return checkedMsg{m.session.Tray(), check, err}
	}
}

// refresh reads the sample rows again.
func (m *model) refresh() {
	m.rows = m.session.Rows()
	m.at = min(m.at, len(m.columns())-1)
}

func (m *model) columns() []table.Column { return m.session.Tray().Table.Columns }

func (m *model) column() *table.Column { return &m.columns()[m.at] }

// Update implements tea.Model.
func (m *model) Update(msg tea.Msg) (tea.Model, tea.Cmd) {
	switch msg := msg.(type) {
	case tea.WindowSizeMsg:
		m.width, m.height = msg.Width, msg.Height
	case tea.ColorProfileMsg:
		if msg.Profile <= colorprofile.ANSI {
			fewColours()
		}
	case progressMsg:
		m.progress = pass.Progress(msg)
	case lookedMsg:
		return m, m.looked(msg)
	case checkedMsg:
		m.check = msg.check
		if msg.err != nil {
			m.fault = msg.err.Error()
		}
	case tea.KeyPressMsg:
		return m, m.press(msg)
	default:
		if m.typing() {
			return m, m.typed(msg)
		}
	}
	return m, nil
}

// looked takes over the survey of the whole source.
func (m *model) looked(msg lookedMsg) tea.Cmd {
	m.looking = false
	if msg.err != nil {
		if m.ctx.Err() == nil {
			m.fault = msg.err.Error()
		}
		return nil
	}
	id := review.ID(m.column())
	lost, err := m.session.Looked(msg.survey)
	switch {
	case err != nil:
		m.fault = err.Error()
	case lost > 0:
		m.fault = fmt.Sprintf("%d of your changes do not fit the whole source and were undone", lost)
	}
	m.refresh()
	m.find(id)
	return m.recheck()
}

// find goes to a column.
func (m *model) find(id string) {
	for i := range m.columns() {
		if review.ID(&m.columns()[i]) == id {
			m.at = i
		}
	}
}

// typeList is the part of an error that lists all types.
var typeList = regexp.MustCompile(`; the types are [^;]*`)

// changed shows what a change has done, or why it was not possible.
func (m *model) changed(err error, message string) tea.Cmd {
	m.fault, m.message = "", message
	if err != nil {
		m.fault, m.message = err.Error(), ""
		var wrong *tray.ChangeError
		if errors.As(err, &wrong) {
			m.fault = typeList.ReplaceAllString(wrong.What, "") // the list is too long for the line
		}
		return nil
	}
	m.refresh()
	return m.recheck()
}
