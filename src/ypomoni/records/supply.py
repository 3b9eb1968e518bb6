"""A supply of a plan, with its bank."""

from typing import Annotated, Any, TypedDict

from ypomoni.core.things.outputs import Topology, Waveform
from ypomoni.core.things.solar import Controller
from ypomoni.core.things.supplies import ChargeEnd, ChargeMode
from ypomoni.core.things.supply_kinds import SupplyKind
from ypomoni.records.bank import BankRow
from ypomoni.records.field import (
    Flag,
    Kept,
    Line,
    Many,
    Months,
    Nests,
    Real,
    Reference,
    Row,
    Whole,
    Word,
    YesNo,
    amperes,
    degrees,
    key_of,
    share,
    volts,
)
from ypomoni.records.kinds import APPARENT, CHARGE, COUNT, CURRENT, HOURS, MILLISECONDS, MINUTES, POWER, SECONDS, VOLTAGE, VOLUME
from ypomoni.records.pattern import MOST_SPANS, WeekSpanRow
from ypomoni.records.words import CHARGE_END_WORDS, CHARGE_WORDS, CONTROLLER_WORDS, KIND_WORDS, TOPOLOGY_WORDS, WAVEFORM_WORDS

CHARGER = "Its output and charger"
AC_OUTPUT = "Its AC output, if it is an AC UPS"
DC_OUTPUT = "Its DC output, if it is a DC UPS"
WINDOWS = "Its windows of charge, if it has any"
SUN = "Its panels, if the sun charges it"
PLACE = "Its place"
IN_WORDS = {"standby": "standby", "alarm": "alarm"}


class TotalRow(TypedDict):
    """A total taken from a reading into the register: what flows through its point in standby or alarm."""

    point: Annotated[str, Line("point", is_key=True)]
    state: Annotated[str, Word("state", IN_WORDS, default="standby")]
    current_a: Annotated[float, Real("current_a", CURRENT, least=0, most=1000)]
    uncertainty_a: Annotated[float, Real("uncertainty_a", CURRENT, above=0, most=1000)]
    at_v: Annotated[float, Real("at_v", VOLTAGE, above=0, most=1000)]
    reading: Annotated[str | None, Line("reading", is_key=True, default=None, null=True)]


class _Head(Kept):
    plan_id: Annotated[int, Reference("plan_id", path=None, told=None)]
    key: Annotated[str, key_of()]
    name: Annotated[str, Line("name", label="Name", hint="as in Bay B")]
    kind: Annotated[str, Word("kind", KIND_WORDS, one_of=SupplyKind, label="Kind")]
    requirement_id: Annotated[int, Reference("requirement_id", path="requirement", label="Must meet", told="must meet")]
    nominal_v: Annotated[float, volts("nominal_v", label="Nominal voltage")]
    cutoff_v: Annotated[
        float | None,
        volts("cutoff_v", null=True, label="Disconnects its battery at", hint="as in 10.5 V; empty if it never does"),
    ]
    low_battery_v: Annotated[
        float | None,
        volts(
            "low_battery_v",
            default=None,
            null=True,
            label="Warns of a low battery at",
            hint="as in 11.5 V, or empty if it does not",
            since=3,
        ),
    ]
    own_current_a: Annotated[
        float,
        amperes("own_current_a", default=0.0, label="Its own current on battery", hint="30 to 100 mA is common; 0 A if none"),
    ]


class TimedRunRow(TypedDict):
    """How long a UPS carried a known output, from full to its cut-off."""

    output_w: Annotated[
        float,
        Real("output_w", POWER, least=0, most=1e6, label="At an output of", hint="what a power meter shows on its output, as in 26 W"),
    ]
    run_h: Annotated[
        float, Real("run_h", HOURS, above=0, most=87_600, label="It lasted", hint="from full until it switched off, as in 3 h 50 min")
    ]


