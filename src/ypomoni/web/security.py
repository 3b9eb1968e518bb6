"""Who is signed in, what a page may load, and how often one may try."""

from collections.abc import Callable, Generator
from contextlib import contextmanager
from functools import wraps
from typing import Any, ParamSpec
from uuid import uuid4

from flask import Flask, Response, abort, current_app, g, redirect, request, session, url_for

from ypomoni.actions.accounts import account_of
from ypomoni.actions.actor import Actor
from ypomoni.storage.connection import Connection, transaction
from ypomoni.web.limiting import limiter

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


def init_app(app: Flask) -> None:
    """Set the headers of every answer and the limiter."""
    app.config["RATELIMIT_STORAGE_OPTIONS"] = {"pool": app.extensions["pool"]}
    limiter.init_app(app)

    @app.after_request
    def _headers(response: Response) -> Response:
        for name, value in HEADERS.items():
            response.headers.setdefault(name, value)
        if not app.config["DEMO"]:
            response.headers.setdefault("Strict-Transport-Security", "max-age=31536000")
        if request.endpoint == "static":
            response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
        else:
            response.headers.setdefault("Cache-Control", "no-store")
        return response


@contextmanager
def open_() -> Generator[Connection]:
    """Give a connection in a transaction of this request."""
    with transaction(current_app.extensions["pool"]) as connection:
        yield connection


def begin_session(account: dict[str, Any]) -> None:
    """Sign an account in, in a session of its own."""
    session.clear()
    session["account_id"] = account["id"]
    session["epoch"] = account["session_epoch"]
    session.permanent = True


def current_actor(connection: Connection) -> Actor | None:
    """Return who is signed in, or None; a session from before a change of password has ended."""
    account_id = session.get("account_id")
    account = account_of(connection, account_id) if isinstance(account_id, int) else None
    if account is None or account["session_epoch"] != session.get("epoch"):
        return None
    return Actor(
        organisation_id=account["organisation_id"],
        account_id=account["id"],
        name=account["name"],
        organisation_name=account["organisation_name"],
        batch=uuid4().hex,
    )


P = ParamSpec("P")


def signed_in(view: Callable[P, Any]) -> Callable[P, Any]:
    """Let only signed-in people into a view, and give it ``g.connection`` and ``g.actor`` for the whole of its transaction."""

    @wraps(view)
    def guarded(*args: P.args, **kwargs: P.kwargs) -> Any:
        with open_() as connection:
            actor = current_actor(connection)
            if actor is None:
                if wants_json():
                    abort(401)
                return redirect(url_for("auth.sign_in", next=request.full_path if request.method == "GET" else None))
            g.connection, g.actor = connection, actor
            return view(*args, **kwargs)

    return guarded


def wants_json() -> bool:
    """Say whether the page's own script asks."""
    return request.headers.get("X-Requested-With") == "ypomoni"
