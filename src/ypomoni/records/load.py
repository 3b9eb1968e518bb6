"""A load of a plan: a device or a group of equal devices. Its currents are those of one piece."""

from typing import Annotated, Any, TypedDict

from ypomoni.core.things.loads import Behaviour, ConverterKind, During, Lock, Provenance, Purpose
from ypomoni.core.things.outputs import Topology
from ypomoni.records.field import Flag, Kept, Line, Many, Nests, Real, Reference, Whole, Word, YesNo, amperes, degrees, key_of, share, volts
from ypomoni.records.kinds import (
    APPARENT,
    CHARGE,
    COUNT,
    ENERGY,
    FACTOR,
    LENGTH,
    MILLISECONDS,
    PER_DAY,
    PER_HOUR,
    POWER,
    SECONDS,
    SECTION,
    VOLTAGE,
)
from ypomoni.records.words import (
    BEHAVIOUR_WORDS,
    CONVERTER_WORDS,
    DURING_WORDS,
    LOCK_WORDS,
    PROVENANCE_WORDS,
    PURPOSE_WORDS,
    TOPOLOGY_WORDS,
)

CURRENTS = "Current of one piece"
FED = "How it is fed"
WHERE = "Where it is"
DOORS = "Doors"
ON_AC = "On AC, if it runs from a UPS"


class BurstRow(TypedDict):
    """A mode that recurs; its current is in all while it lasts."""

    name: Annotated[str, Line("name", may_be_blank=True, default="burst", label="What for", hint="as in transmit")]
    current_a: Annotated[float, amperes("current_a", label="Current", hint="in all while it lasts, as in 1.2 A")]
    duration_s: Annotated[
        float, Real("duration_s", SECONDS, above=0, most=864_000, label="Lasts", hint="as in 8 s; empty if said beside it")
    ]
    per_hour: Annotated[
        float,
        Real("per_hour", PER_HOUR, least=0.0001, most=36_000, label="How often", hint="6 an hour, 3 s every 10 min, 20 % of the day"),
    ]
    offset_s: Annotated[
        float,
        Real("offset_s", SECONDS, least=0, most=2_678_400, default=0.0, label="First after", hint="after mains fails; empty for at once"),
    ]
    during: Annotated[str, Word("during", DURING_WORDS, one_of=During, default="always", label="When")]


class ThermostatRow(TypedDict):
    """What a heater or fan adds while it is colder, or hotter, than a temperature."""

    name: Annotated[str, Line("name", may_be_blank=True, default="thermostat", label="What for", hint="as in cabinet heater")]
    current_a: Annotated[float, amperes("current_a", label="Adds", hint="to the rest current while on, as in 1.5 A")]
    below_degc: Annotated[float | None, degrees("below_degc", default=None, null=True, label="On below", hint="as in 5 °C")]
    above_degc: Annotated[float | None, degrees("above_degc", default=None, null=True, label="Or on above", hint="as in 35 °C")]


class RechargeRow(TypedDict):
    """A device's own battery filled from the supply: its energy, or its charge and voltage; how much of it, how often."""

    name: Annotated[str, Line("name", may_be_blank=True, default="recharge", label="What for", hint="as in handset battery")]
    energy_wh: Annotated[
        float | None,
        Real(
            "energy_wh",
            ENERGY,
            above=0,
            most=100_000,
            default=None,
            null=True,
            label="Energy",
            hint="as in 18 Wh; or the two beside it",
        ),
    ]
    charge_ah: Annotated[
        float | None,
        Real("charge_ah", CHARGE, above=0, most=10_000, default=None, null=True, label="Or charge", hint="as in 2600 mAh"),
    ]
    battery_v: Annotated[float | None, volts("battery_v", default=None, null=True, label="At", hint="its own voltage, as in 3.7 V")]
    depth_ratio: Annotated[float, share("depth_ratio", default=1.0, label="Share refilled", hint="as in 80 %; empty for all of it")]
    per_day: Annotated[float, Real("per_day", PER_DAY, above=0, most=1_000, label="How often", hint="as in 1 a day")]
    efficiency_ratio: Annotated[
        float, share("efficiency_ratio", least=0.05, default=0.8, label="Charger's efficiency", hint="empty for 80 %")
    ]


