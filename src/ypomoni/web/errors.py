"""Answers that are not results: plain pages that say what happened and keep what was typed. Never a stack trace."""

import itertools
import logging
from typing import Any

from flask import Flask, abort, g, jsonify, render_template, request
from flask.globals import request_ctx
from flask_wtf.csrf import CSRFError
from werkzeug.exceptions import HTTPException

from ypomoni.actions.errors import Forbidden, NotFound, Refused, Unreadable
from ypomoni.storage.errors import DatabaseAway, DatabaseFull, OutcomeUnknown, TimedOut, TryAgain
from ypomoni.web.security import wants_json
from ypomoni.web.turns import Busy

SECRET_FIELDS = frozenset({"password", "current", "new", "again", "code", "secret", "csrf_token", "once"})
WORDS = {
    400: ("That request was not understood", "Go back and try again."),
    401: ("You are signed out", "Sign in again; what you typed is still on the page you came from."),
    403: ("That is not allowed", "Go back to your sites."),
    404: ("There is nothing here", "It may have been removed, or it belongs to somebody else."),
    405: ("That request was not understood", "Go back and try again."),
    413: ("That is too large", "A site file has at most 6 MB."),
    409: ("This site cannot be read", "Its export still has everything. Your other sites are not touched."),
    422: ("That cannot be saved", "Go back, change it, and try again."),
    429: ("Too many tries", "Wait a minute, then try again."),
    503: ("The database is away", "Nothing was saved just now. It is usually back within a minute."),
    507: ("The disk of the database is full", "Nothing was saved. Tell whoever looks after this installation."),
    500: ("Something went wrong on our side", "It has been noted. Nothing was saved."),
}
# What the page's own script sends and nobody types has no field to say anything beside.
UNSEEN_FIELDS = ("value", "token", "piece", "ids", "next")
# So many faults are told at once; whoever mends these sees the next.
MOST_FAULTS = 20
log = logging.getLogger("ypomoni")


def init_app(app: Flask) -> None:
    """Register the answers."""

    @app.before_request
    def _no_nul() -> None:
        # The database takes none, and nobody types it. Fields of a form say so beside themselves.
        given = itertools.chain(
            [request.path],
            itertools.chain.from_iterable(request.args.items(multi=True)),
            itertools.chain.from_iterable(request.form.getlist(name) for name in UNSEEN_FIELDS),
            (file.filename or "" for _, file in request.files.items(multi=True)),
        )
        if any("\0" in text for text in given):
            abort(400)

    @app.errorhandler(NotFound)
    def _not_found(_: NotFound) -> Any:
        return answer(404)

    @app.errorhandler(DatabaseAway)
    def _away(error: DatabaseAway) -> Any:
        log.error("the database is away", exc_info=error)
        return answer(503)

    @app.errorhandler(OutcomeUnknown)
    def _unknown(error: OutcomeUnknown) -> Any:
        log.error("the outcome of a commit is unknown", exc_info=error)
        if request.method != "POST":
            return answer(503)
        # Sent again it carries the number of this go, so that nothing is saved twice.
        actor = g.get("actor")
        return answer(
            503,
            "The database went away while it was saving, so nobody knows whether this was saved. Send it again: if it was saved, it is not saved twice.",
            title="It is not known whether this was saved",
            once=actor.batch if actor else None,
        )

    @app.errorhandler(TryAgain)
    def _again(error: TryAgain) -> Any:
        log.warning("gave up after several goes", exc_info=error)
        return answer(409, "Others change this site at this very moment. Nothing was saved; try again.", title="Somebody else was quicker")

    @app.errorhandler(TimedOut)
    def _late(error: TimedOut) -> Any:
        log.warning("timed out", exc_info=error)
        return answer(
            503,
            "It waited for somebody else's change to the same site for too long. Nothing was saved; try again.",
            title="That took too long",
        )

    @app.errorhandler(DatabaseFull)
    def _full(error: DatabaseFull) -> Any:
        log.critical("the disk of the database is full", exc_info=error)
        return answer(507)

    @app.errorhandler(Busy)
    def _busy(_: Busy) -> Any:
        body, code = answer(
            503,
            "Your organisation has many requests under way. Nothing was saved; wait a moment and try again.",
            title="One thing after the other",
        )
        return body, code, {"Retry-After": "2"}

    @app.errorhandler(Forbidden)
    def _forbidden(forbidden: Forbidden) -> Any:
        return answer(403, str(forbidden))

    @app.errorhandler(Refused)
    def _refused(refused: Refused) -> Any:
        return answer(422, " ".join(f.message for f in refused.faults[:MOST_FAULTS]))

    @app.errorhandler(Unreadable)
    def _unreadable(broken: Unreadable) -> Any:
        log.error("site %s cannot be read: %s", broken.site["id"], broken)
        if wants_json():
            return answer(409)
        return render_template("sites/unreadable.html", site=broken.site, faults=broken.faults[:MOST_FAULTS]), 409

    @app.errorhandler(CSRFError)
    def _csrf(_: CSRFError) -> Any:
        return answer(400, "This page is too old to be sent: reload it, and sign in again if you are asked to.")

    @app.errorhandler(HTTPException)
    def _http(error: HTTPException) -> Any:
        return answer(error.code or 500)

    @app.errorhandler(Exception)
    def _unexpected(error: Exception) -> Any:
        log.exception("unexpected: %s", type(error).__name__)
        return answer(500)


def answer(code: int, hint: str | None = None, *, title: str | None = None, once: str | None = None) -> Any:
    """Return a plain page, or its words as JSON for the page's own script. What was typed comes with it, but no secret.

    ``once`` goes with what is sent again, so that it is not saved twice.
    """
    usual_title, usual = WORDS.get(code, WORDS[400 if code < 500 else 500])
    title = title or usual_title
    # The connection of this request may be gone: the page must not ask it anything.
    g.pop("connection", None)
    if wants_json():
        return jsonify({"message": f"{title}. {hint or usual}", **({"once": once} if once else {})}), code
    typed: list[tuple[str, str]] = []
    if code in (409, 503, 507) and request.method == "POST":
        typed = [(k, v) for k, v in request.form.items(multi=True) if k not in SECRET_FIELDS]
    if request_ctx.url_adapter is None:
        # A page makes addresses, and a name of the host that is not ours must get into none.
        return f"{title}. {hint or usual}", code, {"Content-Type": "text/plain; charset=utf-8"}
    return render_template("error.html", code=code, title=title, hint=hint or usual, typed=typed, once=once), code
