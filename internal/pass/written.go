package pass

import (
	"context"
	"slices"

	"ambertray/internal/intake"
	"ambertray/internal/source"
	"ambertray/internal/tray"
)

// writtenKeys are the settings that say how a text is written.
var writtenKeys = []string{"encoding", "line_end", "delimiter", "quote", "escape", "header"}

// SetAs is a setting and the value to give it.
type SetAs struct {
	Setting source.Setting
	Value   string
}

// writtenAs detects the layout of a file. If the file has the columns of the plan in that
// layout, it returns the settings that differ from those of the plan.
func writtenAs(ctx context.Context, t *tray.Tray, opener *source.Opener, file string) (list []SetAs) {
	if !t.Layout.IsText() {
		return nil
	}
	lay, err := intake.Detect(ctx, opener, file, source.Layout{}, nil, false)
	if err != nil || lay.Format != t.Layout.Format {
		return nil
	}
	p := &Pass{tray: t, Sources: []string{file}}
	p.in, err = intake.Open(ctx, opener, []string{file}, lay, Expected(&t.Table), false)
	if err != nil {
		return nil
	}
	defer p.in.Close()
	p.Headings = p.in.Headings
	if p.checkHeadings() != nil {
		return nil
	}
	for _, s := range source.Settings() {
		value := s.Get(&lay)
		if !slices.Contains(writtenKeys, s.Key) || value == s.Get(&t.Layout) {
			continue
		}
		name, ok := source.DelimiterName(value)
		if ok && s.Key == "delimiter" {
			value = name
		}
		list = append(list, SetAs{s, value})
	}
	return list
}