class _Outputs(TypedDict):
    ac_output_v: Annotated[
        float | None,
        volts(
            "ac_output_v",
            path="ac.output_v",
            default=230.0,
            may_be_empty=True,
            group=AC_OUTPUT,
            label="AC output voltage",
            hint="as in 230 V; empty if it is no AC UPS",
            since=9,
        ),
    ]
    ac_rated_va: Annotated[
        float | None,
        Real(
            "ac_rated_va",
            APPARENT,
            path="ac.rated_va",
            above=0,
            most=1e6,
            default=None,
            null=True,
            group=AC_OUTPUT,
            label="Rated volt-amperes",
            hint="as in 850 VA",
            since=9,
        ),
    ]
    ac_rated_w: Annotated[
        float | None,
        Real(
            "ac_rated_w",
            POWER,
            path="ac.rated_w",
            above=0,
            most=1e6,
            default=None,
            null=True,
            group=AC_OUTPUT,
            label="Rated watts",
            hint="as in 510 W",
            since=9,
        ),
    ]
    ac_overhead_w: Annotated[
        float | None,
        Real(
            "ac_overhead_w",
            POWER,
            path="ac.overhead_w",
            least=0,
            most=1e5,
            default=None,
            null=True,
            group=AC_OUTPUT,
            label="Burns to stay awake",
            hint="on battery with no load, as in 14 W; empty: 2 % of its VA, half off",
            since=9,
        ),
    ]
    ac_efficiency_ratio: Annotated[
        float | None,
        share(
            "ac_efficiency_ratio",
            path="ac.efficiency_ratio",
            least=0.05,
            default=0.85,
            may_be_empty=True,
            group=AC_OUTPUT,
            label="Efficiency of its inverter",
            hint="empty for 85 %",
            since=9,
        ),
    ]
    ac_light_load_off_w: Annotated[
        float | None,
        Real(
            "ac_light_load_off_w",
            POWER,
            path="ac.light_load_off_w",
            above=0,
            most=1e6,
            default=None,
            null=True,
            group=AC_OUTPUT,
            label="Switches off below",
            hint="as in 10 W; empty if it never does",
            since=9,
        ),
    ]
    ac_light_load_off_min: Annotated[
        float | None,
        Real(
            "ac_light_load_off_min",
            MINUTES,
            path="ac.light_load_off_min",
            above=0,
            most=1440,
            default=5.0,
            may_be_empty=True,
            group=AC_OUTPUT,
            label="After so long",
            hint="empty for 5 min",
            since=9,
        ),
    ]
    ac_transfer_ms: Annotated[
        float | None,
        Real(
            "ac_transfer_ms",
            MILLISECONDS,
            path="ac.transfer_ms",
            least=0,
            most=1e5,
            default=None,
            null=True,
            group=AC_OUTPUT,
            label="Changes over in",
            hint="as in 10 ms; empty if not known",
            since=9,
        ),
    ]
    ac_waveform: Annotated[
        str | None,
        Word(
            "ac_waveform",
            WAVEFORM_WORDS,
            path="ac.waveform",
            one_of=Waveform,
            default=None,
            null=True,
            none="not entered",
            group=AC_OUTPUT,
            label="Output waveform",
            since=16,
        ),
    ]
    ac_sold_with_ah: Annotated[
        float | None,
        Real(
            "ac_sold_with_ah",
            CHARGE,
            path="ac.sold_with_ah",
            above=0,
            most=100_000,
            default=None,
            null=True,
            group=AC_OUTPUT,
            label="Battery supplied with the UPS",
            hint="whole battery, e.g. 7 Ah; leave blank if unknown",
            told="battery supplied with the UPS",
            since=16,
        ),
    ]
    timed_runs: Annotated[list[dict[str, Any]], Many("timed_runs", TimedRunRow, default=[], most=20, told="timed runs", since=9)]
    dc_output_v: Annotated[
        float | None,
        volts(
            "dc_output_v",
            path="dc.output_v",
            may_be_empty=True,
            group=DC_OUTPUT,
            label="DC output voltage",
            hint="as in 12 V; empty if it is no DC UPS",
            since=9,
        ),
    ]
    dc_efficiency_ratio: Annotated[
        float | None,
        share(
            "dc_efficiency_ratio",
            path="dc.efficiency_ratio",
            least=0.05,
            default=None,
            null=True,
            group=DC_OUTPUT,
            label="Efficiency of its converter",
            hint="as in 90 %; empty if the battery goes straight through",
            since=9,
        ),
    ]
    dc_idle_power_w: Annotated[
        float | None,
        Real(
            "dc_idle_power_w",
            POWER,
            path="dc.idle_power_w",
            least=0,
            most=1e4,
            default=0.0,
            may_be_empty=True,
            group=DC_OUTPUT,
            label="Burns to stay awake (DC)",
            hint="as in 200 mW; empty for nothing",
            since=9,
        ),
    ]
    # It is in the site file and not in the form before it is computed.
    dc_topology: Annotated[
        str | None,
        Word(
            "dc_topology",
            TOPOLOGY_WORDS,
            path="dc.topology",
            one_of=Topology,
            default=None,
            null=True,
            since=16,
        ),
    ]
    # It is in the site file and not in the form before it is computed.
    dc_dropout_v: Annotated[
        float | None,
        Real(
            "dc_dropout_v",
            VOLTAGE,
            path="dc.dropout_v",
            least=0,
            most=100,
            default=None,
            null=True,
            since=16,
        ),
    ]
    dc_min_input_v: Annotated[
        float | None,
        volts(
            "dc_min_input_v",
            path="dc.min_input_v",
            default=None,
            null=True,
            group=DC_OUTPUT,
            label="Its converter stops at",
            hint="battery voltage, as in 9 V; empty if not known",
            since=9,
        ),
    ]
    dc_sleep_below_a: Annotated[
        float | None,
        amperes(
            "dc_sleep_below_a",
            above=0,
            path="dc.sleep_below_a",
            default=None,
            null=True,
            group=DC_OUTPUT,
            label="Sleeps below",
            hint="at its output, as in 60 mA; empty if it never sleeps",
            since=9,
        ),
    ]
    dc_sleep_after_s: Annotated[
        float | None,
        Real(
            "dc_sleep_after_s",
            SECONDS,
            path="dc.sleep_after_s",
            above=0,
            most=86_400,
            default=30.0,
            may_be_empty=True,
            group=DC_OUTPUT,
            label="Sleeps after",
            hint="empty for 30 s",
            since=9,
        ),
    ]
    dc_wakes_on_load: Annotated[
        bool | None,
        YesNo(
            "dc_wakes_on_load",
            path="dc.wakes_on_load",
            default=True,
            may_be_empty=True,
            group=DC_OUTPUT,
            label="A load wakes it",
            told="a load wakes it",
            since=9,
        ),
    ]


