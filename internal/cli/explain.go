package cli

import (
	"archive/zip"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"

	"ambertray/internal/connect"
	"ambertray/internal/database"
	"ambertray/internal/export"
	"ambertray/internal/intake"
	"ambertray/internal/ledger"
	"ambertray/internal/load"
	"ambertray/internal/pass"
	"ambertray/internal/platform"
	"ambertray/internal/publish"
	"ambertray/internal/record"
	"ambertray/internal/sheet"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/template"
	"ambertray/internal/term"
	"ambertray/internal/text"
	"ambertray/internal/tighten"
	"ambertray/internal/tray"
)

// report writes an error and what to do about it, and returns the exit status.
func (a *app) report(err error) int {
	p := term.NewPrinter(a.err)
	status := statusOf(err)
	message := err.Error()
	var over *timeLimitError
	var share *load.ShareError
	var partial *load.PartialError
	switch {
	case errors.As(err, &partial):
		message = fmt.Sprintf("%s; %s committed, up to record %s, as load %s", reasonOf(partial.Err),
			term.Amount(partial.Entry.Loaded, "row"), term.Count(partial.Entry.Record), partial.Entry.ID)
	case errors.As(err, &share):
		message = fmt.Sprintf("%s; %d of %d shares of load %s are proved and stay in the table", reasonOf(share.Err), share.Proved, share.Of, share.Load)
	case errors.Is(err, context.Canceled):
		message = "interrupted: " + a.undone
	case errors.As(err, &over):
		message += ": " + a.undone
	}
	if a.log != nil {
		a.log.Error("failed", "status", status, "error", message)
	}
	if a.json && !a.answered {
		a.reportJSON(err, message)
		if a.lost == nil {
			return status
		}
	}
	p.Line("%s %s", p.Red("ambertray:"), message)
	hint := a.hintFor(err)
	if hint != "" {
		p.Line("  %s", hint)
	}
	return status
}

// statusOf returns the exit status of an error.
func statusOf(err error) int {
	var usage usageError
	var change *tray.ChangeError
	var again *load.AgainError
	var partial *load.PartialError
	var share *load.ShareError
	var over *timeLimitError
	var unrecorded *load.UnrecordedError
	switch {
	case errors.As(err, &usage), errors.As(err, &change):
		return exitUsage
	case errors.Is(err, load.ErrDiffers):
		return exitDiffers
	case errors.As(err, &partial), errors.As(err, &share):
		return exitPartial
	case errors.As(err, &unrecorded):
		return recordedStatus(unrecorded)
	case errors.As(err, &over):
		return exitLater
	case errors.As(err, &again) && len(again.Growing) > 0:
		return exitLater
	case errors.As(err, &again) && len(again.Parts) == again.Of:
		return exitLoaded
	case errors.Is(err, database.ErrUnreachable), errors.Is(err, database.ErrLocked), errors.Is(err, database.ErrConflict), errors.Is(err, source.ErrChanged):
		return exitLater
	}
	return exitFailed
}

// recordedStatus returns the exit status of a command that changed the target and could not write a
// file of the tray: what the target has counts.
func recordedStatus(e *load.UnrecordedError) int {
	switch {
	case e.Unfinished:
		return exitPartial
	case e.Rejected > 0:
		return exitRejects
	}
	return exitDone
}

// reportJSON writes an error to standard output.
func (a *app) reportJSON(err error, message string) {
	type report struct {
		What  string  `json:"what"`  // the whole message
		Where *string `json:"where"` // the file, and the line in it if there is one
		Why   string  `json:"why"`   // the cause alone
		Try   *string `json:"try"`   // what to do about it
	}
	r := report{What: message, Where: placeOf(err), Why: causeOf(err).Error()}
	hint := a.hintFor(err)
	if hint != "" {
		r.Try = &hint
	}
	a.writeJSON(map[string]report{"error": r})
}

// placeOf returns the file that an error is about, nil if it is about none.
func placeOf(err error) *string {
	var mistake *tray.Error
	var path *fs.PathError
	switch {
	case errors.As(err, &mistake):
		place := mistake.Place()
		return &place
	case errors.As(err, &path):
		return &path.Path
	}
	return nil
}

