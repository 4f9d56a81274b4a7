package sheet

import (
	"errors"
	"fmt"
	"strings"
)

// Conditions that callers can act on.
var (
	ErrEncrypted = errors.New("the workbook is protected by a password")
	ErrTooLarge  = errors.New("the workbook unpacks to more than it can hold")
	// ErrBroken is returned for a workbook whose parts are not what they should be.
	ErrBroken = errors.New("the workbook is damaged")
)

// ChoiceError says that no sheet was chosen, and there are several.
type ChoiceError struct {
	Asked  string // the word that matches no sheet, or ""
	Sheets []Sheet
	Alike  bool // those that have values are known to have the same columns
}

func (e *ChoiceError) Error() string {
	var names []string
	for _, s := range e.Sheets {
		switch {
		case s.Empty:
			names = append(names, s.Name+" (empty)")
		case s.Hidden:
			names = append(names, s.Name+" (hidden)")
		default:
			names = append(names, s.Name)
		}
	}
	what := "the workbook has several sheets"
	if e.Asked != "" {
		what = fmt.Sprintf("the workbook has no sheet %q", e.Asked)
	}
	return what + ": " + strings.Join(names, ", ")
}

// NameError says that a workbook has no cells of a name.
type NameError struct {
	Asked string
	Names []string
}

func (e *NameError) Error() string {
	if len(e.Names) == 0 {
		return fmt.Sprintf("cells %q: not a range such as B3:H200, and the workbook has no named cells", e.Asked)
	}
	return fmt.Sprintf("cells %q: not a range such as B3:H200, and not a name in the workbook, which has %s", e.Asked, strings.Join(e.Names, ", "))
}
