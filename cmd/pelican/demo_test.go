package main

import (
	"bytes"
	"fmt"
	"net"
	"net/http"
	"net/http/cookiejar"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"plainpelican/core/order"
	"plainpelican/orders"
)

// built builds the binary that a person would start.
var built = sync.OnceValues(func() (string, error) {
	dir, err := os.MkdirTemp("", "pelican-binary-")
	if err != nil {
		return "", err
	}
	binary := filepath.Join(dir, "pelican")
	out, err := exec.Command("go", "build", "-o", binary, ".").CombinedOutput()
	if err != nil {
		return "", fmt.Errorf("%w: %s", err, out)
	}
	return binary, nil
})

// safe is a buffer that a child writes and a test reads.
type safe struct {
	mu   sync.Mutex
	text bytes.Buffer
}

func (s *safe) Write(b []byte) (int, error) { s.mu.Lock(); defer s.mu.Unlock(); return s.text.Write(b) }
func (s *safe) String() string              { s.mu.Lock(); defer s.mu.Unlock(); return s.text.String() }

type demoProcess struct {
	cmd *exec.Cmd
	out *safe
	end chan error
}

// demoDir is a folder for a demo's data that the database server's own user can enter.
func demoDir(t *testing.T) string {
	t.Helper()
	dir, err := os.MkdirTemp("/var/tmp", "pelican-demo-test-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	if err := os.Chmod(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	return dir
}

func startDemo(t *testing.T, dir string, port int, args ...string) demoProcess {
	t.Helper()
	binary, err := built()
	if err != nil {
		t.Fatal(err)
	}
	all := append([]string{"demo", "--dir", dir, "--orders=false"}, args...)
	p := demoProcess{exec.Command(binary, all...), &safe{},
		make(chan error, 1)}
	p.cmd.Env = append(os.Environ(), fmt.Sprintf("PORT=%d", port))
	p.cmd.Stdout, p.cmd.Stderr = p.out, p.out
	if err := p.cmd.Start(); err != nil {
		t.Fatal(err)
	}
	go func() { p.end <- p.cmd.Wait() }()
	t.Cleanup(func() { _ = p.cmd.Process.Signal(syscall.SIGINT); p.wait(20 * time.Second) })
	return p
}

func (p demoProcess) wait(most time.Duration) bool {
	select {
	case err := <-p.end:
		p.end <- err
		return true
	case <-time.After(most):
		return false
	}
}

func until(t *testing.T, what string, most time.Duration, done func() bool) {
	t.Helper()
	for deadline := time.Now().Add(most); time.Now().Before(deadline); time.Sleep(50 * time.Millisecond) {
		if done() {
			return
		}
	}
	t.Fatalf("waited in vain: %s", what)
}

func (p demoProcess) ready(t *testing.T) {
	t.Helper()
	until(t, "the demo's address", 60*time.Second, func() bool {
		if strings.Contains(p.out.String(), "Ctrl-C stops everything") {
			return true
		}
		if p.wait(0) {
			t.Fatalf("it ended: %s", p.out)
		}
		return false
	})
}

// freePorts finds eight free ports in a row.
func freePorts(t *testing.T) int {
	t.Helper()
	for port := 21080; port < 30000; port += 10 {
		free := 0
		for offset := range 8 {
			l, err := net.Listen("tcp", fmt.Sprintf("127.0.0.1:%d", port+offset))
			if err != nil {
				break
			}
			_ = l.Close()
			free++
		}
		if free == 8 {
			return port
		}
	}
	t.Fatal("no free ports")
	return 0
}

// databasePid is the database server's process, from its own file.
func databasePid(t *testing.T, dir string) int {
	t.Helper()
	var pid int
	text, err := os.ReadFile(filepath.Join(dir, "postgres", "data", "postmaster.pid"))
	if err != nil {
		return 0
	}
	_, _ = fmt.Sscan(string(text), &pid)
	return pid
}

func alive(pid int) bool { return pid > 0 && syscall.Kill(pid, 0) == nil }

func answers(port int) bool {
	answer, err := http.Get(fmt.Sprintf("http://127.0.0.1:%d/readyz", port))
	if err != nil {
		return false
	}
	_ = answer.Body.Close()
	return answer.StatusCode == http.StatusOK
}

func TestTheDemoStartsWithOrdersInDifferentStates(t *testing.T) {
	dir := demoDir(t)
	port := freePorts(t)
	demo := startDemo(t, dir, port, "--orders", "--picture-size=100")
	demo.ready(t)
	o := &demoOwner{ctx: t.Context(), client: &http.Client{}, url: fmt.Sprintf("http://127.0.0.1:%d", port)}
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	o.client.Jar = jar
	if err := o.ask("POST", "/api/session", map[string]string{"email": demoMembers[0].email,
		"password": demoMembers[0].password}, nil); err != nil {
		t.Fatal(err)
	}
	var page orders.Page
	until(t, "orders to buy, with a problem, and on their way", 90*time.Second, func() bool {
		page, err = o.list()
		on := page.Counts[order.Bought] + page.Counts[order.InTransit] + page.Counts[order.Arrived]
		return err == nil && page.Counts[order.ToBuy] == 3 && page.Counts[order.Problem] > 0 && on > 0
	})
	if page.Total != boughtAtFirst {
		t.Errorf("%+v\n%s", page.Counts, demo.out)
	}
}

func TestTheDemoStartsStopsAndSurvivesBeingKilled(t *testing.T) {
	dir := demoDir(t)
	port := freePorts(t)

	first := startDemo(t, dir, port)
	first.ready(t)
	for _, said := range []string{fmt.Sprintf("http://localhost:%d", port), "ines@saltmarsh.example",
		"Saltmarsh Goods, USD", "demo-quayside-secret"} {
		if !strings.Contains(first.out.String(), said) {
			t.Errorf("it does not say %q", said)
		}
	}
	second := startDemo(t, dir, port)
	if !second.wait(10*time.Second) ||
		!strings.Contains(second.out.String(), fmt.Sprintf("port %d is in use: set PORT", port)) {
		t.Errorf("a second demo on the same port: %s", second.out)
	}

	// Killed without a chance to tidy up: its children go with it, and the next start is not blocked.
	database := databasePid(t, dir)
	if err := first.cmd.Process.Kill(); err != nil {
		t.Fatal(err)
	}
	until(t, "the children's end", 20*time.Second, func() bool { return !alive(database) && !answers(port) })
	third := startDemo(t, dir, port)
	third.ready(t)
	if !answers(port) {
		t.Error("it does not answer after being killed and started again")
	}

	// Ctrl-C stops every child.
	database = databasePid(t, dir)
	if err := third.cmd.Process.Signal(syscall.SIGINT); err != nil {
		t.Fatal(err)
	}
	if !third.wait(30 * time.Second) {
		t.Fatal("Ctrl-C did not end it")
	}
	if alive(database) || answers(port) {
		t.Errorf("something goes on: database %t, application %t", alive(database), answers(port))
	}

	fourth := startDemo(t, dir, port, "--reset")
	fourth.ready(t)
}

func TestHelp(t *testing.T) {
	binary, err := built()
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range commands {
		out, err := exec.Command(binary, c.name, "--help").CombinedOutput()
		if err != nil || !strings.Contains(string(out), c.long[:20]) {
			t.Errorf("%s: %v %s", c.name, err, out)
		}
	}
	all, err := exec.Command(binary).CombinedOutput()
	if err != nil || strings.Count(string(all), "\n") < len(commands) {
		t.Errorf("%v %s", err, all)
	}
	if out, err := exec.Command(binary, "nonsense").CombinedOutput(); err == nil ||
		!strings.Contains(string(out), `there is no command "nonsense"`) {
		t.Errorf("%v %s", err, out)
	}
	serve := exec.Command(binary, "serve")
	serve.Env = []string{"PATH=" + os.Getenv("PATH")}
	if out, err := serve.CombinedOutput(); err == nil || !strings.Contains(string(out), "DATABASE_URL is not set") {
		t.Errorf("%v %s", err, out)
	}
}

func TestBenches(t *testing.T) {
	result, err := benchPrice(2000)
	if err != nil || result.Variants != 2000 || result.SumOfPricesMinor == 0 || result.AllocationsEach > 0.05 {
		t.Errorf("%+v %v", result, err)
	}
	dir := t.TempDir()
	if found, err := benchSearch(t.Context(), 300, dir, false); err != nil || found.Offers != 300 ||
		len(found.P95MS) != 5 || len(found.YardstickMS) != 5 {
		t.Errorf("%+v %v", found, err)
	}
	// What is one item is known in a small catalog too: the bars are of a million. Of so few families, one whose
	// picture is hard to know again makes several hundredths of what is missed.
	if alike, err := benchLookalike(t.Context(), 300, dir, true); err != nil || alike.Asked < 50 ||
		alike.Pictures < 150 || alike.Precision < 0.97 || alike.Recall < 0.92 ||
		alike.Apart["other size or count"] < 20 {
		t.Errorf("%+v %v", alike, err)
	}
	if err := bench(t.Context(), nil); err == nil {
		t.Error("a bench without a name ran")
	}
	if err := bench(t.Context(), []string{"nonsense"}); err == nil {
		t.Error("a bench that does not exist ran")
	}
}
