package cli

import (
	"fmt"
	"os"

	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"
)

// newManual returns the command that packagers call. It is not for every day.
func newManual() *cobra.Command {
	return &cobra.Command{
		Use:    "manual FOLDER",
		Short:  "Write a man page for every command",
		Long:   "Manual writes a man page for every command and topic into a folder, for packages.",
		Hidden: true,
		Args:   typed(cobra.ExactArgs(1)),
		RunE: func(c *cobra.Command, args []string) error {
			err := os.MkdirAll(args[0], 0o777)
			if err != nil {
				return err
			}
			c.Root().DisableAutoGenTag = true // pages of one version are the same every day
			header := &doc.GenManHeader{Title: "AMBERTRAY", Section: "1", Source: "Amber Tray", Manual: "Amber Tray"}
			err = doc.GenManTree(c.Root(), header, args[0])
			if err != nil {
				return fmt.Errorf("write man pages: %w", err)
			}
			return nil
		},
	}
}
