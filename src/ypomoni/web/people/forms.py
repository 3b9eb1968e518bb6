"""Forms of people: sign in, invite, accept, change a password."""

import re

from flask_wtf import FlaskForm
from wtforms import PasswordField
from wtforms.form import BaseForm
from wtforms.validators import StopValidation

from ypomoni.web.fields import TextField

_EMAIL = re.compile(r"[^@\s]+@[^@\s.]+(\.[^@\s.]+)+")


class EmailField(TextField):
    """An address; whether it exists only a message to it can tell."""

    def pre_validate(self, form: BaseForm) -> None:
        """Refuse what cannot be an address."""
        super().pre_validate(form)
        if not _EMAIL.fullmatch(self.data or ""):
            raise StopValidation("must be an address, as in wren@saltmarsh.example.")


class SignInForm(FlaskForm):
    """Sign in."""

    email = TextField("E-mail")
    password = PasswordField("Password")


class InviteForm(FlaskForm):
    """Invite a colleague."""

    email = EmailField("E-mail of your colleague")


class AcceptForm(FlaskForm):
    """Accept an invitation."""

    name = TextField("Your name")
    password = PasswordField("Choose a password")


class PasswordForm(FlaskForm):
    """Change a password."""

    current = PasswordField("Present password")
    new = PasswordField("New password")
