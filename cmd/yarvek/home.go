package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"time"

	"github.com/inconshreveable/mousetrap"
	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

// dataHere is the folder that, where it stands in the current one, is taken before the user's own.
const dataHere = "yarvek-data"

// dataFlag is the flag that says where everything lies; it is the same for all commands that keep something, and
// [dataFolder] is taken where it is left out.
func dataFlag(f *pflag.FlagSet, to *string) {
	f.StringVar(to, dataName, "", "folder that holds everything; without it "+dataHere+" where there is one here, "+
		"else your own folder of Yarvek")
}

const dataName = "data"

// dataFolder is the folder that holds everything where none is named: one here, else the user's own, by the custom of
// the system. It need not be there.
func dataFolder() (string, error) {
	if info, err := os.Stat(dataHere); err == nil && info.IsDir() {
		return filepath.Abs(dataHere)
	}
	return ownFolder(runtime.GOOS, os.Getenv, os.UserHomeDir)
}

// defaultData has a command that keeps something know the folder where none is named.
func defaultData(c *cobra.Command, _ []string) error {
	f := c.Flags().Lookup(dataName)
	if f == nil || f.Value.String() != "" {
		return nil
	}
	dir, err := dataFolder()
	if err != nil {
		return err
	}
	return f.Value.Set(dir)
}

// ownFolder is where a user's data lies: on Windows below the local application data, on macOS below Application
// Support, elsewhere by the XDG Base Directory Specification 0.8.
func ownFolder(system string, env func(string) string, home func() (string, error)) (string, error) {
	name, given, below := "yarvek", env("XDG_DATA_HOME"), []string{".local", "share"}
	switch system {
	case "windows":
		name, given, below = "Yarvek", env("LOCALAPPDATA"), []string{"AppData", "Local"}
	case "darwin":
		name, given, below = "Yarvek", "", []string{"Library", "Application Support"}
	default:
		if !filepath.IsAbs(given) { // the specification has others ignored
			given = ""
		}
	}
	if given != "" {
		return filepath.Join(given, name), nil
	}
	h, err := home()
	if err != nil {
		return "", fmt.Errorf("there is no folder of yours to keep things in (%w). Name one with --data", err)
	}
	return filepath.Join(append(append([]string{h}, below...), name)...), nil
}

// addressFile holds, in a data folder, the address of the server that has it.
func addressFile(data string) string { return filepath.Join(data, "address") }

// running is the address of the server that has a data folder, once it answers; "" where none does for so long.
func running(ctx context.Context, data string, wait time.Duration) string {
	ctx, cancel := context.WithTimeout(ctx, wait)
	defer cancel()
	for {
		at, err := os.ReadFile(addressFile(data))
		if url := strings.TrimSpace(string(at)); err == nil && answers(ctx, url) {
			return url
		}
		select {
		case <-ctx.Done():
			return ""
		case <-time.After(200 * time.Millisecond):
		}
	}
}

// answers tells whether a server is at an address.
func answers(ctx context.Context, url string) bool {
	r, err := http.NewRequestWithContext(ctx, http.MethodHead, url, nil)
	if err != nil {
		return false
	}
	res, err := http.DefaultClient.Do(r)
	if err != nil {
		return false
	}
	return res.Body.Close() == nil && res.StatusCode < http.StatusInternalServerError
}

// openers are the commands that open an address in the browser the user has chosen, by the system.
var openers = map[string][]string{
	"windows": {"rundll32", "url.dll,FileProtocolHandler"},
	"darwin":  {"open"},
}

// openBrowser opens an address in the user's browser. Where there is none, the address that was printed is enough.
func openBrowser(out io.Writer, url string) {
	line, ok := openers[runtime.GOOS]
	if !ok {
		line = []string{"xdg-open"}
	}
	c := exec.Command(line[0], append(line[1:], url)...)
	if err := c.Start(); err != nil {
		fmt.Fprintln(out, "No browser could be opened: open that address in one.")
		return
	}
	go func() { _ = c.Wait() }() // it may last as long as the browser
}

// byDoubleClick tells whether the program was started from Windows' Explorer, whose window closes when it ends.
func byDoubleClick() bool { return mousetrap.StartedByExplorer() }

// hold keeps the window of a program that was started by a double click until its message was read.
func hold() {
	if byDoubleClick() {
		fmt.Fprintln(os.Stderr, "\nPress Enter to close this window.")
		_, _ = bufio.NewReader(os.Stdin).ReadString('\n')
	}
}

// errRuns is given where a data folder is in use by a server that answers.
type errRuns struct{ url, data string }

func (e *errRuns) Error() string {
	return fmt.Sprintf("%s is in use by the Yarvek at %s. Go there, end that one first, or name another folder with "+
		"--data", e.data, e.url)
}

// home serves what is the user's own, as a start without arguments does: it opens the browser, on the page of the
// server that runs already where there is one.
func home(ctx context.Context, out io.Writer) error {
	s := serving{open: true}
	s.flags(&cobra.Command{}) // all as it is while nothing is said
	var err error
	if s.data, err = dataFolder(); err != nil {
		return err
	}
	var runs *errRuns
	if err = s.run(ctx, out); !errors.As(err, &runs) {
		return err
	}
	fmt.Fprintf(out, "Yarvek runs already, at %s\n", runs.url)
	openBrowser(out, runs.url)
	return nil
}
