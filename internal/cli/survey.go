package cli

import (
	"cmp"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"ambertray/internal/infer"
	"ambertray/internal/intake"
	"ambertray/internal/pass"
	"ambertray/internal/record"
	"ambertray/internal/source"
	"ambertray/internal/survey"
	"ambertray/internal/term"
	"ambertray/internal/tray"
)

// surveyFlags adds the flags of every command that surveys a source.
func surveyFlags(c *cobra.Command) func() (survey.Options, error) {
	sample := c.Flags().Int64("sample", 0, "read only the first `N` records (default all of them)")
	fit := c.Flags().String("fit", "roomy", "headroom of types: roomy, or snug for types that just hold the values")
	set := map[string]*string{}
	for _, s := range source.Settings() {
		set[s.Key] = c.Flags().String(s.Option(), "", s.Help+" (default: "+s.Default()+")")
		if s.Truth() {
			c.Flags().Lookup(s.Option()).NoOptDefVal = "true"
		}
	}
	return func() (survey.Options, error) {
		if *sample < 0 {
			return survey.Options{}, usageError{fmt.Errorf("--sample %d: write a number of records", *sample)}
		}
		headroom, err := infer.ParseFit(*fit)
		if err != nil {
			return survey.Options{}, usageError{err}
		}
		typed := func(key string) (string, bool) { return *set[key], *set[key] != "" }
		err = new(source.Layout).SetAll(typed)
		if err != nil {
			return survey.Options{}, usageError{err}
		}
		return survey.Options{Sample: *sample, Fit: headroom, Override: func(l *source.Layout) { _ = l.SetAll(typed) }}, nil // it was tried above
	}
}

// alike reports whether sources have the same headings, and so could be one.
func alike(sources []*survey.Survey) bool {
	for _, s := range sources {
		if !slices.EqualFunc(s.Columns, sources[0].Columns, func(a, b survey.Column) bool { return a.Heading == b.Heading }) {
			return false
		}
	}
	return true
}

// quickRecords is how many records a quick survey reads.
const quickRecords = 1000

func (a *app) newSurvey() *cobra.Command {
	c := &cobra.Command{
		Use:   "survey TRAY|SOURCE...",
		Short: "Show the layout, the columns and the first rows of a source",
		Long: `Survey reads the whole source and shows its layout, its first rows and, for each column,
the type of its values, blanks, distinct values, length and range. Notes report what is
ambiguous and what keeps a column from a tighter type.`,
		Example: examples("ambertray survey loans.csv", "ambertray survey loans-2026.xlsx --sheet January", "ambertray survey 'returns-*.csv.gz' --delimiter ';' --header 4", "ambertray survey loans --from museum.db"),
	}
	w := surveying{options: surveyFlags(c)}
	c.Flags().StringVar(&w.from, "from", "", "survey a table of a `TARGET` instead of a file: survey TABLE --from TARGET")
	c.Flags().StringVar(&w.query, "query", "", "survey the result of a query, with --from: `SQL`")
	c.Flags().IntVar(&w.rows, "rows", survey.DefaultRows, "show the first `N` rows")
	c.Flags().BoolVar(&w.each, "each", false, "give an overview of many files and sheets: which could be one table, and which columns refer to others")
	c.Flags().BoolVar(&w.quick, "quick", false, "read only the beginning")
	c.Args = w.args
	c.RunE = func(c *cobra.Command, args []string) error {
		o, err := w.options()
		if err != nil {
			return err
		}
		o.Rows = w.rows
		if w.quick {
			o.Sample = max(quickRecords, int64(w.rows))
		}
		if w.from != "" {
			return a.surveyTable(c, w.from, w.query, args, o)
		}
		files, err := surveyedFiles(&o, args)
		if err != nil {
			return err
		}
		if w.each {
			return a.surveyEach(c, o, files)
		}
		return a.surveyFiles(c, o, files, args)
	}
	return c
}

// surveying are the options of survey.
type surveying struct {
	options     func() (survey.Options, error)
	from, query string
	rows        int
	each, quick bool
}

