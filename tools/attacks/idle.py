"""Clients that ask for nothing, or for half of something, and hold on: everybody else is still served."""

import contextlib
import http.client
import socket
import time
from collections.abc import Generator

HALVES = (
    b"",
    b"GET /sign-in HT",
    b"GET /sign-in HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Slow: ",
    b"POST /sign-in HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/x-www-form-urlencoded\r\nContent-Length: 5000\r\n\r\nemail=",
)


@contextlib.contextmanager
def idle_clients(host: str, port: int, count: int) -> Generator[int]:
    """Hold so many connections open, each with nothing or half a request sent; gives how many could be opened."""
    held: list[socket.socket] = []
    try:
        for n in range(count):
            try:
                client = socket.create_connection((host, port), timeout=5)
                client.sendall(HALVES[n % len(HALVES)])
            except OSError:
                break
            held.append(client)
        yield len(held)
    finally:
        for client in held:
            client.close()


def page_s(host: str, port: int, address: str = "/sign-in") -> float:
    """Return how long a page takes. [s]"""
    began_s = time.monotonic()
    connection = http.client.HTTPConnection(host, port, timeout=30)
    connection.request("GET", address)
    answer = connection.getresponse()
    answer.read()
    connection.close()
    if answer.status != 200:
        raise RuntimeError(f"{address} was answered with {answer.status}")
    return time.monotonic() - began_s
