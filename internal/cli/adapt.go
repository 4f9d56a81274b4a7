package cli

import (
	"fmt"
	"slices"
	"strings"

	"ambertray/internal/intake"
	"ambertray/internal/pass"
	"ambertray/internal/table"
)

// optionsText writes the options that read a part as it is written.
func optionsText(d *intake.Drift) (text string) {
	for _, w := range d.WrittenAs {
		text += settingText(w.Setting, w.Value)
	}
	return text
}

// adaptText writes the options that make a plan take a source with another layout or other columns.
func adaptText(e *pass.HeadingsError) string {
	if e.WrittenAs == nil {
		return columnsText(e)
	}
	text := "the source is not written as the plan says; to read it for this command:" + optionsText(&e.Drift)
	if len(e.Missing)+len(e.Extra) > 0 {
		text += "; its columns differ too, and " + columnsText(e)
	}
	return text
}

// columnsText writes the options that make a plan take a source with other columns.
func columnsText(e *pass.HeadingsError) string {
	known := slices.ContainsFunc(e.Plan.Columns, func(c table.Column) bool { return c.From != "" && !slices.Contains(e.Missing, c.From) }) ||
		slices.ContainsFunc(e.Renamed, func(c intake.Change) bool { return strings.EqualFold(c.Was, c.Is) })
	otherKind := "and may be of another kind: ambertray survey " + shellWord(e.Part) + " shows its layout, and options such as --delimiter or --header override it for one load"
	if !known {
		return "the source has none of the plan's columns, " + otherKind
	}
	var options []string
	for _, c := range e.Renamed {
		options = append(options, changeText("%s.from=[%q, %q]", c.Was, c.Was, c.Is))
	}
	missing, extra := e.Unmatched()
	for _, h := range missing {
		options = append(options, optionalText(e.Plan, h)...)
	}
	for _, h := range extra {
		options = append(options, changeText("%s.from=%s", h, h), changeText("%s.leave_out=true", h))
	}
	if len(options) > maxChanges {
		return "the source has many other columns, " + otherKind + "; ambertray draft writes a plan for it"
	}
	return "if that is meant, adapt the plan with " + strings.Join(options, " ")
}

// changeText writes an option that changes a plan.
func changeText(format string, args ...any) string {
	return "--change " + shellWord(fmt.Sprintf(format, args...))
}

// optionalText writes the options that make the column from a heading optional. It returns nil if the
// column is optional, or if the plan has no such column.
func optionalText(plan *table.Table, heading string) (options []string) {
	i := slices.IndexFunc(plan.Columns, func(c table.Column) bool { return c.From == heading })
	if i < 0 || plan.Columns[i].Optional {
		return nil
	}
	if !plan.Columns[i].Nullable && plan.Columns[i].Default == nil {
		options = append(options, changeText("%s.nullable=true", heading))
	}
	return append(options, changeText("%s.optional=true", heading))
}

// maxChanges is how many changes of a plan anybody wants to type.
const maxChanges = 40

// maxRenamed is how many columns of a file are taken for renamed ones rather than for other columns.
const maxRenamed = 3

// driftText says how parts with other columns are loaded together.
func driftText(e *intake.DriftError) string {
	other := slices.IndexFunc(e.Parts, func(d intake.Drift) bool { return d.WrittenAs != nil })
	if other >= 0 {
		return "all files of one load have one layout; load " + shellWord(e.Parts[other].Part) + " on its own, with" + optionsText(&e.Parts[other])
	}
	var options []string
	for _, p := range e.Parts {
		if len(p.Renamed) > maxRenamed {
			return "if they belong together, --drift fill takes the columns of all, and fills what one does not have with NULL; else load each into a table of its own: load --each"
		}
		for _, c := range p.Renamed {
			option := changeText("%s.from=[%q, %q]", c.Was, c.Was, c.Is)
			if !slices.Contains(options, option) {
				options = append(options, option)
			}
		}
	}
	text := "--drift fill takes the columns of all, and fills what one does not have with NULL; or load them one by one"
	if options != nil {
		text = strings.Join(options, " ") + " reads a column that was renamed as one; " + text
	}
	return text
}
