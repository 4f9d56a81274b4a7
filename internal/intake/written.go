package intake

import (
	"context"
	"slices"
	"strings"

	"ambertray/internal/source"
)

// writtenKeys are the settings that say how a text is written.
var writtenKeys = []string{"encoding", "line_end", "delimiter", "quote", "escape", "header"}

// SetAs is a setting and the value to give it.
type SetAs struct {
	Setting source.Setting
	Value   string
}

// joined lists settings as people say them, such as "delimiter tab, line end crlf".
func joined(list []SetAs) string {
	var texts []string
	for _, s := range list {
		texts = append(texts, strings.ReplaceAll(s.Setting.Key, "_", " ")+" "+s.Value)
	}
	return strings.Join(texts, ", ")
}

// AsWritten reads a file in the layout that is detected for it, instead of lay, and returns how it
// then differs, whatever the order of its columns. It returns d unchanged unless fewer columns are
// missing. compare says how the columns of the opened file differ.
func (d Drift) AsWritten(ctx context.Context, opener *source.Opener, file string, lay *source.Layout, plan Expected, compare func(*Intake) Drift) Drift {
	if !lay.IsText() || len(d.Missing) == 0 {
		return d
	}
	own, err := Detect(ctx, opener, file, source.Layout{}, nil, false)
	if err != nil || own.Format != lay.Format {
		return d
	}
	in, err := Open(ctx, opener, []string{file}, own, plan, false)
	if err != nil {
		return d
	}
	defer in.Close()
	left := compare(in)
	left.Moved = false
	left.WrittenAs = otherSettings(lay, &own)
	if len(left.Missing) >= len(d.Missing) || left.WrittenAs == nil {
		return d
	}
	return left
}

// otherSettings returns those of the writtenKeys that have another value in own than in lay.
func otherSettings(lay, own *source.Layout) (list []SetAs) {
	for _, s := range source.Settings() {
		value := s.Get(own)
		if !slices.Contains(writtenKeys, s.Key) || value == s.Get(lay) {
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