class LoadRow(Kept):
    """A load, as it is stored."""

    plan_id: Annotated[int, Reference("plan_id", path=None, told=None)]
    key: Annotated[str, key_of()]
    name: Annotated[str, Line("name", label="Name", hint="as in Dual-technology detector")]
    supply_id: Annotated[int | None, Reference("supply_id", path="supply", null=True, form="supply", label="Supply", told="on", bulk=True)]
    # A selector of its plan in place of a supply.
    selector_key: Annotated[
        str | None,
        Reference(
            "selector_key", path=None, default=None, null=True, form="selector", label="Or on a selector", told="on selector", since=9
        ),
    ]
    quantity: Annotated[int, Whole("quantity", COUNT, least=1, most=10_000, label="Quantity")]
    purpose: Annotated[
        str | None,
        Word("purpose", PURPOSE_WORDS, one_of=Purpose, default=None, null=True, none="not said", label="For", bulk=True, since=2),
    ]
    essential: Annotated[bool, Flag("essential", default=True, label="Essential: without it the supply counts as ended", bulk=True)]
    pinned: Annotated[bool, Flag("pinned", default=False, label="Pinned: it stays on this supply", told="pinned", since=4)]
    standby_current_a: Annotated[
        float, amperes("standby_current_a", path="standby.current_a", form="standby", group=CURRENTS, label="Standby, one piece")
    ]
    standby_provenance: Annotated[
        str,
        Word(
            "standby_provenance",
            PROVENANCE_WORDS,
            one_of=Provenance,
            path="standby.provenance",
            group=CURRENTS,
            label="Standby known from",
            bulk=True,
        ),
    ]
    # Its own 95 % limit, and the reading it was taken from; the text as it was typed.
    standby_uncertainty_a: Annotated[
        float | None,
        amperes("standby_uncertainty_a", above=0, path="standby.uncertainty_a", default=None, null=True, told=None, since=2),
    ]
    standby_reading: Annotated[
        str | None, Line("standby_reading", is_key=True, path="standby.reading", default=None, null=True, told=None, since=2)
    ]
    standby_text: Annotated[str | None, Line("standby_text", path=None, told=None)]
    alarm_current_a: Annotated[
        float | None,
        amperes(
            "alarm_current_a",
            path="alarm.current_a",
            form="alarm",
            may_be_empty=True,
            group=CURRENTS,
            label="Alarm, one piece",
            hint="empty if as in standby",
        ),
    ]
    alarm_provenance: Annotated[
        str | None,
        Word("alarm_provenance", PROVENANCE_WORDS, one_of=Provenance, path="alarm.provenance", group=CURRENTS, label="Alarm known from"),
    ]
    alarm_uncertainty_a: Annotated[
        float | None,
        amperes("alarm_uncertainty_a", above=0, path="alarm.uncertainty_a", default=None, null=True, told=None, since=2),
    ]
    alarm_reading: Annotated[
        str | None, Line("alarm_reading", is_key=True, path="alarm.reading", default=None, null=True, told=None, since=2)
    ]
    alarm_text: Annotated[str | None, Line("alarm_text", path=None, told=None)]
    rail_v: Annotated[
        float, volts("rail_v", group=FED, label="Stated at", hint="the rail the currents are stated on, as in 12 V", told="stated at")
    ]
    converter_kind: Annotated[
        str | None,
        Word(
            "converter_kind",
            CONVERTER_WORDS,
            one_of=ConverterKind,
            path="converter.kind",
            form="converter",
            may_be_empty=True,
            none="None",
            group=FED,
            label="Converter between",
        ),
    ]
    converter_efficiency_ratio: Annotated[
        float | None,
        share(
            "converter_efficiency_ratio",
            path="converter.efficiency_ratio",
            least=0.05,
            default=None,
            null=True,
            group=FED,
            label="Its efficiency",
            hint="switching only, as in 85 %",
        ),
    ]
    # It is in the site file and not in the form before it is computed.
    converter_topology: Annotated[
        str | None,
        Word(
            "converter_topology",
            TOPOLOGY_WORDS,
            path="converter.topology",
            one_of=Topology,
            default=None,
            null=True,
            since=16,
        ),
    ]
    # It is in the site file and not in the form before it is computed.
    converter_dropout_v: Annotated[
        float | None,
        Real(
            "converter_dropout_v",
            VOLTAGE,
            path="converter.dropout_v",
            least=0,
            most=100,
            default=None,
            null=True,
            since=16,
        ),
    ]
    behaviour: Annotated[str, Word("behaviour", BEHAVIOUR_WORDS, one_of=Behaviour, group=FED, label="Draws as")]
    min_v: Annotated[
        float | None,
        volts(
            "min_v",
            default=None,
            null=True,
            group=FED,
            label="Works down to",
            hint="as in 10.8 V, or empty if not known",
            told="works down to",
        ),
    ]
    place_id: Annotated[
        int | None,
        Reference(
            "place_id", path="place", default=None, null=True, form="place", group=WHERE, label="Place", told="in", bulk=True, since=2
        ),
    ]
    branch: Annotated[
        str | None,
        Line(
            "branch",
            default=None,
            null=True,
            group=WHERE,
            label="Branch",
            hint="the circuit it hangs on, as in Bus 1, north",
            cell="Branch",
            bulk=True,
            since=2,
        ),
    ]
    bus_group: Annotated[
        str | None,
        Line(
            "bus_group",
            default=None,
            null=True,
            group=WHERE,
            label="Bus group",
            hint="devices that share one data bus and its 0 V",
            bulk=True,
            since=2,
        ),
    ]
    cable_length_m: Annotated[
        float | None,
        Real(
            "cable_length_m",
            LENGTH,
            path="cable.length_m",
            above=0,
            most=10_000,
            may_be_empty=True,
            group=WHERE,
            label="Cable, one way",
            hint="as in 30 m; empty if short",
            since=2,
        ),
    ]
    cable_section_mm2: Annotated[
        float | None,
        Real(
            "cable_section_mm2",
            SECTION,
            path="cable.section_mm2",
            least=0.01,
            most=500,
            may_be_empty=True,
            group=WHERE,
            label="Conductor",
            hint="as in 0.5 mm²",
            since=2,
        ),
    ]
    lock: Annotated[
        str | None,
        Word("lock", LOCK_WORDS, one_of=Lock, default=None, null=True, none="no", group=DOORS, label="A lock", since=5),
    ]
    escape_route: Annotated[
        bool,
        Flag("escape_route", default=False, group=DOORS, label="Its door is on an escape route", told="on an escape route", since=5),
    ]
    ac_power_w: Annotated[
        float | None,
        Real(
            "ac_power_w",
            POWER,
            path="ac.power_w",
            least=0,
            most=1e6,
            default=None,
            null=True,
            group=ON_AC,
            label="Watts from AC",
            hint="only if it runs on AC, as in 32 W",
            since=2,
        ),
    ]
    ac_apparent_va: Annotated[
        float | None,
        Real(
            "ac_apparent_va",
            APPARENT,
            path="ac.apparent_va",
            least=0,
            most=1e6,
            default=None,
            null=True,
            group=ON_AC,
            label="Volt-amperes",
            hint="as in 40 VA; VA is not W",
            since=2,
        ),
    ]
    ac_power_factor_ratio: Annotated[
        float | None,
        Real(
            "ac_power_factor_ratio",
            FACTOR,
            path="ac.power_factor_ratio",
            above=0,
            most=1,
            default=None,
            null=True,
            group=ON_AC,
            label="Power factor",
            hint="as in 0.8; empty for 0.6",
            since=2,
        ),
    ]
    ac_inrush_va: Annotated[
        float | None,
        Real(
            "ac_inrush_va",
            APPARENT,
            path="ac.inrush_va",
            above=0,
            most=1e6,
            default=None,
            null=True,
            group=ON_AC,
            label="Starting power, more than 10 ms",
            hint="motor, transformer or cold heater, e.g. 200 VA; not the charging peak of a switching supply",
            since=9,
        ),
    ]
    ac_active_pfc: Annotated[
        bool | None,
        YesNo(
            "ac_active_pfc",
            path="ac.active_pfc",
            default=False,
            null=True,
            group=ON_AC,
            label="Active power-factor correction",
            told="active power-factor correction",
            since=16,
        ),
    ]
    ac_dc_v: Annotated[
        float | None,
        volts(
            "ac_dc_v",
            path="ac.dc_v",
            default=None,
            null=True,
            group=ON_AC,
            label="Also runs on DC at",
            hint="what its adaptor gives, as in 12 V; empty if it runs on AC only",
            since=9,
        ),
    ]
    ac_adaptor_ratio: Annotated[
        float | None,
        share(
            "ac_adaptor_ratio",
            path="ac.adaptor_ratio",
            least=0.05,
            default=None,
            null=True,
            group=ON_AC,
            label="Efficiency of its adaptor",
            hint="empty for 85 %",
            since=9,
        ),
    ]
    ride_through_ms: Annotated[
        float | None,
        Real(
            "ride_through_ms",
            MILLISECONDS,
            least=0,
            most=1e6,
            default=None,
            null=True,
            group=ON_AC,
            label="Goes on without supply for",
            hint="as in 20 ms; empty if not known",
            since=5,
        ),
    ]
    bursts: Annotated[
        list[dict[str, Any]],
        Many("bursts", BurstRow, default=[], label="Bursts: a transmission, a relay, a logger waking", hint="Add a burst"),
    ]
    thermostats: Annotated[
        list[dict[str, Any]],
        Many(
            "thermostats",
            ThermostatRow,
            default=[],
            label="Thermostats: a heater that comes on in the cold, a fan in the heat",
            hint="Add a thermostat",
            since=2,
        ),
    ]
    recharges: Annotated[
        list[dict[str, Any]],
        Many("recharges", RechargeRow, default=[], label="A battery of its own, filled from this supply", hint="Add a recharge", since=2),
    ]


LOAD_NESTS: Nests = {
    "standby": (),
    "alarm": ("alarm_current_a",),
    "converter": ("converter_kind",),
    "cable": ("cable_length_m",),
    "ac": ("ac_power_w", "ac_apparent_va", "ac_power_factor_ratio", "ac_inrush_va", "ac_active_pfc", "ac_dc_v", "ac_adaptor_ratio"),
}
