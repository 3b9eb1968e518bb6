"""The server as it is run for real: several processes on one socket, idle clients, processes that are killed, health and figures."""

import contextlib
import http.cookiejar
import json
import os
import re
import signal
import socket
import subprocess
import sys
import threading
import time
import urllib.error
import urllib.parse
import urllib.request
from pathlib import Path

import psycopg
import pytest
from attacks.idle import idle_clients, page_s
from web.client import token_of

SECRET = "for tests of serving only " * 2


def free_port():
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


def fetch(port, address):
    """Return status and body of a page."""
    try:
        with urllib.request.urlopen(f"http://127.0.0.1:{port}{address}", timeout=10) as answer:
            return answer.status, answer.read().decode()
    except urllib.error.HTTPError as error:
        return error.code, error.read().decode()
    except OSError:
        return 0, ""


def wait_until(holds, seconds=20.0):
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        if holds():
            return
        time.sleep(0.1)
    raise AssertionError("it never came true")


@contextlib.contextmanager
def serving(conninfo, port, *more):
    """Run `ypomoni serve` with two web processes and a worker."""
    environment = {
        **os.environ,
        "YPOMONI_DATABASE": conninfo,
        "YPOMONI_SECRET_KEY": SECRET,
        "YPOMONI_HOSTS": "127.0.0.1",
        "YPOMONI_DEMO": "1",
    }
    command = [sys.executable, "-m", "ypomoni", "serve", "--port", str(port), "--processes", "2", *more]
    process = subprocess.Popen(command, env=environment, stderr=subprocess.PIPE, text=True)
    try:
        yield process
    finally:
        process.send_signal(signal.SIGTERM)
        with contextlib.suppress(subprocess.TimeoutExpired):
            process.wait(15)
        process.kill()


def children_of(pid):
    """Return the processes a process started, by what they are."""
    found = {}
    for folder in Path("/proc").glob("[0-9]*"):
        with contextlib.suppress(OSError):
            state, parent = (folder / "stat").read_text().rpartition(") ")[2].split()[:2]
            if int(parent) == pid and state != "Z":
                kind = (folder / "cmdline").read_text().strip("\0").removeprefix("ypomoni ")
                found.setdefault(kind, []).append(int(folder.name))
    return found


def test_idle_clients_keep_nobody_waiting_and_what_dies_is_started_again(conninfo):
    """A hundred idle or half-spoken clients; malformed requests; a web process and the worker killed; the end."""
    port, metrics = free_port(), free_port()
    with serving(conninfo, port, "--metrics-port", str(metrics)) as process:
        wait_until(lambda: fetch(port, "/ready")[0] == 200)
        assert json.loads(fetch(port, "/health")[1]) == {"alive": True}
        with idle_clients("127.0.0.1", port, 100) as held:
            assert held == 100
            assert page_s("127.0.0.1", port) < 1.0
        for raw in (
            b"\x00\x01\x02\r\n\r\n",
            b"GET / HTTP/9.9\r\n\r\n",
            b"GET /sign-in HTTP/1.1\r\nHost: far.example\r\nSCRIPT_NAME: /x\r\nConnection: close\r\n\r\n",
        ):
            with socket.create_connection(("127.0.0.1", port), timeout=10) as client:
                client.sendall(raw)
                said = client.recv(65536)
            assert b" 400 " in said.splitlines()[0]
            assert b"Traceback" not in said
            assert b"far.example" not in said
        for kind in ("worker", "web"):
            before = children_of(process.pid)[kind]
            os.kill(before[0], signal.SIGKILL)
            wait_until(lambda kind=kind, before=before: len(set(children_of(process.pid).get(kind, [])) - {before[0]}) == len(before))
        wait_until(lambda: fetch(port, "/sign-in")[0] == 200)
        figures = fetch(metrics, "/metrics")[1]
        assert re.search(r'ypomoni_requests_total\{route="/sign-in",status="200"\} [1-9]', figures)
        process.send_signal(signal.SIGTERM)
        lines = process.stderr.read().splitlines()
        assert process.wait(15) == 0
    told = [json.loads(line) for line in lines if line.startswith("{")]
    assert any(entry["message"] == "a process died and is started again" for entry in told)
    (seen, *_) = [entry for entry in told if entry.get("route") == "/sign-in"]
    assert {"time", "level", "request_id", "duration_ms", "status", "account_id", "organisation_id"} <= set(seen)


