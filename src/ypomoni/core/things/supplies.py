"""Supplies, plans and sites: what feeds what."""

from dataclasses import dataclass, field, replace
from enum import StrEnum

from ypomoni.core.chemistries.cells import head_at_v
from ypomoni.core.requirements import Requirement
from ypomoni.core.requirements.patterns import TimePattern
from ypomoni.core.things.batteries import Bank, StockBlock
from ypomoni.core.things.discharge_tests import DischargeTest
from ypomoni.core.things.loads import Draw, Load, Run
from ypomoni.core.things.outputs import AcOutput, DcOutput, Feed, TimedRun
from ypomoni.core.things.places import Place
from ypomoni.core.things.readings import Instrument, MeasuringPoint, Reading
from ypomoni.core.things.selectors import Selector
from ypomoni.core.things.solar import Controller, SolarPart
from ypomoni.core.things.supply_kinds import KINDS, KindOfSupply, SupplyKind
from ypomoni.core.things.totals import MeasuredTotal, UnlistedLoad


class ChargeMode(StrEnum):
    """How a charger ends: held for good, ended by time or current, or a timed charge of nickel cells."""

    FLOAT = "float"
    CYCLIC = "cyclic"
    TIMED = "timed"


class ChargeEnd(StrEnum):
    """What ends a charge that is not held: the current it falls to, a time, or a stage that goes back to float."""

    CURRENT = "current"
    TIME = "time"
    FLOAT_STAGE = "float_stage"


class Stage(StrEnum):
    """Which configuration of a site a plan is."""

    AS_FOUND = "as_found"
    PROPOSAL = "proposal"
    AS_LEFT = "as_left"


