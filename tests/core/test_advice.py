"""What is recommended, followed: whatever the product offers is put back into the plan from outside and judged again, on random sites."""

import random
import re
from dataclasses import replace

import pytest
from builders import core_plan, document, merged

from ypomoni.core.balance.moves import offers_for, with_moves
from ypomoni.core.balance.search import Effort, after, find_moves
from ypomoni.core.evaluation.evaluate import evaluate_plan, evaluate_supply
from ypomoni.core.telling.results import Severity, Verdict
from ypomoni.core.things.supplies import ChargeMode
from ypomoni.documents.into_core import to_core
from ypomoni.documents.quantities import read_current

BLOCKS = {
    "lead_agm": (12, (2.1, 4, 7, 12, 17, 26, 38, 65, 100)),
    "lead_gel": (12, (7, 17, 38)),
    "lifepo4": (12.8, (6, 7, 12, 20, 50)),
    "li_ion": (11.1, (5, 10, 20)),
    "nimh": (12, (4, 10)),
    "alkaline": (1.5, (2.7, 16)),
    "li_mno2": (3.0, (0.6, 1.5)),
}
CHARGES_V = {
    "lead_agm": (13.2, 13.65, 13.65, 14.2, 14.7),
    "lead_gel": (13.5, 13.8),
    "lifepo4": (13.3, 13.6, 14.4, 14.4),
    "li_ion": (12.3, 12.6, 13.65),
}
# What a bank, a move or a charger can do nothing about; the same stays whatever is fitted.
NOT_AVOIDABLE = {"egress"}


def random_site(seed):
    """Return a site file of two supplies and a few loads: sound ones, weak ones, and some that are wrong in one way or another."""
    draw = random.Random(seed)

    def supply(n):
        chemistry = draw.choice(["lead_agm"] * 6 + ["lead_gel", "lifepo4", "lifepo4", "li_ion", "nimh", "alkaline", "li_mno2"])
        block_v, sizes = BLOCKS[chemistry]
        primary = chemistry in ("alkaline", "li_mno2")
        big = draw.random() < 0.15 and chemistry.startswith("lead")
        volts = 24 if big else 12
        bank = {
            "chemistry": chemistry,
            "block_v": block_v,
            "capacity_ah": draw.choice(sizes),
            "rate_h": 20,
            "series": round(12 / block_v) if primary else (2 if big else draw.choice([1] * 12 + [2])),
            "parallel": draw.choice([1, 1, 1, 1, 2, 6]),
            "age_y": draw.choice([0, 0, 1, 3]),
            "bms": draw.choice([None, None, {"limit_a": 10.0, "cutoff_v": 10.0, "charges_from_degc": 0}])
            if chemistry in ("lifepo4", "li_ion")
            else None,
        }
        charge_v = draw.choice(CHARGES_V.get(chemistry, (None,)))
        limit_a = draw.choice([0.0, None]) if primary else draw.choice([None, 0.0, 0.3, 0.5, 1.0, 2.0, 5.0, 15.0])
        return {
            "key": f"s{n}",
            "name": f"Bay {n}",
            "kind": draw.choice(["primary"] * 5 + ["boxed"])
            if primary
            else draw.choice(["panel", "boxed", "boxed", "boxed", "solar", "dc_ups"]),
            "nominal_v": volts,
            "cutoff_v": draw.choice([None, 10.5, 10.5, 10.5, 9.5]) and draw.choice([10.5, 10.5, 10.5, 9.6, 6.0]) * volts / 12,
            "output_limit_a": draw.choice([None, 0.5, 2.0, 5.0]),
            "supply_current_a": draw.choice([None, 0.7, 1.5, 3.0, 6.0]),
            "charge_limit_a": limit_a,
            "charge_v": charge_v and charge_v * volts / 12,
            "charge_mode": draw.choice([None, None, "cyclic", "timed" if chemistry == "nimh" else None]),
            "charge_compensated": draw.choice([None, True, False]),
            "max_degc": draw.choice([None, 35.0, 43.0, 55.0]),
            "enclosure": draw.choice([None, None, {"volume_m3": 0.05, "gas_tight": True}]),
            "own_current_a": draw.choice([0.0, 0.03]),
            "bank": bank,
        }

    supplies = [supply(n) for n in range(2)]
    loads = []
    for n in range(draw.randint(1, 5)):
        load = {
            "key": f"l{n}",
            "name": draw.choice(["Beam", "Siren", "Keypad", "Camera", "Thing"]),
            "supply": draw.choice(["s0", "s0", "s1", None]),
            "rail_v": 12,
            "quantity": draw.choice([1, 1, 2, 5]),
            "behaviour": draw.choice(["constant_current", "constant_power", "resistive"]),
            "standby": {
                "current_a": draw.choice([0.001, 0.02, 0.1, 0.3, 0.8]),
                "provenance": draw.choice(["measured", "data_sheet", "estimate"]),
            },
            "alarm": draw.choice([None, {"current_a": draw.choice([0.05, 0.5, 2.0]), "provenance": "data_sheet"}]),
            "min_v": draw.choice([None, None, 9.5, 10.8, 11.3]),
            "essential": draw.random() < 0.8,
            "cable": draw.choice([None, None, {"length_m": 40, "section_mm2": 0.5}]),
            "lock": draw.choice([None, None, None, "fail_safe", "fail_secure"]),
            "escape_route": draw.random() < 0.3,
            "purpose": draw.choice([None, "security", "life_safety", "convenience"]),
        }
        if any(s["nominal_v"] == 24 for s in supplies):
            load |= {"rail_v": 5, "converter": {"kind": "switching", "efficiency_ratio": 0.85}, "min_v": None}
        if draw.random() < 0.3:
            load["bursts"] = [{"current_a": draw.choice([0.5, 1.5]), "duration_s": 8, "per_hour": draw.choice([1, 6])}]
        loads.append(load)
    found = document(site={"typical_degc": draw.choice([10, 20, 25]), "min_degc": draw.choice([-8, 0, 5, 10])})
    found["requirements"][0] |= {
        "standby_h": draw.choice([4, 12, 24, 72]),
        "alarm_min": draw.choice([0, 15, 30]),
        "recharge_h": draw.choice([None, 24, 72]),
        "method": draw.choice(["simulation", "simulation", "standard_formula", "derated"]),
        "purpose": draw.choice([None, "fire", "intruder"]),
    }
    base = found["plans"][0]["supplies"][0]
    found["plans"][0]["supplies"] = [{**base, **s} for s in supplies]
    found["plans"][0]["loads"] = [merged(load, {}) for load in loads]
    return found


