// Package tighten finds the tightest types for the columns of an existing table, and
// changes them when every row is proved to keep its values.
package tighten

import (
	"context"
	"errors"
	"io"

	"ambertray/internal/database"
	"ambertray/internal/export"
	"ambertray/internal/note"
	"ambertray/internal/source"
	"ambertray/internal/survey"
)

// Profile surveys the rows of a table or of a query like a file. NULL and texts without
// characters both count as blank.
func Profile(ctx context.Context, from database.Target, work *export.Work, o survey.Options) (*survey.Survey, error) {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	work.Brief()
	read, write := io.Pipe()
	defer read.Close()
	lay := source.DefaultLayout()
	for _, s := range [][2]string{{"delimiter", ","}, {"quote", `"`}, {"encoding", "utf-8"}, {"line_end", "lf"}, {"header", "1"}, {"comment", "none"}, {"footer", "0"}} {
		err := lay.Set(s[0], s[1])
		if err != nil {
			return nil, err
		}
	}
	options := export.Options{Layout: lay, Header: true, Quoted: true, Null: `""`, Stdout: write} // so that a row without values is not a blank line
	done := make(chan error, 1)
	go func() {
		_, err := export.Run(ctx, from, work, export.Standard, options)
		write.CloseWithError(err)
		done <- err
	}()
	o.Table = true
	o.Override = func(l *source.Layout) {
		overrides := l.Overrides
		*l = lay
		l.Overrides = append(overrides, lay.Overrides...)
	}
	opener := &source.Opener{Stdin: read}
	defer opener.Close()
	s, err := survey.Run(ctx, opener, []string{source.Stdin}, o)
	read.Close()
	if err != nil {
		cancel()
	}
	exportErr := <-done
	if exportErr != nil && (err == nil || !errors.Is(exportErr, context.Canceled)) {
		err = exportErr
	}
	if err != nil {
		return nil, err
	}
	s.Source = work.Table.Name
	if s.Records == 0 {
		s.Notes = []note.Note{} // about the header of a file
	}
	for i := range s.Notes {
		s.Notes[i].Source = nil
	}
	return s, nil
}
