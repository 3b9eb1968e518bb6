"""The organisation's people: who is in it, invite a colleague, change one's password."""

from typing import Any

from flask import Blueprint, current_app, flash, g, redirect, render_template, request, session, url_for

from ypomoni.actions import accounts
from ypomoni.actions.errors import Refused
from ypomoni.web.fields import place_faults
from ypomoni.web.limiting import limiter
from ypomoni.web.people.forms import InviteForm, PasswordForm
from ypomoni.web.security import signed_in

blueprint = Blueprint("people", __name__, template_folder="templates", url_prefix="/people")


@blueprint.get("/")
@signed_in
def index() -> Any:
    """Show the people of the organisation."""
    return _page(InviteForm(), PasswordForm())


@blueprint.post("/invite")
@signed_in
def invite() -> Any:
    """Make an invitation and show its link once."""
    form = InviteForm()
    if form.validate():
        try:
            with g.connection.transaction():
                token = accounts.invite_colleague(g.connection, g.actor, form.email.data or "")
        except Refused as refused:
            place_faults(form, refused.faults, {})
        else:
            return _page(
                InviteForm(formdata=None), PasswordForm(), link=url_for("auth.accept", token=token, _external=True), email=form.email.data
            )
    return _page(form, PasswordForm(), status=422)


@blueprint.post("/password")
@limiter.limit(lambda: current_app.config["SIGN_IN_LIMIT"])
@signed_in
def password() -> Any:
    """Change one's own password."""
    form = PasswordForm()
    if form.validate():
        try:
            with g.connection.transaction():
                passwords = current_app.extensions["passwords"]
                epoch = accounts.change_password(g.connection, passwords, g.actor, form.current.data or "", form.new.data or "")
        except Refused as refused:
            place_faults(form, refused.faults, {})
        else:
            session["epoch"] = epoch
            flash("Your password is changed. Other sessions of yours have ended.", "note")
            return redirect(url_for("people.index"))
    return _page(InviteForm(), form, status=422)


def _page(
    invite_form: InviteForm, password_form: PasswordForm, *, link: str | None = None, email: str | None = None, status: int = 200
) -> Any:
    return (
        render_template(
            "people/index.html",
            colleagues=accounts.colleagues_of(g.connection, g.actor),
            invitations=accounts.open_invitations_of(g.connection, g.actor),
            invite_form=invite_form,
            password_form=password_form,
            link=link,
            email=email,
            here=request.endpoint,
        ),
        status,
    )
