"""Every row of the judgements: earned where it must be, not earned by its innocent twin; a dozen healthy installations stay quiet.

All texts of findings stand in one reviewed list, so that a change of words is seen.
"""

import itertools
from pathlib import Path

import pytest
from builders import audited, backed_up, codes, core_plan, dc_ups, document, evaluate, merged, other_load, reading, ups, watts

from ypomoni.core.evaluation.evaluate import evaluate_plan, pending
from ypomoni.core.telling.results import Severity
from ypomoni.documents.into_core import to_core
from ypomoni.documents.site_file import read_site

QUIET = {"standby": {"current_a": 0.1, "provenance": "measured"}}
LFP = {"chemistry": "lifepo4", "block_v": 12.8, "capacity_ah": 20}
LI_ION = {"chemistry": "li_ion", "block_v": 11.1, "capacity_ah": 20}
NIMH = {"chemistry": "nimh", "block_v": 12, "capacity_ah": 10}
CELLS = {"chemistry": "alkaline", "block_v": 1.5, "capacity_ah": 16, "rate_h": 200, "series": 8}
GENTLE_NIMH = {"charge_limit_a": 0.5, "charge_v": None, "charge_mode": "timed"}
NO_CHARGER = {"charge_limit_a": None, "supply_current_a": None, "charge_v": None}
SIREN = {"name": "Siren", "standby": {"current_a": 0.02}, "alarm": {"current_a": 0.9, "provenance": "measured"}}
LONG = {"length_m": 100, "section_mm2": 0.5}
HOT = {"typical_degc": 24, "max_degc": 35}
LATE = {"requirement": {"response_h": 4}}
TWICE_A_DAY = {"cuts": {"week": [{"day": "daily", "start": "06:00", "duration_h": 3}, {"day": "daily", "start": "18:00", "duration_h": 3}]}}
# Of a UPS that burns 14 W, on 7 Ah.
RUNS_OF_SEVEN = [{"output_w": 26, "run_h": 1.01}, {"output_w": 104, "run_h": 0.196}]
ONCE_A_WEEK = {"cuts": {"week": [{"day": "sat", "start": "10:00", "duration_h": 1}]}}


WAKING = {"standby": {"current_a": 0.0}, "bursts": [{"current_a": 0.4, "duration_s": 20, "per_hour": 4}]}


def lfp(**more):
    """Return a supply on lithium iron phosphate at 14.4 V."""
    return {"supply": merged({"bank": LFP, "charge_v": 14.4}, more), "loads": [QUIET]}


def strong(charge_a, **more):
    """Return a supply on 20 Ah of lithium iron phosphate that charges with so much at 5 °C."""
    return lfp(charge_limit_a=charge_a, supply_current_a=9, **more)


def lead(**more):
    """Return a supply on lead with a quiet load."""
    return {"supply": more, "loads": [QUIET]}


def of(bank, **more):
    """Return a supply on another bank with a quiet load."""
    return {"supply": merged({"bank": bank}, more), "loads": [QUIET]}


def cameras(unlike):
    """Return four loads of five bursts each; ``unlike`` says how far their intervals lie apart."""
    return [
        {
            "name": f"Camera {n}",
            "standby": {"current_a": 0.01},
            "bursts": [
                {
                    "name": f"{m}",
                    "current_a": 0.1,
                    "duration_s": 9,
                    "per_hour": 6 / (1 + unlike * (0.13 * n + 0.017 * m)),
                    "offset_s": 60 * m,
                }
                for m in range(5)
            ],
        }
        for n in range(4)
    ]


def cut(requirement, *, standby_a=0.3, **more):
    """Return a supply that is cut again and again."""
    return {
        "supply": more,
        "loads": [{"standby": {"current_a": standby_a}}],
        "requirement": {"standby_h": 3, "alarm_min": 0, **requirement},
    }


def sunny(sun=None, standby_a=0.02, **more):
    """Return a battery of 17 Ah behind a controller on one panel of 20 W, in a temperate place."""
    solar = {
        "controller": "pwm",
        "panel_w": 20,
        "panel_imp_a": 1.15,
        "panel_isc_a": 1.25,
        "blocking_diode": True,
        "sun_h_by_month": [1.2, 1.8, 2.8, 4.0, 4.9, 5.2, 5.0, 4.4, 3.3, 2.2, 1.4, 1.1],
    }
    values = {"kind": "solar", "charge_limit_a": None, "supply_current_a": None, "charge_v": 14.4, "solar": merged(solar, sun or {})}
    requirement = {"standby_h": 24, "alarm_min": 0, "recharge_h": None}
    return {"supply": merged(values, more), "loads": [{"standby": {"current_a": standby_a}}], "requirement": requirement}


def fused(protection=None, lead=None, loads=None, **bank):
    """Return a supply whose bank has a fuse of 3 A for 32 V that breaks 6 kA by its data sheet, an isolator, a fuse in each string, and half a metre of 1.5 mm²."""
    good = {"fuse_a": 3, "fuse_dc_v": 32, "fuse_breaks_a": 6000, "isolator": True, "string_fuses": True}
    wiring = {"protection": merged(good, protection or {}), "lead": merged({"length_m": 0.5, "section_mm2": 1.5}, lead or {})}
    return {"supply": {"bank": {**wiring, **bank}}, "loads": loads or [QUIET]}


def strung(series, nominal_v, charge_v):
    """Return a supply on 12 V blocks in series behind a fuse for 32 V."""
    bank = fused(series=series)["supply"]["bank"]
    supply = {"nominal_v": nominal_v, "cutoff_v": 1.75 * 6 * series, "charge_v": charge_v, "bank": bank}
    return {"supply": supply, "loads": [{**QUIET, "rail_v": nominal_v}]}


def of_blocks(*blocks, **bank):
    """Return a supply whose bank has these blocks, in strings of one."""
    placed = [{"key": f"b{n}", "string": n, "position": 1, **b} for n, b in enumerate(blocks, 1)]
    return {"supply": {"bank": {"parallel": len(blocks), **bank, "blocks": placed}}, "loads": [QUIET]}


def unfed(standby_h, degc):
    """Return lead that nothing charges, for so many hours at a temperature."""
    return {
        "supply": {"charge_limit_a": 0, "charge_v": None, "cutoff_v": 10.5},
        "loads": [{"standby": {"current_a": 0.0005}}],
        "requirement": {"standby_h": standby_h, "alarm_min": 0, "recharge_h": None},
        "site": {"typical_degc": degc},
    }


def pump(inrush_va):
    """Return a pump of 60 W and 100 VA that starts with so many, on an UPS of 850 VA."""
    return watts(60, name="Pump", ac={"apparent_va": 100, "power_w": 60, "inrush_va": inrush_va}) | {"quantity": 2}


def relay(current_a, duration_s):
    """Return a quiet load with a relay that pulls so much for so long."""
    burst = {"name": "Relay", "current_a": current_a, "duration_s": duration_s, "per_hour": 2}
    return [merged(QUIET, {"bursts": [burst]})]


THICK_LEAD = {"length_m": 0.5, "section_mm2": 50}
FOUR_LFP = {"chemistry": "lifepo4", "block_v": 3.2, "capacity_ah": 20, "series": 4}
BARE = {"controller": "none"}
DULL = {"sun_h_by_month": [1.4] * 12}

