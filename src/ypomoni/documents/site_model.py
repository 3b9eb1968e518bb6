"""The shape of the site file, version 1: its models come from the records; what fields must keep together is said here."""

import re
from typing import Annotated, Any, Literal, Self

from pydantic import Field, model_validator

from ypomoni.core.chemistries import CHEMISTRIES
from ypomoni.core.chemistries.discharge_table import DischargeRow, DischargeTable, RowKind, fit_table
from ypomoni.core.errors import QuantityError
from ypomoni.core.things.batteries import block_c20_ah, cells_of_block
from ypomoni.core.things.loads import ConverterKind
from ypomoni.core.things.selectors import SelectorMode
from ypomoni.documents.described import Part, part_of
from ypomoni.records.audit import PointRow, ReadingRow
from ypomoni.records.bank import BlockRow, TableRow
from ypomoni.records.library import InstrumentRow, RangeRow, StockRow
from ypomoni.records.load import LOAD_NESTS, BurstRow, LoadRow, RechargeRow, ThermostatRow
from ypomoni.records.pattern import HistorySpanRow, WeekSpanRow
from ypomoni.records.requirement import REQUIREMENT_NESTS, RequirementRow
from ypomoni.records.site import SELECTOR_NESTS, DischargeTestRow, PlaceRow, PlanRow, RunRow, SampleRow, SelectorRow, SiteRow
from ypomoni.records.supply import SUPPLY_NESTS, SupplyRow, TimedRunRow, TotalRow

FORMAT = "ypomoni-site"
VERSION = 1
MOST_PLANS = 50
MOST_LOADS = 5_000
# In all plans together.
MOST_SITE_LOADS = 20_000
MOST_SUPPLIES = 200
MOST_POINTS = 12_000
MOST_READINGS = 20_000


def table_of(bank: Part) -> DischargeTable:
    """Return the discharge table of a bank's part."""
    rows = tuple(DischargeRow(**{**row.model_dump(), "kind": RowKind(row.kind)}) for row in bank.discharge_table)
    return DischargeTable(rows=rows, block_c20_ah=block_c20_ah(str(bank.chemistry), bank.capacity_ah, bank.rate_h))


class _Bank(Part):
    """A supply's battery: equal blocks in series and parallel."""

    @model_validator(mode="after")
    def _rows_of_such_a_block(self) -> Self:
        if self.discharge_table:
            chemistry = CHEMISTRIES[str(self.chemistry)]
            try:
                fit_table(table_of(self), chemistry, self.cells_count or cells_of_block(str(self.chemistry), self.block_v))
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


class _Converter(Part):
    """A converter between battery and rail."""

    @model_validator(mode="after")
    def _switching_has_efficiency(self) -> Self:
        if self.kind == ConverterKind.SWITCHING.value and self.efficiency_ratio is None:
            raise ValueError("efficiency_ratio is missing: a switching converter needs one, 0.85 is common.")
        return self


class _Ac(Part):
    """What a load draws from AC."""

    @model_validator(mode="after")
    def _possible(self) -> Self:
        # Its watts may stand in its currents alone: then the power factor tells the volt-amperes of them.
        if not any(value is not None for value in self.model_dump().values()):
            raise ValueError("is empty: give power_w, apparent_va or power_factor_ratio, or leave it out.")
        if self.power_w is not None and self.apparent_va is not None and self.power_w > self.apparent_va * 1.0001:
            raise ValueError(f"power_w must not be above apparent_va ({self.apparent_va:g} VA): W = VA × power factor, which is at most 1.")
        return self


class ThermostatPart(part_of(ThermostatRow)):
    """What a heater or fan adds while it is colder, or hotter, than a temperature."""

    @model_validator(mode="after")
    def _one_side(self) -> Self:
        if (self.below_degc is None) == (self.above_degc is None):
            raise ValueError("needs one of below_degc and above_degc.")
        return self


