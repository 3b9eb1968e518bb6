"""A backup taken while somebody works, and what is read back: every site opens, and its figures are the same."""

import os
import subprocess
import sys
import threading

import psycopg
import pytest
import weasyprint
from psycopg.rows import dict_row

from ypomoni.actions.actor import Actor
from ypomoni.actions.edit import edit
from ypomoni.actions.sealing import seal
from ypomoni.documents.report.signing import make_key, sign_pdf, verify_pdf
from ypomoni.storage.migrate import ensure_database


def run(conninfo, *arguments):
    environment = {**os.environ, "YPOMONI_DATABASE": conninfo}
    return subprocess.run(
        [sys.executable, "-m", "ypomoni", *map(str, arguments)], capture_output=True, text=True, check=False, env=environment
    )


def small_pdf():
    """Return a PDF with a site file and a seal in it, as a report has."""
    made = weasyprint.HTML(string="<p>report</p>").render()
    made.metadata.attachments = [weasyprint.Attachment(string="{}", name=name) for name in ("site-file.json", "seal.json")]
    return made.write_pdf()


def test_a_backup_under_work_is_restored_whole_and_checked(conninfo, cluster, tmp_path):
    """It is of one moment; it goes into an empty database only; a site that is not as it was is named."""
    stop, edits = threading.Event(), []

    def work():
        with psycopg.connect(conninfo, row_factory=dict_row, autocommit=True) as connection:
            actor = Actor(organisation_id=1, account_id=None)
            while not stop.is_set():
                row = connection.execute(
                    "SELECT id, version FROM load WHERE name = 'Keypad' AND organisation_id = 1 ORDER BY id LIMIT 1"
                ).fetchone()
                with connection.transaction():
                    edits.append(edit(connection, actor, "load", row["id"], row["version"], {"quantity": 1 + len(edits) % 5})["version"])

    pair, sealed = make_key("Saltmarsh"), "for this test only"
    with psycopg.connect(conninfo) as connection:
        signed = sign_pdf(small_pdf(), pair, name="Wren", reason="report")
        connection.execute(
            "INSERT INTO report (organisation_id, site_id, plan_id, plan_key, asked, made_by, sealed_site, state, pdf, signed_by, signed_at)"
            " VALUES (1, 1, 1, 'as-found', '{}', 'Wren', '{}', 'done', %s, 'Wren', now())",
            (signed,),
        )
        connection.execute(
            "INSERT INTO signing_key (organisation_id, certificate_pem, sealed_key) VALUES (1, %s, %s)",
            (pair.certificate_pem.decode(), seal(pair.key_pem, sealed)),
        )
    worker = threading.Thread(target=work)
    worker.start()
    file = tmp_path / "backup.dump"
    try:
        made = run(conninfo, "backup", file)
    finally:
        stop.set()
        worker.join()
    assert made.returncode == 0, made.stderr
    assert len(edits) > 5
    assert run(conninfo, "backup", file).returncode == 1
    assert "into an empty one" in run(conninfo, "restore", file).stderr
    name = "restored" + conninfo.rpartition("dbname=")[2].split()[0]
    ensure_database(cluster.conninfo("postgres"), name)
    try:
        back = run(cluster.conninfo(name), "restore", file)
        assert back.returncode == 0, back.stderr
        assert "its figures are the same" in back.stdout
        # A signed report is what it was, and still cannot be altered.
        with psycopg.connect(cluster.conninfo(name)) as connection:
            pdf, certificate = connection.execute(
                "SELECT r.pdf, k.certificate_pem FROM report r JOIN signing_key k USING (organisation_id)"
            ).fetchone()
            assert verify_pdf(bytes(pdf), certificate.encode()).is_genuine
            with pytest.raises(psycopg.errors.RestrictViolation):
                connection.execute("UPDATE report SET signed_by = 'x'")
        told = file.with_name("backup.dump.json")
        told.write_text(told.read_text().replace('"document": "', '"document": "x', 1))
        with psycopg.connect(cluster.conninfo(name), autocommit=True) as connection:
            connection.execute("DROP SCHEMA public CASCADE")
            connection.execute("CREATE SCHEMA public")
        wrong = run(cluster.conninfo(name), "restore", file)
        assert wrong.returncode == 1
        assert "is not as it was" in wrong.stderr
    finally:
        with psycopg.connect(cluster.conninfo("postgres"), autocommit=True) as admin:
            admin.execute(f"DROP DATABASE {name} WITH (FORCE)")
