"""The shape of the site file, version 1. Read by `site_file`; the JSON Schema in docs/ is written from it."""

import re
from datetime import datetime
from typing import Annotated, Any, Literal, Self

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, model_validator

from ypomoni.core.chemistries import CHEMISTRIES
from ypomoni.core.chemistries.discharge_table import DischargeRow, DischargeTable, fit_table
from ypomoni.core.errors import QuantityError
from ypomoni.core.requirements import Method, SystemPurpose
from ypomoni.core.things.batteries import block_c20_ah, cell_of, cells_of_block
from ypomoni.core.things.loads import Behaviour, ConverterKind, During, Lock, Provenance, Purpose
from ypomoni.core.things.readings import Hookup, Mains, PointKind, PositiveMeans, State
from ypomoni.core.things.supplies import ChargeMode, Stage, SupplyKind

FORMAT = "ypomoni-site"
VERSION = 1
MOST_LOADS = 5_000
MOST_SUPPLIES = 200
MOST_POINTS = 12_000
MOST_READINGS = 20_000
MOST_ROWS = 400


_CONTROL_BUT_LINES = re.compile(r"[\x00-\x08\x0b-\x1f\x7f-\x9f\ud800-\udfff]")
# Something to see, and no control character. As a pattern it is checked without a call for each of thousands of names.
PRINTABLE = r"^[^\x00-\x1f\x7f-\x9f]*[^\s\x00-\x1f\x7f-\x9f][^\x00-\x1f\x7f-\x9f]*$"


def _plain(text: str) -> str:
    if _CONTROL_BUT_LINES.search(text):
        raise ValueError("must not hold control characters.")
    return text


def _moment(text: str) -> str:
    try:
        found = datetime.fromisoformat(text)
    except ValueError as error:
        raise ValueError("must be a date and time with its zone, as in 2026-11-24T14:30:00+00:00.") from error
    if found.tzinfo is None:
        raise ValueError("must say its zone, as in 2026-11-24T14:30:00+00:00.")
    return text


Number = Annotated[float, Field(strict=True, allow_inf_nan=False)]
Whole = Annotated[int, Field(strict=True)]
Key = Annotated[str, Field(strict=True, min_length=1, max_length=80, pattern=PRINTABLE)]
Name = Annotated[str, Field(strict=True, min_length=1, max_length=200, pattern=PRINTABLE)]
Text = Annotated[str, Field(strict=True, max_length=1000), AfterValidator(_plain)]
Temperature = Annotated[Number, Field(ge=-60, le=90)]
Current = Annotated[Number, Field(ge=0, le=1000)]
Signed = Annotated[Number, Field(ge=-10_000, le=10_000)]
Moment = Annotated[str, Field(strict=True, max_length=40), AfterValidator(_moment)]
Volts = Annotated[Number, Field(gt=0, le=1000)]
Ratio = Annotated[Number, Field(gt=0, le=1)]

ChemistryKey = Literal["lead_agm", "lead_gel", "lifepo4", "li_ion", "nimh", "alkaline", "li_mno2", "li_fes2", "li_socl2"]


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", use_enum_values=True)


class DeratingPart(_Part):
    """The three factors of the derated method."""

    usable_ratio: Ratio = 0.65
    age_ratio: Ratio = 1.0
    activity_ratio: Ratio = 0.9


class AutonomyPart(_Part):
    """The two factors of energy and autonomy with losses; the inverter's is 1 where there is none."""

    depth_ratio: Ratio = 0.5
    inverter_ratio: Ratio = 1.0


class RequirementPart(_Part):
    """What must hold, and by which method it is judged."""

    key: Key
    name: Name | None = None
    source: Text = ""
    standby_h: Annotated[Number, Field(gt=0, le=87_600)]
    alarm_min: Annotated[Number, Field(ge=0, le=10_080)] = 0.0
    recharge_h: Annotated[Number, Field(gt=0, le=87_600)] | None = None
    recharge_to_ratio: Annotated[Number, Field(gt=0, lt=1)] = 0.8
    method: Method
    end_of_life_ratio: Annotated[Number, Field(ge=0.3, le=1)] = 0.8
    design_margin_ratio: Annotated[Number, Field(ge=1, le=5)] = 1.0
    derating: DeratingPart = DeratingPart()
    autonomy: AutonomyPart = AutonomyPart()
    response_h: Annotated[Number, Field(gt=0, le=8_760)] | None = None
    purpose: SystemPurpose | None = None


class DischargeRowPart(_Part):
    """One row of a discharge table: one block at a constant current, how long, down to which voltage."""

    current_a: Annotated[Current, Field(gt=0)]
    run_h: Annotated[Number, Field(gt=0, le=100_000)]
    end_v: Volts


