"""Sign the PDF of a report with an organisation's own key (PAdES B-B), and say of any PDF whether it is genuine and untouched.

The signature covers the whole file. A key of our own is a self-signed certificate: whether it is the organisation's is told by comparing it with
the one that is kept, not by a chain.
"""

import io
import json
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any, TypeVar

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

from ypomoni.documents.report.making import SEAL_NAME, SITE_FILE_NAME

T = TypeVar("T")
# What a draft says, and where in the upper margin; how high the papers are. [pt]
DRAFT, DRAFT_X, DRAFT_DOWN = "Draft: not signed", 430, 46
PAPER_HEIGHT = {"A4": 842, "Letter": 792}
FIELD = "Installer"
YEARS_D = 3_650
LARGEST_PDF = 20_000_000


class BadKey(Exception):  # noqa: N818 - named for what was brought in
    """Raised when a key that is brought in cannot be used to sign."""


@dataclass(frozen=True, slots=True, kw_only=True)
class KeyPair:
    """A private key and its certificate, both as PEM. The key is not sealed here."""

    certificate_pem: bytes
    key_pem: bytes


@dataclass(frozen=True, slots=True, kw_only=True)
class Verified:
    """What a PDF says of itself. ``is_genuine``: signed with the key that is given, whole, and untouched since."""

    is_genuine: bool
    why: str
    signer: str = ""
    signed_at: datetime | None = None
    site_file: dict[str, Any] | None = None
    seal: dict[str, Any] | None = None


def _apart(work: Callable[[], T]) -> T:
    """Do something in a thread of its own: the library runs an event loop, and there must be none in the thread it is called from."""
    with ThreadPoolExecutor(max_workers=1) as alone:
        return alone.submit(work).result()


def make_key(organisation: str) -> KeyPair:
    """Return a new key of an organisation, on the curve P-256, with a certificate signed by itself."""
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name(
        [
            x509.NameAttribute(NameOID.ORGANIZATION_NAME, organisation[:64]),
            x509.NameAttribute(NameOID.COMMON_NAME, f"{organisation[:50]}, reports"),
        ]
    )
    now = datetime.now(UTC)
    usage = x509.KeyUsage(
        digital_signature=True,
        content_commitment=True,
        key_encipherment=False,
        data_encipherment=False,
        key_agreement=False,
        key_cert_sign=False,
        crl_sign=False,
        encipher_only=False,
        decipher_only=False,
    )
    certificate = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(minutes=5))
        .not_valid_after(now + timedelta(days=YEARS_D))
        .add_extension(usage, critical=True)
        .sign(key, hashes.SHA256())
    )
    return KeyPair(
        certificate_pem=certificate.public_bytes(serialization.Encoding.PEM),
        key_pem=key.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()),
    )


def read_key(data: bytes, password: bytes | None) -> KeyPair:
    """Return a key that is brought in as PKCS #12 (a .p12 or .pfx file).

    Raises
    ------
    BadKey
        If the file cannot be opened, or holds no key with its certificate.
    """
    from cryptography.hazmat.primitives.serialization import pkcs12

    try:
        key, certificate, _ = pkcs12.load_key_and_certificates(data, password)
    except ValueError as error:
        raise BadKey("The file cannot be opened: it is no PKCS #12 file, or the password is another one.") from error
    if key is None or certificate is None:
        raise BadKey("The file holds no private key with its certificate.")
    if certificate.not_valid_after_utc < datetime.now(UTC):
        raise BadKey(f"Its certificate ended on {certificate.not_valid_after_utc:%d %b %Y}.")
    return KeyPair(
        certificate_pem=certificate.public_bytes(serialization.Encoding.PEM),
        key_pem=key.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()),
    )


def sign_pdf(pdf: bytes, pair: KeyPair, *, name: str, reason: str) -> bytes:
    """Return a PDF with a signature over all of it (PAdES)."""
    from asn1crypto import x509 as asn1_x509
    from pyhanko.keys import load_private_key_from_pemder_data
    from pyhanko.pdf_utils.incremental_writer import IncrementalPdfFileWriter
    from pyhanko.sign import fields, signers
    from pyhanko_certvalidator.registry import SimpleCertificateStore

    certificate = asn1_x509.Certificate.load(_der(pair.certificate_pem))
    store = SimpleCertificateStore()
    store.register(certificate)
    signer = signers.SimpleSigner(
        signing_cert=certificate, signing_key=load_private_key_from_pemder_data(pair.key_pem, passphrase=None), cert_registry=store
    )
    meta = signers.PdfSignatureMetadata(
        field_name=FIELD, name=name, reason=reason, subfilter=fields.SigSeedSubFilter.PADES, md_algorithm="sha256"
    )
    out = io.BytesIO()
    _apart(lambda: signers.sign_pdf(IncrementalPdfFileWriter(io.BytesIO(pdf)), meta, signer=signer, output=out))
    return out.getvalue()


