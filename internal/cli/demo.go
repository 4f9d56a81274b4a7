package cli

import "github.com/spf13/cobra"

func (a *app) newDemo() *cobra.Command {
	return &cobra.Command{Use: "demo", Short: "Show the whole story on the museum's files", Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error { return nil }}
}
