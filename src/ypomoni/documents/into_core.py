"""The core's values of a site file. What a record describes is taken over by name; here stands only what has to be put together."""

from datetime import datetime
from enum import StrEnum
from functools import cache
from typing import Any

from ypomoni.core.measuring.measured_totals import with_unlisted_loads
from ypomoni.core.requirements import Autonomy, Derating, Requirement
from ypomoni.core.requirements.patterns import Day, ListSpan, TimePattern, WeekSpan
from ypomoni.core.things.batteries import Bank, Bms, StockBlock
from ypomoni.core.things.discharge_tests import DischargeSample, DischargeTest
from ypomoni.core.things.loads import AcDraw, Burst, Cable, Converter, Load, Recharge, Run, StatedCurrent, Thermostat
from ypomoni.core.things.outputs import AcOutput, DcOutput, TimedRun
from ypomoni.core.things.places import Place
from ypomoni.core.things.protection import FittedBlock, Lead, Protection
from ypomoni.core.things.readings import Hookup, Instrument, MeasuringPoint, PointKind, Range, Reading, loads_behind
from ypomoni.core.things.selectors import Gauge, Selector, SelectorMode
from ypomoni.core.things.solar import SolarPart
from ypomoni.core.things.supplies import Enclosure, Plan, Site, Stage, Supply
from ypomoni.core.things.totals import MeasuredTotal
from ypomoni.documents.described import Part
from ypomoni.documents.site_model import SiteFile, table_of
from ypomoni.records.audit import PointRow, ReadingRow
from ypomoni.records.bank import BlockRow
from ypomoni.records.field import Many, Months, Reference, Word, fields_of
from ypomoni.records.library import InstrumentRow, RangeRow, StockRow
from ypomoni.records.load import BurstRow, LoadRow, ThermostatRow
from ypomoni.records.requirement import RequirementRow
from ypomoni.records.site import DischargeTestRow, PlaceRow, PlanRow, SiteRow
from ypomoni.records.supply import SupplyRow


def plain(record: type, part: Part, under: str = "") -> dict[str, Any]:
    """Return the values of a part of the file that the core knows by the same names: neither lists nor other records.

    ``under`` is the path of the part within its record, as in ``bank.bms``.
    """
    found: dict[str, Any] = {}
    for name, one_of in _plain_names(record, under):
        value = getattr(part, name)
        found[name] = value if one_of is None or value is None else one_of(value)
    return found


@cache
def _plain_names(record: type, under: str) -> tuple[tuple[str, type[StrEnum] | None], ...]:
    """Return the names of a part's plain values, with the words each is one of."""
    found: list[tuple[str, type[StrEnum] | None]] = []
    for field in fields_of(record):
        before, _, name = (field.file_path or "").rpartition(".")
        if field.file_path is not None and before == under and not isinstance(field, Many | Months | Reference):
            found.append((name, field.one_of if isinstance(field, Word) else None))
    return tuple(found)


def to_core_plan(site_file: SiteFile, plan_key: str) -> Plan:
    """Return one plan of a site file as the core sees it; the others are not built."""
    # What was read as found bears on every plan, where anything was.
    read = [p for p in site_file.plans if p.stage == Stage.AS_FOUND.value and p.readings and p.key != plan_key][:1]
    alone = site_file.model_copy(update={"plans": [p for p in site_file.plans if p.key == plan_key] + read})
    return to_core(alone).plans[0]


def to_core(site_file: SiteFile) -> Site:
    """Return the core's values of a site file."""
    requirements = {r.key: _requirement(r) for r in site_file.requirements}
    places = {p.key: _place(p, site_file) for p in site_file.places}
    instruments = tuple(_instrument(i) for i in site_file.instruments)
    return Site(
        **plain(SiteRow, site_file.site),
        requirements=tuple(requirements.values()),
        plans=with_unlisted_loads(tuple(_plan(p, site_file, requirements, places, instruments) for p in site_file.plans)),
        places=tuple(places.values()),
        instruments=instruments,
    )


def _plan(
    part: Part,
    site_file: SiteFile,
    requirements: dict[str, Requirement],
    places: dict[str, Place],
    instruments: tuple[Instrument, ...],
) -> Plan:
    behind = _behind_points(part)
    superseded = {r.supersedes: r.key for r in part.readings if r.supersedes}
    power_meters = frozenset(i.key for i in instruments if i.hookup is Hookup.POWER_METER)
    return Plan(
        **plain(PlanRow, part),
        supplies=tuple(_supply(s, site_file, requirements, behind) for s in part.supplies),
        loads=tuple(_load(load, places) for load in part.loads),
        selectors=tuple(_selector(s) for s in part.selectors),
        tests=tuple(_discharge(t) for t in part.tests),
        points=tuple(_point(p) for p in part.points),
        readings=tuple(_reading(r, superseded, power_meters) for r in part.readings),
        instruments=instruments,
        runs=tuple(Run(place_key=r.place, supply_key=r.supply, length_m=r.length_m, section_mm2=r.section_mm2) for r in site_file.runs),
    )


