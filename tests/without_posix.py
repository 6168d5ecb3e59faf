"""Runs the command line as on a system without POSIX: no such modules, no such signals, no such calls.

    python without_posix.py COMMAND ...

It blocks what Windows does not have, so that anything that needs it fails here as it would there.
"""

import os
import signal
import sys

for module in ("fcntl", "grp", "posix_ipc", "pty", "pwd", "readline", "resource", "termios", "tty"):
    sys.modules[module] = None  # type: ignore[assignment]
for name in ("SIGHUP", "SIGQUIT", "SIGALRM", "SIGKILL", "SIGPIPE", "SIGUSR1", "SIGUSR2", "SIGCHLD"):
    if hasattr(signal, name):
        delattr(signal, name)
for name in (
    "O_NONBLOCK",
    "chown",
    "fchown",
    "fchmod",
    "geteuid",
    "getuid",
    "mkfifo",
    "set_blocking",
    "fork",
):
    if hasattr(os, name):
        delattr(os, name)

from nuvrik.cli import main  # noqa: E402

if __name__ == "__main__":
    main()
