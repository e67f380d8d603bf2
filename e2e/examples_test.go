package e2e

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"image"
	"image/png"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/wire"
)

// shell runs command lines as somebody types them, in a folder of their own, against a demo.
type shell struct {
	*running
	dir   string
	token string
	port  string // what stands for /dev/ttyUSB0
}

func newShell(t *testing.T) *shell {
	t.Helper()
	s := &shell{running: start(t, "", "demo", "--pace", "4"), dir: t.TempDir()}
	s.token = s.owner()
	require.NoError(t, os.Symlink(binary, filepath.Join(s.dir, "urbo")))
	require.NoError(t, os.Mkdir(filepath.Join(s.dir, "bin"), 0o700))
	require.NoError(t, os.Symlink(binary, filepath.Join(s.dir, "bin", "urbo")))
	var picture bytes.Buffer
	require.NoError(t, png.Encode(&picture, image.NewGray(image.Rect(0, 0, 8, 8))))
	require.NoError(t, os.WriteFile(filepath.Join(s.dir, "lights.png"), picture.Bytes(), 0o600))
	for _, secret := range []string{"token", "secret"} { // of nobody
		require.NoError(t, os.WriteFile(filepath.Join(s.dir, secret), []byte(secret), 0o600))
	}
	var pasted strings.Builder
	for i, us := range []int{3000, 1500, 400, 800, 400, 400, 400, 800, 400, 400, 400, 400, 400, 800, 400, 400, 400} {
		fmt.Fprintf(&pasted, "%s %d us\n", []string{"mark", "space"}[i%2], us)
	}
	require.NoError(t, os.WriteFile(filepath.Join(s.dir, "pasted.txt"), []byte(pasted.String()), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(s.dir, "keys.txt"),
		[]byte("up: nec address=57 command=20\ndown: nec address=57 command=21\n"), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(s.dir, "fanfare.txt"), []byte("run fanfare\nwait 1 s\nrun fanfare\n"),
		0o600))
	require.NoError(t, os.WriteFile(filepath.Join(s.dir, "lights.txt"),
		[]byte("errand lights\nwhen 10 min after dusk # dark\n"+
			"do set boardwalk/power to on\n"), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(s.dir, "evening.txt"), []byte("errand evening\nwhen at 21:00\n"+
		"do set boardwalk/power to on until 23:00 and back\n"), 0o600))
	s.port = newBoard(t, "bench").line.Path
	return s
}

// waiting are the commands that go on until somebody does something, or ends them.
var waiting = regexp.MustCompile(`^(bin/)?urbo (listen|which|learn|audition|serve|demo|outpost|device pair|` +
	`device control ask|measurement watch|standin assistant)\b`)

// run runs one line. A command that waits is ended once it has said something; then it must end in order.
func (s *shell) run(line string) (out string, code int) {
	s.t.Helper()
	line = strings.ReplaceAll(line, "/dev/ttyUSB0", s.port)
	ctx, cancel := context.WithTimeout(s.t.Context(), 2*patience)
	defer cancel()
	cmd := exec.CommandContext(ctx, "sh", "-c", "exec "+line)
	cmd.Dir = s.dir
	cmd.Env = append(os.Environ(), "URBO_SERVER="+s.socket, "PATH="+s.dir+":"+os.Getenv("PATH"),
		"URBO_DATA="+filepath.Join(s.dir, "data"), "EDITOR=true")
	said := &noticed{first: make(chan struct{})}
	cmd.Stdout, cmd.Stderr = said, said
	require.NoError(s.t, cmd.Start())
	if waiting.MatchString(line) && !strings.Contains(line, "--plan") {
		select {
		case <-said.first:
		case <-ctx.Done():
		}
		s.http(s.token, "POST", "/api/stage/handsets/boardwalk/keys/red/press", wire.HandsetPress{}, nil)
		time.AfterFunc(200*time.Millisecond, func() { _ = cmd.Process.Signal(syscall.SIGINT) })
	}
	_ = cmd.Wait()
	require.NoError(s.t, ctx.Err(), "%s hangs: %s", line, said)
	return said.String(), cmd.ProcessState.ExitCode()
}

// noticed is what a command prints, and when it began to.
type noticed struct {
	mu    sync.Mutex
	once  sync.Once
	text  bytes.Buffer
	first chan struct{}
}

func (n *noticed) Write(p []byte) (int, error) {
	n.mu.Lock()
	defer n.mu.Unlock()
	n.once.Do(func() { close(n.first) })
	return n.text.Write(p)
}

func (n *noticed) String() string {
	n.mu.Lock()
	defer n.mu.Unlock()
	return n.text.String()
}

