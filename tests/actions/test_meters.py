"""Meters that log, over real TCP: every sample kept, whatever goes away; what is no number never becomes one; a discharge is ended safely."""

import itertools
import os
import random
import signal
import subprocess
import sys
import time
from types import SimpleNamespace

import psycopg
import pytest
from psycopg.rows import dict_row

from ypomoni.actions import recorder
from ypomoni.actions.actor import Actor
from ypomoni.actions.errors import Refused
from ypomoni.actions.recorder import Recorder
from ypomoni.actions.recordings import Wanted, begin_recording, find_recording, samples_of, stop_recording
from ypomoni.core.measuring.log_reading import read_log
from ypomoni.core.things.batteries import Bank
from ypomoni.instruments.addresses import check_allowed, read_address
from ypomoni.instruments.protocol import GarbledAnswer, MeterAway, MeterKind, NotAllowed, WrongMeter
from ypomoni.instruments.scpi import connect_meter
from ypomoni.instruments.simulated import SimulatedBurst, SimulatedDevice, SimulatedLoad, SimulatedMultimeter, SimulatedServer
from ypomoni.storage.connection import open_pool

COMMAND = [sys.executable, "-c", "from ypomoni.cli import main; main()", "worker", "--with-parent"]
DEVICE = SimulatedDevice(
    name="d", modes={"idle": 0.062, "full": 0.41}, bursts=(SimulatedBurst(current_a=0.26, duration_s=2.0, per_hour=360.0),)
)
ME = Actor(organisation_id=1, account_id=None, name="Wren Holloway")


@pytest.fixture
def serve():
    """Start simulated meters; none outlives the test."""
    running = []

    def starter(meter, port=0, garble=None):
        running.append(SimulatedServer(meter, port, garble).start())
        return running[-1]

    yield starter
    for server in running:
        server.stop()


@pytest.fixture
def _recorder(conninfo):
    """Record in threads of this process."""
    pool = open_pool(conninfo, most=4)
    found = Recorder(pool)
    found.start()
    yield
    found.stop()
    pool.close()


def begin(conninfo, server, *, kind=MeterKind.MULTIMETER, actor=ME, **more):
    with psycopg.connect(conninfo, row_factory=dict_row) as connection:
        wanted = Wanted(**{"name": "log", "address": server.address, "kind": kind, "interval_s": 0.1, **more})
        return begin_recording(connection, actor, wanted, ())["id"]


def wait_until(conninfo, recording_id, is_so, within_s=25.0):
    """Return the recording once something is so of it."""
    ends_s = time.monotonic() + within_s
    while time.monotonic() < ends_s:
        with psycopg.connect(conninfo, row_factory=dict_row) as connection:
            row = find_recording(connection, ME, recording_id)
            if is_so(row):
                return row, samples_of(connection, ME, recording_id)
        time.sleep(0.1)
    raise AssertionError(f"it never was so: {row}")


def stop(conninfo, recording_id):
    with psycopg.connect(conninfo, row_factory=dict_row) as connection:
        stop_recording(connection, ME, recording_id)


@pytest.mark.usefixtures("_recorder")
def test_a_device_is_logged_and_its_bursts_are_found(conninfo, serve):
    """Ten times as fast as the clock; every sample counted is kept, in order, and the log tells rest and bursts."""
    server = serve(SimulatedMultimeter(device=DEVICE, speed=10.0))
    log_id = begin(conninfo, server, interval_s=0.1)
    wait_until(conninfo, log_id, lambda r: r["samples_count"] >= 80)
    stop(conninfo, log_id)
    row, samples = wait_until(conninfo, log_id, lambda r: r["state"] == "done")
    assert "MULTIMETER" in row["identity"]
    assert len(samples.t_s) == row["samples_count"]
    assert samples.t_s == sorted(samples.t_s)
    t_s, current_a = samples.currents()
    found = read_log([10 * t for t in t_s], current_a)
    assert found.rest_a == pytest.approx(0.062, rel=0.03)
    assert found.trains[0].current_a == pytest.approx(0.26, rel=0.03)


