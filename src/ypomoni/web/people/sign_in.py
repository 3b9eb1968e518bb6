"""Sign in and out, accept an invitation."""

from typing import Any
from urllib.parse import urlsplit

from flask import Blueprint, current_app, flash, jsonify, redirect, render_template, request, session, url_for
from flask_wtf.csrf import generate_csrf

from ypomoni.actions import accounts
from ypomoni.actions.errors import Refused, SignInRefused
from ypomoni.actions.seed_demo import PASSWORD, PEOPLE
from ypomoni.web.fields import place_faults
from ypomoni.web.limiting import limiter
from ypomoni.web.people.forms import AcceptForm, SignInForm
from ypomoni.web.security import begin_session, open_, signed_in

blueprint = Blueprint("auth", __name__, template_folder="templates")


@blueprint.route("/sign-in", methods=["GET", "POST"])
@limiter.limit(lambda: current_app.config["SIGN_IN_LIMIT"], methods=["POST"])
def sign_in() -> Any:
    """Sign in with address and password."""
    form = SignInForm()
    status = 200
    if form.validate_on_submit():
        try:
            with open_() as connection:
                account = accounts.sign_in(connection, current_app.extensions["passwords"], form.email.data or "", form.password.data or "")
        except SignInRefused:
            form.password.errors = ["does not go with this e-mail. Check both; after ten tries in a minute you have to wait."]
            status = 422
        else:
            begin_session(account)
            return redirect(_safe(request.args.get("next")) or url_for("sites.index"))
    elif request.method == "POST":
        status = 422
    credentials = (PEOPLE[0][0], PASSWORD) if current_app.config["DEMO"] else None
    return render_template("people/sign_in.html", form=form, credentials=credentials), status


@blueprint.get("/key")
@signed_in
def key() -> Any:
    """Give a page that was kept on a phone its key to the server anew."""
    return jsonify({"key": generate_csrf()})


@blueprint.post("/sign-out")
def sign_out() -> Any:
    """End the session."""
    session.clear()
    return redirect(url_for("auth.sign_in"))


@blueprint.route("/invitation/<token>", methods=["GET", "POST"])
@limiter.limit(lambda: current_app.config["SIGN_IN_LIMIT"], methods=["POST"])
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
                begin_session(account)
                return redirect(url_for("sites.index"))
        elif request.method == "POST":
            status = 422
    return render_template("people/accept.html", form=form, invitation=invitation), status


def _safe(target: str | None) -> str | None:
    """Return a target only if it is a path of ours."""
    if not target or not target.startswith("/") or target.startswith(("//", "/\\")) or "\\" in target:
        return None
    parts = urlsplit(target)
    return None if parts.scheme or parts.netloc else target