class BmsPart(_Part):
    """What a battery's own protection does, of the whole bank. What it states is protected."""

    limit_a: Annotated[Current, Field(gt=0)] | None = None
    cutoff_v: Volts | None = None
    charges_from_degc: Temperature | None = None


class BankPart(_Part):
    """A supply's battery: equal blocks in series and parallel."""

    chemistry: ChemistryKey
    block_v: Volts
    capacity_ah: Annotated[Number, Field(gt=0, le=100_000)]
    rate_h: Annotated[Number, Field(gt=0, le=1_000)]
    series: Annotated[Whole, Field(ge=1, le=100)]
    parallel: Annotated[Whole, Field(ge=1, le=100)]
    age_y: Annotated[Number, Field(ge=0, le=50)] = 0.0
    condition_ratio: Annotated[Number, Field(ge=0.2, le=1.2)] | None = None
    life_y: Annotated[Number, Field(gt=0, le=50)] | None = None
    cells_count: Annotated[Whole, Field(ge=1, le=500)] | None = None
    # One block, as an impedance meter shows it at 1 kHz.
    resistance_ohm: Annotated[Number, Field(gt=0, le=100)] | None = None
    discharge_table: Annotated[list[DischargeRowPart], Field(max_length=MOST_ROWS)] = Field(default_factory=list)
    bms: BmsPart | None = None

    @model_validator(mode="after")
    def _rows_of_such_a_block(self) -> Self:
        if self.discharge_table:
            chemistry = CHEMISTRIES[str(self.chemistry)]
            rows = tuple(DischargeRow(**row.model_dump()) for row in self.discharge_table)
            try:
                table = DischargeTable(rows=rows, block_c20_ah=block_c20_ah(str(self.chemistry), self.capacity_ah, self.rate_h))
                fit_table(table, cell_of(chemistry), self.cells_count or cells_of_block(str(self.chemistry), self.block_v))
            except QuantityError as error:
                raise ValueError(f"discharge_table: {error}") from error
        return self

    @model_validator(mode="after")
    def _whole_cells(self) -> Self:
        if self.cells_count is None:
            try:
                cells_of_block(str(self.chemistry), self.block_v)
            except QuantityError as error:
                raise ValueError(str(error)) from error
        return self


class TotalPart(_Part):
    """A total taken from a reading into the register: what flows through its point in standby or alarm."""

    point: Key
    state: Literal["standby", "alarm"] = "standby"
    current_a: Current
    uncertainty_a: Annotated[Current, Field(gt=0)]
    at_v: Volts
    reading: Key | None = None


class EnclosurePart(_Part):
    """The box a battery stands in."""

    volume_m3: Annotated[Number, Field(gt=0, le=1_000)]
    gas_tight: Annotated[bool, Field(strict=True)] = False


class SupplyPart(_Part):
    """What feeds the loads when mains fails. A limit or charger figure of null is one that is not known."""

    key: Key
    name: Name
    kind: SupplyKind
    requirement: Key
    nominal_v: Volts
    cutoff_v: Volts | None
    own_current_a: Current = 0.0
    output_limit_a: Annotated[Current, Field(gt=0)] | None
    alarm_output_limit_a: Annotated[Current, Field(gt=0)] | None = None
    supply_current_a: Current | None
    charge_limit_a: Current | None
    charge_v: Volts | None
    charge_mode: ChargeMode | None = None
    # Whether the charge voltage follows the temperature, and whether the charger limits its current; null: not known.
    charge_compensated: Annotated[bool, Field(strict=True)] | None = None
    current_limited: Annotated[bool, Field(strict=True)] | None = None
    enclosure: EnclosurePart | None = None
    low_battery_v: Volts | None = None
    convenience_free: Annotated[bool, Field(strict=True)] = False
    typical_degc: Temperature | None = None
    min_degc: Temperature | None = None
    max_degc: Temperature | None = None
    bank: BankPart | None = None
    totals: Annotated[list[TotalPart], Field(max_length=200)] = Field(default_factory=list)


class ConverterPart(_Part):
    """A converter between battery and rail."""

    kind: ConverterKind
    efficiency_ratio: Annotated[Number, Field(ge=0.05, le=1)] | None = None

    @model_validator(mode="after")
    def _switching_has_efficiency(self) -> Self:
        if self.kind == ConverterKind.SWITCHING.value and self.efficiency_ratio is None:
            raise ValueError("efficiency_ratio is missing: a switching converter needs one, 0.85 is common.")
        return self


class CurrentPart(_Part):
    """A current as stated on the load's rail."""

    current_a: Current
    provenance: Provenance
    # Its own 95 % limit, and the reading it was taken from.
    uncertainty_a: Annotated[Current, Field(gt=0)] | None = None
    reading: Key | None = None