# code: severity, offender, innocent twin.
ROWS = {
    "fuse_missing": ("danger", fused({"fuse_a": None}), lead()),
    "fuse_missing fitted": ("danger", fused({"fuse_a": None}), fused()),
    # 1.5 mm² bears 14 A.
    "fuse_above_cable": ("danger", fused({"fuse_a": 15}), fused({"fuse_a": 10})),
    "fuse_above_cable at its limit": ("danger", fused({"fuse_a": 20.5}, {"section_mm2": 2.5}), fused({"fuse_a": 20}, {"section_mm2": 2.5})),
    "fuse_above_cable thick": ("danger", fused({"fuse_a": 60}, {"section_mm2": 10}), fused({"fuse_a": 60}, {"section_mm2": 16})),
    # The charger gives 1.7 A: 1.25 times that is 2.125 A.
    "fuse_below_load charge": ("fails", fused({"fuse_a": 2}), fused({"fuse_a": 2.2})),
    "fuse_below_load standby": (
        "fails",
        fused({"fuse_a": 3}, loads=[{"standby": {"current_a": 2.5}}]),
        fused({"fuse_a": 4}, loads=[{"standby": {"current_a": 2.5}}]),
    ),
    # A blade fuse of 3 A opens at 6 A after 0.15 s at the earliest, at 4.05 A after 0.75 s, and never at 3.3 A.
    "fuse_below_load burst": ("fails", fused(loads=relay(5.9, 0.16)), fused(loads=relay(5.9, 0.14))),
    "fuse_below_load inrush": ("fails", fused(loads=relay(3.9, 0.76)), fused(loads=relay(3.9, 0.74))),
    "fuse_below_load long burst": ("fails", fused(loads=relay(3.3, 50)), fused(loads=relay(3.2, 50))),
    "fuse_below_load bolted": (
        "fails",
        fused({"fuse_a": 5, "fuse_kind": "bolted"}, loads=relay(5.2, 3)),
        fused({"fuse_a": 5, "fuse_kind": "blade"}, loads=relay(5.2, 3)),
    ),
    "fuse_curve_unknown": (
        "risk",
        fused({"fuse_kind": "cartridge"}, loads=relay(3.4, 2)),
        fused({"fuse_kind": "cartridge"}, loads=relay(3.2, 2)),
    ),
    "fuse_breaking": ("danger", fused({"fuse_breaks_a": None}), fused({"fuse_breaks_a": None}, capacity_ah=9)),
    "fuse_breaking bolted": (
        "danger",
        fused({"fuse_a": 60, "fuse_breaks_a": None, "fuse_kind": "bolted"}, {"section_mm2": 16}, capacity_ah=24),
        fused({"fuse_a": 60, "fuse_breaks_a": None, "fuse_kind": "bolted"}, {"section_mm2": 16}, capacity_ah=17),
    ),
    "fuse_below_rating": (
        "risk",
        {"supply": ups(bank={"protection": {"fuse_a": 40, "fuse_breaks_a": 9000}, "lead": THICK_LEAD}), "loads": [watts(100)]},
        {"supply": ups(bank={"protection": {"fuse_a": 80, "fuse_breaks_a": 9000}, "lead": THICK_LEAD}), "loads": [watts(100)]},
    ),
    "beyond_shelf_life": (
        "risk",
        {
            "supply": {"kind": "primary", "bank": CELLS, "cutoff_v": None, **NO_CHARGER},
            "loads": [{"standby": {"current_a": 2e-5}}],
            "requirement": {"standby_h": 70_000, "alarm_min": 0, "recharge_h": None},
        },
        {
            "supply": {"kind": "primary", "bank": CELLS, "cutoff_v": None, **NO_CHARGER},
            "loads": [{"standby": {"current_a": 2e-5}}],
            "requirement": {"standby_h": 60_000, "alarm_min": 0, "recharge_h": None},
        },
    ),
    # Six months at 25 °C are 4,380 h; at 35 °C half of that.
    "lead_not_recharged": ("fails", unfed(4_400, 25), unfed(4_300, 25)),
    "lead_not_recharged warm": ("fails", unfed(2_300, 35), unfed(2_300, 25)),
    "inrush_overload": ("fails", {"supply": ups(), "loads": [pump(1650)]}, {"supply": ups(), "loads": [pump(1550)]}),
    "waveform_pfc": (
        "risk",
        {"supply": ups(ac={"waveform": "stepped"}), "loads": [watts(100, ac={"active_pfc": True})]},
        {"supply": ups(ac={"waveform": "sine"}), "loads": [watts(100, ac={"active_pfc": True})]},
    ),
    "ups_bank_extended": (
        "risk",
        {"supply": ups(ac={"sold_with_ah": 8}), "loads": [watts(20)]},
        {"supply": ups(ac={"sold_with_ah": 9}), "loads": [watts(20)]},
    ),
    "charge_current_in_cold": ("risk", strong(5), strong(4)),
    "charge_current_in_cold by its supply": (
        "risk",
        lfp(charge_limit_a=9, supply_current_a=4.1),
        lfp(charge_limit_a=9, supply_current_a=3.9),
    ),
    "charge_current_in_cold by its sheet": ("risk", strong(5), strong(5, bank={"cold_charge_per_h": 0.3})),
    "charge_current_in_cold blocked": ("risk", strong(5), strong(5, bank={"bms": {"charges_from_degc": 10}})),
    "cyclic_not_ended": (
        "fails",
        lead(charge_mode="cyclic", charge_v=14.4),
        lead(charge_mode="cyclic", charge_v=14.4, charge_ends="current"),
    ),
    # 2.40 V a cell at 20 °C may be 22.5 mV more.
    "cyclic_not_ended dangerous": (
        "danger",
        lead(charge_mode="cyclic", charge_v=14.58),
        lead(charge_mode="cyclic", charge_v=14.58, charge_ends="float_stage"),
    ),
    "cyclic_not_ended at its limit": ("danger", lead(charge_mode="cyclic", charge_v=14.58), lead(charge_mode="cyclic", charge_v=14.55)),
    # 48 V of lead is charged to 57.6 V; 24 V to 28.8 V, or to what its charger sets.
    "fuse_voltage": ("danger", strung(4, 48, 54.5), strung(2, 24, 27.3)),
    "fuse_voltage of lithium": (
        "danger",
        of({**FOUR_LFP, "protection": {"fuse_a": 5, "fuse_dc_v": 14}, "lead": {"length_m": 1, "section_mm2": 2.5}}, charge_v=14.2),
        of({**FOUR_LFP, "protection": {"fuse_a": 5, "fuse_dc_v": 14.6}, "lead": {"length_m": 1, "section_mm2": 2.5}}, charge_v=14.2),
    ),
    "string_fuses_missing": ("risk", fused({"string_fuses": False}, parallel=2), fused({"string_fuses": False})),
    "string_fuses_missing fitted": ("risk", fused({"string_fuses": False}, parallel=2), fused(parallel=2)),
    "isolator_missing": ("risk", fused({"isolator": False}, capacity_ah=38), fused({"isolator": False}, capacity_ah=26)),
    "isolator_missing of strings": (
        "risk",
        fused({"isolator": False}, capacity_ah=24, parallel=2),
        fused({"isolator": True}, capacity_ah=24, parallel=2),
    ),
    "mixed_string": ("risk", of_blocks({"made": "2023-05"}, {"made": "2023-12"}), of_blocks({"made": "2023-05"}, {"made": "2023-11"})),
    "mixed_string worn": (
        "risk",
        of_blocks({"condition_ratio": 0.95}, {"condition_ratio": 0.8}),
        of_blocks({"condition_ratio": 0.9}, {"condition_ratio": 0.8}),
    ),
    "mixed_string sizes": ("risk", of_blocks({"capacity_ah": 12}, {}), of_blocks({"capacity_ah": 17}, {})),
    "mixed_string at rest": ("risk", of_blocks({"rest_v": 12.85}, {"rest_v": 12.7}), of_blocks({"rest_v": 12.85}, {"rest_v": 12.75})),
    "mixed_string small blocks": (
        "risk",
        of_blocks({"rest_v": 6.45}, {"rest_v": 6.38}, block_v=6, series=2),
        of_blocks({"rest_v": 6.45}, {"rest_v": 6.41}, block_v=6, series=2),
    ),
    # The flat voltage of lithium iron phosphate tells nothing of two blocks.
    "mixed_string lithium": (
        "risk",
        {
            **of_blocks({"rest_v": 12.4}, {"rest_v": 12.2}),
            "supply": {
                **of({})["supply"],
                "cutoff_v": 9.5,
                "charge_v": 12.6,
                "bank": {**LI_ION, **of_blocks({"rest_v": 12.4}, {"rest_v": 12.2})["supply"]["bank"]},
            },
        },
        {
            "supply": {"charge_v": 14.4, "bank": {**LFP, **of_blocks({"rest_v": 13.4}, {"rest_v": 13.1})["supply"]["bank"]}},
            "loads": [QUIET],
        },
    ),
    "bursts_gathered": ("note", {"loads": cameras(1)}, {"loads": cameras(0)}),
    "charge_voltage_dangerous lithium": ("danger", of(LI_ION, charge_v=13.65, cutoff_v=9.5), of(LI_ION, charge_v=12.6, cutoff_v=9.5)),
    "charge_voltage_dangerous lfp": ("danger", lfp(charge_v=14.8), lfp(charge_v=14.6)),
    "charge_voltage_dangerous lead": ("danger", lead(charge_v=25.2), lead(charge_v=14.4, charge_mode="cyclic")),
    "charge_voltage_dangerous gel": (
        "danger",
        of({"chemistry": "lead_gel"}, charge_v=14.8, charge_mode="cyclic"),
        of({"chemistry": "lead_gel"}, charge_v=14.4, charge_mode="cyclic"),
    ),
    "charge_voltage_dangerous nickel": (
        "danger",
        of(NIMH, **GENTLE_NIMH) | {"supply": {"bank": NIMH, "charge_limit_a": 0.5, "charge_v": 17.0}},
        of(NIMH, charge_limit_a=0.5, charge_v=14.5),
    ),
    "charge_voltage_high fails": ("fails", lead(charge_v=14.7), lead(charge_v=14.7, charge_mode="cyclic")),
    "charge_voltage_high risk": ("risk", lead(charge_v=14.2), lead(charge_v=13.8)),
    # 2.36 V a cell: at 5 °C the limit of 2.33 V stands 60 mV higher, unless the charger compensates.
    "charge_voltage_high cold": (
        "risk",
        {**lead(charge_v=14.16, charge_compensated=True), "site": {"typical_degc": 5, "min_degc": 5}},
        {**lead(charge_v=14.16), "site": {"typical_degc": 5, "min_degc": 5}},
    ),
    "charge_voltage_low lead": ("risk", lead(charge_v=13.0), lead(charge_v=13.5)),
    "charge_voltage_low lfp": ("risk", lfp(charge_v=13.2), lfp(charge_v=13.4)),
    "charge_voltage_low li_ion": ("note", of(LI_ION, charge_v=11.7, cutoff_v=9.5), of(LI_ION, charge_v=12.3, cutoff_v=9.5)),
    "no_balancing": ("note", lfp(charge_v=13.6), lfp(charge_v=13.6, charge_mode="cyclic")),
    "no_current_limit danger": ("danger", lfp(current_limited=False), lfp(current_limited=True)),
    "no_current_limit risk": ("risk", lfp(charge_limit_a=None), lfp(charge_limit_a=None, current_limited=True)),
    "no_current_limit solar": ("risk", lfp(charge_limit_a=None), lfp(charge_limit_a=None, kind="solar")),
    "charge_below_freezing": (
        "danger",
        {**lfp(), "site": {"min_degc": -5}},
        {**lfp(bank={"bms": {"charges_from_degc": 0}}), "site": {"min_degc": -5}},
    ),
    "charge_below_freezing primary": (
        "danger",
        {**lfp(), "site": {"min_degc": -5}},
        {
            "supply": {"kind": "primary", **NO_CHARGER, "bank": {"chemistry": "li_fes2", "block_v": 1.5, "capacity_ah": 3.2, "series": 8}},
            "loads": [{"standby": {"current_a": 0.001}}],
            "site": {"min_degc": -5},
        },
    ),
    "charge_in_heat": ("danger", lfp(max_degc=55), lfp(max_degc=44)),
    "charge_in_heat no charger": ("danger", lfp(max_degc=55), lfp(max_degc=55, charge_limit_a=0.0)),
    "float_in_heat": ("risk", lead(max_degc=42), lead(max_degc=42, charge_compensated=True)),
    "float_in_heat warm": ("risk", lead(typical_degc=31), lead(typical_degc=29)),
    "life_shortened_by_heat": ("risk", lead(typical_degc=34), lead(typical_degc=31)),
    "nimh_continuous": (
        "risk",
        of(NIMH, charge_limit_a=1.0, charge_v=None),
        of(NIMH, charge_limit_a=1.0, charge_v=None, charge_mode="timed"),
    ),
    "charger_too_strong nickel": (
        "danger",
        of(NIMH, charge_limit_a=1.2, charge_v=None, charge_mode="timed"),
        of(NIMH, charge_limit_a=1.0, charge_v=None, charge_mode="timed"),
    ),
    "charger_too_strong lead": ("risk", lead(charge_limit_a=5.0, supply_current_a=6.0), lead(charge_limit_a=4.0, supply_current_a=6.0)),
    "drains_with_mains_on": (
        "fails",
        {
            "supply": {"supply_current_a": 0.7},
            "loads": [{"standby": {"current_a": 0.75}}],
            "requirement": {"recharge_h": None, "standby_h": 4},
        },
        {
            "supply": {"supply_current_a": 0.8},
            "loads": [{"standby": {"current_a": 0.75}}],
            "requirement": {"recharge_h": None, "standby_h": 4},
        },
    ),
    "drains_with_mains_on dc_ups": (
        "fails",
        {"supply": {"kind": "dc_ups", "supply_current_a": 0.7}, "loads": [{"standby": {"current_a": 0.75}}]},
        {"supply": {"kind": "ac_ups", "supply_current_a": 0.7}, "loads": [{"standby": {"current_a": 0.75}}]},
    ),
    "primary_charged": (
        "danger",
        of(CELLS, charge_limit_a=0.1),
        {"supply": {"kind": "primary", "bank": CELLS, **NO_CHARGER}, "loads": [{"standby": {"current_a": 0.01}}]},
    ),
    "primary_charged unknown": ("danger", of(CELLS, **NO_CHARGER), of(CELLS, charge_limit_a=0.0)),
    "charger_never_recovers": ("fails", {"supply": {"supply_current_a": 0.3}}, {}),
    "charger_too_slow": ("fails", {"supply": {"supply_current_a": 0.6}}, {}),
    # 4.10 V a cell belongs to 92 % of its charge: 90 % lies on the way there for ever, 80 % does not.
    "recharge_not_promised": (
        "risk",
        {**of(LI_ION, charge_v=12.3, cutoff_v=9.5), "requirement": {"recharge_h": 48, "recharge_to_ratio": 0.9}},
        {**of(LI_ION, charge_v=12.3, cutoff_v=9.5), "requirement": {"recharge_h": 48, "recharge_to_ratio": 0.8}},
    ),
    "recharge_not_promised filled": (
        "risk",
        {**of(LI_ION, charge_v=12.3, cutoff_v=9.5), "requirement": {"recharge_h": 48, "recharge_to_ratio": 0.9}},
        {**of(LI_ION, charge_v=12.6, cutoff_v=9.5), "requirement": {"recharge_h": 48, "recharge_to_ratio": 0.9}},
    ),
    "recharge_not_promised not asked": (
        "note",
        {**of(LI_ION, charge_v=12.3, cutoff_v=9.5), "requirement": {"recharge_h": None, "recharge_to_ratio": 0.9}},
        {**of(LI_ION, charge_v=12.6, cutoff_v=9.5), "requirement": {"recharge_h": None, "recharge_to_ratio": 0.9}},
    ),
    # 17 Ah: an alarm of 4 A is more than a fifth an hour, one of 3 A is not; at 1 °C neither matters.
    "cold_and_fast": (
        "note",
        {
            "supply": {"output_limit_a": 9},
            "loads": [QUIET, SIREN | {"alarm": {"current_a": 4.0, "provenance": "measured"}}],
            "site": {"min_degc": -4},
        },
        {
            "supply": {"output_limit_a": 9},
            "loads": [QUIET, SIREN | {"alarm": {"current_a": 3.0, "provenance": "measured"}}],
            "site": {"min_degc": -4},
        },
    ),
    "cold_and_fast mild": (
        "note",
        {
            "supply": {"output_limit_a": 9},
            "loads": [QUIET, SIREN | {"alarm": {"current_a": 4.0, "provenance": "measured"}}],
            "site": {"min_degc": -4},
        },
        {
            "supply": {"output_limit_a": 9},
            "loads": [QUIET, SIREN | {"alarm": {"current_a": 4.0, "provenance": "measured"}}],
            "site": {"min_degc": 1},
        },
    ),
    "charger_not_known": (
        "risk",
        {"supply": {"charge_limit_a": None}},
        {"supply": {"charge_limit_a": None}, "requirement": {"recharge_h": None}},
    ),
    "bank_too_large_for_charger": ("risk", {"supply": {"charge_limit_a": 0.4}}, {}),
    "no_cutoff lead": (
        "risk",
        lead(cutoff_v=None),
        {"supply": {"kind": "primary", "bank": CELLS, "cutoff_v": None, **NO_CHARGER}, "loads": [{"standby": {"current_a": 0.01}}]},
    ),
    "no_cutoff lithium": ("danger", lfp(cutoff_v=None), lfp(cutoff_v=None, bank={"bms": {"cutoff_v": 10.8}})),
    "no_cutoff stopped": ("risk", {**lfp(cutoff_v=None), "loads": [merged(QUIET, {"min_v": 11.0})]}, lfp()),
    "cutoff_below_end lead": ("risk", lead(cutoff_v=1.0), lead(cutoff_v=10.4)),
    "cutoff_below_end lithium": ("danger", lfp(cutoff_v=8.0), lfp(cutoff_v=8.0, bank={"bms": {"cutoff_v": 10.4}})),
    "cutoff_below_end primary": (
        "risk",
        lead(cutoff_v=6.0),
        {"supply": {"kind": "primary", "bank": CELLS, "cutoff_v": 6.0, **NO_CHARGER}, "loads": [{"standby": {"current_a": 0.01}}]},
    ),
    "bank_voltage_mismatch": ("danger", lead(bank={"series": 2}), lfp()),
    "bank_voltage_mismatch near": (
        "danger",
        of({**LI_ION, "block_v": 14.6}, charge_v=16.8, cutoff_v=12.0),
        of(LI_ION, charge_v=12.6, cutoff_v=9.5),
    ),
    "current_above_cell": (
        "fails",
        {**lfp(bank={"capacity_ah": 6}), "loads": [{"standby": {"current_a": 15.0}}]},
        {**lfp(bank={"capacity_ah": 20}), "loads": [{"standby": {"current_a": 15.0}}]},
    ),
    "current_above_cell burst": (
        "fails",
        {**lfp(bank={"capacity_ah": 6}), "loads": [merged(QUIET, {"bursts": [{"current_a": 13.0, "duration_s": 2, "per_hour": 1}]})]},
        {
            **lfp(bank={"capacity_ah": 6, "bms": {"limit_a": 20}}),
            "loads": [merged(QUIET, {"bursts": [{"current_a": 13.0, "duration_s": 2, "per_hour": 1}]})],
        },
    ),
    "current_above_cell bms": (
        "fails",
        {**lfp(bank={"bms": {"limit_a": 2.0}}), "loads": [SIREN | {"alarm": {"current_a": 2.5, "provenance": "measured"}}]},
        {**lfp(), "loads": [SIREN | {"alarm": {"current_a": 2.5, "provenance": "measured"}}]},
    ),
    "too_many_strings": ("risk", lead(bank={"parallel": 8}), lead(bank={"parallel": 4})),
    "ventilation note": ("note", lead(bank={"capacity_ah": 65}), lead(bank={"capacity_ah": 38})),
    "ventilation danger": (
        "danger",
        lead(bank={"capacity_ah": 200}, enclosure={"volume_m3": 0.1, "gas_tight": True}),
        lead(bank={"capacity_ah": 17}, enclosure={"volume_m3": 0.1, "gas_tight": True}),
    ),
    "ventilation lithium": (
        "danger",
        lead(bank={"capacity_ah": 200}, enclosure={"volume_m3": 0.1, "gas_tight": True}),
        lfp(bank={"capacity_ah": 200}, enclosure={"volume_m3": 0.1, "gas_tight": True}),
    ),
    "too_hot": ("fails", lead(max_degc=55), lead(max_degc=49)),
    "too_cold": ("fails", {**lead(), "site": {"min_degc": -25}}, {**lead(), "site": {"min_degc": -19}}),
    "egress fails": (
        "fails",
        {"loads": [merged(QUIET, {"lock": "fail_secure", "escape_route": True})]},
        {"loads": [merged(QUIET, {"lock": "fail_safe", "escape_route": True})]},
    ),
    "egress note": ("note", {"loads": [merged(QUIET, {"lock": "fail_safe"})]}, {"loads": [QUIET]}),
    "convenience_on_life_safety": (
        "risk",
        {"loads": [merged(QUIET, {"purpose": "life_safety"}), merged(QUIET, {"purpose": "convenience"})]},
        {"loads": [merged(QUIET, {"purpose": "life_safety"}), merged(QUIET, {"purpose": "security"})]},
    ),
    "convenience_on_life_safety unsaid": (
        "note",
        {"loads": [QUIET], "requirement": {"purpose": "fire"}},
        {"loads": [QUIET], "requirement": {"purpose": "intruder"}},
    ),
    "cable_drop_starves essential": (
        "fails",
        {"loads": [SIREN | {"min_v": 9.5, "cable": LONG}]},
        {"loads": [SIREN | {"min_v": 9.5, "cable": {"length_m": 10, "section_mm2": 0.5}}]},
    ),
    "cable_drop_starves unknown": (
        "risk",
        {"loads": [SIREN | {"cable": LONG}]},
        {"loads": [SIREN | {"cable": {"length_m": 12, "section_mm2": 0.5}}]},
    ),
    "cable_drop_starves spare": (
        "risk",
        {"loads": [SIREN | {"min_v": 9.5, "essential": False, "cable": LONG}]},
        {"loads": [SIREN | {"min_v": 9.5, "essential": False, "cable": {"length_m": 10, "section_mm2": 0.5}}]},
    ),
    "warning_missing": ("risk", {**lead(), **LATE}, {**lead(low_battery_v=11.8), **LATE}),
    "warning_too_late": ("risk", {**lead(low_battery_v=10.4), **LATE}, {**lead(low_battery_v=11.8), **LATE}),
    "current_improbable": (
        "note",
        {"loads": [{"name": "Maglock", "standby": {"current_a": 0.00048}}]},
        {"loads": [{"name": "Maglock", "standby": {"current_a": 0.48}}]},
    ),
    "current_improbable words": (
        "note",
        {"loads": [{"name": "10 x PIR dets", "standby": {"current_a": 1.6}}]},
        {"loads": [{"name": "10 x PIR dets", "standby": {"current_a": 0.012}}]},
    ),
    "overload_alarm": ("fails", {"loads": [SIREN | {"alarm": {"current_a": 2.5, "provenance": "measured"}}]}, {"loads": [SIREN]}),
    "overload_standby": ("fails", {"supply": {"output_limit_a": 0.2}}, {}),
    "holdover_below_requirement": ("fails", {"loads": [{"quantity": 4}]}, {}),
    "capacity_below_method": (
        "fails",
        {"requirement": {"method": "derated", "derating": {"usable_ratio": 0.3}}},
        {"requirement": {"method": "derated"}},
    ),
    "meets_on_paper_only": (
        "risk",
        {"loads": [{"quantity": 2, "standby": {"current_a": 0.3, "provenance": "data_sheet"}}]},
        {"loads": [QUIET]},
    ),
    "worst_case_short": ("note", {"loads": [{"standby": {"current_a": 0.54}}]}, {"loads": [QUIET]}),
    "bank_past_age": ("risk", lead(bank={"age_y": 6}), lead(bank={"age_y": 3})),
    "cutoff_above_need": ("note", {"supply": {"cutoff_v": 12.0}}, {}),
    "cutoff_below_need": (
        "note",
        {"loads": [merged(QUIET, {"min_v": 11.5})]},
        {"loads": [merged(QUIET, {"min_v": 4.6, "rail_v": 5, "converter": {"kind": "switching", "efficiency_ratio": 0.85}})]},
    ),
    "missing_margin": ("risk", {"requirement": {"method": "plain"}}, {}),
    "double_margin": (
        "note",
        {"requirement": {"method": "standard_formula"}, "supply": {"bank": {"age_y": 2}}},
        {"requirement": {"method": "standard_formula"}},
    ),
    "cold_not_counted": (
        "note",
        {"requirement": {"method": "standard_formula"}, "site": {"min_degc": 5}},
        {"requirement": {"method": "standard_formula"}, "site": {"min_degc": 19}},
    ),
    "nameplate_used_as_draw": ("note", {"loads": [{"standby": {"current_a": 0.3, "provenance": "nameplate"}}]}, {}),
    "nothing_draws": ("note", {"loads": []}, {}),
    "part_missing ac": ("note", {"supply": {"kind": "ac_ups"}}, {"supply": ups(), "loads": [watts(20)]}),
    "part_missing dc": ("note", {"supply": {"kind": "dc_ups"}}, {"supply": dc_ups()}),
    "part_missing rating": (
        "note",
        {"supply": ups(ac={"rated_va": None, "overhead_w": None}), "loads": [watts(20)]},
        {"supply": ups(ac={"rated_va": None}), "loads": [watts(20)]},
    ),
    "part_missing solar": ("note", {"supply": {"kind": "solar"}}, {}),
    "light_load_switch_off ac": (
        "fails",
        {"supply": ups(ac={"light_load_off_w": 20}), "loads": [watts(19)]},
        {"supply": ups(ac={"light_load_off_w": 20}), "loads": [watts(21)]},
    ),
    "light_load_switch_off awake": (
        "fails",
        {"supply": ups(ac={"light_load_off_w": 20}), "loads": [watts(5, bursts=[{"current_a": 0.2, "duration_s": 8, "per_hour": 11}])]},
        {"supply": ups(ac={"light_load_off_w": 20}), "loads": [watts(5, bursts=[{"current_a": 0.2, "duration_s": 8, "per_hour": 13}])]},
    ),
    "light_load_switch_off alarm": (
        "fails",
        {"supply": ups(ac={"light_load_off_w": 20}), "loads": [watts(30, alarm={"current_a": 0.01, "provenance": "measured"})]},
        {"supply": ups(ac={"light_load_off_w": 20}), "loads": [watts(30)]},
    ),
    "light_load_switch_off dc": (
        "fails",
        {"supply": dc_ups(dc={"sleep_below_a": 0.06}), "loads": [{"standby": {"current_a": 0.05}}]},
        {"supply": dc_ups(dc={"sleep_below_a": 0.06}), "loads": [{"standby": {"current_a": 0.07}}]},
    ),
    "light_load_switch_off never wakes": (
        "fails",
        {"supply": dc_ups(dc={"sleep_below_a": 0.06, "wakes_on_load": False}), "loads": [WAKING]},
        {"supply": dc_ups(dc={"sleep_below_a": 0.06}), "loads": [WAKING]},
    ),
    "sleeps_between_bursts": (
        "note",
        {"supply": dc_ups(dc={"sleep_below_a": 0.06}), "loads": [WAKING]},
        {"supply": dc_ups(), "loads": [WAKING]},
    ),
    "transfer_gap": (
        "fails",
        {"supply": ups(), "loads": [watts(20, ride_through_ms=8)]},
        {"supply": ups(), "loads": [watts(20, ride_through_ms=12)]},
    ),
    "transfer_gap not essential": (
        "fails",
        {"supply": ups(), "loads": [watts(20, ride_through_ms=8)]},
        {"supply": ups(), "loads": [watts(20, ride_through_ms=8, essential=False)]},
    ),
    "overhead_dominates": ("note", {"supply": ups(), "loads": [watts(11)]}, {"supply": ups(), "loads": [watts(13)]}),
    "overhead_dominates estimate": (
        "note",
        {"supply": ups(ac={"overhead_w": None}), "loads": [watts(14)]},
        {"supply": ups(ac={"overhead_w": None}), "loads": [watts(15)]},
    ),
    "overload_standby va": (
        "fails",
        {"supply": ups(), "loads": [watts(400, ac={"apparent_va": 900})]},
        {"supply": ups(), "loads": [watts(400, ac={"apparent_va": 800})]},
    ),
    "overload_standby guessed": (
        "fails",
        {"supply": ups(), "loads": [watts(511)]},
        {"supply": ups(), "loads": [watts(509, ac={"power_factor_ratio": 0.9, "power_w": 509})]},
    ),
    "overload_standby by its power factor alone": (
        "fails",
        {"supply": ups(), "loads": [watts(480, ac={"power_factor_ratio": 0.55})]},
        {"supply": ups(), "loads": [watts(480, ac={"power_factor_ratio": 0.57})]},
    ),
    "overload_standby nameplate": (
        "fails",
        {"supply": ups(), "loads": [watts(520, standby={"provenance": "nameplate"}, ac={"power_factor_ratio": 1.0, "power_w": 520})]},
        {"supply": ups(), "loads": [watts(500, standby={"provenance": "nameplate"}, ac={"power_factor_ratio": 1.0, "power_w": 500})]},
    ),
    "overload_alarm va": (
        "fails",
        {"supply": ups(), "loads": [watts(100, ac={"apparent_va": 200}, alarm={"current_a": 2.0, "provenance": "measured"})]},
        {"supply": ups(), "loads": [watts(100, ac={"apparent_va": 180}, alarm={"current_a": 2.0, "provenance": "measured"})]},
    ),
    "overload_standby dc": (
        "fails",
        {"supply": dc_ups(output_limit_a=0.28)},
        {"supply": dc_ups(output_limit_a=0.31)},
    ),
    "cable_drop_starves behind a converter": (
        "fails",
        {"supply": dc_ups(), "loads": [{"min_v": 11.5, "cable": LONG | {"length_m": 40}}]},
        {"supply": dc_ups(), "loads": [{"min_v": 10.8, "cable": LONG | {"length_m": 40}}]},
    ),
    "no_cutoff least input": (
        "danger",
        {"supply": dc_ups(bank=LFP, charge_v=14.4, cutoff_v=None)},
        {"supply": dc_ups(bank=LFP, charge_v=14.4, cutoff_v=None, dc={"min_input_v": 11.0})},
    ),
    "timed_runs_disagree": (
        "risk",
        {"supply": ups(timed_runs=[{"output_w": 26, "run_h": 1.2}, {"output_w": 26, "run_h": 2.4}]), "loads": [watts(20)]},
        {"supply": ups(timed_runs=[{"output_w": 26, "run_h": 2.4}]), "loads": [watts(20)]},
    ),
    "timed_runs_of_another_battery": (
        "risk",
        {"supply": ups(bank={"capacity_ah": 24}, timed_runs=RUNS_OF_SEVEN), "loads": [watts(20)]},
        {"supply": ups(bank={"capacity_ah": 7}, timed_runs=RUNS_OF_SEVEN), "loads": [watts(20)]},
    ),
    "cuts_not_survived": ("fails", cut(TWICE_A_DAY, charge_limit_a=0.08), cut(TWICE_A_DAY, charge_limit_a=0.8)),
    "cuts_not_survived by an alarm alone": (
        "fails",
        {**cut({**ONCE_A_WEEK, "alarm_min": 30, "standby_h": 0.1}), "loads": [{"alarm": {"current_a": 18.0, "provenance": "measured"}}]},
        {**cut({**ONCE_A_WEEK, "alarm_min": 30, "standby_h": 0.1}), "loads": [{"alarm": {"current_a": 6.0, "provenance": "measured"}}]},
    ),
    "cuts_not_survived windows": (
        "fails",
        cut(
            {}, kind="windowed", charge_limit_a=1.0, charge_v=14.4, windows={"week": [{"day": "daily", "start": "07:30", "duration_h": 1}]}
        ),
        cut(
            {},
            kind="windowed",
            charge_limit_a=4.0,
            supply_current_a=9,
            charge_v=14.4,
            windows={"week": [{"day": "daily", "start": "07:30", "duration_h": 8}]},
        ),
    ),
    "cuts_not_known": ("risk", cut(TWICE_A_DAY, charge_limit_a=None), cut(TWICE_A_DAY)),
    "cycle_life_spent": ("risk", cut(TWICE_A_DAY, standby_a=0.8), cut(ONCE_A_WEEK)),
    "never_full": ("risk", cut(TWICE_A_DAY, charge_limit_a=0.11), cut(TWICE_A_DAY)),
    "never_full lithium": ("risk", cut(TWICE_A_DAY, charge_limit_a=0.11), cut(TWICE_A_DAY, charge_limit_a=0.11, bank=LFP, charge_v=14.4)),
    "drains_slowly": (
        "risk",
        cut(TWICE_A_DAY, charge_limit_a=0.105, bank={"capacity_ah": 200}),
        cut(TWICE_A_DAY, charge_limit_a=0.5, bank={"capacity_ah": 200}),
    ),
    "sun_does_not_sustain": ("fails", sunny(standby_a=0.1), sunny()),
    "winter_deficit": ("risk", sunny(DULL, standby_a=0.042), sunny(DULL, standby_a=0.030)),
    "never_full sun": ("risk", sunny(standby_a=0.055), sunny()),
    "unregulated_panel_too_strong risk": ("risk", sunny(BARE, bank={"capacity_ah": 100}), sunny(BARE, bank={"capacity_ah": 150})),
    "unregulated_panel_too_strong danger": ("danger", sunny(BARE, bank={"capacity_ah": 38}), sunny(BARE, bank={"capacity_ah": 45})),
    "unregulated_panel_too_strong controller": ("danger", sunny(BARE), sunny()),
    "lithium_without_controller": ("danger", sunny(BARE, bank=LFP), sunny(bank=LFP)),
    "no_blocking_diode": ("risk", sunny(BARE | {"blocking_diode": False}), sunny(BARE)),
    "no_blocking_diode controller": ("risk", sunny(BARE | {"blocking_diode": False}), sunny({"blocking_diode": False})),
    "charger_too_slow sun": (
        "fails",
        {**sunny(), "requirement": {"standby_h": 24, "alarm_min": 0, "recharge_h": 100}},
        {**sunny(), "requirement": {"standby_h": 24, "alarm_min": 0, "recharge_h": 2000}},
    ),
    "charger_never_recovers sun": (
        "fails",
        {**sunny(standby_a=0.05), "requirement": {"standby_h": 24, "alarm_min": 0, "recharge_h": 2000}},
        {**sunny(), "requirement": {"standby_h": 24, "alarm_min": 0, "recharge_h": 2000}},
    ),
    "charger_too_strong sun": ("risk", sunny({"panels_count": 8}), sunny({"panels_count": 4})),
    "part_missing panel": ("note", sunny({"controller": "mppt", "panel_w": None}), sunny({"controller": "mppt"})),
    "cell_size_unknown": (
        "note",
        {"supply": {"kind": "primary", "bank": {**CELLS, "capacity_ah": 30}, **NO_CHARGER}, "loads": [{"standby": {"current_a": 0.01}}]},
        {"supply": {"kind": "primary", "bank": CELLS, **NO_CHARGER}, "loads": [{"standby": {"current_a": 0.01}}]},
    ),
}