class _Season(TypedDict):
    windows_week: Annotated[
        list[dict[str, Any]] | None,
        Many(
            "windows_week",
            WeekSpanRow,
            path="windows.week",
            default=None,
            null=True,
            most=MOST_SPANS,
            group=WINDOWS,
            label="Charged in these hours",
            hint="as in daily 07:30 0.5 h, Sat 10:00 2 h; empty if it is of another kind",
            told="windows of charge",
            since=10,
        ),
    ]
    solar_controller: Annotated[
        str | None,
        Word(
            "solar_controller",
            CONTROLLER_WORDS,
            path="solar.controller",
            one_of=Controller,
            none="no panel",
            may_be_empty=True,
            group=SUN,
            label="Between panel and battery",
            since=10,
        ),
    ]
    solar_panel_w: Annotated[
        float | None,
        Real(
            "solar_panel_w",
            POWER,
            path="solar.panel_w",
            above=0,
            most=1e5,
            default=None,
            null=True,
            group=SUN,
            label="Power of one panel",
            hint="its label, as in 20 W; a tracking controller is reckoned from it",
            since=10,
        ),
    ]
    solar_panel_imp_a: Annotated[
        float | None,
        amperes(
            "solar_panel_imp_a",
            above=0,
            path="solar.panel_imp_a",
            default=None,
            null=True,
            group=SUN,
            label="Its current at full sun",
            hint="Imp on its label, as in 1.15 A",
            since=10,
        ),
    ]
    solar_panel_isc_a: Annotated[
        float | None,
        amperes(
            "solar_panel_isc_a",
            above=0,
            path="solar.panel_isc_a",
            default=None,
            null=True,
            group=SUN,
            label="Its short-circuit current",
            hint="Isc on its label, as in 1.25 A",
            since=10,
        ),
    ]
    solar_panels_count: Annotated[
        int | None,
        Whole(
            "solar_panels_count",
            COUNT,
            path="solar.panels_count",
            least=1,
            most=1000,
            default=1,
            may_be_empty=True,
            group=SUN,
            label="Panels, in parallel",
            hint="empty for one",
            since=10,
        ),
    ]
    solar_controller_current_a: Annotated[
        float | None,
        amperes(
            "solar_controller_current_a",
            path="solar.controller_current_a",
            default=0.0,
            may_be_empty=True,
            group=SUN,
            label="The controller draws",
            hint="day and night, as in 10 mA; empty for nothing",
            since=10,
        ),
    ]
    solar_blocking_diode: Annotated[
        bool | None,
        YesNo(
            "solar_blocking_diode",
            path="solar.blocking_diode",
            default=None,
            null=True,
            group=SUN,
            label="A blocking diode is fitted",
            told="blocking diode",
            since=10,
        ),
    ]
    solar_derate_ratio: Annotated[
        float | None,
        share(
            "solar_derate_ratio",
            path="solar.derate_ratio",
            least=0.05,
            default=0.75,
            may_be_empty=True,
            group=SUN,
            label="Left of its label",
            hint="for dirt, heat and cable; empty for 75 %",
            since=10,
        ),
    ]
    solar_sun_h_by_month: Annotated[
        list[float] | None,
        Months(
            "solar_sun_h_by_month",
            HOURS,
            path="solar.sun_h_by_month",
            least=0,
            most=24,
            may_be_empty=True,
            group=SUN,
            label="Hours of full sun a day",
            hint="twelve, from January, in the plane of the panel: 0.9 1.6 2.8 4 4.9 5.2 5 4.4 3.3 2 1.1 0.7",
            since=10,
        ),
    ]


