"""One throwaway PostgreSQL cluster a run, a migrated template, and databases copied from it; the application on a port for the browser."""

import contextlib
import gc
import logging
import os
import shutil
import tempfile
import threading
import time
from datetime import UTC, datetime
from pathlib import Path

import psycopg
import pytest
from browsing import launch_options
from hypothesis import settings as hypothesis_settings
from psycopg.rows import dict_row
from werkzeug.routing import Rule
from werkzeug.serving import make_server

from ypomoni.actions.accounts import Passwords
from ypomoni.actions.edit import read_document
from ypomoni.actions.evaluate import evaluate
from ypomoni.actions.seed_demo import PASSWORD, PEOPLE, seed_demo
from ypomoni.actions.site_tree import read_trees
from ypomoni.actions.summaries import refresh
from ypomoni.storage.cluster import Cluster
from ypomoni.storage.kept import SITE
from ypomoni.storage.migrate import ensure_database, migrate
from ypomoni.web import create_app
from ypomoni.web.settings import Settings

PREFIX = "yp-test-"
TEMPLATE = "template_ypomoni"


@pytest.hookimpl(wrapper=True)
def pytest_collection():
    """Do not look for what is no longer used while tests are loaded, nor among them later: they stay to the end, and it takes a third of the time."""
    gc.disable()
    try:
        return (yield)
    finally:
        gc.freeze()
        gc.enable()


# The same examples every time: main is green or it is not. `--hypothesis-profile=search` looks for new ones.
hypothesis_settings.register_profile("repeatable", deadline=None, derandomize=True, database=None, max_examples=60)
hypothesis_settings.register_profile("search", deadline=None, max_examples=500)
hypothesis_settings.load_profile("repeatable")


# Nothing in it is predictable: each run makes a folder of its own there.
MEMORY, MEMORY_NEEDED = Path("/dev/shm"), 2 * 2**30  # noqa: S108


def _folder_of_runs():
    """Return where clusters that are thrown away live: in memory where there is enough, for every test copies a database and drops it."""
    has_room = MEMORY.is_dir() and os.access(MEMORY, os.W_OK) and shutil.disk_usage(MEMORY).free > MEMORY_NEEDED
    return MEMORY if has_room else Path(tempfile.gettempdir())


@pytest.fixture(scope="session")
def cluster():
    """A cluster that loses everything at the end; left-overs of runs that were killed are swept first."""
    runs = _folder_of_runs()
    for folder in runs.glob(f"{PREFIX}*"):
        with contextlib.suppress(Exception):
            owner = int((folder / "owner").read_text())
            os.kill(owner, 0)
            continue
        # One that another worker is just making has no owner yet.
        if time.time() - folder.stat().st_mtime < 120:
            continue
        with contextlib.suppress(Exception):
            Cluster(folder).stop(mode="immediate")
        shutil.rmtree(folder, ignore_errors=True)
    folder = Path(tempfile.mkdtemp(prefix=PREFIX, dir=runs))
    (folder / "owner").write_text(str(os.getpid()))
    found = Cluster(folder, throwaway=True)
    found.ensure()
    yield found
    found.stop(mode="immediate")
    shutil.rmtree(folder, ignore_errors=True)


@pytest.fixture(scope="session")
def template(cluster):
    """A migrated database with the demo in it; nothing stays connected to it."""
    ensure_database(cluster.conninfo("postgres"), TEMPLATE)
    migrate(cluster.conninfo(TEMPLATE))
    with psycopg.connect(cluster.conninfo(TEMPLATE), row_factory=dict_row) as connection:
        assert seed_demo(connection, Passwords(cheap=True))
        # Computed once here, not once in every test that looks at the demo.
        for site in SITE.every(connection, 1):
            document = read_document(read_trees(connection, 1, [site])[0])
            evaluate(connection, 1, [(document, plan.key) for plan in document.plans])
        refresh(connection, 1, [site["id"] for site in SITE.every(connection, 1)], datetime.now(UTC).date())
    return TEMPLATE


@pytest.fixture
def conninfo(cluster, template, request):
    """A database of its own for a test that commits."""
    name = f"t{abs(hash(request.node.nodeid)) % 10**10}"
    with psycopg.connect(cluster.conninfo("postgres"), autocommit=True) as admin:
        admin.execute(f"CREATE DATABASE {name} TEMPLATE {template} STRATEGY file_copy")
    yield cluster.conninfo(name)
    with psycopg.connect(cluster.conninfo("postgres"), autocommit=True) as admin:
        admin.execute(f"DROP DATABASE {name} WITH (FORCE)")


@pytest.fixture
def connection(conninfo):
    """A connection to a database of its own."""
    with psycopg.connect(conninfo, row_factory=dict_row) as found:
        yield found


def settings_for(conninfo, **changes):
    """Return settings for tests: cheap passwords, as many tries as a test wants."""
    values = {
        "conninfo": conninfo,
        "secret_key": "for tests only " * 4,
        "demo": True,
        "developers": True,
        "cheap_passwords": True,
        "sign_in_limit": "1000 per minute",
    }
    return Settings(**{**values, **changes})


def _remember_routes():
    """Have every route compiled once a run: an application has hundreds, and every test that asks one makes its own."""
    compile_builder, known = Rule._compile_builder, {}

    def remembered(rule, append_unknown=True):
        key = (rule.rule, rule.subdomain, rule.host, tuple((rule.defaults or {}).items()), append_unknown)
        if key not in known:
            known[key] = compile_builder(rule, append_unknown)
        return known[key]

    Rule._compile_builder = remembered


_remember_routes()


@contextlib.contextmanager
def running(settings):
    """Give an application; its pool is closed at the end."""
    app = create_app(settings)
    app.extensions["pool"].open()
    try:
        yield app
    finally:
        app.extensions["pool"].close()


@pytest.fixture
def app(conninfo):
    """The application on a database of its own, demo data in it."""
    with running(settings_for(conninfo)) as found:
        yield found


@pytest.fixture
def server(app):
    """The address of the application, served for a browser."""
    logging.getLogger("werkzeug").setLevel(logging.WARNING)
    listener = make_server("127.0.0.1", 0, app, threaded=True)
    thread = threading.Thread(target=listener.serve_forever, daemon=True)
    thread.start()
    yield f"http://127.0.0.1:{listener.server_port}"
    listener.shutdown()
    thread.join()
    listener.server_close()


@pytest.fixture(scope="session")
def browser_type_launch_args(browser_type_launch_args):
    """Debian's Chromium, quiet."""
    return {**browser_type_launch_args, **launch_options()}


@pytest.fixture
def demo_credentials():
    """Address and password of somebody of the demo."""
    return PEOPLE[0][0], PASSWORD
