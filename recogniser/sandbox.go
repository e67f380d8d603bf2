package recogniser

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"runtime"
	"runtime/debug"
	"syscall"
	"unsafe"

	"github.com/landlock-lsm/go-landlock/landlock"
	"golang.org/x/sys/unix"
)

// inside is the first argument of this program where it stands between the house and the speech program: it gives up
// what that one does not need, and becomes it.
const inside = "urbo: speech sandbox"

// Bounds of a speech program.
const (
	mostSeconds  = 8       // of a processor
	mostMemory   = 1 << 30 // bytes
	mostFile     = 1 << 20 // bytes that it writes
	mostOpen     = 64      // files
	programUmask = 0o077
)

// sandboxes are what is asked of the system for a program, the most first: a network, and users, of its own. Where a
// system has none, the program still gives up files, memory and rights (Enter).
var sandboxes = []uintptr{syscall.CLONE_NEWUSER | syscall.CLONE_NEWNET | syscall.CLONE_NEWIPC, 0}

// inSandbox is a command that runs a program in a directory of its own, with nothing of this process's environment.
func inSandbox(ctx context.Context, dir string, args []string, flags uintptr) (*exec.Cmd, error) {
	self, err := os.Executable()
	if err != nil {
		return nil, fmt.Errorf("find this program: %w", err)
	}
	c := exec.CommandContext(ctx, self)
	c.Args = append([]string{inside, dir}, args...)
	c.Dir, c.Env = dir, []string{"LANG=C.UTF-8", "HOME=" + dir, "TMPDIR=" + dir}
	c.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGKILL, Cloneflags: flags}
	if flags != 0 {
		c.SysProcAttr.UidMappings = []syscall.SysProcIDMap{{ContainerID: os.Getuid(), HostID: os.Getuid(), Size: 1}}
		c.SysProcAttr.GidMappings = []syscall.SysProcIDMap{{ContainerID: os.Getgid(), HostID: os.Getgid(), Size: 1}}
	}
	return c, nil
}

// Enter becomes the speech program where this process was started for that, and does not return; otherwise it does
// nothing. It is the first thing that main does.
func Enter() {
	if len(os.Args) < 3 || os.Args[0] != inside {
		return
	}
	runtime.LockOSThread()
	err := become(os.Args[1], os.Args[2:])
	fmt.Fprintln(os.Stderr, err)
	os.Exit(1)
}

// become gives up what a speech program does not need, and becomes it.
func become(dir string, args []string) error {
	syscall.Umask(programUmask)
	if err := unix.Prctl(unix.PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0); err != nil {
		return fmt.Errorf("give up rights: %w", err)
	}
	// Where the kernel can bound files, the program reads programs, libraries and its recording, and writes nothing
	// else.
	err := landlock.V5.BestEffort().Restrict(
		landlock.RODirs("/usr", "/lib", "/lib64", "/lib32", "/bin", "/opt", "/etc/alternatives").IgnoreIfMissing(),
		landlock.ROFiles(args[0], "/etc/ld.so.cache", "/etc/ld.so.conf", "/etc/localtime").IgnoreIfMissing(),
		landlock.RWFiles("/dev/null", "/dev/urandom", "/dev/random", "/dev/zero").IgnoreIfMissing(),
		landlock.RWDirs(dir))
	if err != nil {
		return fmt.Errorf("give up files: %w", err)
	}
	return replace(args)
}

// replace lets a program take this process's place, within bounds that this process itself would not live within: from
// the first of them on nothing is allocated. A system may refuse some, as a service's own settings do: those bound it
// then.
func replace(args []string) error {
	path, err := syscall.BytePtrFromString(args[0])
	if err != nil {
		return err
	}
	argv, err := syscall.SlicePtrFromStrings(args)
	if err != nil {
		return err
	}
	env, err := syscall.SlicePtrFromStrings(os.Environ())
	if err != nil {
		return err
	}
	bounds := [...]struct {
		what int
		most unix.Rlimit
	}{{unix.RLIMIT_CPU, unix.Rlimit{Cur: mostSeconds, Max: mostSeconds}},
		{unix.RLIMIT_FSIZE, unix.Rlimit{Cur: mostFile, Max: mostFile}},
		{unix.RLIMIT_NOFILE, unix.Rlimit{Cur: mostOpen, Max: mostOpen}},
		{unix.RLIMIT_CORE, unix.Rlimit{}},
		{unix.RLIMIT_AS, unix.Rlimit{Cur: mostMemory, Max: mostMemory}}}
	debug.SetGCPercent(-1)
	for i := range bounds {
		_, _, _ = unix.RawSyscall6(unix.SYS_PRLIMIT64, 0, uintptr(bounds[i].what),
			uintptr(unsafe.Pointer(&bounds[i].most)),
			0, 0, 0)
	}
	_, _, no := unix.RawSyscall(unix.SYS_EXECVE, uintptr(unsafe.Pointer(path)), uintptr(unsafe.Pointer(&argv[0])),
		uintptr(unsafe.Pointer(&env[0])))
	return fmt.Errorf("%s: %w", args[0], no)
}
