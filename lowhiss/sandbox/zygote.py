"""The process inside the sandbox: it loads the libraries once, then forks a confined child for each file.

It never looks at a file itself. A request is a message with file descriptors: the question as JSON, the socket on which
the child answers, the file to read and, where it unpacks, the one to write. The zygote tells how each child ended.
"""

from __future__ import annotations

import contextlib
import gc
import importlib
import json
import os
import select
import shutil
import signal
import socket
import sys
import traceback
from pathlib import Path
from typing import NoReturn

from lowhiss.sandbox import confine, inside
from lowhiss.sandbox.table import PRELOADED, READERS
from lowhiss.sandbox.wire import Request, send_error, send_result

_SCRATCH = Path("/tmp")
_GIVES_WAY = 10
_FEWEST = 3
"""The question, the socket to answer on, and the file."""


def serve(control: socket.socket, group: str) -> None:
    """Answer requests until whoever asks is gone."""
    os.nice(_GIVES_WAY)
    for name in PRELOADED[group]:  # type: ignore[index]
        importlib.import_module(name)
    gc.collect()
    gc.freeze()
    control.sendall(b"ready\n")
    silence = os.open(os.devnull, os.O_WRONLY)
    os.dup2(silence, 2)  # nobody reads what a library has to say from here on
    while True:
        data, descriptors, _, _ = socket.recv_fds(control, 16, 4)
        if not data:
            return
        if len(descriptors) < _FEWEST:  # "stop" for a child that had just ended
            continue
        with os.fdopen(descriptors.pop(0), "rb") as asked:
            asked.seek(0)
            request = Request(**json.load(asked))
        child = os.fork()
        if child == 0:
            control.close()
            _child(request, descriptors)
        for one in descriptors:
            os.close(one)
        if not _wait(control, child):
            return
        _clear()


def _wait(control: socket.socket, child: int) -> bool:
    """Wait for a child, and end it where somebody asks for that; False where whoever asked is gone."""
    ended = os.pidfd_open(child)
    here = True
    try:
        while here:
            ready, _, _ = select.select([ended, control.fileno()], [], [])
            if ended in ready:
                break
            here = bool(control.recv(16))  # "stop", or nobody is there any more
            os.kill(child, signal.SIGKILL)
            break
    finally:
        os.close(ended)
    _, status = os.waitpid(child, 0)
    if here:
        control.sendall(f"{os.waitstatus_to_exitcode(status)}\n".encode())
    return here


def _clear() -> None:
    for left in _SCRATCH.iterdir():
        if left.is_dir() and not left.is_symlink():
            shutil.rmtree(left, ignore_errors=True)
        else:
            left.unlink(missing_ok=True)


def _child(request: Request, descriptors: list[int]) -> NoReturn:
    """Confine itself, read the file, answer, and end."""
    code = 1
    try:
        code = _read(request, descriptors)
    except BaseException:
        with contextlib.suppress(BaseException):
            traceback.print_exc()
    os._exit(code)


def _read(request: Request, descriptors: list[int]) -> int:
    out = os.fdopen(descriptors[0], "wb", buffering=0)  # written to as a file: no call about sockets is allowed
    reader = READERS[request.reader]
    # a link whose name ends as the file's does: some libraries choose their reader by it
    path = _SCRATCH / f"file{request.suffix}"
    path.symlink_to(f"/proc/self/fd/{descriptors[1]}")
    confine.limit(reader.memory_mb, request.cpu_s, reader.output_mb)
    confine.filter_calls()
    try:
        told = inside.Progress(out)
        output = descriptors[2] if len(descriptors) > 2 else None
        meta, arrays = getattr(inside, reader.function)(path, request.args, told, output)
        send_result(out, meta, arrays)
    except MemoryError:
        send_error(out, "memory", "file", f"needs more than {reader.memory_mb} MB of memory to be read")
    except inside.REFUSALS as error:
        send_error(out, "refused", getattr(error, "field", ""), getattr(error, "problem", str(error)))
    except Exception as error:
        send_error(out, "broken", "file", "".join(traceback.format_exception_only(error))[:400])
    return 0


if __name__ == "__main__":
    with socket.socket(fileno=int(sys.argv[1])) as asked:
        serve(asked, sys.argv[2])
