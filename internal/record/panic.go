package record

import (
	"fmt"
	"runtime"
	"strings"
)

// PanicError is a panic of our own code that was caught: a mistake to report.
type PanicError struct {
	Value any
	Place string // the function and line that panicked
}

func (e *PanicError) Error() string { return fmt.Sprintf("internal error: %v (%s)", e.Value, e.Place) }

// Recover sets an error where a function panics. It is deferred by that function.
func Recover(err *error) {
	value := recover()
	if value != nil {
		*err = &PanicError{value, panicPlace()}
	}
}

// panicPlace returns the innermost function of this program that panicked.
func panicPlace() string {
	callers := make([]uintptr, 32)
	frames := runtime.CallersFrames(callers[:runtime.Callers(3, callers)])
	for {
		f, more := frames.Next()
		if strings.Contains(f.Function, "ambertray/") && !strings.HasSuffix(f.Function, ".Recover") {
			return fmt.Sprintf("%s:%d", f.Function, f.Line)
		}
		if !more {
			return "unknown place"
		}
	}
}