@pytest.mark.parametrize("row", ROWS)
def test_a_finding_is_earned_and_its_innocent_twin_does_not_earn_it(row):
    """With its severity, and with something to read in every part of it. What needs no hours is said before they are there."""
    severity, offender, twin = ROWS[row]
    code = row.split()[0]
    found, innocent = evaluate(**offender), evaluate(**twin)
    assert (code, severity) in {(f.code, f.severity.value) for f in found.findings}
    assert all(all((f.evidence, f.source, f.way_out)) for f in found.findings if f.code == code)
    assert (code, severity) not in {(f.code, f.severity.value) for f in innocent.findings}
    assert_nothing_severe_waits(offender, found)
    assert_nothing_severe_waits(twin, innocent)


def assert_nothing_severe_waits(site, whole):
    """As long as the hours of a site are worked out: every danger at once, nothing that is taken back later, and no all-clear."""
    plan = core_plan(document(**site))
    early = pending(plan, plan.supplies[0])
    assert {f for f in whole.findings if f.severity is Severity.DANGER} <= set(early.findings)
    told = {(f.code, f.severity) for f in early.findings if f.code != "figures_pending"}
    assert told <= {(f.code, f.severity) for f in whole.findings}
    assert early.verdict in ("unsafe", "fails", "unknown", None)
    assert "unsafe" not in (early.verdict, whole.verdict) or early.verdict == whole.verdict
    assert early.verdict != "fails" or whole.verdict == "fails"
    assert early.holdover is None