def severe(result):
    """Return the codes of danger and failure of a supply."""
    return {f.code for f in result.findings if f.severity in (Severity.DANGER, Severity.FAILS)}


def check_verdicts(plan, computed):
    """Assert that every verdict is the worst of its findings, and the plan's that of its supplies and of what hangs on nothing."""
    for result in computed.supplies:
        severities = {f.severity for f in result.findings}
        if result.verdict is None:
            assert not plan.loads_on(result.key)
            assert severities <= {Severity.NOTE}
            continue
        assert (result.verdict is Verdict.UNSAFE) == (Severity.DANGER in severities)
        if result.verdict is not Verdict.UNSAFE:
            assert (result.verdict is Verdict.FAILS) == (Severity.FAILS in severities)
        assert result.not_checked
    order = list(Verdict)
    worst = min((order.index(s.verdict) for s in computed.supplies if s.verdict), default=None)
    if worst is not None and not computed.findings:
        assert computed.verdict is order[worst]
    assert worst is None or order.index(computed.verdict) <= worst


def fresh(bank, **blocks):
    """Return a new bank in place of another: one string unless said otherwise, without what was known of the old one."""
    return replace(bank, **{"series": 1, "parallel": 1, "age_y": 0.0, "condition_ratio": None, "cells_count": None, "bms": None, **blocks})