// args wants sources, a table or a query.
func (w *surveying) args(c *cobra.Command, args []string) error {
	switch {
	case w.query != "" && (w.from == "" || len(args) > 0):
		return usageError{errors.New("--query needs --from TARGET and no table")}
	case w.from != "" && w.each:
		return usageError{errors.New("--from and --each exclude each other")}
	case w.from != "" && w.query == "" && len(args) != 1:
		return usageError{errors.New("--from needs the name of one table")}
	case w.from != "":
		return nil
	}
	return cobra.MinimumNArgs(1)(c, args)
}

// surveyed is what each of some sources holds.
type surveyed struct {
	Sources []*survey.Survey `json:"sources"`
	intake.LeftOut
}

// surveyFiles shows the contents of each of some files separately, which args have named.
func (a *app) surveyFiles(c *cobra.Command, o survey.Options, files, args []string) error {
	list, err := intake.List(files)
	if err != nil {
		return err
	}
	result := surveyed{LeftOut: list.LeftOut}
	for _, name := range list.Files {
		found, err := a.surveySheets(c, name, o)
		if err != nil {
			return err
		}
		result.Sources = append(result.Sources, found...)
	}
	return a.show(result, func() {
		for i, s := range result.Sources {
			if i > 0 {
				a.print.Line("")
			}
			a.drawSheets(s)
			a.drawSurvey(s)
		}
		a.drawLeftOut(result.LeftOut)
		word, _ := c.Flags().GetString("sheet")
		next := "ambertray draft " + shellWords(args) + overrideOf(result.Sources, word)
		if !alike(result.Sources) {
			next = a.withTarget("ambertray load " + shellWords(args) + " --each --to TARGET")
		}
		a.print.Next("", next)
	})
}

// surveyedFiles returns the files that are named, or those of a tray, with the settings that a
// person has set in it.
func surveyedFiles(o *survey.Options, names []string) ([]string, error) {
	if !tray.Is(names[0]) {
		return names, nil
	}
	if len(names) > 1 {
		return nil, usageError{errors.New("survey takes one tray, or files")}
	}
	t, err := tray.Read(names[0])
	if err != nil {
		return nil, err
	}
	return t.Paths(), keepSettings(o, t.Dir, t.Paths())
}

// survey surveys a source with a progress line.
func (a *app) survey(c *cobra.Command, names []string, o survey.Options) (*survey.Survey, error) {
	var done func()
	o.Progress, done = a.progress("surveying")
	o.Progress(pass.Progress{}) // a workbook is unpacked first
	defer done()
	s, err := survey.Run(c.Context(), a.from, names, o)
	var kind *intake.KindError
	switch {
	case errors.As(err, &kind):
		return nil, cmp.Or(misapplied(c, kind.Part, !kind.Sheet), err)
	case err != nil:
		return nil, err
	}
	return s, misapplied(c, s.Source, s.Layout.IsText())
}

func (a *app) drawSurvey(s *survey.Survey) {
	a.print.Fact("source", "%s", a.print.Bold(s.Source))
	a.drawLayout(s)
	a.drawProfile(s)
}

// drawProfile shows the first rows and the columns.
func (a *app) drawProfile(s *survey.Survey) {
	p := a.print
	p.Line("")
	a.drawFirstRows(s)
	p.Line("")
	var rows [][]string
	for i, c := range s.Columns {
		rows = append(rows, []string{
			fmt.Sprint(i + 1), c.Heading, p.Amber(c.Type), blanks(c), distinctText(c), uniqueText(&c), lengths(c), extremes(c),
		})
	}
	p.Table([]term.Column{
		{Title: "", Right: true}, {Title: "column", Max: 28}, {Title: "type"}, {Title: "blank", Right: true},
		{Title: "distinct", Right: true, Spare: true}, {Title: "", Spare: true}, {Title: "length", Right: true, Spare: true}, {Title: "least … greatest"},
	}, rows)
	a.drawPairs(s)
	a.drawNotes(a.print, s.Notes, &s.Layout, 0, "")
	a.drawOddities(s)
}