// causeOf returns the innermost error.
func causeOf(err error) error {
	for {
		inner := errors.Unwrap(err)
		several, ok := err.(interface{ Unwrap() []error })
		if ok {
			list := several.Unwrap()
			inner = list[len(list)-1]
		}
		if inner == nil {
			return err
		}
		err = inner
	}
}

// hints say what to type next, in the order in which they are tried.
var hints = []struct {
	is   error
	hint string
}{
	{errNoTarget, "add --to with " + connect.Examples() + ", or set AMBERTRAY_TO"},
	{connect.ErrSecret, "remove it; put the password into the server's password file, PGPASSWORD, MYSQL_PWD or SQLCMDPASSWORD, or enter it when asked"},
	{sheet.ErrEncrypted, "open it with its password and save it without one"},
	{sheet.ErrBroken, "open it in a spreadsheet program and save it again"},
	{publish.ErrDatabase, "choose another --out"},
	{export.ErrFileExists, "--replace writes over it"},
	{source.ErrDirectory, "name a file in it"},
	{intake.ErrNothingNew, "a file is loaded when it is complete and not hidden"},
	{source.ErrNoLines, "add --record-length with the length of a record in characters, and --columns if the columns are not detected"},
	{source.ErrRecordLength, "set --record-length to the number of characters of a record, or leave it out if each line is one"},
	{source.ErrEmpty, "check whether it was written completely"},
	{source.ErrSecret, "set it in the environment, or name the source by its whole address"},
	{source.ErrHTML, "check the address: servers give a page like this for a login or an error; tables of pages are read from files whose names end in .html or .xls; --encoding utf-8 reads it as text anyway"},
	{source.ErrNoMember, "check how the archive was made"},
	{source.ErrChanged, "wait until it is complete, then load again: nothing was changed"},
	{source.ErrSQL, "run it with the server's own client; --encoding utf-8 reads it as text anyway"},
	{source.ErrDocument, "convert it to delimited text, one record per line; --encoding utf-8 reads it as text anyway"},
	{source.ErrDatabase, "ambertray export --from FILE TABLE --out TABLE.csv writes one of its tables to a file that can be loaded"},
	{source.ErrControls, "save it as an .xlsx workbook or as delimited text; --encoding utf-8 reads it as text anyway"},
	{source.ErrBinary, "save it as an .xlsx workbook or as delimited text"},
	{zip.ErrFormat, "the file is damaged, or is neither a workbook nor an archive; get a new copy"},
	{io.ErrUnexpectedEOF, "the file is incomplete; get a complete copy"},
	{source.ErrFetch, "check the address, or fetch the file yourself and name it here"},
	{ledger.ErrNoLedger, "--no-ledger loads without one; then nothing prevents loading the same content twice"},
	{ledger.ErrNames, "rename them with characters that the database can hold; or --no-ledger loads without the ledger, and then nothing prevents loading the same content twice"},
	{errNoTerminal, "edit tray.yaml, or write --change COLUMN.KEY=VALUE on draft, check or load; survey and check show the same facts"},
	{load.ErrNoRejects, "nothing is left to mend; ambertray history --to TARGET shows every load"},
	{load.ErrMending, "let it finish, then mend again"},
	{load.ErrHalfMended, "check whether the table has the records of mended.csv.mending: if so, rename both .mending files to mended.csv and rejects.csv; otherwise remove them"},
	{load.ErrNoKey, "name the columns that identify the rows: key: [COLUMN] in the tray"},
	{load.ErrMergeOnce, "leave out --commit-every"},
	{load.ErrOneCommit, "leave out --commit-every"},
	{load.ErrNeedsLedger, "leave out --no-ledger, or --commit-every and --shared"},
	{load.ErrShareExisting, "leave out --shared; or use --existing append, after the table is emptied or dropped"},
	{load.ErrShareTarget, "leave out --shared; --each --jobs N loads several files at the same time"},
	{load.ErrSharedLoad, "add --shared to continue; or ambertray history --to TARGET --forget LOAD removes it from the ledger, and its rows stay in the table"},
	{load.ErrNotShared, "leave out --shared to continue"},
	{load.ErrOtherPlan, "copy the tray.yaml of the other loaders; ambertray history --to TARGET --shares LOAD lists them"},
	{load.ErrLeaseLost, "use a longer --lease on a machine that pauses; the other loaders continue"},
	{pass.ErrOtherRecords, "give every loader the same files; the records of this one were rolled back"},
	{ledger.ErrUnknown, "ambertray history --to TARGET shows every load and its id"},
	{ledger.ErrFinished, "ambertray history shows every load"},
	{ledger.ErrMoved, "let the other load finish"},
	{load.ErrReferences, "references: must name the key of another table, of the same type, that has every value; load that table first, or remove the reference with --change COLUMN.references="},
	{database.ErrUnreachable, "check the host, the port and whether the server runs, then try again"},
	{database.ErrLogin, "check the user and the password: PGPASSWORD, MYSQL_PWD or SQLCMDPASSWORD, the password file or the URL"},
	{database.ErrCertificate, "name its certificate authority in the URL, with tls_ca=FILE (MySQL, MariaDB), sslrootcert=FILE (PostgreSQL) or certificate=FILE (SQL Server); tls=skip-verify, sslmode=require and trustservercertificate=true accept any certificate, for trusted networks"},
	{database.ErrPlain, "add ?tls=true to the URL, and tls_ca=FILE for a certificate authority of your own; tls=skip-verify accepts any certificate, for trusted networks"},
	{database.ErrEncryption, "have a certificate installed on the server; tls=false (MySQL, MariaDB) or encrypt=disable (SQL Server) in the URL connects without encryption, for trusted networks"},
	{database.ErrReadOnly, "name the primary server, or have the database made writable: nothing was changed"},
	{database.ErrTooOld, "load into a later version; ambertray handover writes files that this one can load"},
	{database.ErrPooled, "connect to the server itself, or to the pool in session mode: otherwise other programs get the locks and settings of a load"},
	{database.ErrHidden, "use a login that sees all rows, such as the owner's; this one can export what it sees with --query 'SELECT …', and load with --existing merge"},
	{database.ErrSequence, "have the right to UPDATE that sequence granted, or let the server number the rows: --change COLUMN.leave_out=true"},
	{database.ErrURL, "write the port as a number, and signs such as / ? # % @ in the user or the password as %2F %3F %23 %25 %40"},
	{database.ErrCannotOpen, "check the folder, whether you may write to it, and whether another program has locked it"},
	{database.ErrExists, "--existing append adds rows, empty removes its rows first, rebuild drops and creates it, merge updates by key; or choose another name with --table NAME"},
	{database.ErrNotTable, "give the name of a table"},
	{database.ErrNoTable, "load it first: ambertray load TRAY --to TARGET"},
	{database.ErrPermission, "ambertray targets test TARGET shows which rights the login lacks, and the statement that grants them"},
	{database.ErrFull, "make room and load again: nothing was changed"},
	{database.ErrTooLong, "leave columns out in the tray (leave_out: true), give them shorter types, or take a long text out of the key: nothing was changed"},
	{database.ErrKeyRequired, "choose a key with --change key=COLUMN: nothing was changed"},
	{database.ErrLocked, "let the other program finish, then load again: nothing was changed; if that program is gone, end its session on the server (SELECT pg_terminate_backend(PROCESS), KILL CONNECTION)"},
	{database.ErrConflict, "load again: everything was rolled back; --retries does this automatically"},
	{database.ErrRolledBack, "write RAISE(ABORT) in its triggers and ON CONFLICT ABORT in its constraints, so that single rows are rejected: nothing was loaded"},
	{database.ErrNoSchema, "--create-schema creates it"},
	{database.ErrNoDatabase, "name an existing database; load --create-database creates one on a server"},
	{load.ErrNoRollback, "check without --by-loading"},
	{load.ErrCommitted, "the rows committed before stay, and the rest was rolled back; ambertray verify TRAY --to TARGET names the differences"},
	{load.ErrDiffers, "nothing was loaded; the result names what differs"},
	{fs.ErrPermission, "ask for the right to read it"},
	{fs.ErrNotExist, "check the spelling and the folder"},
}