def stamp_draft(pdf: bytes, paper: str) -> bytes:
    """Return a PDF that says on each page that it is a draft. What is signed is the one without it, and otherwise the same."""
    from pyhanko.pdf_utils.incremental_writer import IncrementalPdfFileWriter
    from pyhanko.stamp import TextStamp, TextStampStyle

    writer = IncrementalPdfFileWriter(io.BytesIO(pdf))
    style = TextStampStyle(stamp_text=DRAFT, border_width=1, background=None)
    for page in range(int(writer.prev.root["/Pages"]["/Count"])):
        TextStamp(writer, style).apply(page, DRAFT_X, PAPER_HEIGHT[paper] - DRAFT_DOWN)
    out = io.BytesIO()
    writer.write(out)
    return out.getvalue()


def verify_pdf(pdf: bytes, certificate_pem: bytes | None) -> Verified:
    """Return whether a PDF is a report signed with this key and untouched since; it never raises, whatever the bytes are."""
    if certificate_pem is None:
        return Verified(is_genuine=False, why="Nothing was ever signed here, so nothing can be compared.")
    if len(pdf) > LARGEST_PDF:
        return Verified(is_genuine=False, why="This file is larger than any report.")
    try:
        return _apart(lambda: _verified(pdf, certificate_pem))
    except Exception:
        return Verified(is_genuine=False, why="This is no PDF that can be read, or it was damaged.")


def _verified(pdf: bytes, certificate_pem: bytes) -> Verified:
    from asn1crypto import x509 as asn1_x509
    from pyhanko.pdf_utils.reader import PdfFileReader
    from pyhanko.sign.validation import validate_pdf_signature
    from pyhanko.sign.validation.status import SignatureCoverageLevel
    from pyhanko_certvalidator import ValidationContext

    reader = PdfFileReader(io.BytesIO(pdf), strict=False)
    signatures = list(reader.embedded_signatures)
    if not signatures:
        return Verified(is_genuine=False, why="It is not signed.")
    ours = asn1_x509.Certificate.load(_der(certificate_pem))
    signature = signatures[-1]
    theirs = signature.signer_cert
    told = signature.self_reported_timestamp
    signer = theirs.subject.native.get("common_name", "") if theirs is not None else ""
    if theirs is None or theirs.dump() != ours.dump():
        return Verified(is_genuine=False, why="It was signed with another key than this organisation's.", signer=signer, signed_at=told)
    status = validate_pdf_signature(signature, ValidationContext(trust_roots=[ours], moment=told, allow_fetching=False))
    if not status.intact or not status.valid:
        return Verified(is_genuine=False, why="It was changed after it was signed.", signer=signer, signed_at=told)
    if status.coverage is not SignatureCoverageLevel.ENTIRE_FILE or len(signatures) > 1:
        return Verified(is_genuine=False, why="Something was added to it after it was signed.", signer=signer, signed_at=told)
    return Verified(
        is_genuine=True,
        why="It is genuine: signed with this organisation's key, and nothing was changed since.",
        signer=signer,
        signed_at=told,
        site_file=_attached(reader, SITE_FILE_NAME),
        seal=_attached(reader, SEAL_NAME),
    )


def _der(certificate_pem: bytes) -> bytes:
    return x509.load_pem_x509_certificate(certificate_pem).public_bytes(serialization.Encoding.DER)


def _attached(reader: Any, name: str) -> dict[str, Any] | None:
    """Return what is attached under a name; None where it is not there."""
    names = reader.root["/Names"]["/EmbeddedFiles"]["/Names"] if "/Names" in reader.root else []
    for n in range(0, len(names), 2):
        spec = names[n + 1]
        if str(spec.get("/UF", spec.get("/F", ""))) == name:
            return json.loads(spec["/EF"]["/F"].data)
    return None