@pytest.mark.parametrize(
    "changes",
    [
        {"supply": {"kind": "solar", "bank": LI_ION, "charge_v": 13.65, "cutoff_v": 9.5}},
        {"supply": {"kind": "ac_ups", "bank": LI_ION, "charge_v": 13.65, "cutoff_v": 9.5}},
        {"supply": ups(bank=LI_ION, charge_v=13.65, cutoff_v=9.5), "loads": [watts(20, ac={"power_w": 20.0})]},
        {"supply": {"own_current_a": 0.0, "bank": LI_ION, "charge_v": 13.65, "cutoff_v": 9.5}, "loads": []},
    ],
)
def test_a_danger_is_found_whether_or_not_hours_can_be_computed(changes):
    """Not modelled, behind an inverter, with nothing on it: unsafe all the same, and no supply, plan or word calls it anything better."""
    plan = evaluate_plan(to_core(read_site(document(**changes))).plans[0])
    assert codes(plan.supplies[0])["charge_voltage_dangerous"] == "danger"
    assert (plan.supplies[0].verdict, plan.verdict, plan.meets_requirement) == ("unsafe", "unsafe", False)


HEALTHY = {
    "alarm panel": {
        "supply": {"kind": "panel", "bank": {"capacity_ah": 7}, "charge_limit_a": 0.7, "low_battery_v": 11.5},
        "loads": [QUIET, SIREN],
        "requirement": {"standby_h": 12, "purpose": "intruder"},
    },
    "aged but sound": {
        "supply": {"kind": "panel", "bank": {"capacity_ah": 7, "age_y": 2}, "charge_limit_a": 0.7},
        "loads": [QUIET],
        "requirement": {"standby_h": 12},
    },
    "fire panel at 27.3 V": {
        "supply": {
            "kind": "panel",
            "nominal_v": 24,
            "cutoff_v": 21,
            "charge_v": 27.3,
            "bank": {"series": 2, "capacity_ah": 12},
            "charge_limit_a": 1.2,
        },
        "loads": [
            {"rail_v": 24, "standby": {"current_a": 0.15}, "alarm": {"current_a": 0.6, "provenance": "measured"}, "purpose": "life_safety"}
        ],
        "requirement": {"purpose": "fire"},
        "site": {"typical_degc": 20, "min_degc": 15},
    },
    "LFP at 14.4 V": {"supply": {"bank": LFP, "charge_v": 14.4, "charge_mode": "cyclic"}, "loads": [QUIET]},
    "LFP in the cold, protected": {
        "supply": {
            "bank": {**LFP, "bms": {"charges_from_degc": 0, "cutoff_v": 10.0}},
            "charge_v": 14.4,
            "cutoff_v": None,
            "charge_mode": "cyclic",
        },
        "loads": [QUIET],
        "site": {"min_degc": -10},
    },
    "48 V telecom": {
        "supply": {
            "nominal_v": 48,
            "cutoff_v": 43.2,
            "charge_v": 54.5,
            "bank": {"series": 4, "capacity_ah": 38},
            "supply_current_a": 10,
            "charge_limit_a": 4,
            "output_limit_a": 6,
        },
        "loads": [{"rail_v": 48, "behaviour": "constant_power", "standby": {"current_a": 0.8}}],
        "requirement": {"standby_h": 8},
    },
    "single Li-ion cell": {
        "supply": {
            "nominal_v": 3.65,
            "cutoff_v": 3.0,
            "charge_v": 4.2,
            "charge_limit_a": 0.6,
            "bank": {"chemistry": "li_ion", "block_v": 3.65, "capacity_ah": 3.0},
            "charge_mode": "cyclic",
        },
        "loads": [{"rail_v": 3.65, "standby": {"current_a": 0.02}}],
    },
    "NiMH": {"supply": {"bank": NIMH, **GENTLE_NIMH}, "loads": [QUIET], "requirement": {"standby_h": 12, "recharge_h": 48}},
    "alkaline logger": {
        "supply": {"kind": "primary", "bank": CELLS, "cutoff_v": None, **NO_CHARGER},
        "loads": [{"name": "Logger", "standby": {"current_a": 0.002}}],
        "requirement": {"standby_h": 2000, "alarm_min": 0, "recharge_h": None},
    },
    "gel outdoors": {
        "supply": {"bank": {"chemistry": "lead_gel", "capacity_ah": 24}, "charge_v": 13.8, "charge_compensated": True},
        "loads": [QUIET],
        "site": {"typical_degc": 12, "min_degc": -10, "max_degc": 38},
    },
    "long cable, thick enough": {"loads": [SIREN | {"min_v": 9.5, "cable": {"length_m": 25, "section_mm2": 1.0}}]},
    "camera behind a converter": {
        "loads": [
            {
                "name": "Camera",
                "rail_v": 5,
                "min_v": 4.6,
                "converter": {"kind": "switching", "efficiency_ratio": 0.85},
                "behaviour": "constant_power",
                "standby": {"current_a": 0.4},
            }
        ]
    },
    "sunny": {"supply": {"typical_degc": 24, "max_degc": 35}, "loads": [QUIET]},
    "wired as it must be": fused(capacity_ah=12, parallel=2, blocks=[{"key": "b1", "string": 1, "position": 1, "made": "2024-01"}]),
}


