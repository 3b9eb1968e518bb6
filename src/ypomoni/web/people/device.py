"""What this browser remembers of having signed in here: a signed cookie with a number of its own and the accounts that signed in on it."""

from secrets import token_hex

from flask import current_app, request
from itsdangerous import BadSignature, URLSafeTimedSerializer
from werkzeug.wrappers import Response

from ypomoni.actions.tries import digest_of

COOKIE = "ypomoni-device"
LASTS_S = 60 * 60 * 24 * 365
MOST_ACCOUNTS = 20


def _serializer() -> URLSafeTimedSerializer:
    return URLSafeTimedSerializer(current_app.config["SECRET_KEY"], salt="device")


def _read() -> tuple[str, list[str]]:
    try:
        found = _serializer().loads(request.cookies.get(COOKIE, ""), max_age=LASTS_S)
        return str(found["id"]), [str(a) for a in found["accounts"]]
    except (BadSignature, KeyError, TypeError):
        return token_hex(16), []


def device_of(email: str) -> str | None:
    """Return the number of this browser if the address has signed in on it before, or None."""
    number, accounts = _read()
    return number if digest_of(email) in accounts else None


def remember(response: Response, email: str) -> Response:
    """Note on this browser that an address signed in."""
    number, accounts = _read()
    accounts = [digest_of(email), *(a for a in accounts if a != digest_of(email))][:MOST_ACCOUNTS]
    value = _serializer().dumps({"id": number, "accounts": accounts})
    secure = bool(current_app.config["SESSION_COOKIE_SECURE"])
    response.set_cookie(COOKIE, value, max_age=LASTS_S, httponly=True, samesite="Lax", secure=secure, path="/sign-in")
    return response