class CablePart(_Part):
    """The cable to the far end: its length one way, and the copper of one conductor."""

    length_m: Annotated[Number, Field(gt=0, le=10_000)]
    section_mm2: Annotated[Number, Field(ge=0.01, le=500)]


class ThermostatPart(_Part):
    """What a heater or fan adds while it is colder, or hotter, than a temperature."""

    name: Annotated[str, Field(strict=True, max_length=200), AfterValidator(_plain)] = "thermostat"
    current_a: Current
    below_degc: Temperature | None = None
    above_degc: Temperature | None = None

    @model_validator(mode="after")
    def _one_side(self) -> Self:
        if (self.below_degc is None) == (self.above_degc is None):
            raise ValueError("needs one of below_degc and above_degc.")
        return self


class RechargePart(_Part):
    """A device's own battery filled from the supply: its energy, or its charge and voltage; how much of it, how often."""

    name: Annotated[str, Field(strict=True, max_length=200), AfterValidator(_plain)] = "recharge"
    energy_wh: Annotated[Number, Field(gt=0, le=100_000)] | None = None
    charge_ah: Annotated[Number, Field(gt=0, le=10_000)] | None = None
    battery_v: Volts | None = None
    depth_ratio: Ratio = 1.0
    per_day: Annotated[Number, Field(gt=0, le=1_000)]
    efficiency_ratio: Annotated[Number, Field(ge=0.05, le=1)] = 0.8

    @model_validator(mode="after")
    def _energy_known(self) -> Self:
        if self.energy_wh is None and (self.charge_ah is None or self.battery_v is None):
            raise ValueError("energy_wh is missing: give it, or both charge_ah and battery_v.")
        return self


class AcPart(_Part):
    """What a load draws from AC."""

    power_w: Annotated[Number, Field(ge=0, le=1e6)] | None = None
    apparent_va: Annotated[Number, Field(ge=0, le=1e6)] | None = None
    power_factor_ratio: Ratio | None = None

    @model_validator(mode="after")
    def _possible(self) -> Self:
        if self.power_w is None and self.apparent_va is None:
            raise ValueError("needs power_w or apparent_va.")
        if self.power_w is not None and self.apparent_va is not None and self.power_w > self.apparent_va * 1.0001:
            raise ValueError(f"power_w must not be above apparent_va ({self.apparent_va:g} VA): W = VA × power factor, which is at most 1.")
        return self


class BurstPart(_Part):
    """A mode that recurs."""

    name: Annotated[str, Field(strict=True, max_length=200), AfterValidator(_plain)] = "burst"
    current_a: Current
    duration_s: Annotated[Number, Field(gt=0, le=864_000)]
    per_hour: Annotated[Number, Field(ge=0.0001, le=36_000)]
    offset_s: Annotated[Number, Field(ge=0, le=2_678_400)] = 0.0
    during: During = During.ALWAYS


class LoadPart(_Part):
    """A device or a group of equal devices; currents are per piece."""

    key: Key
    name: Name
    supply: Key | None
    quantity: Annotated[Whole, Field(ge=1, le=10_000)]
    rail_v: Volts
    behaviour: Behaviour
    converter: ConverterPart | None = None
    min_v: Volts | None = None
    essential: Annotated[bool, Field(strict=True)] = True
    standby: CurrentPart
    alarm: CurrentPart | None = None
    bursts: Annotated[list[BurstPart], Field(max_length=20)] = Field(default_factory=list)
    place: Key | None = None
    branch: Name | None = None
    bus_group: Name | None = None
    purpose: Purpose | None = None
    cable: CablePart | None = None
    thermostats: Annotated[list[ThermostatPart], Field(max_length=20)] = Field(default_factory=list)
    recharges: Annotated[list[RechargePart], Field(max_length=20)] = Field(default_factory=list)
    ac: AcPart | None = None
    pinned: Annotated[bool, Field(strict=True)] = False
    lock: Lock | None = None
    escape_route: Annotated[bool, Field(strict=True)] = False
    ride_through_ms: Annotated[Number, Field(ge=0, le=1e6)] | None = None

    @model_validator(mode="before")
    @classmethod
    def _standby_of_ac(cls, values: Any) -> Any:
        """Take the standby current of an AC load that states none from its watts and its voltage: a nameplate's."""
        if isinstance(values, dict) and "standby" not in values and isinstance(values.get("ac"), dict):
            power_w, rail_v = values["ac"].get("power_w"), values.get("rail_v")
            if isinstance(power_w, int | float) and isinstance(rail_v, int | float) and rail_v > 0:
                return {**values, "standby": {"current_a": float(power_w / rail_v), "provenance": "nameplate"}}
        return values


