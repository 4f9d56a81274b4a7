package cli

import (
	"ambertray/internal/note"
	"ambertray/internal/source"
	"ambertray/internal/survey"
	"ambertray/internal/term"
)

// maxNotes is the number of notes that other commands than survey show.
const maxNotes = 12

// drawNotes shows notes, the most important first. If most is not 0, it shows no
// more than that and the command that shows all of them.
func (a *app) drawNotes(p *term.Printer, notes []note.Note, lay *source.Layout, most int, all string) {
	list := survey.WithoutRepeats(notes)
	if len(list) > 0 && most == 0 {
		p.Line("")
	}
	for i, n := range list {
		if most > 0 && i == most {
			p.Fact("", "and %s more: %s", term.Count(int64(len(list)-most)), p.Amber(all))
			return
		}
		p.Fact("note", "%s", noteText(&n, lay))
	}
}

// noteText says what a note is about, and the note.
func noteText(n *survey.Repeated, lay *source.Layout) string {
	where := ""
	add := func(text string) {
		if where != "" {
			where += ", "
		}
		where += text
	}
	if n.Source != nil {
		add(*n.Source)
	}
	if n.Line > 0 {
		add(lay.LineWord() + " " + term.Count(n.Line))
	}
	if n.Column != nil {
		add(term.Printable(*n.Column))
	}
	where += n.Elsewhere()
	if where == "" {
		return term.Printable(n.What)
	}
	return where + ": " + term.Printable(n.What)
}
