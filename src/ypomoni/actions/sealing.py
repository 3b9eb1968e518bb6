"""Secrets that are kept: sealed with the secret of the installation, so that a copy of the database alone opens nothing."""

import base64

from cryptography.fernet import Fernet, InvalidToken
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.kdf.hkdf import HKDF


class Unopened(Exception):  # noqa: N818 - it states a condition
    """Raised when what is sealed was sealed with another secret: the installation's was changed."""


def _box(secret: str) -> Fernet:
    key = HKDF(algorithm=hashes.SHA256(), length=32, salt=None, info=b"ypomoni signing keys").derive(secret.encode())
    return Fernet(base64.urlsafe_b64encode(key))


def seal(data: bytes, secret: str) -> bytes:
    """Return data that only this secret opens."""
    return _box(secret).encrypt(data)


def unseal(data: bytes, secret: str) -> bytes:
    """Return what was sealed, or raise `Unopened`."""
    try:
        return _box(secret).decrypt(data)
    except InvalidToken as error:
        raise Unopened("YPOMONI_SECRET_KEY is another one than when this key was made.") from error