// works says whether a line did what it says. A command that was ended may say that it found nothing.
func (s *shell) works(line string) {
	s.t.Helper()
	out, code := s.run(line)
	if strings.Contains(line, "station check") && strings.Contains(out, "no answer within") {
		out, code = s.run(line) // the board shares this machine with all other tests
	}
	if waiting.MatchString(line) {
		assert.LessOrEqual(s.t, code, 1, "%s: %s", line, out)
		assert.NotRegexp(s.t, `unknown [^,]`, out, line)
		return
	}
	if strings.HasPrefix(line, "urbo set ") { // 3: it is so already, or what it is at now is doubtful
		assert.Contains(s.t, []int{0, 3}, code, "%s: %s", line, out)
		return
	}
	assert.Zero(s.t, code, "%s: %s", line, out)
}

// helpOf lists the commands below one, and the examples of its help.
func helpOf(t *testing.T, command string) (below, examples []string) {
	t.Helper()
	text := run(t, "", nil, append(strings.Fields(command), "--help")...)
	require.Zero(t, text.code, command)
	section := ""
	for line := range strings.SplitSeq(text.out, "\n") {
		switch {
		case strings.HasSuffix(line, ":") && !strings.HasPrefix(line, " "):
			section = line
		case strings.TrimSpace(line) == "":
		case section == "Available Commands:":
			below = append(below, strings.TrimSpace(command+" "+strings.Fields(line)[0]))
		case section == "Examples:":
			examples = append(examples, strings.TrimSpace(line))
		}
	}
	return below, examples
}

// TestExamples_EveryCommandHasSomeAndTheyRunOnTheDemo: an example that fails is worse than none.
func TestExamples_EveryCommandHasSomeAndTheyRunOnTheDemo(t *testing.T) {
	t.Parallel()
	var lines []string
	var walk func(command string)
	walk = func(command string) {
		below, examples := helpOf(t, command)
		for _, c := range below {
			if c != "completion" {
				walk(c)
			}
		}
		if len(below) == 0 {
			assert.NotEmpty(t, examples, "urbo %s has no example", command)
		}
		lines = append(lines, examples...)
	}
	walk("")
	// What others work with is made first, and what is taken away goes last.
	rank := func(line string) int {
		for i, begin := range []string{"urbo bench export --code", "urbo bench describe", "urbo device export",
			"urbo sequence add", "urbo occasion add", "urbo errand add", "urbo calendar add", "urbo assistant add",
			"urbo measurement describe",
			"urbo occasion start",
			"urbo board add \"Whole",
			"urbo board export",
			"urbo pack export", "urbo shelf keep", "urbo token add", "urbo backup", "urbo station check",
			"urbo tls new"} {
			if strings.HasPrefix(line, begin) {
				return i - 20
			}
		}
		for i, begin := range []string{"urbo errand remove", "urbo calendar remove", "urbo assistant remove",
			"urbo measurement remove",
			"urbo occasion end",
			"urbo occasion remove",
			"urbo board remove",
			"urbo shelf remove", "urbo token remove", "urbo session end",
			"urbo device remove", "urbo device restore", "urbo station rename", "urbo station remove", "urbo restore"} {
			if strings.HasPrefix(line, begin) {
				return i + 10
			}
		}
		return 0
	}
	slices.SortStableFunc(lines, func(a, b string) int { return rank(a) - rank(b) })
	s := newShell(t)
	club := clubCalendar(t)
	for _, line := range lines {
		if strings.HasPrefix(line, "urbo device remove boardwalk/") { // a key of a device that is removed whole before
			s.works("urbo device restore boardwalk")
			s.works(line)
			s.works("urbo device remove boardwalk --yes")
			continue
		}
		if strings.HasPrefix(line, "urbo question answer") { // something has to ask
			s.works("urbo device add Porch --kind light")
			s.works("urbo device code porch/power nec address=99 command=1")
			s.works("urbo device control add porch power power --round power")
			s.works(`urbo sequence add Asks "set porch/power to on"`)
			s.works("urbo sequence run asks --no-wait")
			var all []wire.OpenQuestion
			require.Eventually(t, func() bool { s.ok(&all, "question", "list"); return len(all) > 0 }, patience, tick)
			line = "urbo question answer " + all[0].ID + " " + all[0].Choices[0]
		}
		line = strings.Replace(line, "https://club.example/night.ics", club.URL, 1)
		if strings.HasPrefix(line, "urbo standin assistant") {
			require.NoError(t, os.WriteFile(filepath.Join(s.dir, "secret.txt"), []byte("secret"), 0o600))
			line += " --listen 127.0.0.1:0"
		}
		if strings.HasPrefix(line, "urbo speech hear") {
			if _, err := exec.LookPath("espeak-ng"); err != nil {
				continue
			}
			require.NoError(t, os.WriteFile(filepath.Join(s.dir, "said.wav"), speaks(t, voices[0], "boardwalk on"),
				0o600))
		}
		for begin, first := range map[string]string{"urbo run stop": "urbo sequence run fanfare-long --no-wait",
			"urbo hold end":     "urbo set dew-a power on --for 10m",
			"urbo request send": "urbo request add lamp " + s.url + "/healthz --method GET"} {
			if strings.HasPrefix(line, begin) {
				s.works(first)
			}
		}
		s.works(line)
	}
	assert.Greater(t, len(lines), 50)
}

