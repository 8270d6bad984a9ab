//go:build unix

package batch

import (
	"os/exec"
	"syscall"
)

// asNobody has a command run as a user without rights; whoever calls it must be root.
func asNobody(c *exec.Cmd) {
	c.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: 65534, Gid: 65534}}
}