class PointPart(_Part):
    """A measuring point: a battery lead, an output, a branch, or a device; ``parent`` is the point nearer the battery."""

    key: Key
    name: Name
    kind: PointKind
    supply: Key
    parent: Key | None = None
    load: Key | None = None


class ReadingPart(_Part):
    """One measurement, as it was read. The sign of ``value_a`` is that of the display; ``positive_means`` says which way that is."""

    key: Key
    point: Key
    state: State
    state_note: Text = ""
    mains: Mains | None = None
    value_a: Signed
    min_a: Signed | None = None
    max_a: Signed | None = None
    as_written: Text = ""
    positive_means: PositiveMeans = PositiveMeans.DISCHARGE
    battery_v: Volts | None = None
    instrument: Key | None = None
    hookup: Hookup = Hookup.SERIES
    temperature_degc: Temperature | None = None
    taken_by: Text = ""
    taken_at: Moment | None = None
    remark: Text = ""
    supersedes: Key | None = None
    reason: Text = ""
    open_questions: Annotated[list[Text], Field(max_length=20)] = Field(default_factory=list)

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        if self.min_a is not None and self.max_a is not None and self.min_a > self.max_a:
            raise ValueError(f"min_a must not be above max_a ({self.max_a:g} A).")
        if self.supersedes is not None and not self.reason.strip():
            raise ValueError("reason is missing: a reading that supersedes another says why.")
        return self


class PlanPart(_Part):
    """One configuration of the site."""

    key: Key
    name: Name
    stage: Stage
    supplies: Annotated[list[SupplyPart], Field(max_length=MOST_SUPPLIES)]
    loads: Annotated[list[LoadPart], Field(max_length=MOST_LOADS)]
    points: Annotated[list[PointPart], Field(max_length=MOST_POINTS)] = Field(default_factory=list)
    readings: Annotated[list[ReadingPart], Field(max_length=MOST_READINGS)] = Field(default_factory=list)


class SitePart(_Part):
    """One premises."""

    name: Name
    typical_degc: Temperature
    min_degc: Temperature
    max_degc: Temperature | None = None


class PlacePart(_Part):
    """A place of the site: typical and lowest temperature, and the mean of each month from January where that is known."""

    key: Key
    name: Name
    typical_degc: Temperature | None = None
    min_degc: Temperature | None = None
    monthly_degc: Annotated[list[Temperature], Field(min_length=12, max_length=12)] | None = None


class RunPart(_Part):
    """The way a cable would go from a place to a supply, one way; the supply is named by the key it has in every plan."""

    place: Key
    supply: Key
    length_m: Annotated[Number, Field(gt=0, le=10_000)]
    section_mm2: Annotated[Number, Field(gt=0, le=1_000)] | None = None


class RangePart(_Part):
    """One range of an instrument."""

    jack: Name
    limit_a: Annotated[Number, Field(gt=0, le=10_000)]
    burden_v: Annotated[Number, Field(ge=0, le=10)] | None = None
    fuse_a: Annotated[Number, Field(gt=0, le=1_000)] | None = None
    longest_s: Annotated[Number, Field(gt=0, le=86_400)] | None = None


class InstrumentPart(_Part):
    """A meter and how far it may be off: ± (accuracy_ratio + digits_count) of display_count, and a clamp's offset."""

    key: Key
    name: Name
    hookup: Hookup = Hookup.SERIES
    accuracy_ratio: Annotated[Number, Field(ge=0, le=0.2)] = 0.01
    digits_count: Annotated[Whole, Field(ge=0, le=100)] = 3
    display_count: Annotated[Whole, Field(ge=100, le=10_000_000)] = 4000
    offset_a: Annotated[Number, Field(ge=0, le=10)] = 0.0
    ranges: Annotated[list[RangePart], Field(max_length=20)] = Field(default_factory=list)


class StockPart(_Part):
    """A block one can buy. A chemistry with blocks in stock is sized from them alone."""

    chemistry: ChemistryKey
    block_v: Volts
    capacity_ah: Annotated[Number, Field(gt=0, le=100_000)]
    rate_h: Annotated[Number, Field(gt=0, le=1_000)] = 20.0


class SiteFile(_Part):
    """A whole site."""

    format: Literal["ypomoni-site"]
    version: Literal[1]
    site: SitePart
    requirements: Annotated[list[RequirementPart], Field(max_length=100)]
    plans: Annotated[list[PlanPart], Field(max_length=50)]
    places: Annotated[list[PlacePart], Field(max_length=200)] = Field(default_factory=list)
    runs: Annotated[list[RunPart], Field(max_length=2_000)] = Field(default_factory=list)
    instruments: Annotated[list[InstrumentPart], Field(max_length=200)] = Field(default_factory=list)
    stock: Annotated[list[StockPart], Field(max_length=500)] = Field(default_factory=list)
