"""The bank of a supply: equal blocks in series and parallel, with their discharge table and the protection the battery itself has."""

from typing import Annotated, Any, TypedDict

from ypomoni.core.chemistries.discharge_table import RowKind
from ypomoni.core.things.protection import FuseKind
from ypomoni.records.field import Dated, Many, Real, Whole, Word, YesNo, amperes, degrees, key_of, share, volts
from ypomoni.records.kinds import CHARGE, COUNT, CURRENT, HOURS, LENGTH, RESISTANCE, SECTION, SHORT_CIRCUIT, VOLTAGE, YEARS
from ypomoni.records.words import CHEMISTRY_WORDS, FUSE_KIND_WORDS, ROW_KIND_WORDS

BATTERY = "Its battery"
BATTERY_MORE = "More of the battery"
PROTECTION = "Its own protection, if it has one"
WIRING = "Its fuse and lead, if you have looked"
MOST_TABLE_ROWS = 400
MOST_BLOCKS = 1_000
# No fuse is sold that is larger, and goes with a battery lead. [A]
LARGEST_FUSE_A = 500


class TableRow(TypedDict):
    """One row of a discharge table: one block at a constant current, and the volts it shows after so long: at its end, or on the way."""

    current_a: Annotated[float, Real("current_a", CURRENT, above=0, most=1000)]
    run_h: Annotated[float, Real("run_h", HOURS, above=0, most=100_000)]
    end_v: Annotated[float, Real("end_v", VOLTAGE, above=0, most=1000)]
    kind: Annotated[str, Word("kind", ROW_KIND_WORDS, one_of=RowKind, default="end")]


class BlockRow(TypedDict):
    """One block of a bank at its place: string and position count from 1, the first position at the minus pole of its string."""

    key: Annotated[str, key_of()]
    string: Annotated[int, Whole("string", COUNT, least=1, most=100)]
    position: Annotated[int, Whole("position", COUNT, least=1, most=100)]
    made: Annotated[str | None, Dated("made", is_month=True, default=None, null=True, label="Made", hint="month, as in 2023-05")]
    fitted: Annotated[str | None, Dated("fitted", default=None, null=True, label="Fitted", hint="day, as in 2023-09-14")]
    capacity_ah: Annotated[
        float | None,
        Real(
            "capacity_ah",
            CHARGE,
            above=0,
            most=100_000,
            default=None,
            null=True,
            label="Capacity",
            hint="on its label; empty if as the others",
        ),
    ]
    condition_ratio: Annotated[
        float | None,
        share("condition_ratio", least=0.05, most=1.2, default=None, null=True, label="Condition", hint="as tested, in percent"),
    ]
    rest_v: Annotated[
        float | None,
        volts("rest_v", default=None, null=True, label="Volts at rest", hint="12 h after it was charged, on its own"),
    ]