class _Rest(TypedDict):
    output_limit_a: Annotated[float | None, amperes("output_limit_a", above=0, null=True, group=CHARGER, label="Output limit")]
    alarm_output_limit_a: Annotated[
        float | None,
        amperes(
            "alarm_output_limit_a",
            above=0,
            default=None,
            null=True,
            group=CHARGER,
            label="Output limit in alarm",
            hint="empty if the same",
        ),
    ]
    supply_current_a: Annotated[float | None, amperes("supply_current_a", null=True, group=CHARGER, label="Current of the supply in all")]
    charge_limit_a: Annotated[float | None, amperes("charge_limit_a", null=True, group=CHARGER, label="Charge limit")]
    charge_v: Annotated[
        float | None, volts("charge_v", null=True, group=CHARGER, label="Charge voltage", hint="at the battery, as in 13.65 V")
    ]
    charge_mode: Annotated[
        str | None,
        Word(
            "charge_mode",
            CHARGE_WORDS,
            one_of=ChargeMode,
            default=None,
            null=True,
            none="as usual for its kind",
            group=CHARGER,
            label="How the charge ends",
            told="how the charge ends",
            since=5,
        ),
    ]
    charge_ends: Annotated[
        str | None,
        Word(
            "charge_ends",
            CHARGE_END_WORDS,
            one_of=ChargeEnd,
            default=None,
            null=True,
            none="not entered",
            group=CHARGER,
            label="A cyclic charge is ended by",
            told="what ends a cyclic charge",
            since=16,
        ),
    ]
    charge_compensated: Annotated[
        bool | None,
        YesNo(
            "charge_compensated",
            default=None,
            null=True,
            group=CHARGER,
            label="Charge voltage follows the temperature",
            told="charge voltage follows the temperature",
            since=5,
        ),
    ]
    current_limited: Annotated[
        bool | None,
        YesNo(
            "current_limited",
            default=None,
            null=True,
            group=CHARGER,
            label="Charger limits its current",
            told="charger limits its current",
            since=5,
        ),
    ]
    convenience_free: Annotated[
        bool,
        Flag(
            "convenience_free",
            default=False,
            group=CHARGER,
            label="Keep mere conveniences off it",
            told="kept free of conveniences",
            since=4,
        ),
    ]
    typical_degc: Annotated[
        float | None,
        degrees("typical_degc", default=None, null=True, group=PLACE, label="Typical temperature here", hint="empty if as the site"),
    ]
    min_degc: Annotated[
        float | None,
        degrees("min_degc", default=None, null=True, group=PLACE, label="Lowest temperature here", hint="empty if as the site"),
    ]
    max_degc: Annotated[
        float | None,
        degrees("max_degc", default=None, null=True, group=PLACE, label="Highest temperature here", hint="empty if as the site", since=5),
    ]
    enclosure_volume_m3: Annotated[
        float | None,
        Real(
            "enclosure_volume_m3",
            VOLUME,
            path="enclosure.volume_m3",
            above=0,
            most=1_000,
            scale=0.001,
            may_be_empty=True,
            group=PLACE,
            label="Volume of its box",
            hint="as in 50 l; empty if not known",
            told="volume of its box",
            since=5,
        ),
    ]
    enclosure_gas_tight: Annotated[
        bool,
        Flag(
            "enclosure_gas_tight",
            path="enclosure.gas_tight",
            default=False,
            group=PLACE,
            label="The box is gas-tight",
            told="gas-tight box",
            since=5,
        ),
    ]
    # The record of the bench it goes by; it is in no site file.
    bench_id: Annotated[int | None, Reference("bench_id", path=None, told=None, since=10)]
    totals: Annotated[list[dict[str, Any]], Many("totals", TotalRow, default=[], most=200, told=None, since=2)]