def test_two_sessions_on_one_meter_are_refused_with_who_has_it(conninfo, serve):
    """By name within the organisation; another one learns no more than that it is taken, and a meter that is free again is given."""
    server = serve(SimulatedMultimeter(device=DEVICE))
    log_id = begin(conninfo, server, name="communicator")
    with pytest.raises(Refused) as refused:
        begin(conninfo, server)
    assert "Wren Holloway" in refused.value.faults[0].message
    with psycopg.connect(conninfo) as connection:
        other_id = connection.execute("INSERT INTO organisation (name) VALUES ('Far Shore') RETURNING id").fetchone()[0]
    stranger = Actor(organisation_id=other_id, account_id=None, name="Ash")
    with pytest.raises(Refused) as refused:
        begin(conninfo, server, actor=stranger)
    assert "Wren" not in refused.value.faults[0].message
    with psycopg.connect(conninfo) as connection:
        connection.execute("UPDATE recording SET state = 'done' WHERE id = %s", (log_id,))
    assert begin(conninfo, server, actor=stranger)


@pytest.mark.usefixtures("_recorder")
def test_a_meter_that_goes_away_leaves_a_gap_and_is_read_on(conninfo, serve):
    """Its line breaks in the middle, it comes back on the same port, and nothing that was read is lost."""
    first = SimulatedServer(SimulatedMultimeter(device=DEVICE)).start()
    log_id = begin(conninfo, first)
    before, _ = wait_until(conninfo, log_id, lambda r: r["samples_count"] >= 15)
    first.stop()
    wait_until(conninfo, log_id, lambda r: r["lost_count"] >= 1)
    serve(SimulatedMultimeter(device=DEVICE), port=first.port)
    row, samples = wait_until(conninfo, log_id, lambda r: r["samples_count"] >= before["samples_count"] + 25)
    assert row["state"] == "running"
    assert max(b - a for a, b in zip(samples.t_s, samples.t_s[1:], strict=False)) > 1.0


@pytest.mark.usefixtures("_recorder")
def test_a_clock_that_is_set_back_leaves_the_times_rising(conninfo, serve, monkeypatch):
    """By five seconds in the middle of a recording, as a time server may: each sample is later than the one before it."""
    log_id = begin(conninfo, serve(SimulatedMultimeter(device=DEVICE)))
    wait_until(conninfo, log_id, lambda row: row["samples_count"] >= 5)
    set_back = SimpleNamespace(time=lambda: time.time() - 5.0, monotonic=time.monotonic, sleep=time.sleep)
    monkeypatch.setattr(recorder, "time", set_back)
    _, samples = wait_until(conninfo, log_id, lambda row: row["samples_count"] >= 25)
    stop(conninfo, log_id)
    assert len(samples.t_s) >= 25
    assert all(b > a for a, b in itertools.pairwise(samples.t_s))


@pytest.mark.usefixtures("_recorder")
def test_overload_and_garbage_are_counted_and_never_numbers(conninfo, serve):
    """An overload is a sample without a value; a torn answer is none at all."""
    rng = random.Random(3)

    def garble(said):
        return said if "," in said else rng.choice([said, said, said, "+9.9E+37", "-9.90000000E+37", "9.91E37", "~#", "1.2.3", "12E9", ""])

    log_id = begin(conninfo, serve(SimulatedMultimeter(device=DEVICE), garble=garble))
    row, samples = wait_until(conninfo, log_id, lambda r: r["samples_count"] >= 60)
    assert row["overloads_count"] > 0
    assert row["garbage_count"] > 0
    assert row["overloads_count"] <= sum(a is None for a in samples.current_a)
    assert max(a for a in samples.current_a if a is not None) < 0.5


@pytest.mark.usefixtures("_recorder")
def test_what_answers_and_is_no_meter_is_refused(conninfo, serve):
    """A load where a multimeter was asked for, and something that is neither."""
    load = serve(SimulatedLoad(bank=Bank(chemistry_key="lead_agm", block_v=12, capacity_ah=7)))
    row, _ = wait_until(conninfo, begin(conninfo, load), lambda r: r["state"] == "refused")
    assert "ELECTRONIC LOAD" in row["said"]
    printer = serve(SimulatedMultimeter(device=DEVICE), garble=lambda _: "220 printer ready")
    row, _ = wait_until(conninfo, begin(conninfo, printer), lambda r: r["state"] == "refused")
    assert "printer" in row["said"]


