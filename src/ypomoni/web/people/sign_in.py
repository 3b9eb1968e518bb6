"""Sign in and out, with a second factor where one is asked for; accept an invitation; use a link to a new password."""

import time
from typing import Any
from urllib.parse import urlsplit

from flask import Blueprint, current_app, flash, jsonify, redirect, render_template, request, session, url_for
from flask_wtf.csrf import generate_csrf

from ypomoni.actions import accounts, second_factor, tries
from ypomoni.actions.errors import Refused, SignInRefused
from ypomoni.actions.seed_demo import PASSWORD, PEOPLE
from ypomoni.web.fields import place_faults
from ypomoni.web.limiting import limiter
from ypomoni.web.people.device import device_of, remember
from ypomoni.web.people.forms import AcceptForm, CodeForm, ResetForm, SignInForm
from ypomoni.web.security import open_, sign_in_as, signed_in

blueprint = Blueprint("auth", __name__, template_folder="templates")
# Between password and code. [s]
HALF_LASTS_S = 300
TOO_MANY = (
    "There were too many tries for this account. Wait a quarter of an hour, or sign in on a device on which you have signed in before."
)


def _limit() -> str:
    return current_app.config["SIGN_IN_LIMIT"]


@blueprint.route("/sign-in", methods=["GET", "POST"])
@limiter.limit(_limit, methods=["POST"])
def sign_in() -> Any:
    """Sign in with address and password."""
    form = SignInForm()
    status = 200
    if form.validate_on_submit():
        pool, email = current_app.extensions["pool"], form.email.data or ""
        key = tries.count_key("sign-in", email, device_of(email))
        if tries.too_many(pool, key):
            form.password.errors = [TOO_MANY]
            return _sign_in_page(form), 429
        try:
            with open_() as connection:
                account = accounts.sign_in(connection, current_app.extensions["passwords"], email, form.password.data or "")
                if account["totp_secret"] is None:
                    sign_in_as(connection, account)
        except SignInRefused:
            tries.count_failure(pool, key)
            form.password.errors = ["does not go with this e-mail. Check both; after ten tries you have to wait."]
            status = 422
        else:
            tries.forget_failures(pool, key)
            target = _safe(request.args.get("next"))
            if account["totp_secret"] is not None:
                session.clear()
                session["half"] = [account["id"], account["email"], int(time.time())]
                return redirect(url_for("auth.code", next=target))
            return remember(redirect(target or url_for("sites.index")), account["email"])
    elif request.method == "POST":
        status = 422
    return _sign_in_page(form), status


def _sign_in_page(form: SignInForm) -> str:
    credentials = (PEOPLE[0][0], PASSWORD) if current_app.config["DEMO"] else None
    return render_template("people/sign_in.html", form=form, credentials=credentials)


@blueprint.route("/sign-in/code", methods=["GET", "POST"])
@limiter.limit(_limit, methods=["POST"])
def code() -> Any:
    """Give the second factor, once the password was right."""
    half = session.get("half")
    if not half or time.time() - half[2] > HALF_LASTS_S:
        # Whoever is signed in already stays so.
        session.pop("half", None)
        return redirect(url_for("auth.sign_in", next=_safe(request.args.get("next"))))
    form = CodeForm()
    status = 200
    if form.validate_on_submit():
        account_id, email, _ = half
        pool = current_app.extensions["pool"]
        key = tries.count_key("code", email, device_of(email))
        if tries.too_many(pool, key):
            form.code.errors = [TOO_MANY]
            return render_template("people/code.html", form=form), 429
        try:
            with open_() as connection:
                account = second_factor.check(connection, account_id, form.code.data or "")
                sign_in_as(connection, account)
        except SignInRefused:
            tries.count_failure(pool, key)
            form.code.errors = ["is not right now. A code is good once: wait for the next one, or use a recovery code."]
            status = 422
        else:
            tries.forget_failures(pool, key)
            return remember(redirect(_safe(request.args.get("next")) or url_for("sites.index")), email)
    elif request.method == "POST":
        status = 422
    return render_template("people/code.html", form=form), status


@blueprint.get("/key")
@signed_in
def key() -> Any:
    """Give a page that was kept on a phone its key to the server anew."""
    return jsonify({"key": generate_csrf()})


@blueprint.post("/sign-out")
def sign_out() -> Any:
    """End the session, here and on the server."""
    token = session.get("token")
    session.clear()
    if isinstance(token, str):
        with open_() as connection:
            accounts.end_session(connection, token)
    return redirect(url_for("auth.sign_in"))


@blueprint.route("/invitation/<token>", methods=["GET", "POST"])
@limiter.limit(_limit, methods=["POST"])
def accept(token: str) -> Any:
    """Make the account an invitation was for, and sign it in."""
    form = AcceptForm()
    status = 200
    with open_() as connection:
        invitation = accounts.find_invitation(connection, token)
        if form.validate_on_submit():
            try:
                with connection.transaction():
                    passwords = current_app.extensions["passwords"]
                    account = accounts.accept_invitation(connection, passwords, token, form.name.data or "", form.password.data or "")
            except Refused as refused:
                for message in place_faults(form, refused.faults, {"email": "name"}):
                    flash(message, "error")
                status = 422
            else:
                sign_in_as(connection, account)
                return redirect(url_for("sites.index"))
        elif request.method == "POST":
            status = 422
    return render_template("people/accept.html", form=form, invitation=invitation), status


@blueprint.route("/reset/<token>", methods=["GET", "POST"])
@limiter.limit(_limit, methods=["POST"])
def reset(token: str) -> Any:
    """Choose a new password with a link an owner gave; then sign in with it."""
    form = ResetForm()
    status = 200
    with open_() as connection:
        found = accounts.find_reset(connection, token)
        if form.validate_on_submit():
            try:
                with connection.transaction():
                    accounts.use_reset(connection, current_app.extensions["passwords"], token, form.new.data or "")
            except Refused as refused:
                place_faults(form, refused.faults, {})
                status = 422
            else:
                session.clear()
                flash("Your password is changed. Sign in with it; a second factor has to be set up anew.", "note")
                return redirect(url_for("auth.sign_in"))
        elif request.method == "POST":
            status = 422
    return render_template("people/reset.html", form=form, reset=found), status


def _safe(target: str | None) -> str | None:
    """Return a target only if it is a path of ours."""
    if not target or not target.startswith("/") or target.startswith(("//", "/\\")) or "\\" in target:
        return None
    if any(ord(c) < 32 or ord(c) == 127 for c in target):
        return None
    try:
        parts = urlsplit(target)
    except ValueError:
        return None
    return None if parts.scheme or parts.netloc else target
