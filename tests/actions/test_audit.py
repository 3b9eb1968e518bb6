"""Points, readings and what is taken into the register: once, append only, undone, and carried by the site file."""

import json
import threading

import psycopg
import pytest
from builders import audited, merged, reading
from psycopg.rows import dict_row

from ypomoni.actions.actor import Actor
from ypomoni.actions.audit import audit_plan, make_points, next_readings, register_difference, settle_reading, store_reading, take_reading
from ypomoni.actions.edit import edit, read_document, read_tree, remove, restore, undo_batch
from ypomoni.actions.errors import NotFound, Refused
from ypomoni.actions.evaluate import evaluate
from ypomoni.actions.import_site import import_site
from ypomoni.actions.register import change_many, duplicate, import_loads, keep_device, load_of_device, measured_devices
from ypomoni.core.things.readings import State
from ypomoni.documents.site_file import read_site, write_site

ACTOR = Actor(organisation_id=1, account_id=1)
LOADS = [
    {"key": "a", "name": "Keypad", "quantity": 2, "standby": {"current_a": 0.05, "provenance": "data_sheet"}, "branch": "North"},
    {
        "key": "b",
        "name": "Siren",
        "standby": {"current_a": 0.1, "provenance": "estimate"},
        "alarm": {"current_a": 0.5, "provenance": "estimate"},
    },
    {"key": "c", "name": "Beam", "standby": {"current_a": 0.3, "provenance": "nameplate"}, "behaviour": "constant_power"},
]


def acting(batch):
    return Actor(organisation_id=1, account_id=1, batch=batch)


@pytest.fixture
def plan(connection):
    """A site of three loads without points, its plan's row."""
    found = audited(loads=LOADS, site={"name": "Audit House"})
    found["plans"][0]["points"] = []
    site = import_site(connection, ACTOR, read_site(found))
    return read_tree(connection, ACTOR, site["id"]).plans[0]


def point_ids(connection, plan):
    return {p["name"]: p["id"] for p in read_tree(connection, ACTOR, plan["site_id"]).placed_points(plan["id"])}


def store(connection, plan, name, value_a, token, **more):
    entry = {"point_id": point_ids(connection, plan)[name], "state": "standby", "mains": "off", "value_a": value_a, "as_written": "x"}
    options = {k: more.pop(k) for k in ("sure", "queued") if k in more}
    return store_reading(connection, ACTOR, plan["id"], {**entry, **more}, token=token, **options)


def result_of(connection, plan):
    return evaluate(connection, 1, [(read_document(read_tree(connection, ACTOR, plan["site_id"])), plan["key"])])[0].supplies[0]


def test_points_that_were_made_stand_in_the_history_of_their_site_and_are_undone_together(connection, plan):
    """Six log rows of one batch with the site's id; taken back, no point is left."""
    assert make_points(connection, acting("made"), plan["id"]) == 6
    statement = "SELECT site_id, verb FROM change WHERE aggregate = 'point' AND batch = 'made'"
    logged = [tuple(row.values()) for row in connection.execute(statement).fetchall()]
    assert logged == [(plan["site_id"], "create")] * 6
    assert undo_batch(connection, acting("back"), "made") == 6
    assert point_ids(connection, plan) == {}


def test_points_are_made_from_the_register_once_and_follow_their_loads(connection, plan):
    """Battery, output, a branch, three devices; again makes none; a removed load's point waits and comes back with it."""
    assert make_points(connection, ACTOR, plan["id"]) == 6
    assert make_points(connection, ACTOR, plan["id"]) == 0
    tree = read_tree(connection, ACTOR, plan["site_id"])
    kinds = {p["name"]: p["kind"] for p in tree.placed_points(plan["id"])}
    assert kinds == {
        "Bay battery lead": "battery",
        "Bay output": "output",
        "North": "branch",
        "Keypad": "device",
        "Siren": "device",
        "Beam": "device",
    }
    parents = {p["name"]: p["parent_id"] for p in tree.placed_points(plan["id"])}
    ids = point_ids(connection, plan)
    assert parents["Keypad"] == ids["North"]
    assert parents["Siren"] == ids["Bay output"]
    siren = next(r for r in tree.loads[plan["id"]] if r["name"] == "Siren")
    remove(connection, ACTOR, "load", siren["id"], siren["version"])
    assert "Siren" not in point_ids(connection, plan)
    restore(connection, ACTOR, "load", siren["id"])
    assert "Siren" in point_ids(connection, plan)


