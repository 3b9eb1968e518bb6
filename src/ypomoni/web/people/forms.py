"""Forms of people: sign in, second factor, invite, accept, change or reset a password. Each field says what a password manager may put there."""

import re

from flask_wtf import FlaskForm
from wtforms import PasswordField
from wtforms.form import BaseForm
from wtforms.validators import StopValidation

from ypomoni.web.fields import ChoiceField, TextField

_EMAIL = re.compile(r"[^@\s]+@[^@\s.]+(\.[^@\s.]+)+")
ROLES = {"member": "Member: works on sites", "owner": "Owner: also looks after people"}


class EmailField(TextField):
    """An address; whether it exists only a message to it can tell."""

    def pre_validate(self, form: BaseForm) -> None:
        """Refuse what cannot be an address."""
        super().pre_validate(form)
        if not _EMAIL.fullmatch(self.data or ""):
            raise StopValidation("must be an address, as in wren@saltmarsh.example.")


class SignInForm(FlaskForm):
    """Sign in."""

    email = TextField("E-mail", render_kw={"type": "email", "autocomplete": "username", "inputmode": "email"})
    password = PasswordField("Password", render_kw={"autocomplete": "current-password"})


class CodeForm(FlaskForm):
    """The second factor."""

    code = TextField("Code of your app, or a recovery code", render_kw={"autocomplete": "one-time-code", "inputmode": "text"})


class FactorForm(FlaskForm):
    """Ask for a second factor from now on."""

    code = TextField("Code the app shows now", render_kw={"autocomplete": "one-time-code", "inputmode": "numeric"})
    password = PasswordField("Present password", render_kw={"autocomplete": "current-password"})


class FactorOffForm(FlaskForm):
    """Ask for none any more."""

    password = PasswordField("Present password", render_kw={"autocomplete": "current-password"})


class InviteForm(FlaskForm):
    """Invite a colleague."""

    email = EmailField("E-mail of your colleague", render_kw={"type": "email", "autocomplete": "off", "inputmode": "email"})
    role = ChoiceField("As", choices=ROLES, default="member")


class AcceptForm(FlaskForm):
    """Accept an invitation."""

    name = TextField("Your name", render_kw={"autocomplete": "name"})
    password = PasswordField("Choose a password", render_kw={"autocomplete": "new-password"})


class PasswordForm(FlaskForm):
    """Change a password."""

    current = PasswordField("Present password", render_kw={"autocomplete": "current-password"})
    new = PasswordField("New password", render_kw={"autocomplete": "new-password"})


class ResetForm(FlaskForm):
    """Choose a new password with a link."""

    new = PasswordField("New password", render_kw={"autocomplete": "new-password"})
