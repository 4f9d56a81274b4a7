package cli

import (
	"runtime/debug"

	"github.com/spf13/cobra"
)

// version is stamped on a release.
var version = "0.1.0"

func (a *app) newVersion() *cobra.Command {
	return &cobra.Command{
		Use:     "version",
		Short:   "Print the version",
		Example: examples("ambertray version --json"),
		Args:    cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			v := struct {
				Version string `json:"version"`
				Go      string `json:"go"`
			}{version, ""}
			info, ok := debug.ReadBuildInfo()
			if ok {
				v.Go = info.GoVersion
			}
			return a.show(v, func() { a.print.Line("ambertray %s (%s)", v.Version, v.Go) })
		},
	}
}
