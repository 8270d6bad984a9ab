// Yarvek prepares static meshes for a real-time engine and proves what it sends.
package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"syscall"

	"github.com/spf13/cobra"
)

// errSaid marks an error whose message is already out; only the exit code is left.
var errSaid = errors.New("")

// errDifferent is what ends a command that wrote something which arrived different.
var errDifferent = errors.New("what was written arrived different")

// The exit codes besides 0.
const (
	exitFailed    = 1
	exitDifferent = 3 // 2 is what a shell takes for a command that was called wrong
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	// The first signal is a request; from then on signals do what they always do.
	context.AfterFunc(ctx, stop)
	if err := rootCommand().ExecuteContext(ctx); err != nil {
		var code exitCode
		if errors.As(err, &code) {
			os.Exit(int(code))
		}
		if !errors.Is(err, errSaid) {
			fmt.Fprintln(os.Stderr, "yarvek:", err)
			hold()
		}
		if errors.Is(err, errDifferent) {
			os.Exit(exitDifferent)
		}
		os.Exit(exitFailed)
	}
}

// rootCommand is the program with all its commands.
func rootCommand() *cobra.Command {
	root := &cobra.Command{
		Use:   "yarvek",
		Short: "Make static meshes right for a real-time engine",
		Long: `Make static meshes right for a real-time engine, and prove what is sent.

Without a command the workbench is served on your own data, and opened in the browser.`,
		SilenceUsage:      true,
		SilenceErrors:     true,
		Args:              cobra.NoArgs,
		PersistentPreRunE: defaultData,
		RunE:              func(c *cobra.Command, _ []string) error { return home(c.Context(), c.OutOrStdout()) },
	}
	cobra.MousetrapHelpText = "" // a double click is how it is started
	root.AddCommand(serveCommand(), demoCommand(), inspectCommand(), arriveCommand(), prepareCommand(), checkCommand(),
		batchCommand(), watchCommand(), diffCommand(), tidyCommand(),
		simplifyCommand(), ladderCommand(), collideCommand(), texturesCommand(), unwrapCommand(), targetCommand(),
		verifyCommand(), backupCommand(), restoreCommand(), sweepCommand(), userCommand(), manCommand(),
		versionCommand())
	return root
}