class RechargePart(part_of(RechargeRow)):
    """A device's own battery filled from the supply: its energy, or its charge and voltage; how much of it, how often."""

    @model_validator(mode="after")
    def _energy_known(self) -> Self:
        if self.energy_wh is None and (self.charge_ah is None or self.battery_v is None):
            raise ValueError("energy_wh is missing: give it, or both charge_ah and battery_v.")
        return self


_CLOCK = re.compile(r"^([01]?\d|2[0-3]):[0-5]\d$")


class _WeekSpan(part_of(WeekSpanRow)):
    """A span of every week."""

    @model_validator(mode="after")
    def _clock(self) -> Self:
        if not _CLOCK.match(self.start):
            raise ValueError(f"start must be a time of day from 00:00 to 23:59, as in 06:00, was {self.start!r}.")
        return self


class _Cuts(Part):
    """When mains is cut."""

    @model_validator(mode="after")
    def _one_way(self) -> Self:
        if (self.week is None) == (self.list is None):
            raise ValueError("needs one of week (cuts that come every week) and list (a history).")
        if self.week is not None and self.length_h is not None:
            raise ValueError("length_h belongs to a history: a week is 168 h long.")
        if self.list is not None and self.length_h is not None:
            last_h = max((s.start_h + s.duration_h for s in self.list), default=0.0)
            if last_h > self.length_h * (1 + 1e-9):
                raise ValueError(f"length_h must not be less than where the last cut ends ({last_h:g} h), was {self.length_h:g} h.")
        if self.list is not None and not self.list and self.length_h is None:
            raise ValueError("length_h is missing: a history without a cut must say how long it is.")
        return self


class _Windows(Part):
    """When there is charge."""


class _Solar(Part):
    """Panels and their controller."""

    @model_validator(mode="after")
    def _known(self) -> Self:
        if self.panel_imp_a is not None and self.panel_isc_a is not None and self.panel_isc_a < self.panel_imp_a * (1 - 1e-9):
            raise ValueError(
                f"panel_isc_a must not be below panel_imp_a ({self.panel_imp_a:g} A): a panel gives most into a short circuit."
            )
        return self


class RequirementPart(
    part_of(RequirementRow, REQUIREMENT_NESTS, bases={"cuts": _Cuts}, lists={"cuts.week": _WeekSpan, "cuts.list": part_of(HistorySpanRow)})
):
    """What must hold, and by which method it is judged."""


class _AcOutput(Part):
    """The AC output of a UPS."""

    @model_validator(mode="after")
    def _possible(self) -> Self:
        if self.rated_va is not None and self.rated_w is not None and self.rated_w > self.rated_va * 1.0001:
            raise ValueError(f"rated_w must not be above rated_va ({self.rated_va:g} VA): W = VA × power factor, which is at most 1.")
        return self


class _Gauge(Part):
    """What a device's gauge takes for full and for empty."""

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        if self.empty_v is None or self.full_v is None or self.empty_v >= self.full_v:
            raise ValueError("empty_v must be below full_v.")
        return self


class SelectorPart(part_of(SelectorRow, SELECTOR_NESTS, bases={"gauge": _Gauge})):
    """Supplies that back each other up; loads name it as their supply."""

    @model_validator(mode="after")
    def _can_choose(self) -> Self:
        if len(self.inputs) < 2:
            raise ValueError("inputs needs two supplies at least: with one there is nothing to choose.")
        if self.mode == SelectorMode.FIRST_PRESENT.value and self.switch_below_v is None:
            raise ValueError("switch_below_v is missing: the voltage below which it changes over, as in 3.5.")
        return self


class SupplyPart(
    part_of(
        SupplyRow,
        SUPPLY_NESTS,
        bases={"bank": _Bank, "ac": _AcOutput, "windows": _Windows, "solar": _Solar},
        lists={
            "windows.week": _WeekSpan,
            "totals": part_of(TotalRow),
            "bank.discharge_table": part_of(TableRow),
            "bank.blocks": part_of(BlockRow),
            "timed_runs": part_of(TimedRunRow),
        },
    )
):
    """What feeds the loads when mains fails. A limit or charger figure of null is one that is not known."""


