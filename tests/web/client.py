"""A signed-in client that speaks like the page's own script."""

import re

import psycopg
from psycopg.rows import dict_row

from ypomoni.actions.accounts import Passwords, create_account, create_organisation
from ypomoni.actions.actor import Actor
from ypomoni.actions.import_site import import_site
from ypomoni.actions.recordings import keep_log
from ypomoni.actions.seed_demo import PASSWORD, PEOPLE
from ypomoni.documents.site_file import read_site
from ypomoni.storage.drafts import insert_draft

SCRIPT = {"X-Requested-With": "ypomoni"}


class Client:
    """Signs in, carries the CSRF token, and posts forms as the script does."""

    def __init__(self, app, email=PEOPLE[0][0], password=PASSWORD):
        self.http = app.test_client()
        page = self.http.get("/sign-in")
        answer = self.http.post("/sign-in", data={"csrf_token": token_of(page.text), "email": email, "password": password})
        assert answer.status_code == 302
        self.token = token_of(self.http.get("/people/").text)

    def get(self, address, **kwargs):
        return self.http.get(address, **kwargs)

    def post(self, address, data=None, *, script=True, **kwargs):
        headers = {"X-CSRFToken": self.token, **(SCRIPT if script else {})}
        return self.http.post(address, data=data or {}, headers=headers, **kwargs)

    def cell(self, load, name, text, version=None):
        data = {"cell": name, "text": text, "version": load["version"] if version is None else version}
        return self.post(f"/loads/{load['id']}/cell", data)


def token_of(html):
    return re.search(r'name="csrf_token" value="([^"]+)"', html).group(1)


def rows(conninfo, statement, *values):
    """Return the rows of a statement, as the database has them now."""
    with psycopg.connect(conninfo, row_factory=dict_row) as connection:
        return connection.execute(statement, values).fetchall()


def other_organisation(conninfo, document):
    """Make another organisation with an account and a site, and return the ids of its rows by table."""
    with psycopg.connect(conninfo, row_factory=dict_row) as connection:
        organisation_id = create_organisation(connection, "Far Shore Fire Ltd")
        create_account(
            connection,
            Passwords(cheap=True),
            organisation_id=organisation_id,
            email="ash@far.example",
            name="Ash",
            password="far-shore-fire",
        )
        site = import_site(connection, Actor(organisation_id=organisation_id, account_id=None), read_site(document))
        found = {"site": site["id"], "organisation": organisation_id}
        for table, column in (("plan", "site_id"), ("requirement", "site_id")):
            found[table] = connection.execute(f"SELECT id FROM {table} WHERE {column} = %s", (site["id"],)).fetchone()["id"]
        for table in ("supply", "load", "point", "reading"):
            row = connection.execute(f"SELECT id FROM {table} WHERE plan_id = %s", (found["plan"],)).fetchone()
            found[table] = row and row["id"]
        place = connection.execute("SELECT id FROM place WHERE site_id = %s", (site["id"],)).fetchone()
        meter = connection.execute("SELECT id FROM instrument WHERE organisation_id = %s", (organisation_id,)).fetchone()
        found |= {"place": place and place["id"], "instrument": meter and meter["id"], "batch": "ab" * 16}
        found["draft"] = insert_draft(
            connection,
            organisation_id=organisation_id,
            plan_id=found["plan"],
            account_id=None,
            file_name="t.csv",
            body={"sheets": []},
        )
        connection.execute(
            "INSERT INTO device (organisation_id, key, name, rail_v, behaviour, standby_current_a, bursts, basis, measured_count, measured_on)"
            " VALUES (%s, 'd', 'Far Shore beam', 12, 'constant_current', 1, '[]', 'measured', 1, now())",
            (organisation_id,),
        )
        found["device"] = connection.execute("SELECT id FROM device WHERE organisation_id = %s", (organisation_id,)).fetchone()["id"]
        found["bench"] = connection.execute(
            "INSERT INTO bench_supply (organisation_id, key, name, chemistry, cells_count, capacity_ah, output_v, idle_current_a)"
            " VALUES (%s, 'b', 'Far Shore pocket supply', 'li_ion', 1, 3, 5, 0.01) RETURNING id",
            (organisation_id,),
        ).fetchone()["id"]
        for table, more, given in (
            ("benched_device", "supply_v", "12"),
            (
                "battery_lot",
                "chemistry, block_v, capacity_ah, rate_h, is_charged, temperature_degc, series, sag_doubtful_ratio, sag_reject_ratio,"
                " resistance_doubtful_ratio, resistance_reject_ratio",
                "'lead_agm', 12, 7, 20, true, 20, 2, 0.1, 0.2, 0.3, 0.5",
            ),
        ):
            found[table] = connection.execute(
                f"INSERT INTO {table} (organisation_id, key, name, {more}) VALUES (%s, 'b', 'Far Shore bench', {given}) RETURNING id",
                (organisation_id,),
            ).fetchone()["id"]
        actor = Actor(organisation_id=organisation_id, account_id=None, name="Ash")
        found["log"] = keep_log(connection, actor, "Far Shore log", [0.1 * n for n in range(20)], [0.1] * 20, 0)["id"]
        found["report"] = connection.execute(
            "INSERT INTO report (organisation_id, site_id, plan_id, plan_key, asked, made_by, sealed_site, state, pdf)"
            " VALUES (%s, %s, %s, 'as-found', '{}', 'Ash', '{}', 'done', 'Far Shore') RETURNING id",
            (organisation_id, site["id"], found["plan"]),
        ).fetchone()["id"]
        found["link"] = connection.execute(
            "INSERT INTO handed_link (organisation_id, kind, digest, name, made_by) VALUES (%s, 'calendar', 'x', 'Far Shore', 'Ash') RETURNING id",
            (organisation_id,),
        ).fetchone()["id"]
        found["run"] = connection.execute(
            "INSERT INTO discharge_run (organisation_id, plan_id, supply_key, begun_at, begun_by, temperature_degc, mean_a, end_v, predicted)"
            " VALUES (%s, %s, 's', now(), 'Ash', 20, 1, 10.5, '{}') RETURNING id",
            (organisation_id, found["plan"]),
        ).fetchone()["id"]
        found["job"] = connection.execute(
            "INSERT INTO job (organisation_id, plan_id, plan_key, objective, search_s, input_digest, input)"
            " VALUES (%s, %s, 'as-found', 'moves', 5, '', '{}') RETURNING id",
            (organisation_id, found["plan"]),
        ).fetchone()["id"]
        found["change"] = connection.execute("SELECT max(id) AS id FROM change WHERE site_id = %s", (site["id"],)).fetchone()["id"]
        return found
