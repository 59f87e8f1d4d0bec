"""What a child gives up before it looks at a foreign file: memory, time, files, and every system call but a few."""

from __future__ import annotations

import resource
from pathlib import Path

import pyseccomp

_MOST_FILES = 64
_ALLOWED = (
    # what reading, computing and answering take; nothing that opens a socket, forks, executes, traces or kills
    *(
        "read",
        "readv",
        "pread64",
        "write",
        "writev",
        "pwrite64",
        "lseek",
        "close",
        "close_range",
        "dup",
        "dup2",
        "dup3",
    ),
    *("open", "openat", "stat", "fstat", "lstat", "newfstatat", "statx", "access", "faccessat", "faccessat2"),
    *("readlink", "readlinkat", "getcwd", "getdents64", "fcntl", "ftruncate", "fsync", "fadvise64", "flock"),
    *("mkdir", "mkdirat", "unlink", "unlinkat", "rmdir", "rename", "renameat", "renameat2", "symlink", "symlinkat"),
    *("copy_file_range", "sendfile", "memfd_create", "pipe2", "poll", "ppoll", "select", "pselect6"),
    *("mmap", "munmap", "mremap", "mprotect", "madvise", "brk", "msync", "mincore"),
    *("futex", "sched_yield", "sched_getaffinity", "set_robust_list", "rseq", "restart_syscall"),
    *("rt_sigaction", "rt_sigprocmask", "rt_sigreturn", "sigaltstack"),
    *("clock_gettime", "clock_getres", "clock_nanosleep", "nanosleep", "gettimeofday", "time", "times"),
    *("getpid", "gettid", "getppid", "getuid", "geteuid", "getgid", "getegid", "getrandom", "uname", "sysinfo"),
    *("getrusage", "getrlimit", "umask", "exit", "exit_group"),
)
_TERMINAL_QUESTIONS = (0x5401, 0x5451, 0x5450, 0x5421)
"""TCGETS, FIOCLEX, FIONCLEX, FIONBIO: Python asks them of a file it opens."""


def address_space_bytes() -> int:
    """How much address space this process takes now."""
    pages = int(Path("/proc/self/statm").read_text().split()[0])
    return pages * resource.getpagesize()


def limit(memory_mb: int, cpu_s: int, output_mb: int) -> None:
    """Bound memory, processor time and what it may write; none of it can be raised again."""
    memory = address_space_bytes() + memory_mb * 2**20
    for what, most in (
        (resource.RLIMIT_AS, memory),
        (resource.RLIMIT_CPU, cpu_s),
        (resource.RLIMIT_FSIZE, output_mb * 2**20),
        (resource.RLIMIT_NOFILE, _MOST_FILES),
        (resource.RLIMIT_CORE, 0),
        (resource.RLIMIT_NPROC, 0),
    ):
        # beyond the soft limit of time comes a signal that tells what it was; a second later the end
        _, hard = resource.getrlimit(what)
        most = most if hard == resource.RLIM_INFINITY else min(most, hard)
        resource.setrlimit(what, (most, min(most + 1, hard) if what == resource.RLIMIT_CPU and hard > 0 else most))


def filter_calls() -> None:
    """From here on every system call that is not in the list fails with EPERM."""
    allowed = pyseccomp.SyscallFilter(defaction=pyseccomp.ERRNO(1))
    for name in _ALLOWED:
        try:
            allowed.add_rule(pyseccomp.ALLOW, name)
        except (OSError, RuntimeError):  # a call that this processor does not have
            continue
    for question in _TERMINAL_QUESTIONS:
        allowed.add_rule(pyseccomp.ALLOW, "ioctl", pyseccomp.Arg(1, pyseccomp.EQ, question))
    allowed.load()
