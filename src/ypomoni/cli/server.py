"""`ypomoni demo | serve | stop | migrate`: run the application, with a cluster of our own on loopback or with the database that is named."""

import contextlib
import os
import secrets
import signal
import socket
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path

import click

from ypomoni.cli.supervising import open_listener, raise_limit_of_files, supervise
from ypomoni.storage.cluster import Cluster, state_folder
from ypomoni.storage.connection import open_pool, transaction, why_away
from ypomoni.storage.errors import StorageError
from ypomoni.storage.migrate import ensure_database, migrate

# How often a database that is away is asked again at the start. [s]
AWAIT_S = 2.0
DEMO_DATABASE = "ypomoni_demo"
FIRST_PORT = 8765


@click.command()
@click.option("--port", type=int, default=None, help=f"Port to serve on; by default the first free one from {FIRST_PORT}.")
def demo(port: int | None) -> None:
    """Start everything with demo data on this machine and print the address."""
    with _shared_figures():
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
        _serve("127.0.0.1", port, web_count=1, workers_count=1)


@click.command()
@click.option("--host", default="127.0.0.1", show_default=True)
@click.option("--port", type=int, default=FIRST_PORT, show_default=True)
@click.option("--processes", "web_count", type=click.IntRange(1, 64), default=2, show_default=True, help="Processes that answer requests.")
@click.option(
    "--workers", "workers_count", type=click.IntRange(0, 64), default=1, show_default=True, help="Processes that work on the queue."
)
@click.option("--metrics-port", type=int, default=None, help="Port on loopback for Prometheus; none by default.")
def serve(host: str, port: int, web_count: int, workers_count: int, metrics_port: int | None) -> None:
    """Serve for real: YPOMONI_DATABASE, YPOMONI_SECRET_KEY and YPOMONI_HOSTS must be set. Put TLS in front of it."""
    with _shared_figures():
        from ypomoni.web.settings import Settings

        settings = Settings.from_environment()
        _wait_for(settings.conninfo)
        try:
            prepare(settings.conninfo, with_demo=False)
        except StorageError as error:
            raise click.ClickException(str(error)) from error
        _serve(host, port, web_count=web_count, workers_count=workers_count, metrics_port=metrics_port)


@contextlib.contextmanager
def _shared_figures() -> Iterator[None]:
    """Have all processes leave their figures for Prometheus in one folder. That it is there is read once, when what counts them is loaded."""
    with tempfile.TemporaryDirectory(prefix="ypomoni-metrics-") as folder:
        os.environ["PROMETHEUS_MULTIPROC_DIR"] = folder
        yield


def _wait_for(conninfo: str) -> None:
    """Return once the database answers, and say meanwhile that it does not."""
    while True:
        reason = why_away(conninfo)
        if reason is None:
            return
        click.echo(f"The database does not answer yet, so nothing is served: {reason} Trying again every {AWAIT_S:g} s.", err=True)
        time.sleep(AWAIT_S)


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
    from ypomoni.actions.accounts import Passwords
    from ypomoni.actions.evaluate import ENGINE_VERSION
    from ypomoni.actions.seed_demo import seed_demo
    from ypomoni.storage.results import prune_results

    migrate(conninfo)
    pool = open_pool(conninfo, most=1)
    try:
        with transaction(pool) as connection:
            prune_results(connection, ENGINE_VERSION)
            if with_demo:
                seed_demo(connection, Passwords(), _kept_secret())
    finally:
        pool.close()


def _serve(host: str, port: int, *, web_count: int, workers_count: int, metrics_port: int | None = None) -> None:
    """Start web processes on one listening socket and workers for the queue, and stay to keep them going."""
    from ypomoni.cli.worker import work_until_stopped
    from ypomoni.observing import log_as_json, serve_metrics
    from ypomoni.web.entry import make_answering

    raise_limit_of_files()
    listener = _listener_of(host, port, "--port")

    def work() -> None:
        # Nobody should be let in who would never be answered, should the others be gone.
        listener.close()
        work_until_stopped()

    def show_figures(port: int) -> None:
        listener.close()
        serve_metrics(port)
        signal.pause()

    processes: list[tuple[str, Callable[[], None]]] = [("web", make_answering(listener))] * web_count
    processes += [("worker", work)] * workers_count
    if metrics_port is not None:
        _listener_of("127.0.0.1", metrics_port, "--metrics-port").close()
        processes.append(("metrics", partial(show_figures, metrics_port)))
    log_as_json()
    supervise(processes)


def _listener_of(host: str, port: int, option: str) -> socket.socket:
    try:
        return open_listener(host, port)
    except OSError as error:
        raise click.ClickException(f"{host}:{port} cannot be listened on: {error.strerror}. Name another port with {option}.") from error


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
