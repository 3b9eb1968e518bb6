"""What one web process is: a server that holds idle clients, forked by `ypomoni serve` with the application and the socket it listens on.

Whole requests reach the application only: whoever sends none, or half of one, costs a file descriptor and no thread.
"""

import os
import signal
import socket
from collections.abc import Callable
from functools import partial
from types import FrameType
from typing import NoReturn

from flask import Flask
from waitress.server import create_server

from ypomoni.web import LARGEST_REQUEST, create_app
from ypomoni.web.settings import Settings

THREADS_COUNT = 20
MOST_CONNECTIONS = 4_000
# Nothing was heard of a client for so long: it is let go. [s]
SILENT_S = 20
LONGEST_HEADER = 16 * 1024


def make_answering(listener: socket.socket) -> Callable[[], None]:
    """Return what a process does that answers requests on a listening socket: the application, with its hundreds of addresses, is made here once for all."""
    settings = Settings.from_environment()
    return partial(_answer_requests, create_app(settings), listener, is_behind_proxy=settings.proxies_count > 0)


def _answer_requests(app: Flask, listener: socket.socket, *, is_behind_proxy: bool) -> None:
    """Serve until told to stop; then finish what is being answered."""
    signal.signal(signal.SIGTERM, _stop)
    app.extensions["pool"].open()
    server = create_server(
        app,
        sockets=[listener],
        threads=THREADS_COUNT,
        connection_limit=MOST_CONNECTIONS,
        channel_timeout=SILENT_S,
        cleanup_interval=5,
        backlog=1_024,
        asyncore_use_poll=True,
        max_request_header_size=LONGEST_HEADER,
        max_request_body_size=LARGEST_REQUEST + 64 * 1024,
        # Who asked is told by proxies of ours alone; the application knows how many there are.
        clear_untrusted_proxy_headers=not is_behind_proxy,
        ident=None,
        expose_tracebacks=False,
    )
    server.run()
    os._exit(0)


def _stop(_signal: int, _frame: FrameType | None) -> NoReturn:
    raise SystemExit(0)
