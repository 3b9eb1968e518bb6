"""A throwaway database with the demo in it, for tools that run the application: bench and screenshots."""

import contextlib
import shutil
import tempfile
import threading
from collections.abc import Generator
from pathlib import Path

from flask import Flask
from werkzeug.serving import make_server

from ypomoni.actions.accounts import Passwords
from ypomoni.actions.seed_demo import seed_demo
from ypomoni.storage.cluster import Cluster
from ypomoni.storage.connection import transaction
from ypomoni.storage.migrate import ensure_database, migrate
from ypomoni.web import create_app
from ypomoni.web.settings import Settings

DATABASE = "throwaway"


@contextlib.contextmanager
def application() -> Generator[Flask]:
    """Give the application on a database that is gone afterwards."""
    folder = Path(tempfile.mkdtemp(prefix="yp-tool-"))
    cluster = Cluster(folder, throwaway=True)
    try:
        cluster.ensure()
        ensure_database(cluster.conninfo("postgres"), DATABASE)
        conninfo = cluster.conninfo(DATABASE)
        migrate(conninfo)
        app = create_app(Settings(conninfo=conninfo, secret_key="for a tool only " * 3, demo=True, cheap_passwords=True))
        app.extensions["pool"].open()
        app.extensions["cluster"] = cluster
        try:
            with transaction(app.extensions["pool"]) as connection:
                seed_demo(connection, Passwords(cheap=True))
            yield app
        finally:
            app.extensions["pool"].close()
    finally:
        cluster.stop(mode="immediate")
        shutil.rmtree(folder, ignore_errors=True)


@contextlib.contextmanager
def served(app: Flask) -> Generator[str]:
    """Serve an application on a free port and give its address."""
    listener = make_server("127.0.0.1", 0, app, threaded=True)
    thread = threading.Thread(target=listener.serve_forever, daemon=True)
    thread.start()
    try:
        yield f"http://127.0.0.1:{listener.server_port}"
    finally:
        listener.shutdown()
        thread.join()