// reasonOf says why a load did not come to its end.
func reasonOf(err error) string {
	var over *timeLimitError
	if errors.As(err, &over) {
		return over.Error()
	}
	if errors.Is(err, context.Canceled) {
		return "interrupted"
	}
	return err.Error()
}

// allowMore is what must be done before a load with too many rejects can go on, "" for others.
func allowMore(err error) string {
	var many *load.TooManyError
	if errors.As(err, &many) {
		return "allow more rejects with --allow-rejects, and "
	}
	return ""
}

// about returns the hint for errors of one type.
func about[T error](say func(T) string) func(error) string {
	return func(err error) string {
		var e T
		if errors.As(err, &e) {
			return say(e)
		}
		return ""
	}
}

// typedHints are hints that depend on the error, in the order in which they are
// tried.
var typedHints = []func(error) string{
	about(func(*record.PanicError) string {
		return "everything that was not committed was rolled back; please report this line with the command and, if you can, the file"
	}),
	about(func(e *load.LossError) string {
		if e.Existing == table.Empty {
			return "accept that with --accept-loss, or keep the rows: --existing append or merge"
		}
		return "create them again afterwards and accept the loss with --accept-loss, or keep the table: --existing empty, append or merge"
	}),
	about(func(e *load.EngineError) string {
		return "change it with ALTER TABLE " + e.Table + " ENGINE = InnoDB, or accept that with --no-rollback"
	}),
	about(func(e *load.DoubtError) string {
		hint := "when all servers respond, ambertray verify TRAY --to TARGET shows which rows are there, and a load with --existing merge completes it by key"
		if e.Load != "" {
			hint += "; then ambertray history --to TARGET --forget " + e.Load
		}
		return hint
	}),
	about(func(e *source.MixedError) string {
		return fmt.Sprintf("write it in one encoding; or --encoding utf-8 rejects the lines that are not, and --encoding %s reads all lines as that", e.OtherEncoding)
	}),
	about(func(e *load.ShareError) string {
		var over *timeLimitError
		if e.Proved == 0 && !errors.Is(e, context.Canceled) && !errors.As(e, &over) {
			return ""
		}
		return allowMore(e) + "run the same command to continue, on any machine; ambertray history --to TARGET --shares " + e.Load + " lists the shares"
	}),
	about(func(e *load.PartialError) string {
		return allowMore(e) + "run the same command again to continue from there"
	}),
	about(func(e *load.OtherTrayError) string {
		return "load the same files with that tray to continue; if that tray is lost, remove the load from the ledger with ambertray history --to TARGET --forget " + e.ID + ", and its rows stay in the table"
	}),
	about(func(e *load.UnfinishedError) string {
		return "load the original source to finish it; or ambertray history --to TARGET --forget " + e.ID + " removes it from the ledger, and its rows stay in the table"
	}),
	about(func(e *load.AgainError) string {
		if len(e.Parts) < e.Of {
			return "--only-new leaves them out and loads the others; --again loads all of them once more"
		}
		if len(e.Growing) > 0 {
			return "load again when they are complete"
		}
		return "ambertray history shows every load; --again loads it once more"
	}),
	about(func(e *load.UnrecordedError) string {
		if e.Unfinished {
			return "make it writable, or make room, then run the same command again to finish it"
		}
		return "the target is complete, as ambertray history --to TARGET shows; make the tray writable, or make room"
	}),
	func(err error) string {
		if platform.DiskFull(err) {
			return "make room and try again: nothing was changed"
		}
		if platform.InUse(err) {
			return "close it in the other program and try again: nothing was changed"
		}
		return ""
	},
	about(func(e *text.NoLineError) string {
		return "ambertray survey " + shellWord(e.Source) + " shows its layout; --line-end, --header and --first-data-line override the plan for one load"
	}),
	about(func(*text.NoColumnsError) string {
		return "--quote none reads quotes as text; --header LINE names another line as the header"
	}),
	about(func(*database.KeyError) string {
		return "remove or correct those rows, or name other columns with --change key=COLUMNS: nothing was changed"
	}),
	about(func(*load.NoMatchError) string {
		return "match them by their order with --by-position, or draft without --to and write the columns' names into the tray"
	}),
	about(func(*template.MissingError) string { return "correct from: in the tray, or draft a new tray" }),
	about(func(e *noTableError) string {
		if e.nearest == "" {
			return "ambertray history --to TARGET shows the tables that were loaded"
		}
		return "did you mean " + e.nearest + "?"
	}),
	about(adaptText),
	about(func(*load.UndoError) string {
		return "nothing was changed; ambertray verify TRAY --to TARGET shows which of its rows the table has"
	}),
	about(func(e *load.MendError) string {
		if e.State == "" {
			return "name the target of the load with --to; ambertray history --to TARGET shows its loads"
		}
		return "nothing was changed; load the source again, and mend the rejects of that load"
	}),
	about(func(e *sameNameError) string {
		return "load those that belong together as one source, or one of them alone with --table and --tray"
	}),
	about(func(*intake.KindError) string {
		return "draft a plan of its own: ambertray draft FILE; all files of one load must have the same format"
	}),
	about(func(*intake.TwiceError) string { return "remove one of them from the list from: in the tray" }),
	about(func(*pass.ColumnsError) string {
		return "restore the columns of the file; only cells of records may change"
	}),
	about(func(e *tighten.DoubtError) string {
		return "list the rows that do not fit:  ambertray tighten " + shellWord(e.Table) + " --to TARGET"
	}),
	about(func(e *load.MismatchError) string {
		return "change the plan, or the table: ambertray check TRAY --to TARGET shows every column, and ambertray draft FILE --to TARGET --table " +
			shellWord(e.Table) + " takes the types of the table"
	}),
	about(func(*load.TooManyError) string {
		return "nothing was loaded; correct the source, or allow more with --allow-rejects or allow_rejects: in the tray"
	}),
	about(driftText),
	about(func(e *sheet.ChoiceError) string {
		if e.Alike {
			return "all sheets with values have the same columns: --sheet all loads them into one table; or name one: --sheet NAME"
		}
		return "name one: --sheet NAME; or a pattern of names, such as --sheet '2026-*'; or all: --sheet all, with --drift fill if columns differ; or load each into a table of its own: --each"
	}),
	about(func(*sheet.NameError) string { return "name one of these, or write a range: --cells B3:H200" }),
	about(func(e *source.MembersError) string { return "name one: " + shellWord(e.Archive+"//"+e.Members[0]) }),
	about(func(e *tray.ChangeError) string {
		return "write --change COLUMN.KEY=VALUE with the keys of tray.yaml; nothing was changed"
	}),
	about(func(e *tray.ConflictError) string { return "adapt " + shellWord(e.Dir) + "/tray.yaml and draft again" }),
	about(func(*export.FormatError) string {
		return "end the name in .xlsx or .parquet, or in .csv, .tsv or .txt for delimited text"
	}),
	about(func(e *tray.NotTrayError) string {
		if tray.Is(e.File) {
			return "remove it, or name another tray with --tray"
		}
		return "name its tray, such as " + shellWord(tray.DirFor(e.File))
	}),
	about(func(e *tray.Error) string { return "correct the line in " + e.File }),
}

// hintFor returns what to type next after an error, "" if nothing is known.
func (a *app) hintFor(err error) string {
	text := a.withTarget(hintOf(err))
	var usage usageError
	if text != "" || !errors.As(err, &usage) {
		return text
	}
	switch {
	case a.command == nil || !a.command.HasParent() || a.command.Name() == "help":
		return "ambertray --help lists the commands"
	case a.command.HasSubCommands():
		return a.command.CommandPath() + " --help lists its commands"
	}
	return a.command.CommandPath() + " --help lists its options"
}

func hintOf(err error) string {
	for _, hint := range typedHints {
		text := hint(err)
		if text != "" {
			return text
		}
	}
	for _, h := range hints {
		if errors.Is(err, h.is) {
			return h.hint
		}
	}
	return ""
}