func (a *app) drawLayout(s *survey.Survey) {
	p := a.print
	p.Fact("layout", "%s", layoutText(s))
	records := term.Amount(s.Records, "record")
	if s.Sampled {
		records = "the first " + records
	}
	p.Fact("read", "%s, %s%s", records, skippedText(s.Skipped), troubles(s))
	var skipped []string
	for _, row := range s.SkippedRows {
		part := ""
		if len(s.Parts) > 1 {
			part = partText(s, row.Source) + ", "
		}
		skipped = append(skipped, fmt.Sprintf("%s%s %s, %s: %s", part, s.Layout.LineWord(), term.Count(row.Line), row.Rule, p.Faint(term.Shorten(term.Printable(row.Text), 60))))
	}
	if skipped != nil {
		p.Fact("skipped", "%s", strings.Join(skipped, "\n"))
	}
	var drift []string
	for _, d := range s.Drift {
		drift = append(drift, fmt.Sprintf("%s: %s", partText(s, d.Part), d.String()))
	}
	if drift != nil {
		p.Fact("drift", "%s", strings.Join(drift, "\n"))
	}
}

// rowsRead says how many rows were read, and from where.
func rowsRead(n int64, lay *source.Layout) string {
	rows := term.Amount(n, "row")
	if lay.HeaderLine > 0 {
		rows += " after the header"
	}
	return rows
}

// skippedText names the rules that left rows out, and how many.
func skippedText(skipped record.Skipped) string {
	var parts []string
	for _, r := range record.Rules() {
		if skipped[r] > 0 {
			parts = append(parts, term.Amount(skipped[r], r.String()))
		}
	}
	switch len(parts) {
	case 0:
		return "none skipped"
	case 1:
		return parts[0] + " skipped"
	}
	return fmt.Sprintf("%s skipped (%s)", term.Count(skipped.Total()), strings.Join(parts, ", "))
}

func troubles(s *survey.Survey) string {
	text := ""
	n := s.Ragged - s.Filled
	if n > 0 {
		text += fmt.Sprintf(", %s ragged", term.Count(n))
	}
	if s.Filled > 0 {
		text += fmt.Sprintf(", %s filled at the end", term.Count(s.Filled))
	}
	if s.Broken > 0 {
		text += fmt.Sprintf(", %s broken", term.Count(s.Broken))
	}
	return text
}

// layoutText says how the source is laid out; what was set is named last.
func layoutText(s *survey.Survey) string {
	l := s.Layout
	parts := []string{term.Bytes(s.Bytes)}
	if l.Packing != "" {
		parts = append(parts, l.Packing)
	}
	encoding := l.Encoding
	if l.Confidence < 1 {
		encoding += fmt.Sprintf(" (likely, %.0f %%)", 100*l.Confidence)
	}
	if l.BOM {
		encoding += " with byte order mark"
	}
	if l.IsText() {
		parts = append(parts, encoding, delimiterText(l))
	} else {
		parts = append(parts, "sheet "+l.Sheet)
	}
	if l.Quote == "'" {
		parts = append(parts, "quote '")
	}
	switch {
	case l.Escape == source.ServerEscapes:
		parts = append(parts, "escapes of a server")
	case l.Unquoted():
		parts = append(parts, "no quotes")
	case l.Escape == source.Backslash:
		parts = append(parts, "backslash escapes")
	case l.Escape == source.Unescaped:
		parts = append(parts, "quotes not escaped")
	}
	if l.SkipSpaces {
		parts = append(parts, "spaces around cells")
	}
	if l.TextFormulas {
		parts = append(parts, "text formulas")
	}
	if l.LineEnd != "lf" && l.LineEnd != source.Rows {
		parts = append(parts, "line ends "+strings.ToUpper(l.LineEnd))
	}
	switch {
	case l.HeaderLines > 1:
		parts = append(parts, "header on "+l.LineWord()+"s "+strings.ReplaceAll(l.Header(), "-", "–"))
	case l.HeaderLine > 0:
		parts = append(parts, "header on "+l.LineWord()+" "+term.Count(l.HeaderLine))
	case l.FirstDataLine > 1:
		parts = append(parts, "no header, data from "+l.LineWord()+" "+term.Count(l.FirstDataLine))
	default:
		parts = append(parts, "no header")
	}
	if len(l.Overrides) > 0 {
		parts = append(parts, "set: "+strings.Join(l.Overrides, ", "))
	}
	return strings.Join(parts, " · ")
}

