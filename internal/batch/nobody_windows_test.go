package batch

import "os/exec"

// asNobody is not called here.
func asNobody(*exec.Cmd) {}
