package cli

import (
	"fmt"
	"slices"

	"github.com/spf13/cobra"

	"ambertray/internal/source"
)

// overridesText repeats the options by which a layout was set.
func overridesText(lay *source.Layout) (text string) {
	for _, s := range source.Settings() {
		if slices.Contains(lay.Overrides, s.Key) {
			text += settingText(s, s.Get(lay))
		}
	}
	return text
}

// typedText repeats the options of the layout that were typed.
func typedText(c *cobra.Command) (text string) {
	for _, s := range typedSettings(c) {
		text += settingText(s, c.Flags().Lookup(s.Option()).Value.String())
	}
	return text
}

// settingText is a setting as it is typed.
func settingText(s source.Setting, val string) string {
	text := " --" + s.Option()
	switch {
	case !s.Truth():
		return text + " " + shellWord(val)
	case val == "true":
		return text
	}
	return text + "=" + shellWord(val)
}

// misapplied returns an error if an option was typed that only applies to sheets, and the source is
// text, or the other way round. Sources that are loaded side by side may be both.
func misapplied(c *cobra.Command, source string, isText bool) error {
	if c.Flags().Changed("each") {
		return nil
	}
	for _, s := range typedSettings(c) {
		switch {
		case isText && s.OfSheets():
			return usageError{fmt.Errorf("--%s is for workbooks, and %s is text", s.Option(), source)}
		case !isText && s.OfText():
			return usageError{fmt.Errorf("--%s is for text, and %s is a workbook", s.Option(), source)}
		}
	}
	return nil
}

// hasValue reports whether an option of the command was typed with a value. A script may leave it empty.
func hasValue(c *cobra.Command, option string) bool {
	f := c.Flags().Lookup(option)
	return f != nil && f.Changed && f.Value.String() != ""
}

// typedSettings returns the settings of the layout whose options were typed.
func typedSettings(c *cobra.Command) (list []source.Setting) {
	for _, s := range source.Settings() {
		if hasValue(c, s.Option()) {
			list = append(list, s)
		}
	}
	return list
}
