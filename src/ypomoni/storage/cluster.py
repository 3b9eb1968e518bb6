"""A PostgreSQL cluster of our own on loopback, from Debian's binaries. Started by `make demo` and by the tests.

Only the PostgreSQL binaries are demoted when we run as root: they refuse to run as root, Python does not mind.
"""

import os
import pwd
import secrets
import shutil
import socket
import subprocess
from pathlib import Path

from ypomoni.storage.errors import ClusterError

USER = "ypomoni"
NOT_RUNNING = 3
THROWAWAY_SETTINGS = ("fsync=off", "synchronous_commit=off", "full_page_writes=off", "autovacuum=off")


def state_folder() -> Path:
    """Return where the cluster and the secrets of this installation live: never inside the checkout."""
    if os.geteuid() == 0:
        return Path("/var/lib/ypomoni")
    base = os.environ.get("XDG_STATE_HOME") or str(Path.home() / ".local" / "state")
    return Path(base) / "ypomoni"


def binary(name: str) -> str:
    """Return the path of a PostgreSQL server binary, the newest version's."""
    folders = sorted(Path("/usr/lib/postgresql").glob("*/bin"), key=lambda p: float(p.parent.name), reverse=True)
    for folder in folders:
        if (folder / name).exists():
            return str(folder / name)
    found = shutil.which(name)
    if found is None:
        raise ClusterError(f"PostgreSQL's {name} is missing: run tools/setup.sh, which installs Debian's package postgresql.")
    return found


class Cluster:
    """One cluster in one folder."""

    def __init__(self, folder: Path, *, throwaway: bool = False) -> None:
        self.folder = folder
        self.throwaway = throwaway

    @property
    def _data(self) -> Path:
        return self.folder / "data"

    def conninfo(self, database: str) -> str:
        """Return how to connect to a database of the running cluster."""
        port = self._port()
        password = (self.folder / "password").read_text().strip()
        return f"host=127.0.0.1 port={port} user={USER} password={password} dbname={database} connect_timeout=5"

    def ensure(self) -> None:
        """Make and start the cluster unless that is done already."""
        if not (self._data / "PG_VERSION").exists():
            self._create()
        if not self.is_running():
            self._start()

    def is_running(self) -> bool:
        """Say whether the cluster answers."""
        return self._run("pg_ctl", "-D", str(self._data), "status", check=False).returncode == 0

    def stop(self, *, mode: str = "fast") -> None:
        """Stop the cluster if it runs."""
        if (self._data / "PG_VERSION").exists() and self.is_running():
            self._run("pg_ctl", "-D", str(self._data), "-m", mode, "-w", "stop")

    def _create(self) -> None:
        self.folder.mkdir(parents=True, exist_ok=True)
        self._own(self.folder)
        self.folder.chmod(0o700)
        shutil.rmtree(self._data, ignore_errors=True)
        secret = self.folder / "password"
        secret.write_text(secrets.token_urlsafe(24) + "\n")
        self._own(secret)
        secret.chmod(0o600)
        # SCRAM makes a guess dear, and every connection too, by 5 ms. Nobody guesses 24 random bytes in the minutes that a throwaway lives.
        proof = "md5" if self.throwaway else "scram-sha-256"
        options = ["-E", "UTF8", "--locale=C.UTF-8", f"--auth-local={proof}", f"--auth-host={proof}", f"--pwfile={secret}"]
        if self.throwaway:
            options.append("--no-sync")
        self._run("initdb", "-D", str(self._data), "-U", USER, *options)

    def _start(self) -> None:
        settings = ["listen_addresses=127.0.0.1", f"unix_socket_directories={self._data}", "timezone=UTC"]
        settings += THROWAWAY_SETTINGS if self.throwaway else ()
        options = f"-p {self._next_port()} " + " ".join(f"-c {s}" for s in settings)
        log = self.folder / "log"
        try:
            self._run("pg_ctl", "-D", str(self._data), "-o", options, "-w", "-t", "30", "-l", str(log), "start")
        except ClusterError as error:
            said = log.read_text(errors="replace")[-800:] if log.exists() else ""
            raise ClusterError(f"PostgreSQL did not start. It said:\n{said}") from error

    def _next_port(self) -> int:
        """Return the port of the last start where that is free, so that those connected to it find it again."""
        file = self.folder / "port"
        port = int(file.read_text()) if file.exists() else 0
        port = port if port and _is_free(port) else _free_port()
        file.write_text(str(port))
        return port

    def _port(self) -> int:
        try:
            return int((self._data / "postmaster.pid").read_text().splitlines()[3])
        except (OSError, IndexError, ValueError) as error:
            raise ClusterError("The database is not running.") from error

    def _own(self, path: Path) -> None:
        if os.geteuid() == 0:
            user = pwd.getpwnam("postgres")
            os.chown(path, user.pw_uid, user.pw_gid)

    def _run(self, name: str, *arguments: str, check: bool = True) -> subprocess.CompletedProcess[str]:
        demoted = pwd.getpwnam("postgres") if os.geteuid() == 0 else None
        # A started server keeps an inherited pipe open for ever, so that reading it would not return.
        output = subprocess.DEVNULL if "start" in arguments else subprocess.PIPE
        done = subprocess.run(
            [binary(name), *arguments],
            cwd="/",
            text=True,
            stdin=subprocess.DEVNULL,
            stdout=output,
            stderr=subprocess.STDOUT,
            check=False,
            user=demoted.pw_uid if demoted else None,
            group=demoted.pw_gid if demoted else None,
            extra_groups=[] if demoted else None,
        )
        if check and done.returncode != 0:
            raise ClusterError(f"{name} failed: {(done.stdout or '').strip()[-800:]}")
        return done


def _is_free(port: int) -> bool:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            return False
    return True


def _free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])