// TestDocuments_EveryExampleRuns runs what stands in the README and the documents, in order, as it is written.
func TestDocuments_EveryExampleRuns(t *testing.T) {
	t.Parallel()
	files, err := filepath.Glob("../docs/*.md")
	require.NoError(t, err)
	for _, file := range append(files, "../README.md") {
		text, err := os.ReadFile(file)
		require.NoError(t, err)
		var lines []string
		fenced := false
		for line := range strings.SplitSeq(string(text), "\n") {
			line = strings.TrimSpace(line)
			if strings.HasPrefix(line, "```") {
				fenced = !fenced
				continue
			}
			if fenced && (strings.HasPrefix(line, "urbo ") || strings.HasPrefix(line, "bin/urbo ")) {
				command, _, _ := strings.Cut(line, "  #")
				lines = append(lines, strings.TrimSpace(command))
			}
		}
		if len(lines) == 0 {
			continue
		}
		t.Run(filepath.Base(file), func(t *testing.T) {
			s := newShell(t)
			for _, line := range lines {
				if strings.Contains(line, " ID") { // of a capture or an entry: there is one
					id := s.aCapture()
					line = strings.Replace(line, " ID", " "+id, 1)
				}
				s.works(line)
			}
		})
	}
}

// aCapture hears something, and tells its id.
func (s *shell) aCapture() string {
	s.t.Helper()
	var all []wire.Capture
	require.Eventually(s.t, func() bool {
		s.http(s.token, "POST", "/api/stage/handsets/boardwalk/keys/white/press", wire.HandsetPress{}, nil)
		return s.http(s.token, "GET", "/api/captures", nil, &all) == http.StatusOK && len(all) > 0 && all[0].Stored
	}, patience, time.Second)
	return all[0].ID
}

// TestJSON_IsWhatEveryCommandPrints: with --output json everything on standard output is JSON, and so is an error.
func TestJSON_IsWhatEveryCommandPrints(t *testing.T) {
	t.Parallel()
	s := newShell(t)
	s.works("urbo bench export --code 'nec address=57 command=2' --out power.wav")
	for _, line := range []string{"version", "device list", "device show boardwalk", "device set mixer --room Dome",
		"device code boardwalk/power nec 0x9c6340bf", "device undo boardwalk/power", "device picture mixer lights.png",
		"device picture mixer --remove", "device export boardwalk/red --out red.vcd", "device remove dew-a --yes",
		"device restore", "device restore dew-a", "device remove dew-a/off --yes", "press boardwalk/power",
		"journal --count 3", "journal yesterday", "person list",
		"person add Lecturer --role visitor --room Dome", "person change Lecturer --name Guest",
		"person link Guest", "person remove Guest", "house show", "group list", "state dew", "room list",
		"room add Shed", "room rename Shed Hut", "room remove Hut", "token add x", "token list",
		"token remove x", "token link", "session list", "session end --all",
		"sequence add s 'wait 1 s'", "sequence list", "sequence show s", "sequence change s --name T", "sequence run s",
		"sequence run s --no-wait", "run stop s", "run list", "sequence remove s", "set boardwalk power on --for 1h",
		"history boardwalk/power", "hold list", "hold end boardwalk/power --stay", "state room/dome",
		"set room/dome power off --dry",
		"station list", "station show lecture", "station add x", "station room x Garden", "station rename x y",
		"station airtime lecture/radio-out 5", "station remove y",
		"shelf list", "shelf show corvane-strand", "shelf match boardwalk", "shelf keep boardwalk --short-name mine",
		"shelf remove mine", "pack export boardwalk --out p.json", "pack export boardwalk", "pack check p.json",
		"pack import p.json", "bench decode power.wav", "bench describe power.wav",
		"bench describe power.wav --sheet x",
		"bench compare power.wav power.wav --out x.png", "bench import power.wav",
		"bench export power.wav --out power.vcd",
		"tls new urbo.test --data ./t", "tls show --data ./t",
		"sheet list", "sheet show nec", "audition mixer --plan", "backup b.backup", "restore b.backup --yes"} {
		res := s.json(line)
		assert.Zero(t, res.code, "%s: %s", line, res.err)
		assert.True(t, valid(res.out), "%s: %s", line, res.out)
	}
	for line, code := range map[string]int{"device show nobody": 1, "device show": 2,
		"press boardwalk/power --times 99": 2,
		"nonsense":                         2, "bench export power.wav": 2, "bench decode nothing.wav": 1,
		"help nonsense":             2,
		"device set mixer --kind x": 1} {
		res := s.json(line)
		assert.Equal(t, code, res.code, line)
		assert.Empty(t, res.out, line)
		assert.True(t, valid(res.err), "%s: %s", line, res.err)
		assert.Contains(t, res.err, `"detail":`, line)
	}
}

