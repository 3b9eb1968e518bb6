"""The organisation's people: who is in it, invitations, what an owner does with accounts, one's own password and second factor."""

from typing import Any

import segno
from flask import Blueprint, current_app, flash, g, redirect, render_template, request, session, url_for

from ypomoni.actions import accounts, second_factor
from ypomoni.actions.errors import Refused
from ypomoni.web.fields import place_faults
from ypomoni.web.limiting import limiter
from ypomoni.web.people.forms import FactorForm, FactorOffForm, InviteForm, PasswordForm
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
                token = accounts.invite_colleague(g.connection, g.actor, form.email.data or "", form.role.data)
        except Refused as refused:
            place_faults(form, refused.faults, {})
        else:
            link = url_for("auth.accept", token=token, _external=True)
            words = f"Send this link to {form.email.data}. It works once, for seven days, and is shown only now:"
            return _page(InviteForm(formdata=None), PasswordForm(), link=(words, link))
    return _page(form, PasswordForm(), status=422)


@blueprint.post("/invitations/<int:invitation_id>/revoke")
@signed_in
def revoke(invitation_id: int) -> Any:
    """Take an invitation back."""
    accounts.revoke_invitation(g.connection, g.actor, invitation_id)
    flash("The invitation is taken back: its link works no more.", "note")
    return redirect(url_for("people.index"))


@blueprint.post("/<int:account_id>/<any(owner, member, lock, unlock, remove, reset):what>")
@signed_in
def manage(account_id: int, what: str) -> Any:
    """Do what an owner may do with a colleague's account."""
    try:
        with g.connection.transaction():
            if what in accounts.ROLES:
                name = accounts.set_role(g.connection, g.actor, account_id, what)["name"]
                said = f"{name} is now {'an owner' if what == 'owner' else 'a member'}."
            elif what == "remove":
                name = accounts.remove_account(g.connection, g.actor, account_id)["name"]
                said = f"{name} is removed. What {name} did stays in the history."
            elif what == "reset":
                account, token = accounts.reset_account(g.connection, g.actor, account_id)
                words = f"Give this link to {account['name']}. It sets a new password once, within a day, and is shown only now:"
                return _page(InviteForm(formdata=None), PasswordForm(), link=(words, url_for("auth.reset", token=token, _external=True)))
            else:
                name = accounts.set_locked(g.connection, g.actor, account_id, locked=what == "lock")["name"]
                said = f"{name} {'cannot sign in any more' if what == 'lock' else 'can sign in again'}."
    except Refused as refused:
        flash(" ".join(f.message for f in refused.faults), "error")
    else:
        flash(said, "note")
    return redirect(url_for("people.index"))


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
                accounts.change_password(
                    g.connection, passwords, g.actor, form.current.data or "", form.new.data or "", token=session["token"]
                )
        except Refused as refused:
            place_faults(form, refused.faults, {})
        else:
            flash("Your password is changed. Other sessions of yours have ended.", "note")
            return redirect(url_for("people.index"))
    return _page(InviteForm(), form, status=422)


@blueprint.route("/second-factor", methods=["GET", "POST"])
@limiter.limit(lambda: current_app.config["SIGN_IN_LIMIT"], methods=["POST"])
@signed_in
def factor() -> Any:
    """Set up a second factor: the code to read with the app, then the recovery codes, once."""
    form = FactorForm()
    account = accounts.own_account(g.connection, g.actor)
    if account["totp_secret"] is not None:
        return render_template("people/factor_off.html", form=FactorOffForm())
    secret = session.get("new_secret")
    if not isinstance(secret, str):
        secret = session["new_secret"] = second_factor.new_secret()
    status = 200
    if request.method == "POST":
        status = 422
        if form.validate():
            passwords = current_app.extensions["passwords"]
            try:
                codes = second_factor.start(
                    g.connection, passwords, g.actor, secret=secret, code=form.code.data or "", password=form.password.data or ""
                )
            except Refused as refused:
                place_faults(form, refused.faults, {})
            else:
                session.pop("new_secret")
                return render_template("people/recovery.html", codes=codes)
    square = segno.make(second_factor.address_for_app(secret, account["email"])).svg_data_uri(scale=5, border=4, light="white")
    return render_template("people/factor.html", form=form, secret=secret, square=square), status


@blueprint.post("/second-factor/end")
@limiter.limit(lambda: current_app.config["SIGN_IN_LIMIT"])
@signed_in
def factor_off() -> Any:
    """Ask for no second factor any more."""
    form = FactorOffForm()
    if form.validate():
        try:
            second_factor.end(g.connection, current_app.extensions["passwords"], g.actor, form.password.data or "")
        except Refused as refused:
            place_faults(form, refused.faults, {})
        else:
            flash("Your account asks for the password alone again.", "note")
            return redirect(url_for("people.index"))
    return render_template("people/factor_off.html", form=form), 422


def _page(invite_form: InviteForm, password_form: PasswordForm, *, link: tuple[str, str] | None = None, status: int = 200) -> Any:
    people = accounts.colleagues_of(g.connection, g.actor)
    return (
        render_template(
            "people/index.html",
            colleagues=people,
            myself=next(p for p in people if p["id"] == g.actor.account_id),
            invitations=accounts.open_invitations_of(g.connection, g.actor),
            invite_form=invite_form,
            password_form=password_form,
            link=link,
            here=request.endpoint,
        ),
        status,
    )