def check_banks(plan, computed):
    """Assert that a recommended bank, put back from outside, leaves nothing severe, and no risk that was not told."""
    put_back = 0
    for supply, result in zip(plan.supplies, computed.supplies, strict=True):
        sold = result.recommended_bank
        assert (sold is None) == (result.no_bank_reason is not None)
        if sold is None:
            continue
        bank = fresh(
            supply.bank,
            block_v=sold.block_v,
            capacity_ah=sold.capacity_ah,
            rate_h=sold.rate_h,
            series=sold.series,
            parallel=sold.parallel,
        )
        fitted = evaluate_supply(plan, replace(supply, bank=bank))
        assert severe(fitted) <= NOT_AVOIDABLE, (supply.key, severe(fitted))
        assert not {f.code for f in fitted.findings} & {
            "charger_too_strong",
            "too_many_strings",
            "bank_voltage_mismatch",
            "current_above_cell",
        }
        if any(f.code == "meets_on_paper_only" for f in fitted.findings) and result.holdover.expected < result.standby_h:
            assert any(text.startswith("Even then it holds") for text in result.bank_risks)
        # What is only read of it, or holds on paper only, is told in other words.
        stays = {f.evidence for f in fitted.findings if f.severity is Severity.RISK and f.code != "meets_on_paper_only"}
        assert stays <= set(result.bank_risks), (supply.key, stays - set(result.bank_risks))
        put_back += 1
    return put_back


def check_moves(plan):
    """Assert that what the board promises of a move is what comes: hours to the digit, verdict, and no all-clear beside a danger."""
    for load in [e for e in plan.loads if e.supply_key][:2]:
        pieces = {load.key: load.quantity}
        for offer in offers_for(plan, pieces):
            if not offer.may:
                continue
            moved = with_moves(plan, pieces, None if offer.is_own else offer.supply_key)
            bare = replace(moved, supplies=tuple(replace(s, totals=()) for s in moved.supplies))
            comes = evaluate_supply(bare, next(s for s in bare.supplies if s.key == offer.supply_key))
            assert offer.holdover_h == (comes.holdover.expected if comes.holdover else None)
            if offer.meets:
                assert comes.verdict in (Verdict.HOLDS, Verdict.ON_PAPER_ONLY)
            elif offer.standings:
                assert comes.verdict in (Verdict.UNSAFE, Verdict.FAILS, Verdict.UNKNOWN, None)


def check_search(plan):
    """Assert that an all-clear of the search is one, and that nothing is sent to a supply that could hurt somebody."""
    found = find_moves(plan, effort=Effort(search_s=2.0, relax_s=3.0))
    unsafe = {s.key for s in evaluate_plan(plan).supplies if s.verdict is Verdict.UNSAFE}
    for moves in (found.moves, *(r.moves for r in found.relaxations if r.bank is None)):
        assert not {m.to_key for m in moves} & unsafe
    if found.moves:
        then = after(plan, found.moves)
        touched = {key for m in found.moves for key in (m.from_key, m.to_key)}
        for supply in (replace(s, totals=()) for s in then.supplies if s.key in touched):
            for finding in evaluate_supply(then, supply).findings:
                assert finding.severity is not Severity.RISK or any(finding.evidence in text for text in found.risks), finding
    if found.mends_all:
        then = evaluate_plan(after(plan, found.moves))
        assert all(s.verdict in (Verdict.HOLDS, Verdict.ON_PAPER_ONLY, None) for s in then.supplies), [severe(s) for s in then.supplies]


AMPS = r"(\d[\d.]* [mµ]?A)"
VOLTAGE_CODES = {"charge_voltage_high", "charge_voltage_dangerous", "charge_voltage_low"}
CHARGE_CODES = {"charger_too_slow", "charger_never_recovers", "bank_too_large_for_charger", "charger_too_strong"}
CUTOFF_CODES = {"cutoff_below_end", "no_cutoff"}
# What a way out says in figures, how it is followed to the letter, and what must not be found afterwards.
WAYS_OUT = (
    (
        rf"^Fit a supply that charges with {AMPS} beside its loads: {AMPS} in all at least",
        lambda _, m: {"charge_limit_a": read_current(m[1])[0], "supply_current_a": read_current(m[2])[0], "current_limited": True},
        CHARGE_CODES | {"drains_with_mains_on"},
    ),
    (
        rf"^Raise the set voltage: a charger that charges with {AMPS} at ([\d.]+) V(, and that then goes back to float)?",
        lambda s, m: {
            "charge_limit_a": read_current(m[1])[0],
            "charge_v": float(m[2]),
            "charge_mode": ChargeMode.CYCLIC if m[3] else s.charge_mode,
            "supply_current_a": s.supply_current_a and 99.0,
            "current_limited": True,
        },
        CHARGE_CODES | VOLTAGE_CODES,
    ),
    (
        rf"^A new ([\d.]+) V ([\d.]+) Ah would carry it, but .* With it, fit a supply that charges with {AMPS} beside its loads: {AMPS} in all at least",
        lambda s, m: {
            "bank": fresh(s.bank, block_v=float(m[1]), capacity_ah=float(m[2])),
            "charge_limit_a": read_current(m[3])[0],
            "supply_current_a": read_current(m[4])[0],
            "current_limited": True,
        },
        CHARGE_CODES | {"drains_with_mains_on", "holdover_below_requirement", "capacity_below_method", "current_above_cell"},
    ),
    (r"(?:Set the charger|Raise the set voltage) to ([\d.]+) V", lambda _, m: {"charge_v": float(m[1])}, VOLTAGE_CODES),
    (
        rf"Lower the charge limit to {AMPS}",
        lambda _, m: {"charge_limit_a": read_current(m[1])[0]},
        {"charger_too_strong", "nimh_continuous"},
    ),
    (r"Raise the cut-off to ([\d.]+) V", lambda _, m: {"cutoff_v": float(m[1])}, CUTOFF_CODES),
    (r"Lower the cut-off to ([\d.]+) V", lambda _, m: {"cutoff_v": float(m[1])}, CUTOFF_CODES | {"cutoff_above_need"}),
)