@pytest.mark.parametrize("name", HEALTHY)
def test_a_healthy_installation_stays_quiet(name):
    """It holds, and nothing is found that anybody had to do something about."""
    result = evaluate(**HEALTHY[name])
    assert {c for c, severity in codes(result).items() if severity != "note"} == set()
    assert result.verdict == "holds"
    assert result.not_checked


def test_the_plan_has_the_verdict_of_its_worst_supply_and_of_what_hangs_on_nothing():
    """A sounder that nobody feeds: fails where it is for life safety, on paper only where it is not, and a convenience takes nothing."""
    for purpose, verdict, severity in (
        ("life_safety", "fails", "fails"),
        ("security", "on_paper_only", "risk"),
        (None, "on_paper_only", "risk"),
        ("convenience", "holds", "note"),
    ):
        plan = evaluate_plan(to_core(read_site(document(loads=[QUIET, {"supply": None, "purpose": purpose}]))).plans[0])
        assert (plan.supplies[0].verdict, plan.verdict) == ("holds", verdict)
        assert [(f.code, f.severity.value) for f in plan.findings] == [("load_unassigned", severity)]


def test_an_empty_supply_takes_no_verdict_from_its_plan_and_an_unknown_one_does():
    """Nothing hangs on the second one; when it is of a kind that is not computed, with a load on it, the plan is unknown."""
    found = document(loads=[QUIET, {"supply": "t", "standby": {"current_a": 0.1}}])
    plan = found["plans"][0]
    plan["supplies"].append(merged(plan["supplies"][0], {"key": "t", "name": "Other", "kind": "solar"}))
    computed = evaluate_plan(core_plan(found))
    assert (computed.supplies[1].verdict, computed.verdict, computed.meets_requirement) == ("unknown", "unknown", None)
    plan["loads"].pop()
    computed = evaluate_plan(core_plan(found))
    assert (computed.supplies[1].verdict, computed.verdict) == (None, "holds")