class SupplyRow(_Head, BankRow, _Outputs, _Season, _Rest):
    """A supply with its bank."""

    bank_id: int | None


# The parts of a supply in the site file that may be null, and the columns that say so: all of them empty.
SUPPLY_NESTS: Nests = {
    "bank": ("bank_chemistry",),
    "bank.bms": ("bank_bms_limit_a", "bank_bms_cutoff_v", "bank_bms_charges_from_degc"),
    "bank.protection": (
        "bank_fuse_a",
        "bank_fuse_dc_v",
        "bank_fuse_kind",
        "bank_fuse_breaks_a",
        "bank_isolator",
        "bank_string_fuses",
    ),
    "bank.lead": ("bank_lead_section_mm2",),
    "enclosure": ("enclosure_volume_m3",),
    "ac": ("ac_output_v",),
    "dc": ("dc_output_v",),
    "windows": ("windows_week",),
    "solar": ("solar_controller",),
}


def rail_v_on(supply: Row | SupplyRow) -> float:
    """Return the voltage at which a load on a supply usually runs: its regulated output's, otherwise the battery's. [V]"""
    if supply["kind"] == SupplyKind.AC_UPS and supply["ac_output_v"]:
        return supply["ac_output_v"]
    if supply["kind"] == SupplyKind.DC_UPS and supply["dc_output_v"] and supply["dc_efficiency_ratio"] is not None:
        return supply["dc_output_v"]
    return supply["nominal_v"]