def check_ways_out(plan, computed):
    """Assert that a way out that is followed to the letter mends what it is for and earns nothing severe; return how many were followed."""
    followed = 0
    for supply, result in zip(plan.supplies, computed.supplies, strict=True):
        for finding in result.findings:
            for pattern, change, gone in WAYS_OUT:
                found = re.search(pattern, finding.way_out)
                if found is None:
                    continue
                changed = replace(supply, **change(supply, found))
                supplies = tuple(changed if s.key == supply.key else s for s in plan.supplies)
                then = evaluate_supply(replace(plan, supplies=supplies), changed)
                assert not {f.code for f in then.findings} & gone, (supply.key, finding.way_out)
                # Never back and back too late are one trouble, and late is the lesser.
                late = {"charger_too_slow"} if "charger_never_recovers" in severe(result) else set()
                assert severe(then) - late <= severe(result), (supply.key, finding.way_out)
                if "charges with" in finding.way_out:
                    here = {f.code for f in result.findings}
                    comes = {f.evidence for f in then.findings if f.severity is Severity.RISK and f.code not in here}
                    assert all(text in finding.way_out for text in comes), (supply.key, finding.way_out, comes)
                followed += 1
    return followed


def check_site(seed):
    """Check everything of one random site; return how many banks were put back and how many ways out were followed."""
    found = random_site(seed)
    plan = core_plan(found)
    computed = evaluate_plan(plan)
    check_verdicts(plan, computed)
    check_moves(plan)
    return check_banks(plan, computed), check_ways_out(plan, computed)


def usable(seeds):
    """Return the seeds whose site can be read: a few have a cut-off that no full battery reaches, which is a fault."""
    from ypomoni.documents.faults import DocumentFaults
    from ypomoni.documents.site_file import read_site

    def reads(seed):
        try:
            to_core(read_site(random_site(seed)))
        except DocumentFaults:
            return False
        return True

    return [seed for seed in seeds if reads(seed)]


@pytest.mark.parametrize("block", range(4))
def test_advice_that_is_followed_holds(block):
    """Seven random sites each: verdicts, recommended banks, ways out, and the board's promises."""
    seeds = usable(range(block * 10, block * 10 + 7))
    assert len(seeds) > 3
    banks, ways = zip(*(check_site(seed) for seed in seeds), strict=True)
    assert sum(banks) > 0
    assert sum(ways) > 0


@pytest.mark.parametrize("seed", range(5))
def test_an_all_clear_of_the_search_is_one(seed):
    """Where nothing has to move, or moves mend all, every supply holds afterwards."""
    for usable_seed in usable([seed + 1_000]):
        check_search(core_plan(random_site(usable_seed)))


@pytest.mark.long
@pytest.mark.parametrize("block", range(25))
def test_advice_that_is_followed_holds_on_five_hundred_sites(block):
    """Twenty random sites each."""
    for seed in usable(range(2_000 + block * 20, 2_020 + block * 20)):
        check_site(seed)
        check_search(core_plan(random_site(seed)))