@dataclass(frozen=True, slots=True, kw_only=True)
class Enclosure:
    """The box a battery stands in. [m³]"""

    volume_m3: float
    gas_tight: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Supply:
    """One supply. ``cutoff_v`` None means it never disconnects its battery; a limit or charger figure of None means not known.

    ``low_battery_v`` is where it warns of a low battery; ``stock`` the blocks that can be bought for it, where that was said.
    ``convenience_free`` keeps loads that are a mere convenience off it. ``charge_mode`` None is the usual one of its kind;
    ``charge_compensated`` says whether the charge voltage follows the temperature, ``current_limited`` whether the charger limits its current.
    """

    key: str
    name: str
    kind: SupplyKind
    requirement: Requirement
    nominal_v: float
    typical_degc: float
    min_degc: float
    cutoff_v: float | None = None
    own_current_a: float = 0.0
    output_limit_a: float | None = None
    alarm_output_limit_a: float | None = None
    supply_current_a: float | None = None
    charge_limit_a: float | None = None
    charge_v: float | None = None
    charge_mode: ChargeMode | None = None
    # What ends a cyclic charge; None: not known.
    charge_ends: ChargeEnd | None = None
    charge_compensated: bool | None = None
    current_limited: bool | None = None
    max_degc: float | None = None
    enclosure: Enclosure | None = None
    low_battery_v: float | None = None
    convenience_free: bool = False
    stock: tuple[StockBlock, ...] = field(default=())
    bank: Bank | None = None
    totals: tuple[MeasuredTotal, ...] = field(default=())
    # What its readings show beyond its load list; it counts in every figure until it is found.
    unlisted: UnlistedLoad | None = None
    ac: AcOutput | None = None
    dc: DcOutput | None = None
    timed_runs: tuple[TimedRun, ...] = field(default=())
    # When there is charge, of a supply with windows of it; what the sun gives, of one on panels.
    windows: TimePattern | None = None
    solar: SolarPart | None = None

    @property
    def output(self) -> AcOutput | DcOutput | None:
        """What stands between its battery and its loads, where its kind has such a thing and it is stated."""
        if self.of_kind.is_inverter:
            return self.ac
        return self.dc if self.kind is SupplyKind.DC_UPS else None

    @property
    def feed(self) -> Feed | None:
        """The regulated output its loads hang on; None: the battery itself."""
        return self.output.feed if self.output else None

    @property
    def fed_v(self) -> float:
        """The voltage its loads are made for. [V]"""
        return self.feed.output_v if self.feed else self.nominal_v

    @property
    def own_draw(self) -> Draw:
        """What it takes from its battery itself: its own current, what its output burns to stay awake, and what nobody listed."""
        return Draw(self.own_current_a + self.unlisted_a, self.output.burns_w if self.output else 0.0, 0.0)

    @property
    def unlisted_a(self) -> float:
        """The current of a load that its readings show and its load list does not hold. [A]"""
        return self.unlisted.current_a if self.unlisted else 0.0

    def as_wire(self, wire_v: float) -> "Supply":
        """Return what stands for the wire that its loads hang on: nothing of its own, nothing regulated, no totals. [V]"""
        return replace(
            self, kind=SupplyKind.BOXED, nominal_v=wire_v, ac=None, dc=None, own_current_a=0.0, totals=(), timed_runs=(), unlisted=None
        )

    @property
    def least_input_v(self) -> float | None:
        """The battery voltage below which its output stops, where it has such a one beside its cut-off. [V]"""
        return self.dc.min_input_v if self.dc is not None and self.kind is SupplyKind.DC_UPS else None

    @property
    def missing_part(self) -> str | None:
        """The part of its description without which its kind is not computed, under its name in the site file; None where nothing is missing."""
        part = self.of_kind.part
        if part == "ac" and self.ac is not None:
            return None if self.ac.expected_overhead_w is not None else "ac.rated_va"
        if part == "solar" and self.solar is not None and not self.solar.has_figures:
            return "solar.panel_w" if self.solar.controller is Controller.MPPT else "solar.panel_imp_a"
        stated = {"ac": self.ac, "dc": self.dc, "solar": self.solar, "windows": self.windows}
        return part if part and stated[part] is None else None

    @property
    def is_modelled(self) -> bool:
        """Whether its hours can be computed as far as its kind goes."""
        return self.missing_part is None

    def feeding(self, loads: tuple[Load, ...]) -> tuple[Load, ...]:
        """Return loads as they hang on it: on its regulated output, or on its battery."""
        feed = self.feed
        return tuple(load if load.feed == feed else replace(load, feed=feed) for load in loads)

    @property
    def climate(self) -> Place:
        """How warm it is where nothing nearer is known: at the supply."""
        return Place(key="", name=self.name, typical_degc=self.typical_degc, min_degc=self.min_degc)

    def output_limit_of(self, *, in_alarm: bool) -> float | None:
        """Return the greatest output in a state; one that is not stated for alarm is that of standby. None: not known. [A]"""
        return self.alarm_output_limit_a if in_alarm and self.alarm_output_limit_a is not None else self.output_limit_a

    @property
    def charging(self) -> ChargeMode:
        """How its charge ends: as stated, or as is usual for its kind."""
        if self.charge_mode is not None:
            return self.charge_mode
        return ChargeMode.CYCLIC if self.of_kind.is_cycled else ChargeMode.FLOAT

    @property
    def hottest_degc(self) -> float:
        """The highest temperature that is known of its place. [°C]"""
        return self.typical_degc if self.max_degc is None else max(self.typical_degc, self.max_degc)

    @property
    def has_charger(self) -> bool:
        """Whether something charges its battery: a limit above zero, or a kind that always does and no word against it."""
        if self.charge_limit_a is not None:
            return self.charge_limit_a > 0
        return self.kind is not SupplyKind.PRIMARY or self.charge_v is not None

    @property
    def starts_at_ratio(self) -> float:
        """How full its charger makes the bank: the head at which the open-circuit voltage is the set voltage; 1 where that is not known. [ratio]

        A lower set voltage never gets current into a bank whose open-circuit voltage has risen to it.
        """
        bank = self.bank
        if bank is None or self.charge_v is None or self.charge_limit_a == 0 or bank.chemistry.is_primary:
            return 1.0
        return head_at_v(bank.cell.ocv_rows, self.charge_v / bank.cells_in_series_count)

    @property
    def of_kind(self) -> KindOfSupply:
        """What is so of its kind."""
        return KINDS[self.kind]


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan:
    """One configuration of a site. ``loads`` includes the unassigned ones."""

    key: str
    name: str
    stage: Stage
    supplies: tuple[Supply, ...]
    loads: tuple[Load, ...]
    points: tuple[MeasuringPoint, ...] = field(default=())
    readings: tuple[Reading, ...] = field(default=())
    instruments: tuple[Instrument, ...] = field(default=())
    runs: tuple[Run, ...] = field(default=())
    selectors: tuple[Selector, ...] = field(default=())
    tests: tuple[DischargeTest, ...] = field(default=())

    def tests_of(self, supply_key: str) -> tuple[DischargeTest, ...]:
        """Return the timed discharges of a supply's bank, the oldest first."""
        return tuple(sorted((t for t in self.tests if t.supply_key == supply_key), key=lambda t: t.at))

    def selector_of(self, supply_key: str) -> Selector | None:
        """Return the selector that a supply is an input of; None where it feeds loads itself."""
        return next((s for s in self.selectors if supply_key in s.inputs), None)

    def loads_on(self, supply_key: str) -> tuple[Load, ...]:
        """Return the loads a supply feeds, as they hang on it; an input of a selector, those of the selector as if it were alone."""
        selector = self.selector_of(supply_key)
        wanted = {supply_key} if selector is None else {supply_key, selector.key}
        loads = tuple(load for load in self.loads if load.supply_key in wanted)
        supply = next((s for s in self.supplies if s.key == supply_key), None)
        return supply.feeding(loads) if supply else loads


@dataclass(frozen=True, slots=True, kw_only=True)
class Site:
    """One premises."""

    name: str
    typical_degc: float
    min_degc: float
    max_degc: float | None
    requirements: tuple[Requirement, ...]
    plans: tuple[Plan, ...]
    places: tuple[Place, ...] = field(default=())
    instruments: tuple[Instrument, ...] = field(default=())
