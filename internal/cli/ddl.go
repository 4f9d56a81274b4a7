package cli

import (
	"errors"

	"github.com/spf13/cobra"

	"ambertray/internal/dialect"
)

func (a *app) newDDL() *cobra.Command {
	c := &cobra.Command{
		Use:   "ddl TRAY|SOURCE...",
		Short: "Print the table definition",
		Args:  cobra.MinimumNArgs(1),
	}
	d := draftFlags(c)
	name := c.Flags().String("dialect", "", "the SQL of sqlite or postgresql")
	to := toFlag(c)
	c.RunE = func(c *cobra.Command, args []string) error {
		var dia *dialect.Dialect
		var err error
		switch {
		case *name != "" && *to != "":
			return usageError{errors.New("--dialect and --to exclude each other")}
		case *name != "":
			if dia, err = dialect.ByName(*name); err != nil {
				return usageError{err}
			}
		default:
			t, err := a.open(c.Context(), *to, true)
			if errors.Is(err, errNoTarget) {
				return usageError{errors.New("for which server? Write --dialect sqlite, --dialect postgresql or --to TARGET")}
			}
			if err != nil {
				return err
			}
			dia = t.Dialect()
			if err := t.Close(); err != nil {
				return err
			}
		}
		t, _, err := a.plan(c, d, args)
		if err != nil {
			return err
		}
		result := struct {
			Dialect string `json:"dialect"`
			Table   string `json:"table"`
			DDL     string `json:"ddl"`
		}{dia.Name, t.Table.Name, dia.CreateTable(&t.Table)}
		return a.show(result, func() { a.print.Line("%s;", result.DDL) })
	}
	return c
}
