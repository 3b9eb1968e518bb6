"""`ypomoni demo | serve | stop | migrate`: run the application, with a cluster of our own on loopback or with the database that is named."""

import os
import secrets
import socket
import subprocess
import sys
from pathlib import Path

import click

from ypomoni.actions.accounts import Passwords
from ypomoni.actions.evaluate import ENGINE_VERSION
from ypomoni.actions.seed_demo import seed_demo
from ypomoni.storage.cluster import Cluster, state_folder
from ypomoni.storage.connection import open_pool, transaction
from ypomoni.storage.errors import StorageError
from ypomoni.storage.migrate import ensure_database, migrate
from ypomoni.storage.results import prune_results

DEMO_DATABASE = "ypomoni_demo"
FIRST_PORT = 8765


@click.command()
@click.option("--port", type=int, default=None, help=f"Port to serve on; by default the first free one from {FIRST_PORT}.")
def demo(port: int | None) -> None:
    """Start everything with demo data on this machine and print the address."""
    try:
        cluster = local_cluster()
        cluster.ensure()
        ensure_database(cluster.conninfo("postgres"), DEMO_DATABASE)
        conninfo = cluster.conninfo(DEMO_DATABASE)
        prepare(conninfo, with_demo=True)
    except StorageError as error:
        raise click.ClickException(str(error)) from error
    port = port or _free_port()
    os.environ.update(YPOMONI_DATABASE=conninfo, YPOMONI_SECRET_KEY=_kept_secret(), YPOMONI_DEMO="1")
    click.echo(f"Ypomoni runs at http://127.0.0.1:{port}/ (Ctrl+C stops it; `make stop` stops its database)")
    sys.stdout.flush()
    _serve("127.0.0.1", port)


@click.command()
@click.option("--host", default="127.0.0.1", show_default=True)
@click.option("--port", type=int, default=FIRST_PORT, show_default=True)
def serve(host: str, port: int) -> None:
    """Serve for real: YPOMONI_DATABASE and YPOMONI_SECRET_KEY must be set. Put TLS in front of it."""
    from ypomoni.web.settings import Settings

    settings = Settings.from_environment()
    prepare(settings.conninfo, with_demo=False)
    _serve(host, port)


@click.command("migrate")
def migrate_command() -> None:
    """Bring the database named by YPOMONI_DATABASE up to date."""
    for name in migrate(os.environ["YPOMONI_DATABASE"]):
        click.echo(f"applied {name}")


@click.command()
def stop() -> None:
    """Stop the database of the demo."""
    local_cluster().stop()
    click.echo("The demo's database is stopped.")


def local_cluster() -> Cluster:
    """Return the cluster of this installation."""
    return Cluster(state_folder())


def prepare(conninfo: str, *, with_demo: bool) -> None:
    """Migrate, drop stale results, and seed the demo."""
    migrate(conninfo)
    pool = open_pool(conninfo, most=1)
    try:
        with transaction(pool) as connection:
            prune_results(connection, ENGINE_VERSION)
            if with_demo:
                seed_demo(connection, Passwords())
    finally:
        pool.close()


def _serve(host: str, port: int) -> None:
    """Start a worker for long searches, and replace this process by the server: one process, threads for requests."""
    start_worker()
    arguments = ["--bind", f"{host}:{port}", "--worker-class", "gthread", "--threads", "8", "--workers", "1", "--no-control-socket"]
    arguments += ["--log-level", "warning", "ypomoni.web.entry:app"]
    os.execv(sys.executable, [sys.executable, "-m", "gunicorn", *arguments])  # noqa: S606 - our own arguments


def start_worker() -> subprocess.Popen[bytes]:
    """Start a worker that ends with this process, and with the server this process becomes."""
    command = [sys.executable, "-c", "from ypomoni.cli import main; main()", "worker", "--with-parent"]
    return subprocess.Popen(command, stdin=subprocess.DEVNULL)


def _kept_secret() -> str:
    """Return the secret of the demo's cookies, made once and kept beside its database."""
    file = Path(os.environ.get("YPOMONI_SECRET_KEY_FILE", state_folder() / "secret"))
    if not file.exists():
        file.touch(mode=0o600)
        file.write_text(secrets.token_urlsafe(48))
    return file.read_text().strip()


def _free_port() -> int:
    for port in range(FIRST_PORT, FIRST_PORT + 200):
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            if probe.connect_ex(("127.0.0.1", port)) != 0:
                return port
    raise click.ClickException(f"No free port from {FIRST_PORT} on: name one with --port.")