@pytest.mark.long
def test_without_a_worker_it_is_not_ready_and_with_a_newer_database_it_does_not_start(conninfo):
    """Each says what is missing."""
    port = free_port()
    with serving(conninfo, port, "--workers", "0"):
        wait_until(lambda: fetch(port, "/health")[0] == 200)
        status, body = fetch(port, "/ready")
        assert (status, json.loads(body)["missing"]) == (503, ["a worker: nobody works on the queue"])
    with psycopg.connect(conninfo) as connection:
        connection.execute("INSERT INTO migration (name, digest) VALUES ('9999_later.sql', 'x')")
    with serving(conninfo, port) as process:
        assert process.wait(20) == 1
        assert "made by a newer version" in process.stderr.read()


@pytest.mark.parametrize("option", ["--port", "--metrics-port"])
def test_a_port_that_is_taken_is_named_with_the_option_that_changes_it(conninfo, option):
    """It says so and ends, instead of starting again and again a process that cannot listen."""
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        number = taken.getsockname()[1]
        with serving(conninfo, *((number,) if option == "--port" else (free_port(), option, str(number)))) as process:
            assert process.wait(30) == 1
            assert (
                f"127.0.0.1:{number} cannot be listened on: Address already in use. Name another port with {option}."
                in process.stderr.read()
            )


@pytest.mark.parametrize("what", ["YPOMONI_HOSTS", "YPOMONI_SECRET_KEY", "YPOMONI_DATABASE"])
def test_what_is_not_set_is_named(conninfo, what):
    """Nothing is served without it."""
    environment = {**os.environ, "YPOMONI_DATABASE": conninfo, "YPOMONI_SECRET_KEY": SECRET, "YPOMONI_HOSTS": "127.0.0.1"}
    del environment[what]
    done = subprocess.run(
        [sys.executable, "-m", "ypomoni", "serve"], env=environment, capture_output=True, text=True, check=False, timeout=30
    )
    assert done.returncode == 1
    assert what in done.stderr


class Relay:
    """A port that leads to the database, once it is opened: until then nobody listens there."""

    def __init__(self, conninfo):
        self.to = int(re.search(r"port=(\d+)", conninfo).group(1))
        self.port = free_port()
        self.conninfo = conninfo.replace(f"port={self.to}", f"port={self.port}")
        self.listener = None

    def open(self):
        self.listener = socket.create_server(("127.0.0.1", self.port))
        threading.Thread(target=self._accept, daemon=True).start()

    def _accept(self):
        with contextlib.suppress(OSError):
            while True:
                here, _ = self.listener.accept()
                there = socket.create_connection(("127.0.0.1", self.to))
                for source, sink in ((here, there), (there, here)):
                    threading.Thread(target=self._pass_on, args=(source, sink), daemon=True).start()

    @staticmethod
    def _pass_on(source, sink):
        with contextlib.suppress(OSError):
            while part := source.recv(65_536):
                sink.sendall(part)
        for end in (source, sink):
            with contextlib.suppress(OSError):
                end.shutdown(socket.SHUT_RDWR)


def test_it_waits_for_its_database_and_says_so(conninfo):
    """Started before the database it says why nothing is served, and serves once the database is there."""
    relay, port = Relay(conninfo), free_port()
    with serving(relay.conninfo, port) as process:
        assert "The database does not answer yet, so nothing is served" in process.stderr.readline()
        assert fetch(port, "/health")[0] == 0
        relay.open()
        wait_until(lambda: fetch(port, "/ready")[0] == 200, 30)
    relay.listener.close()


@pytest.mark.long
def test_two_hosts_share_sessions_and_what_was_saved(conninfo):
    """Two installations of one database, each with processes of its own: signed in at one is signed in at the other, and so is signing out."""
    ports = free_port(), free_port()
    with serving(conninfo, ports[0]), serving(conninfo, ports[1], "--workers", "0"):
        for port in ports:
            wait_until(lambda port=port: fetch(port, "/ready")[0] == 200, 30)
        jar = http.cookiejar.CookieJar()
        person = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(jar))

        def send(port, address, **form):
            body = urllib.parse.urlencode(form).encode() if form else None
            return person.open(f"http://127.0.0.1:{port}{address}", body, timeout=20).read().decode()

        token = token_of(send(ports[0], "/sign-in"))
        send(ports[0], "/sign-in", csrf_token=token, email="wren@saltmarsh.example", password="brackwater-tide")
        assert "Brackwater County Archive" in send(ports[1], "/")
        send(ports[1], "/sign-out", csrf_token=token_of(send(ports[1], "/")))
        assert "Brackwater County Archive" not in send(ports[0], "/")