class BankRow(TypedDict):
    """A bank; without one all of these are empty. Its columns in the store carry no ``bank_`` before them."""

    bank_chemistry: Annotated[
        str | None, Word("bank_chemistry", CHEMISTRY_WORDS, path="bank.chemistry", none="no battery", group=BATTERY, label="Battery")
    ]
    bank_block_v: Annotated[
        float | None, volts("bank_block_v", path="bank.block_v", group=BATTERY, label="Block voltage", hint="as in 12 V")
    ]
    bank_capacity_ah: Annotated[
        float | None,
        Real(
            "bank_capacity_ah",
            CHARGE,
            path="bank.capacity_ah",
            above=0,
            most=100_000,
            group=BATTERY,
            label="Block capacity",
            hint="as in 7 Ah",
        ),
    ]
    bank_rate_h: Annotated[
        float | None,
        Real(
            "bank_rate_h",
            HOURS,
            path="bank.rate_h",
            above=0,
            most=1_000,
            group=BATTERY,
            label="Rated at",
            hint="the hour rate on the label, usually 20 h",
        ),
    ]
    bank_series: Annotated[
        int | None,
        Whole("bank_series", COUNT, path="bank.series", least=1, most=100, group=BATTERY, label="Blocks in series", hint="adds volts"),
    ]
    bank_parallel: Annotated[
        int | None,
        Whole(
            "bank_parallel",
            COUNT,
            path="bank.parallel",
            least=1,
            most=100,
            group=BATTERY,
            label="Strings in parallel",
            hint="adds amp-hours",
        ),
    ]
    bank_age_y: Annotated[
        float | None,
        Real(
            "bank_age_y",
            YEARS,
            path="bank.age_y",
            default=0.0,
            least=0,
            most=50,
            group=BATTERY,
            label="Age",
            hint="as in 3 years; empty if new",
        ),
    ]
    bank_condition_ratio: Annotated[
        float | None,
        share(
            "bank_condition_ratio",
            path="bank.condition_ratio",
            default=None,
            null=True,
            least=0.2,
            most=1.2,
            group=BATTERY,
            label="Measured condition",
            hint="share of rated capacity; empty if not measured",
        ),
    ]
    bank_life_y: Annotated[
        float | None,
        Real(
            "bank_life_y",
            YEARS,
            path="bank.life_y",
            default=None,
            null=True,
            above=0,
            most=50,
            group=BATTERY_MORE,
            label="Design life",
            hint="empty for the usual one of its kind",
        ),
    ]
    bank_cells_count: Annotated[
        int | None,
        Whole(
            "bank_cells_count",
            COUNT,
            path="bank.cells_count",
            default=None,
            null=True,
            least=1,
            most=500,
            group=BATTERY_MORE,
            label="Cells a block",
            hint="empty to count them from the voltage",
        ),
    ]
    # One block, as an impedance meter shows it at 1 kHz.
    bank_resistance_ohm: Annotated[
        float | None,
        Real(
            "bank_resistance_ohm",
            RESISTANCE,
            path="bank.resistance_ohm",
            default=None,
            null=True,
            above=0,
            most=100,
            group=BATTERY_MORE,
            label="Measured resistance of a block",
            hint="as an impedance meter shows it at 1 kHz, as in 22 mΩ",
            since=3,
        ),
    ]
    bank_bms_limit_a: Annotated[
        float | None,
        amperes(
            "bank_bms_limit_a",
            above=0,
            path="bank.bms.limit_a",
            default=None,
            null=True,
            group=PROTECTION,
            label="Its protection opens above",
            hint="a lithium pack's own, as in 20 A",
            told="its protection opens above",
            since=5,
        ),
    ]
    bank_bms_cutoff_v: Annotated[
        float | None,
        volts(
            "bank_bms_cutoff_v",
            path="bank.bms.cutoff_v",
            default=None,
            null=True,
            group=PROTECTION,
            label="Its protection opens below",
            hint="of the whole battery, as in 10 V",
            told="its protection opens below",
            since=5,
        ),
    ]
    bank_bms_charges_from_degc: Annotated[
        float | None,
        degrees(
            "bank_bms_charges_from_degc",
            path="bank.bms.charges_from_degc",
            default=None,
            null=True,
            group=PROTECTION,
            label="Its protection lets charge in from",
            hint="as in 0 °C; empty if it does not block charging in the cold",
            told="its protection lets charge in from",
            since=5,
        ),
    ]
    bank_cold_charge_per_h: Annotated[
        float | None,
        share(
            "bank_cold_charge_per_h",
            path="bank.cold_charge_per_h",
            most=5,
            default=None,
            null=True,
            group=BATTERY_MORE,
            label="Charge rate from 0 to 10 °C",
            hint="share of its capacity an hour, on its data sheet, e.g. 20 %",
            told="charge rate in the cold",
            since=16,
        ),
    ]
    bank_discharge_table: Annotated[
        list[dict[str, Any]],
        Many(
            "bank_discharge_table",
            TableRow,
            path="bank.discharge_table",
            default=[],
            most=MOST_TABLE_ROWS,
            group="Discharge table, if you have one",
            label="Discharge table of a block",
            since=3,
        ),
    ]
    bank_fuse_a: Annotated[
        float | None,
        Real(
            "bank_fuse_a",
            CURRENT,
            path="bank.protection.fuse_a",
            above=0,
            most=LARGEST_FUSE_A,
            default=None,
            null=True,
            group=WIRING,
            label="Fuse at the battery",
            hint="as in 5 A; empty if none is fitted, once a line below is answered",
            told="fuse at the battery",
            since=11,
        ),
    ]
    bank_fuse_dc_v: Annotated[
        float | None,
        volts(
            "bank_fuse_dc_v",
            path="bank.protection.fuse_dc_v",
            default=None,
            null=True,
            group=WIRING,
            label="It is made for",
            hint="DC volts printed on it, as in 32 V; a value for AC does not count",
            told="volts of the battery fuse",
            since=11,
        ),
    ]
    bank_fuse_kind: Annotated[
        str | None,
        Word(
            "bank_fuse_kind",
            FUSE_KIND_WORDS,
            path="bank.protection.fuse_kind",
            one_of=FuseKind,
            default=None,
            null=True,
            group=WIRING,
            label="Kind of fuse",
            none="not entered",
            told="kind of battery fuse",
            since=16,
        ),
    ]
    bank_fuse_breaks_a: Annotated[
        float | None,
        Real(
            "bank_fuse_breaks_a",
            SHORT_CIRCUIT,
            path="bank.protection.fuse_breaks_a",
            above=0,
            most=200_000,
            default=None,
            null=True,
            group=WIRING,
            label="Breaking capacity",
            hint="on its data sheet, e.g. 10000 A; leave blank if unknown",
            told="breaking capacity of the battery fuse",
            since=16,
        ),
    ]
    bank_isolator: Annotated[
        bool | None,
        YesNo(
            "bank_isolator",
            path="bank.protection.isolator",
            default=False,
            null=True,
            group=WIRING,
            label="An isolator is fitted",
            told="isolator of the battery",
            since=11,
        ),
    ]
    bank_string_fuses: Annotated[
        bool | None,
        YesNo(
            "bank_string_fuses",
            path="bank.protection.string_fuses",
            default=False,
            null=True,
            group=WIRING,
            label="Each string has its own fuse",
            told="a fuse in each string",
            since=11,
        ),
    ]
    bank_lead_length_m: Annotated[
        float | None,
        Real(
            "bank_lead_length_m",
            LENGTH,
            path="bank.lead.length_m",
            above=0,
            most=1_000,
            may_be_empty=True,
            group=WIRING,
            label="Length of the battery lead",
            hint="one way, as in 0.5 m",
            told="length of the battery lead",
            since=11,
        ),
    ]
    bank_lead_section_mm2: Annotated[
        float | None,
        Real(
            "bank_lead_section_mm2",
            SECTION,
            path="bank.lead.section_mm2",
            above=0,
            most=500,
            may_be_empty=True,
            group=WIRING,
            label="Its cross-section",
            hint="as in 1.5 mm²",
            told="cross-section of the battery lead",
            since=11,
        ),
    ]
    bank_blocks: Annotated[
        list[dict[str, Any]],
        Many("bank_blocks", BlockRow, path="bank.blocks", default=[], most=MOST_BLOCKS, told="blocks of the bank", since=11),
    ]
