package load

// UnrecordedError is returned, with the result, by a load, a mend or an undo that has changed the
// target as it should, and then could not write a file of its tray.
type UnrecordedError struct {
	Done     string // what is done, and the file that could not be written
	Rejected int64  // records
	// Unfinished is true if the same command must be run again, which writes the file.
	Unfinished bool
	Err        error
}

func (e *UnrecordedError) Error() string { return e.Done + ": " + e.Err.Error() }

func (e *UnrecordedError) Unwrap() error { return e.Err }