def test_a_recorder_killed_in_the_middle_is_followed_by_the_next(conninfo, serve):
    """kill -9: what was kept stays, each sample once, and the next worker goes on with the same log."""
    server = serve(SimulatedMultimeter(device=DEVICE))
    log_id = begin(conninfo, server)
    environment = {**os.environ, "YPOMONI_DATABASE": conninfo}
    first = subprocess.Popen(COMMAND, env=environment)
    second = None
    try:
        before, kept = wait_until(conninfo, log_id, lambda r: r["samples_count"] >= 15)
        first.send_signal(signal.SIGKILL)
        first.wait()
        with psycopg.connect(conninfo) as connection:
            connection.execute("UPDATE recording SET beat_at = now() - interval '1 minute' WHERE id = %s", (log_id,))
        second = subprocess.Popen(COMMAND, env=environment)
        row, samples = wait_until(conninfo, log_id, lambda r: r["samples_count"] >= before["samples_count"] + 15)
        assert samples.t_s[: len(kept.t_s)] == kept.t_s
        assert (len(samples.t_s), samples.t_s) == (row["samples_count"], sorted(samples.t_s))
    finally:
        for process in (first, second):
            if process is not None:
                process.kill()
                process.wait()


@pytest.mark.usefixtures("_recorder")
def test_a_load_is_switched_off_at_the_end_voltage_and_when_it_is_stopped(conninfo, serve):
    """The battery ends within a reading or two of its end voltage; a stopped one is switched off as well."""
    bank = Bank(chemistry_key="lead_agm", block_v=12, capacity_ah=1.2)
    told = {"kind": MeterKind.ELECTRONIC_LOAD, "load_a": 0.6, "end_v": 11.0}
    meter = SimulatedLoad(bank=bank, speed=900.0)
    _, samples = wait_until(conninfo, begin(conninfo, serve(meter), **told), lambda r: r["state"] == "ended", 40)
    assert not meter.is_on
    assert samples.terminal_v[-1] <= 11.0 < samples.terminal_v[-4]
    idle = SimulatedLoad(bank=bank)
    log_id = begin(conninfo, serve(idle), **told)
    wait_until(conninfo, log_id, lambda r: r["samples_count"] >= 5 and idle.is_on)
    stop(conninfo, log_id)
    wait_until(conninfo, log_id, lambda r: r["state"] == "done")
    assert not idle.is_on


def test_a_meter_as_it_is_asked(serve):
    """Range, overload, a fuse that blows, and a line that is dead: each is its own error and none a number."""
    meter = SimulatedMultimeter(device=DEVICE)
    server = serve(meter)
    line = connect_meter(read_address(server.address), MeterKind.MULTIMETER, range_a=0.4)
    assert line.read().current_a == pytest.approx(0.26, rel=0.1)
    meter.device = SimulatedDevice(name="d", modes={"idle": 12.0})
    assert line.read().current_a == pytest.approx(0.0, abs=1e-4)
    assert meter.is_fuse_blown
    over = connect_meter(read_address(server.address), MeterKind.MULTIMETER)
    assert over.read().is_overload
    assert over.read().current_a is None
    with pytest.raises(WrongMeter):
        connect_meter(read_address(server.address), MeterKind.ELECTRONIC_LOAD)
    torn = connect_meter(read_address(serve(meter, garble=lambda s: s if "," in s else "1,2,3").address), MeterKind.MULTIMETER)
    with pytest.raises(GarbledAnswer):
        torn.read()
    with pytest.raises(MeterAway):
        connect_meter(read_address("127.0.0.1:1"), MeterKind.MULTIMETER)


@pytest.mark.parametrize(
    ("text", "allowed", "is_allowed"),
    [
        ("127.0.0.1:5025", (), True),
        ("localhost", (), True),
        ("[::1]:5025", (), True),
        ("127.9.9.9:80", (), True),
        ("192.168.7.20:5025", (), False),
        ("192.168.7.20:5025", ("192.168.7.20:5025",), True),
        ("192.168.7.20:22", ("192.168.7.20:5025",), False),
        ("192.168.7.21:5025", ("192.168.7.0/24",), True),
        ("10.0.0.1", ("192.168.7.0/24",), False),
        ("meter.example:5025", (), False),
        ("127.0.0.1.example", (), False),
        ("0.0.0.0:5025", (), False),
        ("[::ffff:10.0.0.1]:5025", (), False),
        ("2130706433:80", (), False),
        ("127.0.0.1:0", (), False),
        ("127.0.0.1:99999", (), False),
        ("", (), False),
        ("999.1.1.1:5", (), False),
    ],
)
def test_no_address_is_contacted_that_the_operator_did_not_allow(text, allowed, is_allowed):
    """Loopback by default; names are not asked for; a port may be part of what is allowed."""
    assert check_allowed(allowed) is None
    if is_allowed:
        assert read_address(text, allowed).port > 0
    else:
        with pytest.raises(NotAllowed):
            read_address(text, allowed)
