"""Reports and the key they are signed with. What is signed is kept as it is: the table itself refuses to change it."""

from psycopg.types.json import Jsonb

from ypomoni.records.field import Row
from ypomoni.storage.connection import Connection, every, one

_SHORT = (
    "id, organisation_id, site_id, plan_id, plan_key, asked, state, said, made_by, made_at, engine, signed_by, signed_at, superseded_by"
)
_INSERT = (
    "INSERT INTO report (organisation_id, site_id, plan_id, plan_key, asked, made_by, engine, sealed_site) VALUES (%(organisation_id)s, "
    "%(site_id)s, %(plan_id)s, %(plan_key)s, %(asked)s, %(made_by)s, %(engine)s, %(sealed_site)s) RETURNING " + _SHORT
)
_SELECT = "SELECT " + _SHORT + ", sealed_site FROM report WHERE organisation_id = %s AND id = %s AND removed_at IS NULL"
_PDF = "SELECT pdf FROM report WHERE organisation_id = %s AND id = %s AND removed_at IS NULL"
_UNSIGNED = "SELECT unsigned_pdf FROM report WHERE organisation_id = %s AND id = %s AND removed_at IS NULL"
_LIST = "SELECT " + _SHORT + " FROM report WHERE organisation_id = %s AND site_id = %s AND removed_at IS NULL ORDER BY id DESC LIMIT 100"
_FINISH = (
    "UPDATE report SET state = %s, said = %s, pdf = %s, unsigned_pdf = %s WHERE organisation_id = %s AND id = %s AND signed_at IS NULL"
)
_SIGN = (
    "UPDATE report SET pdf = %s, unsigned_pdf = NULL, signed_by = %s, signed_at = %s WHERE organisation_id = %s AND id = %s AND state = 'done' "
    "AND signed_at IS NULL RETURNING id"
)
_SUPERSEDE = "UPDATE report SET superseded_by = %s WHERE organisation_id = %s AND plan_id = %s AND id <> %s AND signed_at IS NOT NULL AND superseded_by IS NULL"
_REMOVE = "UPDATE report SET removed_at = now() WHERE organisation_id = %s AND id = %s AND signed_at IS NULL RETURNING id"
_KEY = "SELECT certificate_pem, sealed_key, made_at FROM signing_key WHERE organisation_id = %s"
_KEEP_KEY = (
    "INSERT INTO signing_key (organisation_id, certificate_pem, sealed_key) VALUES (%s, %s, %s) ON CONFLICT (organisation_id) DO UPDATE SET "
    "certificate_pem = EXCLUDED.certificate_pem, sealed_key = EXCLUDED.sealed_key, made_at = now()"
)


def insert_report(connection: Connection, values: Row) -> Row:
    """Keep what a report is to be made of, and return it."""
    wrapped = {**values, "asked": Jsonb(values["asked"]), "sealed_site": Jsonb(values["sealed_site"])}
    return one(connection, _INSERT, wrapped) or {}


def select_report(connection: Connection, organisation_id: int, report_id: int) -> Row | None:
    """Return a report without its PDF, or None."""
    return one(connection, _SELECT, (organisation_id, report_id)) if 0 < report_id < 2**63 else None


def select_pdf(connection: Connection, organisation_id: int, report_id: int) -> bytes | None:
    """Return the PDF of a report, or None where it is not made yet."""
    row = one(connection, _PDF, (organisation_id, report_id))
    return None if row is None or row["pdf"] is None else bytes(row["pdf"])


def select_unsigned(connection: Connection, organisation_id: int, report_id: int) -> bytes | None:
    """Return the PDF that is to be signed, or None where it is not made yet or signed already."""
    row = one(connection, _UNSIGNED, (organisation_id, report_id))
    return None if row is None or row["unsigned_pdf"] is None else bytes(row["unsigned_pdf"])


def list_reports(connection: Connection, organisation_id: int, site_id: int) -> list[Row]:
    """Return the reports of a site, the latest first."""
    return every(connection, _LIST, (organisation_id, site_id))


def finish_report(
    connection: Connection, organisation_id: int, report_id: int, state: str, said: str, pdf: bytes | None, unsigned: bytes | None
) -> None:
    """Keep what came of making a report."""
    connection.execute(_FINISH, (state, said, pdf, unsigned, organisation_id, report_id))


def sign_report(connection: Connection, organisation_id: int, report_id: int, pdf: bytes, signed_by: str, signed_at: object) -> bool:
    """Put the signed PDF in the place of the draft, and say whether there was one."""
    return one(connection, _SIGN, (pdf, signed_by, signed_at, organisation_id, report_id)) is not None


def supersede_others(connection: Connection, organisation_id: int, plan_id: int, report_id: int) -> None:
    """Say of the earlier signed reports of a plan that this one takes their place; they stay."""
    connection.execute(_SUPERSEDE, (report_id, organisation_id, plan_id, report_id))


def remove_report(connection: Connection, organisation_id: int, report_id: int) -> bool:
    """Take a draft out of the list, and say whether it was one."""
    return one(connection, _REMOVE, (organisation_id, report_id)) is not None


def select_signing_key(connection: Connection, organisation_id: int) -> Row | None:
    """Return the key an organisation signs with, sealed; None where it has none yet."""
    return one(connection, _KEY, (organisation_id,))


def upsert_signing_key(connection: Connection, organisation_id: int, certificate_pem: str, sealed_key: bytes) -> None:
    """Keep the key an organisation signs with."""
    connection.execute(_KEEP_KEY, (organisation_id, certificate_pem, sealed_key))