def _behind_points(part: Part) -> dict[str, tuple[PointKind, frozenset[str]]]:
    """Return for each point that a total names its kind and the loads behind it."""
    named = {t.point for s in part.supplies for t in s.totals}
    if not named:
        return {}
    found: dict[str, tuple[PointKind, frozenset[str]]] = {}
    for supply in part.supplies:
        points = [_point(p) for p in part.points if p.supply == supply.key]
        behind = loads_behind(points, [load.key for load in part.loads if load.supply == supply.key])
        found |= {p.key: (p.kind, frozenset(behind[p.key])) for p in points if p.key in named}
    return found


def _point(part: Part) -> MeasuringPoint:
    return MeasuringPoint(**plain(PointRow, part), supply_key=part.supply, parent_key=part.parent, load_key=part.load)


# What of a reading says who wrote it and how, which no figure hangs on.
_ONLY_KEPT = ("state_note", "as_written", "temperature_degc", "taken_by", "taken_at", "remark", "reason")


def _reading(part: Part, superseded: dict[str, str], power_meters: frozenset[str]) -> Reading:
    values = {name: value for name, value in plain(ReadingRow, part).items() if name not in _ONLY_KEPT}
    if part.instrument in power_meters:
        values["hookup"] = Hookup.POWER_METER
    return Reading(
        **values,
        point_key=part.point,
        instrument_key=part.instrument,
        superseded_by=superseded.get(part.key),
        is_doubted=bool(part.open_questions),
    )


def _or_of_site(part: Part, site_file: SiteFile, names: tuple[str, ...]) -> dict[str, float | None]:
    """Return temperatures of a part, those it does not say being the site's."""
    return {n: getattr(site_file.site, n) if getattr(part, n) is None else getattr(part, n) for n in names}


def _place(part: Part, site_file: SiteFile) -> Place:
    own = _or_of_site(part, site_file, ("typical_degc", "min_degc"))
    return Place(**{**plain(PlaceRow, part), **own}, monthly_degc=tuple(part.monthly_degc or ()))


def _instrument(part: Part) -> Instrument:
    ranges = sorted(part.ranges, key=lambda r: r.limit_a)
    return Instrument(**plain(InstrumentRow, part), ranges=tuple(Range(**plain(RangeRow, r)) for r in ranges))


def _pattern(part: Part | None) -> TimePattern | None:
    """Return the pattern of cuts or windows of a part; None where there is none."""
    if part is None:
        return None
    if part.week is not None:
        return TimePattern(week=week_of([s.model_dump() for s in part.week]))
    spans = tuple(ListSpan(start_h=s.start_h, duration_h=s.duration_h) for s in part.list)
    last_h = max((s.start_h + s.duration_h for s in spans), default=0.0)
    return TimePattern(spans=spans, length_h=last_h if part.length_h is None else part.length_h)


def week_of(rows: list[dict[str, Any]]) -> tuple[WeekSpan, ...]:
    """Return the spans of a week from their rows."""
    return tuple(WeekSpan(day=Day(s["day"]), start_h=clock_h(s["start"]), duration_h=s["duration_h"]) for s in rows)


def clock_h(text: str) -> float:
    """Return a time of day as hours, as in 06:30."""
    hours, minutes = text.split(":")
    return int(hours) + int(minutes) / 60.0


def _solar(part: Part | None) -> SolarPart | None:
    if part is None:
        return None
    return SolarPart(**plain(SupplyRow, part, "solar"), sun_h_by_month=tuple(part.sun_h_by_month))


def _requirement(part: Part) -> Requirement:
    values = plain(RequirementRow, part)
    return Requirement(
        **{**values, "name": values["name"] or part.key},
        derating=Derating(**plain(RequirementRow, part.derating, "derating")),
        autonomy=Autonomy(**plain(RequirementRow, part.autonomy, "autonomy")),
        cuts=_pattern(part.cuts),
    )


