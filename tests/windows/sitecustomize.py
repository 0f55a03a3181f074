"""Windows, as far as a process of another system can play it: read before the program begins (PYTHONPATH).

For the modules of neat_delta, and for no others:

- ``os.name`` and ``sys.platform`` are those of Windows, and what only POSIX has is missing in ``os`` and ``signal``;
- modules that only POSIX has cannot be imported;
- a file that this process has open or mapped can be neither renamed nor deleted nor replaced (ERROR_SHARING_VIOLATION);
- symbolic links cannot be made;
- a file that is opened as text without saying its encoding is an error, for it would be that of the code page.
"""

from __future__ import annotations

import builtins
import os
import signal
import sys
import types
import warnings

OURS = "neat_delta"
MISSING = {
    "os": {
        "chown", "fchown", "lchown", "fchmod", "fork", "forkpty", "getuid", "geteuid", "getgid", "getegid", "getgroups",
        "getpgid", "setsid", "killpg", "nice", "getpriority", "setpriority", "sched_getaffinity", "sched_setaffinity",
        "sysconf", "mkfifo", "mknod", "pread", "pwrite", "posix_fadvise", "sendfile", "statvfs", "fstatvfs", "sync",
        "uname", "wait", "waitpid", "getloadavg", "O_DIRECTORY", "O_NOFOLLOW", "O_CLOEXEC", "O_NONBLOCK", "openpty",
        "memfd_create", "link", "chroot", "fchdir", "lockf", "ttyname",
    },
    "signal": {"SIGKILL", "SIGHUP", "SIGPIPE", "SIGALRM", "SIGUSR1", "SIGUSR2", "SIGCHLD", "alarm", "setitimer"},
    "sys": set(),
}  # fmt: skip
SAID = {("os", "name"): "nt", ("sys", "platform"): "win32"}
ONLY_POSIX = {"fcntl", "pwd", "grp", "resource", "termios", "tty", "pty", "syslog", "posix", "crypt"}
SHARING_VIOLATION = 32


class _Face(types.ModuleType):
    """A module that looks to ours as it does on Windows, and to all others as it is."""

    def __init__(self, real: types.ModuleType) -> None:
        super().__init__(real.__name__)
        object.__setattr__(self, "_real", real)

    def __getattribute__(self, name: str) -> object:
        real = object.__getattribute__(self, "_real")
        if sys._getframe(1).f_globals.get("__name__", "").partition(".")[0] == OURS:
            module = real.__name__
            if name in MISSING[module]:
                raise AttributeError(f"module {module!r} has no attribute {name!r}")
            if (module, name) in SAID:
                return SAID[module, name]
        return getattr(real, name)

    def __setattr__(self, name: str, value: object) -> None:
        setattr(object.__getattribute__(self, "_real"), name, value)


def _import(name, globals=None, locals=None, fromlist=(), level=0):
    ours = (globals or {}).get("__name__", "").partition(".")[0] == OURS
    if ours and not level and name.partition(".")[0] in ONLY_POSIX:
        raise ModuleNotFoundError(f"No module named {name!r}", name=name)
    return real_import(name, globals, locals, fromlist, level)


def _held(path: str) -> bool:
    """Whether this process has a file open, or mapped into its memory."""
    try:
        wanted = os.stat(path)
    except OSError:
        return False
    if os.path.isdir(path):
        return False  # (a folder is open in other ways there)
    for number in os.listdir("/proc/self/fd"):
        try:
            there = os.stat(f"/proc/self/fd/{number}")
        except OSError:
            continue
        if (there.st_dev, there.st_ino) == (wanted.st_dev, wanted.st_ino):
            return True
    with open("/proc/self/maps", encoding="utf-8", errors="replace") as maps:
        return any(line.rstrip("\n").endswith(os.path.realpath(path)) for line in maps)


def _note(what: str) -> None:
    """Write down a violation, for the program may go on after it."""
    if log := os.environ.get("VIOLATIONS"):
        with open(log, "a", encoding="utf-8") as file:
            file.write(f"{what}\n")


def _watch(event: str, arguments: tuple[object, ...]) -> None:
    paths = {"os.rename": arguments[:2], "os.remove": arguments[:1]}.get(event, ())
    for path in paths:
        name = os.fsdecode(path) if isinstance(path, str | bytes | os.PathLike) else ""
        if name and not name.startswith("/proc") and _held(name):
            error = PermissionError(13, "The process cannot access the file: it is being used", name)
            error.winerror = SHARING_VIOLATION
            _note(f"{event} {name}")
            raise error
    if event == "os.symlink":
        raise PermissionError(1, "A required privilege is not held by the client")


real_import = builtins.__import__
builtins.__import__ = _import
for each in (os, signal, sys):
    sys.modules[each.__name__] = _Face(each)
warnings.filterwarnings("ignore", category=EncodingWarning)
warnings.filterwarnings("error", category=EncodingWarning, module=OURS)
sys.addaudithook(_watch)