def test_an_outage_begins_as_full_as_the_charger_makes_the_bank():
    """13.3 V on four cells is 3.325 V: 0.8 of LFP's curve. Hours, played outage, samples and sizing all begin there."""
    from ypomoni.core.outage.case import Case
    from ypomoni.core.outage.playing import Conditions, play_supply
    from ypomoni.core.outage.survival import sample_holdovers

    changes = {
        "supply": {"bank": LFP, "charge_v": 13.3, "cutoff_v": 11.2},
        "loads": [{"standby": {"current_a": 0.5}}],
        "requirement": {"recharge_h": None, "alarm_min": 0},
    }
    part = evaluate(**changes)
    whole = evaluate(**merged(changes, {"supply": {"charge_v": 14.4}}))
    assert part.starts_at_ratio == pytest.approx(0.65 + 0.3 * 0.015 / 0.025, abs=1e-9)
    assert part.holdover.expected == pytest.approx(part.starts_at_ratio * whole.holdover.expected, rel=0.03)
    assert {m.method.value: m.required_ah for m in part.methods}["simulation"] > 1.2 * {
        m.method.value: m.required_ah for m in whole.methods
    }["simulation"]
    assert "83 % full" in part.methods[-1].counts["starts at"]
    assert "u0" in {s.symbol for s in part.workings["holdover"].steps}
    plan = core_plan(document(**changes))
    case = Case(plan.supplies[0], plan.loads)
    assert play_supply(case, Conditions()).end.t_h == pytest.approx(part.holdover.expected, rel=1e-3)
    assert float(sorted(sample_holdovers(case, 41).holdovers_h)[20]) == pytest.approx(part.holdover.expected, rel=0.1)