// json runs a command in the shell's folder with --output json.
func (s *shell) json(line string) result {
	s.t.Helper()
	cmd := exec.CommandContext(s.t.Context(), binary, append(strings.Fields(strings.ReplaceAll(line, "'", "")),
		"--output", "json")...)
	cmd.Dir, cmd.Env = s.dir, append(os.Environ(), "URBO_SERVER="+s.socket)
	var out, errs bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &errs
	_ = cmd.Run()
	return result{out.String(), errs.String(), cmd.ProcessState.ExitCode()}
}

// TestInterrupt_EndsEveryCommandWithinASecond: also one that waits for a pipe, a file that nobody writes, or a device.
func TestInterrupt_EndsEveryCommandWithinASecond(t *testing.T) {
	t.Parallel()
	s := newShell(t)
	fifo := filepath.Join(s.dir, "fifo")
	require.NoError(t, syscall.Mkfifo(fifo, 0o600))
	for _, signal := range []os.Signal{syscall.SIGINT, syscall.SIGTERM} {
		for _, args := range [][]string{{"bench", "decode", fifo}, {"bench", "import", "-"}, {"pack", "check", fifo},
			{"pack", "import", "-"}, {"sheet", "check", "/dev/zero"}, {"bench", "decode", "/dev/random"}, {"restore",
				"-", "--yes"},
			{"device", "picture", "mixer", fifo}, {"listen"}, {"which"}, {"learn", "projector"}, {"audition",
				"mixer"}} {
			cmd := exec.Command(binary, args...)
			cmd.Env = append(os.Environ(), "URBO_SERVER="+s.socket)
			in, err := cmd.StdinPipe()
			require.NoError(t, err)
			require.NoError(t, cmd.Start())
			ended := make(chan struct{})
			go func() { _ = cmd.Wait(); close(ended) }()
			began := time.Now()
			for over := false; !over; { // it may not have begun to listen for signals yet
				_ = cmd.Process.Signal(signal)
				select {
				case <-ended:
					over = true
				case <-time.After(50 * time.Millisecond):
					require.Less(t, time.Since(began), patience, "%v goes on", args)
				}
			}
			_ = in.Close()
		}
	}
}

// valid says whether a text is JSON, one value or several.
func valid(text string) bool {
	d := json.NewDecoder(strings.NewReader(text))
	for n := 0; ; n++ {
		var v any
		switch err := d.Decode(&v); {
		case errors.Is(err, io.EOF):
			return n > 0
		case err != nil:
			return false
		}
	}
}

// TestCompletion_KnowsWhatTheHouseHas: devices, their keys, line codes, rooms, formats.
func TestCompletion_KnowsWhatTheHouseHas(t *testing.T) {
	t.Parallel()
	s := newShell(t)
	for line, want := range map[string][]string{
		"press b":                          {"boardwalk/"},
		"press boardwalk/r":                {"boardwalk/red"},
		"device show a":                    {"amplifier"},
		"device code boardwalk/power nec":  {"nec", "nec-wide", "nec28"},
		"device set mixer --room O":        {"Outside"},
		"device set mixer --kind li":       {"light"},
		"bench export --as w":              {"wav"},
		"device set mixer --transmitter d": {"dome/radio-out"},
		"shelf show corv":                  {"corvane-strand", "corvane-pier"},
	} {
		res := s.urbo(append([]string{"__complete"}, strings.Fields(line)...)...)
		assert.Zero(t, res.code, line)
		for _, w := range want {
			assert.Contains(t, strings.Split(res.out, "\n"), w, line)
		}
	}
}
