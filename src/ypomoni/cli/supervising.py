"""The process that starts the others and keeps them going: web processes on one listening socket, and workers for the queue."""

import logging
import signal
import socket
import subprocess
import sys
import time
from dataclasses import dataclass, field
from types import FrameType

LOOK_S = 0.2
# One that dies at once is not started again at once. [s]
PAUSE_S = 1.0
# How long requests and jobs in progress are waited for at the end. [s]
GRACE_S = 8.0
log = logging.getLogger("ypomoni.supervisor")


@dataclass
class _Child:
    name: str
    command: list[str]
    socket_fd: int | None = None
    process: subprocess.Popen[bytes] | None = None
    started_s: float = field(default=0.0)

    def start(self) -> None:
        fds = () if self.socket_fd is None else (self.socket_fd,)
        self.process = subprocess.Popen(self.command, stdin=subprocess.DEVNULL, pass_fds=fds)
        self.started_s = time.monotonic()

    def is_gone(self) -> bool:
        return self.process is None or self.process.poll() is not None


def supervise(listener: socket.socket, *, web_count: int, workers_count: int) -> None:
    """Start web processes and workers, start again what dies, and end all of them when this process is told to."""
    listener.set_inheritable(True)
    fd = listener.fileno()
    web = [sys.executable, "-m", "ypomoni.web.entry", str(fd)]
    worker = [sys.executable, "-c", "from ypomoni.cli import main; main()", "worker", "--with-parent"]
    children = [_Child("web", web, fd) for _ in range(web_count)] + [_Child("worker", worker) for _ in range(workers_count)]
    wanted = _Wanted()
    for child in children:
        child.start()
    while wanted.on:
        for child in children:
            if child.is_gone() and time.monotonic() - child.started_s > PAUSE_S:
                code = child.process.returncode if child.process else None
                log.error("a process died and is started again", extra={"kind": child.name, "exit_code": code})
                child.start()
        time.sleep(LOOK_S)
    _end(children)


class _Wanted:
    """Whether to go on, until a signal says otherwise."""

    def __init__(self) -> None:
        self.on = True
        for number in (signal.SIGTERM, signal.SIGINT):
            signal.signal(number, self._stop)

    def _stop(self, _signal: int, _frame: FrameType | None) -> None:
        self.on = False


def _end(children: list[_Child]) -> None:
    running = [c.process for c in children if c.process is not None and not c.is_gone()]
    for process in running:
        process.terminate()
    until = time.monotonic() + GRACE_S
    for process in running:
        try:
            process.wait(max(0.1, until - time.monotonic()))
        except subprocess.TimeoutExpired:
            process.kill()


def open_listener(host: str, port: int) -> socket.socket:
    """Return a socket that listens for as many clients as the system lets wait."""
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    listener = socket.socket(family, socket.SOCK_STREAM)
    listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    listener.bind((host, port))
    listener.listen(1_024)
    listener.setblocking(False)
    return listener


def raise_limit_of_files() -> None:
    """Let this process and its children hold as many connections as the system allows."""
    import resource

    _, most = resource.getrlimit(resource.RLIMIT_NOFILE)
    resource.setrlimit(resource.RLIMIT_NOFILE, (most, most))