func delimiterText(l source.Layout) string {
	if l.Columns != "" {
		return "columns at fixed places"
	}
	if l.Delimiter == "" {
		return "one column"
	}
	name, ok := source.DelimiterName(l.Delimiter)
	if ok {
		return strings.ReplaceAll(name, "_", " ")
	}
	return fmt.Sprintf("delimiter %q", l.Delimiter)
}

// maxCell is how wide a cell of the first rows is shown.
const maxCell = 18

func (a *app) drawFirstRows(s *survey.Survey) {
	var cols []term.Column
	for _, c := range s.Columns {
		cols = append(cols, term.Column{Title: term.Shorten(c.Heading, maxCell), Max: maxCell, Right: c.Choice.Type.Numeric()})
	}
	var rows [][]string
	for _, r := range s.Rows {
		row := make([]string, len(cols))
		copy(row, r)
		for i := range row {
			if strings.TrimSpace(row[i]) == "" {
				row[i] = "·"
			}
		}
		rows = append(rows, row)
	}
	a.print.Narrow(cols, rows)
}

// maxNullWords is how many null words of a column are shown beside its blank cells.
const maxNullWords = 2

// blanks counts the blank cells, and names the most frequent null words beside them.
func blanks(c survey.Column) string {
	text := "·"
	if c.Blanks > 0 {
		text = term.Count(c.Blanks)
	}
	words := slices.Sorted(maps.Keys(c.NullWords))
	slices.SortStableFunc(words, func(a, b string) int { return cmp.Compare(c.NullWords[b], c.NullWords[a]) })
	for i, word := range words {
		if i == maxNullWords {
			return text + " …"
		}
		text += fmt.Sprintf(" +%s %s", term.Count(c.NullWords[word]), word)
	}
	return text
}

func distinctText(c survey.Column) string {
	if !c.Exact {
		return "~" + term.Count(c.Distinct)
	}
	return term.Count(c.Distinct)
}

func uniqueText(c *survey.Column) string {
	switch {
	case c.Key:
		return "unique"
	case c.LikelyKey:
		return "likely unique"
	}
	return ""
}

// drawPairs shows what identifies the records where no single column does.
func (a *app) drawPairs(s *survey.Survey) {
	var lines []string
	for _, k := range s.KeyPairs[:min(len(s.KeyPairs), maxPairs)] {
		line := strings.Join(k.Columns, " with ")
		if !k.Sure {
			line += ", by the first records"
		}
		lines = append(lines, line)
	}
	if lines != nil {
		a.print.Line("")
		a.print.Fact("unique", "%s", "together: "+strings.Join(lines, "; "))
	}
}

// maxPairs is how many pairs of columns are shown.
const maxPairs = 5

func lengths(c survey.Column) string {
	if c.Shortest == c.Longest {
		return term.Count(int64(c.Longest))
	}
	return fmt.Sprintf("%d–%s", c.Shortest, term.Count(int64(c.Longest)))
}

func extremes(c survey.Column) string {
	if c.Min == nil {
		return "·"
	}
	return fmt.Sprintf("%s … %s", term.Shorten(*c.Min, 26), term.Shorten(*c.Max, 26))
}

func (a *app) drawOddities(s *survey.Survey) {
	var lines []string
	for _, o := range s.Oddities {
		lines = append(lines, placeText(s, o)+": "+a.print.Red(o.What))
	}
	more := s.OddityCount - int64(len(lines))
	if more > 0 {
		lines = append(lines, "and "+term.Count(more)+" more")
	}
	if lines != nil {
		a.print.Line("")
		a.print.Fact("odd", "%s", strings.Join(lines, "\n"))
	}
}

// placeText says where something stands.
func placeText(s *survey.Survey, o survey.Oddity) string {
	where := s.Layout.LineWord() + " " + term.Count(o.Line)
	if len(s.Parts) > 1 {
		where = partText(s, o.Source) + ", " + where
	}
	if o.Column != nil {
		where += ", " + *o.Column
	}
	return where
}

// partText names a part, of a single workbook by its sheet alone.
func partText(s *survey.Survey, part string) string {
	sheet, ok := strings.CutPrefix(part, s.Source+record.SheetSign)
	if ok {
		return sheet
	}
	return part
}
