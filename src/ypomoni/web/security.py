"""Who is signed in, what a page may load, and the one transaction a request has."""

import random
import re
import time
from collections.abc import Callable, Generator
from contextlib import contextmanager
from dataclasses import replace
from functools import wraps
from typing import Any, ParamSpec
from uuid import uuid4

from flask import Flask, Response, abort, current_app, flash, g, jsonify, redirect, request, session, url_for
from flask.sessions import SecureCookieSessionInterface, SessionMixin

from ypomoni.actions import accounts
from ypomoni.actions.actor import Actor
from ypomoni.actions.steps import has_arrived
from ypomoni.observing import REPEATED_WRITES
from ypomoni.storage.connection import Connection, commit, transaction
from ypomoni.storage.errors import TryAgain
from ypomoni.web.limiting import limiter
from ypomoni.web.turns import NOBODY

# A deadlock is rare, since all lock the site first; three goes are many.
MOST_GOES = 4
POLICY = "; ".join(
    (
        "default-src 'none'",
        "script-src 'self'",
        "style-src 'self'",
        "img-src 'self' data:",
        "font-src 'self'",
        "connect-src 'self'",
        "form-action 'self'",
        "base-uri 'none'",
        "frame-ancestors 'none'",
    )
)
HEADERS = {
    "Content-Security-Policy": POLICY,
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Permissions-Policy": "camera=(), geolocation=(), microphone=()",
}


class _Sessions(SecureCookieSessionInterface):
    """The cookie, on pages alone: what is the same for everybody is answered without one."""

    def save_session(self, app: Flask, session: SessionMixin, response: Response) -> None:
        """Set the cookie unless nobody's page was asked for."""
        if request.endpoint not in ("static", "observed.health", "observed.ready"):
            super().save_session(app, session, response)


def init_app(app: Flask) -> None:
    """Set the headers of every answer, the cookie and the limiter."""
    app.config["RATELIMIT_STORAGE_OPTIONS"] = {"pool": app.extensions["pool"]}
    app.session_interface = _Sessions()
    limiter.init_app(app)

    @app.after_request
    def _headers(response: Response) -> Response:
        for name, value in HEADERS.items():
            response.headers.setdefault(name, value)
        if not app.config["DEMO"]:
            response.headers.setdefault("Strict-Transport-Security", "max-age=31536000")
        if request.endpoint == "static" and response.status_code in (200, 304):
            response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
        else:
            response.headers.setdefault("Cache-Control", "no-store")
        return response


@contextmanager
def open_() -> Generator[Connection]:
    """Give a connection in a transaction of this request."""
    with transaction(current_app.extensions["pool"]) as connection:
        yield connection


def sign_in_as(connection: Connection, account: dict[str, Any]) -> None:
    """Sign an account in, in a session of its own; one that went on in this browser ends."""
    if isinstance(session.get("token"), str):
        accounts.end_session(connection, session["token"])
    session.clear()
    session["token"] = accounts.begin_session(connection, account)
    # Signed, so it can be believed: it says whose turn it is before the database is asked.
    session["organisation_id"] = account["organisation_id"]
    session.permanent = True


def current_actor(connection: Connection) -> Actor | None:
    """Return who is signed in, or None."""
    token = session.get("token")
    account = accounts.session_of(connection, token) if isinstance(token, str) else None
    if account is None:
        return None
    return Actor(
        organisation_id=account["organisation_id"],
        account_id=account["id"],
        name=account["name"],
        organisation_name=account["organisation_name"],
        role=account["role"],
    )


P = ParamSpec("P")


def signed_in(view: Callable[P, Any]) -> Callable[P, Any]:
    """Let only signed-in people into a view, and give it ``g.connection`` and ``g.actor`` for the whole of its transaction.

    Where two transactions stood in each other's way the view is run again, unless what it wrote had been kept already.
    """

    @wraps(view)
    def guarded(*args: P.args, **kwargs: P.kwargs) -> Any:
        organisation_id = session.get("organisation_id")
        flashes = list(session.get("_flashes", []))
        # One number for all goes: what an earlier one had kept before it was stopped is found by it, and not done again.
        said = request.form.get("once", "")
        once = said if re.fullmatch(r"[0-9a-f]{32}", said) else uuid4().hex
        with current_app.extensions["turns"].turn(organisation_id if isinstance(organisation_id, int) else NOBODY):
            for go in range(1, MOST_GOES + 1):
                try:
                    return _in_transaction(lambda: view(*args, **kwargs), once, is_again=go > 1 or once == said)
                except TryAgain:
                    if go == MOST_GOES:
                        raise
                    REPEATED_WRITES.inc()
                    if "_flashes" in session:
                        session["_flashes"] = flashes
                    time.sleep(random.uniform(0.01, 0.04) * 2**go)  # noqa: S311 - so that they do not meet again
        raise AssertionError("unreachable")

    return guarded


def _in_transaction(view: Callable[[], Any], once: str, *, is_again: bool) -> Any:
    with open_() as connection:
        actor = current_actor(connection)
        if actor is None:
            if wants_json():
                abort(401)
            return redirect(url_for("auth.sign_in", next=request.full_path if request.method == "GET" else None))
        if is_again and has_arrived(connection, actor, once):
            return _was_saved()
        g.connection, g.actor = connection, replace(actor, batch=once)
        return view()


def _was_saved() -> Any:
    """Answer what was sent again although it had been saved the first time."""
    words = "That had been saved the first time. Nothing was saved twice."
    if wants_json():
        return jsonify({"message": words, "saved": True}), 200
    flash(words, "note")
    return redirect(url_for("sites.index"))


def keep_until_now() -> None:
    """Commit what the request wrote: what follows only reads and computes, and nobody waits for it with a lock held."""
    commit(g.connection)


def wants_json() -> bool:
    """Say whether the page's own script asks."""
    return request.headers.get("X-Requested-With") == "ypomoni"