def test_the_burst_that_is_named_is_the_one_that_trips_it():
    """The stronger burst comes rarely, and not in the run that was computed: the one that is active at the end is blamed."""
    loads = [
        merged(QUIET, {"name": "Dialler", "bursts": [{"current_a": 2.0, "duration_s": 10, "per_hour": 4}]}),
        merged(
            QUIET, {"name": "Gate motor", "standby": {"current_a": 0.0}, "bursts": [{"current_a": 3.0, "duration_s": 5, "per_hour": 0.001}]}
        ),
    ]
    result = evaluate(supply={"output_limit_a": 6, "bank": {"capacity_ah": 7, "condition_ratio": 0.6}}, loads=loads)
    (finding,) = [f for f in result.findings if f.code == "burst_trips_cutoff"]
    assert "burst of Dialler" in finding.evidence
    assert "Gate motor" not in finding.evidence


def test_the_schools_blame_what_makes_the_difference():
    """At 25 °C nothing is cold: it is the 11.1 V that the equipment stops at."""
    warm = {"typical_degc": 25, "min_degc": 25}
    heavy = [{"min_v": 11.1, "standby": {"current_a": 1.9}}]
    result = evaluate(loads=heavy, requirement={"end_of_life_ratio": 1.0, "method": "plain", "standby_h": 6}, site=warm)
    (told,) = [text for text in result.disagreement if text.startswith("Plain, which is prescribed,")]
    assert "it leaves out that Beam stops at 11.1 V" in told
    assert "cold" not in " ".join(result.disagreement)