class LoadPart(
    part_of(
        LoadRow,
        LOAD_NESTS,
        bases={"converter": _Converter, "ac": _Ac},
        lists={"bursts": part_of(BurstRow), "thermostats": ThermostatPart, "recharges": RechargePart},
    )
):
    """A device or a group of equal devices; currents are per piece."""

    @model_validator(mode="before")
    @classmethod
    def _standby_of_ac(cls, values: Any) -> Any:
        """Take the standby current of an AC load that states none from its watts and its voltage: a nameplate's."""
        if isinstance(values, dict) and "standby" not in values and isinstance(values.get("ac"), dict):
            power_w, rail_v = values["ac"].get("power_w"), values.get("rail_v")
            if isinstance(power_w, int | float) and isinstance(rail_v, int | float) and rail_v > 0:
                return {**values, "standby": {"current_a": float(power_w / rail_v), "provenance": "nameplate"}}
        return values


class PointPart(part_of(PointRow)):
    """A measuring point."""


class ReadingPart(part_of(ReadingRow, lists={"open_questions": Part})):
    """One measurement, as it was read. The sign of ``value_a`` is that of the display; ``positive_means`` says which way that is."""

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        if self.min_a is not None and self.max_a is not None and self.min_a > self.max_a:
            raise ValueError(f"min_a must not be above max_a ({self.max_a:g} A).")
        if self.supersedes is not None and not self.reason.strip():
            raise ValueError("reason is missing: a reading that supersedes another says why.")
        return self


class DischargePart(part_of(DischargeTestRow, lists={"samples": part_of(SampleRow)})):
    """A timed discharge of a supply's bank."""

    @model_validator(mode="after")
    def _current_known(self) -> Self:
        if self.current_a is None and not any(s.a is not None and s.a > 0 for s in self.samples):
            raise ValueError("current_a is missing: give it, or samples with their currents.")
        if any(s.t_h > self.ran_h * (1 + 1e-6) for s in self.samples):
            raise ValueError(f"samples must not lie after ran_h ({self.ran_h:g} h).")
        return self


class PlanPart(part_of(PlanRow, lists={"selectors": SelectorPart, "tests": DischargePart})):
    """One configuration of the site."""

    supplies: Annotated[list[SupplyPart], Field(max_length=MOST_SUPPLIES)]
    loads: Annotated[list[LoadPart], Field(max_length=MOST_LOADS)]
    points: Annotated[list[PointPart], Field(max_length=MOST_POINTS)] = Field(default_factory=list)
    readings: Annotated[list[ReadingPart], Field(max_length=MOST_READINGS)] = Field(default_factory=list)


class SitePart(part_of(SiteRow)):
    """One premises."""


class PlacePart(part_of(PlaceRow)):
    """A place of the site."""


class RunPart(part_of(RunRow)):
    """The way of a cable from a place to a supply."""


class InstrumentPart(part_of(InstrumentRow, lists={"ranges": part_of(RangeRow)})):
    """A meter."""


class StockPart(part_of(StockRow)):
    """A block one can buy."""


class SiteFile(Part):
    """A whole site."""

    format: Literal["ypomoni-site"]
    version: Literal[1]
    site: SitePart
    requirements: Annotated[list[RequirementPart], Field(max_length=100)]
    plans: Annotated[list[PlanPart], Field(max_length=MOST_PLANS)]
    places: Annotated[list[PlacePart], Field(max_length=200)] = Field(default_factory=list)
    runs: Annotated[list[RunPart], Field(max_length=2_000)] = Field(default_factory=list)
    instruments: Annotated[list[InstrumentPart], Field(max_length=200)] = Field(default_factory=list)
    stock: Annotated[list[StockPart], Field(max_length=500)] = Field(default_factory=list)
