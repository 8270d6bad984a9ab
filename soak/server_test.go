// Package soak tries for minutes what the tests beside the code try for moments: files
// that would cost much, kills at any moment, faults of the disk, two processes, many
// requests. `make soak` runs it and prints the figures that docs/reliability.md quotes.
package soak

import (
	"archive/zip"
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"yarvek/core/format/bundle"
)

// binary is the real program, built once.
var binary string

// wine is whether the program is built for Windows and runs under Wine, which tools/trial-windows.sh prepares.
var wine = os.Getenv("YARVEK_WINE") != ""

// TestMain builds the program, or skips everything unless the trials are asked for.
func TestMain(m *testing.M) {
	if os.Getenv("YARVEK_SOAK") == "" {
		fmt.Println("the long trials run by make soak")
		os.Exit(0)
	}
	dir, err := os.MkdirTemp("", "yarvek-soak-")
	if err != nil {
		panic(err)
	}
	binary = filepath.Join(dir, "yarvek")
	build := exec.Command("go", "build", "-o", binary, "yarvek/cmd/yarvek")
	if wine {
		build.Env = append(os.Environ(), "GOOS=windows", "GOARCH=amd64", "CGO_ENABLED=0")
	}
	if out, err := build.CombinedOutput(); err != nil {
		panic(string(out))
	}
	code := m.Run()
	_ = os.RemoveAll(dir)
	os.Exit(code)
}

// program is a command of the program over a data folder.
func program(data string, args ...string) *exec.Cmd {
	if wine {
		return exec.Command("wine", append(append([]string{binary}, args...), "--data", "Z:"+data)...)
	}
	return exec.Command(binary, append(args, "--data", data)...)
}

// server is a running program over a data folder.
type server struct {
	cmd    *exec.Cmd
	URL    string
	client *http.Client
	log    *bytes.Buffer
}

// start runs a command that serves, and waits until it tells its address.
func start(t *testing.T, data string, args ...string) *server {
	t.Helper()
	if len(args) == 0 {
		args = []string{"serve"}
	}
	s := &server{cmd: program(data, append(args, "--addr", "127.0.0.1:0")...), log: new(bytes.Buffer), client: client()}
	require.NoError(t, s.begin(t), s.log.String())
	if args[0] == "demo" {
		s.filled(t)
	}
	return s
}

// filled waits until the demo kit is full, which a demo that begins says of no page.
func (s *server) filled(t *testing.T) {
	t.Helper()
	for {
		_, b, err := s.get("/jobs")
		require.NoError(t, err)
		var list struct {
			Running int `json:"running"`
		}
		require.NoError(t, json.Unmarshal(b, &list))
		if list.Running == 0 {
			return
		}
		time.Sleep(100 * time.Millisecond)
	}
}

// client is one that waits as long as a person might.
func client() *http.Client { return &http.Client{Timeout: 60 * time.Second} }

// wait is how long a program may take to end that was told to.
const wait = 15 * time.Second

// begin runs the program until it tells its address; the error is that it ended before.
func (s *server) begin(t *testing.T) error {
	t.Helper()
	s.cmd.Stderr = s.log
	out, err := s.cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, s.cmd.Start())
	t.Cleanup(s.kill)
	line, err := bufio.NewReader(out).ReadString('\n')
	if err != nil {
		_ = s.cmd.Wait()
		return fmt.Errorf("%w: %s", err, s.log)
	}
	s.URL = regexp.MustCompile(`http://\S+`).FindString(line)
	require.NotEmpty(t, s.URL, line)
	return nil
}

// zipOf is a zip of one file.
func zipOf(t *testing.T, name, text string) bundle.File {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	w, err := z.Create(name)
	require.NoError(t, err)
	_, err = w.Write([]byte(text))
	require.NoError(t, err)
	require.NoError(t, z.Close())
	return bundle.File{Name: strings.TrimSuffix(name, ".obj") + ".zip", Data: b.Bytes()}
}

// kill ends the program without warning.
func (s *server) kill() {
	if s.cmd.ProcessState == nil {
		_ = s.cmd.Process.Kill()
		_ = s.cmd.Wait()
	}
}

// peak is the most memory the program has held so far, in bytes, as the kernel counts it.
func (s *server) peak(t *testing.T) int64 {
	t.Helper()
	b, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", s.cmd.Process.Pid))
	require.NoError(t, err)
	m := regexp.MustCompile(`VmHWM:\s+(\d+) kB`).FindSubmatch(b)
	require.NotNil(t, m)
	n, err := strconv.ParseInt(string(m[1]), 10, 64)
	require.NoError(t, err)
	return n << 10
}

// get fetches a page: its status and body.
func (s *server) get(path string) (int, []byte, error) {
	res, err := s.client.Get(s.URL + path)
	if err != nil {
		return 0, nil, err
	}
	defer res.Body.Close()
	b, err := io.ReadAll(res.Body)
	return res.StatusCode, b, err
}

// whole is get for a page that is whole: one of a kit comes before all assets were looked at, and again then.
func (s *server) whole(path string) (status int, b []byte, err error) {
	for end := time.Now().Add(time.Minute); ; time.Sleep(50 * time.Millisecond) {
		status, b, err = s.get(path)
		if err != nil || !bytes.Contains(b, []byte(`id="looking"`)) || time.Now().After(end) {
			return status, b, err
		}
	}
}

// form posts a form as the pages do.
func (s *server) form(path, values string) (int, []byte, error) {
	return s.post(path, "application/x-www-form-urlencoded", strings.NewReader(values))
}

func (s *server) post(path, kind string, body io.Reader) (int, []byte, error) {
	res, err := s.client.Post(s.URL+path, kind, body)
	if err != nil {
		return 0, nil, err
	}
	defer res.Body.Close()
	b, err := io.ReadAll(res.Body)
	return res.StatusCode, b, err
}

// send uploads files and waits until the job that takes them in has ended; it returns
// that job's last page.
func (s *server) send(path string, files ...bundle.File) ([]byte, error) {
	var b bytes.Buffer
	w := multipart.NewWriter(&b)
	for _, f := range files {
		p, err := w.CreateFormFile("files", f.Name)
		if err != nil {
			return nil, err
		}
		_, _ = p.Write(f.Data)
	}
	_ = w.Close()
	status, page, err := s.post(path, w.FormDataContentType(), &b)
	for err == nil {
		if status != http.StatusOK {
			return page, fmt.Errorf("%s answers %d: %s", path, status, plain(page))
		}
		again := regexp.MustCompile(`hx-get="(/jobs/[^"]+)"`).FindSubmatch(page)
		if again == nil {
			return page, nil
		}
		time.Sleep(20 * time.Millisecond)
		status, page, err = s.get(string(again[1]))
	}
	return nil, err
}

// plain is a page's text.
func plain(page []byte) string {
	s := regexp.MustCompile(`(?s)<(script|style|svg).*?</(script|style|svg)>|<[^>]*>`).ReplaceAllString(string(page), " ")
	return strings.Join(strings.Fields(s), " ")
}

// ended waits for the program to end by itself.
func (s *server) ended(within time.Duration) error {
	done := make(chan error, 1)
	go func() { done <- s.cmd.Wait() }()
	select {
	case err := <-done:
		return err
	case <-time.After(within):
		return errors.New("still runs")
	}
}