def _supply(
    part: Part,
    site_file: SiteFile,
    requirements: dict[str, Requirement],
    behind: dict[str, tuple[PointKind, frozenset[str]]],
) -> Supply:
    return Supply(
        **{**plain(SupplyRow, part), **_or_of_site(part, site_file, ("typical_degc", "min_degc", "max_degc"))},
        requirement=requirements[part.requirement],
        windows=_pattern(part.windows),
        solar=_solar(part.solar),
        ac=AcOutput(**plain(SupplyRow, part.ac, "ac")) if part.ac else None,
        dc=DcOutput(**plain(SupplyRow, part.dc, "dc")) if part.dc else None,
        timed_runs=tuple(TimedRun(output_w=r.output_w, run_h=r.run_h) for r in part.timed_runs),
        enclosure=Enclosure(**plain(SupplyRow, part.enclosure, "enclosure")) if part.enclosure else None,
        stock=tuple(_stock(b) for b in site_file.stock),
        bank=_bank(part.bank) if part.bank else None,
        totals=tuple(_total(t, behind) for t in part.totals),
    )


def _stock(part: Part) -> StockBlock:
    values = plain(StockRow, part)
    return StockBlock(chemistry_key=values.pop("chemistry"), **values)


def _selector(part: Part) -> Selector:
    gauge = Gauge(full_v=part.gauge.full_v, empty_v=part.gauge.empty_v) if part.gauge else None
    return Selector(
        key=part.key,
        name=part.name,
        inputs=tuple(part.inputs),
        mode=SelectorMode(part.mode),
        switch_below_v=part.switch_below_v or 0.0,
        return_above_v=part.return_above_v,
        gauge=gauge,
    )


def _discharge(part: Part) -> DischargeTest:
    values = plain(DischargeTestRow, part)
    supply_key, at = values.pop("supply"), datetime.fromisoformat(values.pop("at"))
    return DischargeTest(
        **values,
        supply_key=supply_key,
        at=at,
        samples=tuple(DischargeSample(t_h=s.t_h, terminal_v=s.v, current_a=s.a) for s in part.samples),
    )


def _total(part: Part, behind: dict[str, tuple[PointKind, frozenset[str]]]) -> MeasuredTotal:
    kind, load_keys = behind[part.point]
    return MeasuredTotal(
        load_keys=load_keys,
        current_a=part.current_a,
        uncertainty_a=part.uncertainty_a,
        at_v=part.at_v,
        in_alarm=part.state == "alarm",
        own_included=kind is PointKind.BATTERY,
        reading_key=part.reading or "",
    )


def _bank(part: Part) -> Bank:
    values = plain(SupplyRow, part, "bank")
    key = values.pop("chemistry")
    table = table_of(part) if part.discharge_table else None
    return Bank(
        chemistry_key=key,
        table=table,
        bms=Bms(**plain(SupplyRow, part.bms, "bank.bms")) if part.bms else None,
        protection=Protection(**plain(SupplyRow, part.protection, "bank.protection")) if part.protection else None,
        lead=Lead(**plain(SupplyRow, part.lead, "bank.lead")) if part.lead else None,
        blocks=tuple(FittedBlock(**plain(BlockRow, b)) for b in part.blocks),
        **values,
    )


def _stated(part: Part, state: str) -> StatedCurrent:
    values = plain(LoadRow, part, state)
    return StatedCurrent(reading_key=values.pop("reading"), **values)


def _load(part: Part, places: dict[str, Place]) -> Load:
    standby = _stated(part.standby, "standby")
    converter = None
    if part.converter:
        # A linear converter has no efficiency of its own: it takes what its voltage leaves.
        values = plain(LoadRow, part.converter, "converter")
        converter = Converter(**{**values, "efficiency_ratio": values["efficiency_ratio"] or 1.0})
    return Load(
        **plain(LoadRow, part),
        supply_key=part.supply,
        standby=standby,
        alarm=_stated(part.alarm, "alarm") if part.alarm else standby,
        alarm_is_standby=part.alarm is None,
        converter=converter,
        bursts=tuple(Burst(**plain(BurstRow, b)) for b in part.bursts),
        place=places.get(part.place or ""),
        cable=Cable(**plain(LoadRow, part.cable, "cable")) if part.cable else None,
        thermostats=tuple(Thermostat(**plain(ThermostatRow, t)) for t in part.thermostats),
        recharges=tuple(_recharge(r) for r in part.recharges),
        ac=AcDraw(**plain(LoadRow, part.ac, "ac")) if part.ac else None,
    )


def _recharge(part: Part) -> Recharge:
    energy_wh = part.energy_wh if part.energy_wh is not None else (part.charge_ah or 0.0) * (part.battery_v or 0.0)
    return Recharge(
        name=part.name,
        energy_wh=energy_wh,
        depth_ratio=part.depth_ratio,
        per_day=part.per_day,
        efficiency_ratio=part.efficiency_ratio,
    )