def test_ways_out_name_the_cause_a_bank_cannot_mend():
    """A wrong voltage, a cable, a charger that is set to nothing: no bank, and the reason says which."""
    wrong = evaluate(supply={"bank": {"series": 2}})
    assert wrong.recommended_bank is None
    assert "2 × 12 V in series is 24 V" in wrong.no_bank_reason
    assert not any("Raise the set voltage" in f.way_out for f in wrong.findings)
    cable = evaluate(loads=[SIREN | {"min_v": 11.0, "alarm": {"current_a": 1.5, "provenance": "measured"}, "cable": LONG}])
    assert "cable" in cable.no_bank_reason
    off = evaluate(supply={"charge_limit_a": 0.0})
    assert "charge limit of Bay is 0 A" in next(f.evidence for f in off.findings if f.code == "charger_never_recovers")
    profile = {"standby_h": 4, "recharge_h": 8, "recharge_to_ratio": 0.95}
    slow = evaluate(requirement=profile)
    (finding,) = [f for f in slow.findings if f.code == "charger_too_slow"]
    assert "takes less and less current" in finding.evidence
    assert "stronger" not in finding.way_out


def texts():
    """Return every finding of the offenders and of the audit, each code and severity once, as lines."""
    found = {}
    for row, (severity, offender, _) in ROWS.items():
        # A second offender of the same finding says the same in other figures.
        if (row.split()[0], severity) in found:
            continue
        for f in evaluate(**offender).findings:
            found.setdefault((f.code, f.severity.value), f)
    burst = {"current_a": 2.5, "duration_s": 10, "per_hour": 1}
    more = [
        evaluate(
            loads=[merged(QUIET, {"bursts": [burst]})], supply={"output_limit_a": 3, "bank": {"capacity_ah": 7, "condition_ratio": 0.6}}
        ),
        evaluate(**LATE, supply={"low_battery_v": 10.6}),
        evaluate(
            supply={
                "kind": "primary",
                "bank": {"chemistry": "li_socl2", "block_v": 3.6, "capacity_ah": 19, "rate_h": 1000, "series": 3},
                "cutoff_v": 9.0,
                **NO_CHARGER,
            },
            loads=[{"standby": {"current_a": 0.002}, "bursts": [{**burst, "current_a": 0.5}]}],
            requirement={"standby_h": 100},
        ),
    ]
    table = [{"current_a": a, "run_h": h, "end_v": 10.5} for a, h in ((0.85, 20), (1.58, 10), (29.1, 5), (10.3, 1), (17.5, 0.5))]
    more.append(evaluate(supply={"bank": {"discharge_table": table}}))
    loads = [other_load("a", 0.2, "data_sheet"), other_load("b", 0.1, "measured", recharges=[{"energy_wh": 20, "per_day": 1}])]
    loads[0]["standby"]["reading"], loads[1]["standby"]["reading"] = "r1", "r2"
    readings = [
        reading("r1", "battery", 0.9, mains="on"),
        reading("r2", "at-b", 0.1, hookup="power_meter"),
        reading("r3", "output", 300.0),
        reading("r4", "at-a", 0.26),
    ]
    plan = evaluate_plan(core_plan(audited(loads=loads, readings=readings)))
    more += plan.supplies
    loads[0]["standby"]["reading"] = "r4"
    more += evaluate_plan(
        core_plan(audited(loads=loads, readings=[*readings[:2], readings[3] | {"hookup": "power_meter"}, reading("r5", "output", 0.6)]))
    ).supplies
    ac = evaluate(
        supply=ups(), loads=[{"name": "Recorder", "rail_v": 230, "ac": {"power_w": 32, "apparent_va": 32, "power_factor_ratio": 0.6}}]
    )
    for f in itertools.chain.from_iterable(result.findings for result in [*more, ac]):
        found.setdefault((f.code, f.severity.value), f)
    two = document(
        loads=[
            {"bus_group": "B", "standby": {"current_a": 1.5}},
            {"supply": "t", "bus_group": "B", "standby": {"current_a": 0.1}},
            *({"supply": None, "purpose": p} for p in ("life_safety", "security", "convenience")),
        ]
    )
    two["plans"][0]["supplies"].append(merged(two["plans"][0]["supplies"][0], {"key": "t", "name": "Other"}))
    plan = evaluate_plan(core_plan(two))
    blind = backed_up(pack=dc_ups(cutoff_v=10.5), gauge={"full_v": 12.9, "empty_v": 10.5})
    short = backed_up(requirement={"standby_h": 40}, pack={"cutoff_v": 10.5}, camera={"standby": {"provenance": "estimate"}, "min_v": None})
    backed = [evaluate_plan(core_plan(site)).selectors[0] for site in (backed_up(), backed_up(switch_below_v=10.5), blind, short)]
    for f in [*plan.findings, *(f for s in backed for f in s.findings), *(f for s in plan.supplies for f in s.findings)]:
        found.setdefault((f.code, f.severity.value), f)
    return [f"{code} {severity}\n  {f.evidence}\n  -> {f.way_out}\n  ({f.source})\n" for (code, severity), f in sorted(found.items())]


def test_every_text_of_a_finding_is_the_reviewed_one():
    """Read as one list by somebody before it changes: `tests/reference/finding_texts.txt`."""
    reviewed = Path(__file__).parent.parent / "reference" / "finding_texts.txt"
    assert "\n".join(texts()) == reviewed.read_text()
