"""What stands on the bench of the demo: a logged communicator, nine used blocks, a device whose sheet promises twice what it keeps. All made up."""

import math
import random

from ypomoni.actions.actor import Actor
from ypomoni.actions.bench import add_part, keep_session
from ypomoni.actions.edit import create, shared_keys
from ypomoni.actions.recordings import keep_log, recordings_of
from ypomoni.records.bench import LotRow
from ypomoni.records.field import Row, fields_of
from ypomoni.storage.connection import Connection

METER: Row = {
    "key": "yellow-bench-meter",
    "name": "Yellow bench meter",
    "hookup": "series",
    "accuracy_ratio": 0.008,
    "digits_count": 3,
    "display_count": 6000,
    "offset_a": 0.0,
    "ranges": [
        {"jack": "mA", "limit_a": 0.06, "burden_v": 0.06, "fuse_a": 0.5, "longest_s": None},
        {"jack": "mA", "limit_a": 0.6, "burden_v": 0.55, "fuse_a": 0.5, "longest_s": None},
        {"jack": "10 A", "limit_a": 10.0, "burden_v": 0.3, "fuse_a": 10.0, "longest_s": 30.0},
    ],
}
# Mode, what it is, mA, least and greatest, and how it comes again.
BEACON_MODES = (
    ("idle", "standby", 62.0, 61.0, 63.5, None),
    ("armed", "standby", 62.4, 61.8, 63.0, None),
    ("lamp on", "alarm", 410.0, 404.0, 417.0, None),
    ("calling", "burst", 90.0, 88.0, 93.0, (4.0, 12.0)),
)
# Label, volts at rest, volts under 3.5 A for 10 s, month of make.
BLOCKS = (
    ("1", 12.91, 12.33, "2024-02"),
    ("2", 12.89, 12.30, "2024-02"),
    ("3", 12.93, 12.36, "2024-03"),
    ("4", 12.86, 12.22, "2024-02"),
    ("5", 12.52, 11.84, "2023-11"),
    ("6", 12.88, 12.29, "2024-03"),
    ("7", 12.81, 11.97, "2024-02"),
    ("8", 10.94, None, "2023-11"),
    ("9", 12.84, 12.28, "2022-01"),
)
LOG_H, LOG_EVERY_S = 0.5, 0.25
SEED = 1_204


def seed_bench(connection: Connection, actor: Actor) -> None:
    """Put these on the bench, where nothing stands there yet."""
    if METER["key"] not in (meters := shared_keys(connection, actor, "instrument")):
        create(connection, actor, "instrument", METER, meters)
    if not shared_keys(connection, actor, "benched_device"):
        _seed_device(connection, actor)
    if not shared_keys(connection, actor, "battery_lot"):
        _seed_lot(connection, actor)
    if not recordings_of(connection, actor):
        t_s, current_a = communicator_log()
        keep_log(connection, actor, "Cellular communicator, armed", t_s, current_a, 0)


def _seed_device(connection: Connection, actor: Actor) -> None:
    blank: Row = dict.fromkeys(("min_v", "claim_current_a", "claim_w", "out_v", "out_a"))
    start = {**blank, "name": "Portable beacon", "supply_v": 6.0, "jack": "10 A", "instrument_key": "yellow-bench-meter"}
    device = keep_session(connection, actor, "benched_device", {**start, "claim_h": 80.0, "claim_ah": 2.5})
    for name, use, ma, least_ma, greatest_ma, comes in BEACON_MODES:
        part: Row = {"name": name, "use": use, "current_a": ma / 1000, "least_a": least_ma / 1000, "greatest_a": greatest_ma / 1000}
        part |= {"at_v": None, "duration_s": comes[0] if comes else None, "per_hour": comes[1] if comes else None}
        add_part(connection, actor, "benched_device", device["id"], part)


def _seed_lot(connection: Connection, actor: Actor) -> None:
    start: Row = {f.column: f.default for f in fields_of(LotRow) if f.column not in ("key", "name", "blocks", "capacity_ah")}
    start |= {"name": "Taken out of the archive", "capacity_ah": 7.0, "is_charged": True, "rested_h": 15.0, "temperature_degc": 19.0}
    lot = keep_session(connection, actor, "battery_lot", {**start, "load_a": 3.5, "load_s": 10.0, "tested_on": "2026-10-06"})
    for label, rest_v, load_v, made in BLOCKS:
        part: Row = {"label": label, "rest_v": rest_v, "load_v": load_v, "made": made}
        add_part(connection, actor, "battery_lot", lot["id"], {**part, "resistance_ohm": None, "capacity_ah": None, "is_new": False})


def communicator_log() -> tuple[list[float], list[float]]:
    """Return a made-up log: 62 mA at rest, 0.95 A for 7 s about every four minutes, a little hum and noise. [s, A]"""
    rng = random.Random(SEED)  # noqa: S311 - the same log every time, and no secret
    starts, at_s = [], 40.0
    while at_s < LOG_H * 3600:
        starts.append(at_s)
        at_s += 240.0 + rng.gauss(0.0, 6.0)
    t_s = [LOG_EVERY_S * n for n in range(int(LOG_H * 3600 / LOG_EVERY_S))]
    current_a = []
    for t in t_s:
        active = any(s <= t < s + 7.0 for s in starts)
        hum_a = 0.0008 * math.sin(2 * math.pi * t / 3.1)
        current_a.append(round(max(0.0, (0.95 if active else 0.062) * (1 + rng.gauss(0, 0.02)) + hum_a), 5))
    return t_s, current_a
