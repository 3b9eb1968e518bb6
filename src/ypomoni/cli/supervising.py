"""The process that forks the others and keeps them going."""

import gc
import logging
import multiprocessing
import signal
import socket
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from multiprocessing.process import BaseProcess
from types import FrameType

from setproctitle import setproctitle

from ypomoni.lifetime import end_with_parent

LOOK_S = 0.2
# One that dies at once is not started again at once. [s]
PAUSE_S = 1.0
# How long requests and jobs in progress are waited for at the end. [s]
GRACE_S = 8.0
log = logging.getLogger("ypomoni.supervisor")
_processes = multiprocessing.get_context("fork")


@dataclass
class _Child:
    name: str
    does: Callable[[], None]
    process: BaseProcess | None = None
    started_s: float = field(default=0.0)

    def start(self) -> None:
        self.process = _processes.Process(target=_begin, args=(self.name, self.does))
        self.process.start()
        self.started_s = time.monotonic()

    def is_gone(self) -> bool:
        return self.process is None or not self.process.is_alive()


def _begin(name: str, does: Callable[[], None]) -> None:
    """In the new process: be called by its name, obey signals as any process does, log under its own number, and end with the supervisor."""
    # Only here: where the processes leave their figures is named before what counts them is loaded.
    from ypomoni.observing import log_as_json

    log_as_json()
    setproctitle(f"ypomoni {name}")
    signal.signal(signal.SIGTERM, signal.SIG_DFL)
    # Ctrl+C reaches every process of a terminal; the supervisor ends them in good order.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    end_with_parent()
    does()


def supervise(processes: Sequence[tuple[str, Callable[[], None]]]) -> None:
    """Start processes, each with its name and what it does, start again what dies, and end all of them when this one is told to.

    Everything was loaded once, here, and each is forked from this process: it is there in an instant, also when it takes the place of one that
    died. So this process must have no thread and no connection of its own.
    """
    children = [_Child(name, does) for name, does in processes]
    # What stands in memory by now is shared by all of them as long as nobody writes there, which looking for what is no longer used would do.
    gc.freeze()
    wanted = _Wanted()
    try:
        for child in children:
            child.start()
        while wanted.on:
            for child in children:
                if child.is_gone() and time.monotonic() - child.started_s > PAUSE_S:
                    code = child.process.exitcode if child.process else None
                    log.error("a process died and is started again", extra={"kind": child.name, "exit_code": code})
                    child.start()
            time.sleep(LOOK_S)
    finally:
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
        process.join(max(0.1, until - time.monotonic()))
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