def test_a_reading_is_stored_once_for_its_token_whoever_sends_it_how_often(conninfo, plan, connection):
    """Eight senders at the same moment: one row, one answer."""
    make_points(connection, ACTOR, plan["id"])
    connection.commit()
    keys = []

    def send():
        with psycopg.connect(conninfo, row_factory=dict_row) as own:
            keys.append(store(own, plan, "Bay output", 0.44, "f" * 32, queued=True).key)

    threads = [threading.Thread(target=send) for _ in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(keys) == 8
    assert len(set(keys)) == 1
    assert connection.execute("SELECT count(*) AS n FROM reading WHERE plan_id = %s", (plan["id"],)).fetchone()["n"] == 1


def test_readings_are_append_only(connection, plan):
    """The database refuses to change or delete one; superseding needs a reason, and happens once."""
    make_points(connection, ACTOR, plan["id"])
    first = store(connection, plan, "Bay output", 0.44, "a" * 32, sure=True)
    row = connection.execute("SELECT id FROM reading WHERE key = %s AND plan_id = %s", (first.key, plan["id"])).fetchone()
    for statement in ("UPDATE reading SET value_a = 1 WHERE id = %s", "DELETE FROM reading WHERE id = %s"):
        with pytest.raises(psycopg.errors.RaiseException, match="append only"), connection.transaction():
            connection.execute(statement, (row["id"],))
    with pytest.raises(Refused, match="reason"):
        store(connection, plan, "Bay output", 0.41, "b" * 32, sure=True, supersedes_id=row["id"])
    second = store(connection, plan, "Bay output", 0.41, "c" * 32, sure=True, supersedes_id=row["id"], reason="door open")
    with pytest.raises(Refused, match="superseded already"):
        store(connection, plan, "Bay output", 0.42, "d" * 32, sure=True, supersedes_id=row["id"], reason="again")
    audit = audit_plan(read_document(read_tree(connection, ACTOR, plan["site_id"])), plan["key"])
    assert (
        audit.nodes[("bay-output", State.STANDBY) if ("bay-output", State.STANDBY) in audit.nodes else ("s-output", State.STANDBY)].read_a
        == 0.41
    )
    assert second.key != first.key


def test_a_slip_is_asked_then_stored_when_sure_and_open_when_it_was_queued(connection, plan):
    """Nothing is stored with a question open at the meter; from a phone that was away it is, and does not count until it is settled."""
    make_points(connection, ACTOR, plan["id"])
    asked = store(connection, plan, "Bay output", 400.0, "a" * 32)
    assert asked.key is None
    assert next(q.code for q in asked.questions) == "unit"
    queued = store(connection, plan, "Bay output", 400.0, "a" * 32, queued=True)
    assert queued.key is not None

    def node():
        audit = audit_plan(read_document(read_tree(connection, ACTOR, plan["site_id"])), plan["key"])
        return next(n for (key, state), n in audit.nodes.items() if key.endswith("output") and state is State.STANDBY)

    assert node().read_a is None
    row = connection.execute("SELECT id FROM reading WHERE key = %s AND plan_id = %s", (queued.key, plan["id"])).fetchone()
    settle_reading(connection, ACTOR, row["id"])
    assert node().read_a == 400.0


def test_taking_a_device_reading_narrows_the_band_and_is_undone(connection, plan):
    """The nameplate of the beam becomes what was read at 12.6 V, as a power; the band narrows; undo brings it back to the last digit."""
    make_points(connection, ACTOR, plan["id"])
    before = result_of(connection, plan)
    made = store(connection, plan, "Beam", 0.2, "a" * 32, sure=True, battery_v=12.6)
    row = connection.execute("SELECT id FROM reading WHERE key = %s AND plan_id = %s", (made.key, plan["id"])).fetchone()
    take_reading(connection, acting("take"), row["id"])
    after = result_of(connection, plan)
    load = next(r for r in read_tree(connection, ACTOR, plan["site_id"]).loads[plan["id"]] if r["name"] == "Beam")
    assert load["standby_current_a"] == pytest.approx(0.2 * 12.6 / 12)
    assert (load["standby_provenance"], load["standby_reading"]) == ("measured", made.key)
    assert load["standby_uncertainty_a"] == pytest.approx((0.002 + 0.0003) * 12.6 / 12)
    assert after.holdover.high / after.holdover.low < before.holdover.high / before.holdover.low * 0.95
    assert undo_batch(connection, acting("back"), "take") == 1
    assert result_of(connection, plan) == before
    # An undo is a batch like any other.
    undo_batch(connection, acting("again"), "back")
    assert result_of(connection, plan) == after


def test_taking_a_total_narrows_what_no_device_reading_did(connection, plan):
    """Clamped at the output: the loads move together to the total read, and the suggestion's figure is what comes out."""
    make_points(connection, ACTOR, plan["id"])
    document = read_document(read_tree(connection, ACTOR, plan["site_id"]))
    core = audit_plan(document, plan["key"]).plan
    best = next_readings(connection, 1, document, core, "s")[0]
    assert best.point_key.endswith("output")
    made = store(connection, plan, "Bay output", round(best.expected_a, 4), "a" * 32, sure=True, battery_v=12.0)
    row = connection.execute("SELECT id FROM reading WHERE key = %s AND plan_id = %s", (made.key, plan["id"])).fetchone()
    take_reading(connection, ACTOR, row["id"])
    after = result_of(connection, plan)
    assert after.holdover.low == pytest.approx(best.after.low, rel=0.01)
    assert after.holdover.high == pytest.approx(best.after.high, rel=0.01)
    assert best.after.low > best.before.low


def test_what_does_not_add_up_is_registered_before_it_is_taken(connection, plan):
    """A total with something missing is refused; registered as a load to be found, it adds up and is taken."""
    make_points(connection, ACTOR, plan["id"])
    made = store(connection, plan, "Bay output", 0.9, "a" * 32, sure=True, battery_v=12.0)
    row = connection.execute("SELECT id FROM reading WHERE key = %s AND plan_id = %s", (made.key, plan["id"])).fetchone()
    with pytest.raises(Refused, match="do not agree yet"):
        take_reading(connection, ACTOR, row["id"])
    point = next(p for p in read_tree(connection, ACTOR, plan["site_id"]).points[plan["id"]] if p["kind"] == "output")
    load = register_difference(connection, ACTOR, plan["id"], point["key"], "standby")
    assert load["standby_current_a"] == pytest.approx(0.9 - (0.1 + 0.1 + 0.21))
    with pytest.raises(Refused, match="nothing here that is missing"):
        register_difference(connection, ACTOR, plan["id"], point["key"], "standby")
    take_reading(connection, ACTOR, row["id"])
    assert result_of(connection, plan).standby_current_a == pytest.approx(0.9, abs=0.01)


@pytest.mark.parametrize(
    ("name", "more", "reason"),
    [
        ("Bay battery lead", {"mains": "on", "positive_means": "charge"}, "charge, not load"),
        ("Bay output", {"state": "walk_about"}, "only standby, alarm"),
        ("Bay output", {"state": "transmitting"}, "Only standby and alarm"),
    ],
)
def test_what_is_no_load_is_never_taken(connection, plan, name, more, reason):
    """With the reason."""
    make_points(connection, ACTOR, plan["id"])
    made = store(connection, plan, name, 0.41, "a" * 32, sure=True, **more)
    row = connection.execute("SELECT id FROM reading WHERE key = %s AND plan_id = %s", (made.key, plan["id"])).fetchone()
    with pytest.raises(Refused, match=reason):
        take_reading(connection, ACTOR, row["id"])


def test_the_site_file_carries_the_whole_audit(connection):
    """Places, instruments, points, readings superseded and open, totals, every kind of load: out and in again, the same text."""
    loads = [
        {**LOADS[0], "place": "cellar", "bus_group": "Bus 1", "purpose": "life_safety", "cable": {"length_m": 30, "section_mm2": 0.5}},
        {**LOADS[1], "thermostats": [{"current_a": 1, "below_degc": 5}], "recharges": [{"energy_wh": 5, "per_day": 2}]},
        {**LOADS[2], "standby": {"current_a": 0.2, "provenance": "measured", "uncertainty_a": 0.003, "reading": "r-1"}},
    ]
    when = {"taken_at": "2026-11-20T10:00:00+00:00", "taken_by": "Wren"}
    readings = [
        reading("r-1", "at-c", 0.2, **when),
        reading("r-2", "output", 0.5, **when),
        reading("r-3", "output", 0.41, **{**when, "taken_at": "2026-11-20T10:05:00+00:00"}, supersedes="r-2", reason="door open"),
        reading("r-4", "battery", -0.6, **{**when, "taken_at": "2026-11-20T10:06:00+00:00"}, mains="on", open_questions=["sign?"]),
    ]
    places = [{"key": "cellar", "name": "Cellar", "min_degc": 2, "monthly_degc": [8.0] * 12}]
    found = audited(loads=loads, readings=readings, places=places, branches={"a": "North"}, site={"name": "Carried"})
    found["plans"][0]["supplies"][0]["totals"] = [
        {"point": "output", "current_a": 0.41, "uncertainty_a": 0.005, "at_v": 12.6, "reading": "r-3"}
    ]
    site = import_site(connection, ACTOR, read_site(found))
    once = write_site(read_document(read_tree(connection, ACTOR, site["id"])))
    again = import_site(connection, ACTOR, read_site(json.loads(once)))
    assert write_site(read_document(read_tree(connection, ACTOR, again["id"]))) == once
    assert '"reason": "door open"' in once
    assert once.count('"key": "r-') == 4


def test_bulk_duplicate_and_undo(connection, plan):
    """One column of many loads in one batch; a copy of a measured load is an estimate; undone together, and refused where changed since."""
    rows = read_tree(connection, ACTOR, plan["site_id"]).loads[plan["id"]]
    pairs = [(r["id"], r["version"]) for r in rows]
    assert change_many(connection, acting("one"), pairs, "branch", "East") == 3
    now = read_tree(connection, ACTOR, plan["site_id"]).loads[plan["id"]]
    assert {r["branch"] for r in now} == {"East"}
    copies = duplicate(connection, acting("two"), [now[0]["id"]])
    assert copies[0]["key"] not in {r["key"] for r in now}
    assert undo_batch(connection, ACTOR, "two") == 1
    assert undo_batch(connection, ACTOR, "one") == 3
    assert [r["branch"] for r in read_tree(connection, ACTOR, plan["site_id"]).loads[plan["id"]]] == ["North", None, None]
    change_many(connection, acting("three"), [(r["id"], r["version"] + 2) for r in rows[:1]], "branch", "West")
    edit(connection, ACTOR, "load", rows[0]["id"], rows[0]["version"] + 3, {"branch": "South"})
    with pytest.raises(Refused, match="changed since"), connection.transaction():
        undo_batch(connection, ACTOR, "three")
    with pytest.raises(NotFound):
        undo_batch(connection, Actor(organisation_id=2, account_id=None), "one")


def test_rows_come_in_whole_or_not_at_all_with_their_places(connection, plan):
    """Two rows make one new place; a row that cannot be keeps all of them out."""
    rows = [
        {"name": "Lamp", "quantity": 2, "standby": 0.02, "provenance": "estimate", "place": "Attic", "supply": "Bay"},
        {"name": "Lamp", "quantity": 1, "standby": 0.03, "provenance": "estimate", "place": "attic", "supply": None, "as_watts": True},
    ]
    assert import_loads(connection, ACTOR, plan["id"], rows) == 2
    tree = read_tree(connection, ACTOR, plan["site_id"])
    assert [p["name"] for p in tree.places] == ["Attic"]
    assert [(r["key"], r["behaviour"], r["supply_id"] is None) for r in tree.loads[plan["id"]][-2:]] == [
        ("lamp", "constant_current", False),
        ("lamp-2", "constant_power", True),
    ]
    with pytest.raises(Refused), connection.transaction():
        import_loads(connection, ACTOR, plan["id"], [rows[0], merged(rows[0], {"rail_v": 48.0})])
    assert len(read_tree(connection, ACTOR, plan["site_id"]).loads[plan["id"]]) == 5


def test_the_library_keeps_what_was_measured_and_gives_estimates(connection, plan):
    """Two pieces of 50 mA and one of 56 mA make three of 52 mA; picked, they are an estimate; an unmeasured load is refused."""
    first, second = read_tree(connection, ACTOR, plan["site_id"]).loads[plan["id"]][:2]
    with pytest.raises(Refused, match="not measured yet"):
        keep_device(connection, ACTOR, first["id"])
    edit(connection, ACTOR, "load", first["id"], first["version"], {"standby_provenance": "measured"})
    keep_device(connection, ACTOR, first["id"])
    edit(
        connection,
        ACTOR,
        "load",
        second["id"],
        second["version"],
        {"name": "keypad", "standby_provenance": "measured", "standby_current_a": 0.056},
    )
    keep_device(connection, ACTOR, second["id"])
    (device,) = measured_devices(connection, ACTOR)
    assert device["standby_current_a"] == pytest.approx(0.052)
    assert device["measured_count"] == 3
    picked = load_of_device(connection, ACTOR, device["key"])
    assert (picked["standby_provenance"], picked["standby_current_a"]) == ("estimate", device["standby_current_a"])
    assert load_of_device(connection, ACTOR, "type-keypad")["standby_current_a"] == pytest.approx(0.025)
    with pytest.raises(NotFound):
        load_of_device(connection, Actor(organisation_id=2, account_id=None), device["key"])
