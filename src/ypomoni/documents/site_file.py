"""Read and write the site file. `read_site_text` takes untrusted text; `read_site` takes the same as Python values.

Both give a `SiteFile` that is known to be whole, or raise `DocumentFaults` with every fault at once.
"""

import json
from collections.abc import Iterator
from typing import Any, get_args

from pydantic import BaseModel, ValidationError

from ypomoni.core.batteries import Bank
from ypomoni.core.chemistries import CHEMISTRIES
from ypomoni.core.chemistries.model import HIGHEST_DEGC
from ypomoni.core.loads import Behaviour, Burst, Converter, ConverterKind, During, Load, Provenance, StatedCurrent, check_rail
from ypomoni.core.requirements import Derating, Method, Requirement
from ypomoni.core.supplies import MODELLED_KINDS, Plan, Site, Stage, Supply, SupplyKind
from ypomoni.documents.faults import DocumentFaults, Fault, fault_of, path_of
from ypomoni.documents.site_model import FORMAT, VERSION, BankPart, CurrentPart, LoadPart, PlanPart, RequirementPart, SiteFile, SupplyPart

DEEPEST = 64


def read_site_text(text: str | bytes) -> SiteFile:
    """Return the site file in a text, or raise `DocumentFaults`."""
    try:
        decoded = text.decode("utf-8-sig") if isinstance(text, bytes) else text.removeprefix("\ufeff")
    except UnicodeDecodeError as error:
        raise DocumentFaults([Fault("", f"the file is not UTF-8 text (byte {error.start}): save it as UTF-8 JSON.")]) from error
    faults: list[Fault] = []

    def no_constant(name: str) -> float:
        faults.append(Fault("", f"{name} is not a number that JSON knows: write a finite number or null."))
        return 0.0

    def no_double(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
        found: dict[str, Any] = {}
        for key, value in pairs:
            if key in found:
                faults.append(Fault("", f"the key {key!r} stands twice in one object: keep one of them."))
            found[key] = value
        return found

    try:
        document = json.loads(decoded, parse_constant=no_constant, object_pairs_hook=no_double)
    except json.JSONDecodeError as error:
        raise DocumentFaults([Fault("", f"the file is not JSON: {error.msg} at line {error.lineno}, column {error.colno}.")]) from error
    except (RecursionError, ValueError) as error:
        raise DocumentFaults(
            [Fault("", "the file is not a site file: it is nested too deeply or holds a number of too many digits.")]
        ) from error
    if faults:
        try:
            read_site(document)
        except DocumentFaults as error:
            faults += error.faults
        raise DocumentFaults(faults)
    return read_site(document)


def read_site(document: Any) -> SiteFile:
    """Return a site file from Python values, or raise `DocumentFaults`."""
    if not isinstance(document, dict):
        raise DocumentFaults([Fault("", f"must be an object with format {FORMAT!r} and version {VERSION}.")])
    if document.get("format") != FORMAT:
        raise DocumentFaults([Fault("format", f"must be {FORMAT!r}: this is not a site file.")])
    if document.get("version") != VERSION or isinstance(document.get("version"), bool):
        raise DocumentFaults([Fault("version", f"must be {VERSION}: other versions were made by a newer Ypomoni.")])
    faults: list[Fault] = []
    site_file = None
    try:
        site_file = SiteFile.model_validate(document)
    except ValidationError as error:
        faults += [fault_of(e, _known_keys(e["loc"])) for e in error.errors(include_url=False)]
    seen = {f.path for f in faults}
    faults += [f for f in _cross_faults(document) if f.path not in seen]
    if faults or site_file is None:
        raise DocumentFaults(faults)
    return site_file


def write_site(site_file: SiteFile) -> str:
    """Return a site file as text: every key, in the order of the definition."""
    return json.dumps(site_file.model_dump(mode="json"), indent=1, ensure_ascii=False, allow_nan=False) + "\n"


def json_schema() -> dict[str, Any]:
    """Return the JSON Schema of the site file."""
    schema = SiteFile.model_json_schema()
    schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    schema["title"] = "Ypomoni site file, version 1"
    return schema


def _known_keys(location: tuple[str | int, ...]) -> list[str]:
    """Return the keys allowed beside the last part of a location."""
    model: type[BaseModel] = SiteFile
    for part in location[:-1]:
        if isinstance(part, str) and part in model.model_fields:
            model = next(_models_in(model.model_fields[part].annotation), model)
    return list(model.model_fields)


def _models_in(annotation: Any) -> Iterator[type[BaseModel]]:
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        yield annotation
    for argument in get_args(annotation):
        yield from _models_in(argument)


# -- what one object says about another ------------------------------------------------------------------------------------------------


def _cross_faults(document: dict[str, Any]) -> Iterator[Fault]:
    """Yield faults between objects. Tolerant of anything: what has the wrong shape has its own fault already."""
    requirements = list(_objects(document.get("requirements")))
    yield from _doubles(requirements, ("requirements",))
    requirement_keys = [r.get("key") for _, r in requirements]
    plans = list(_objects(document.get("plans")))
    yield from _doubles(plans, ("plans",))
    site = document.get("site")
    if not isinstance(site, dict):
        site = {}
    yield from _temperature_order(site, site, ("site",))
    for n, plan in plans:
        here = ("plans", n)
        supplies, loads = list(_objects(plan.get("supplies"))), list(_objects(plan.get("loads")))
        yield from _doubles(supplies, (*here, "supplies"))
        yield from _doubles(loads, (*here, "loads"))
        by_key = {s.get("key"): s for _, s in supplies if isinstance(s.get("key"), str)}
        for m, supply in supplies:
            at = (*here, "supplies", m)
            key = supply.get("requirement")
            if isinstance(key, str) and key not in requirement_keys:
                yield Fault(
                    path_of((*at, "requirement")),
                    f"names the requirement {key!r}, which is not in requirements{_listed(requirement_keys)}.",
                )
            if supply.get("typical_degc") is not None or supply.get("min_degc") is not None:
                yield from _temperature_order(supply, site, at)
            yield from _outside_tables(supply, site, at)
        for m, load in loads:
            at = (*here, "loads", m)
            key = load.get("supply")
            if isinstance(key, str) and key not in by_key:
                yield Fault(path_of((*at, "supply")), f"names the supply {key!r}, which is not in this plan{_listed(list(by_key))}.")
            yield from _rail_fault(load, by_key.get(key) if isinstance(key, str) else None, at)


def _objects(value: Any) -> Iterator[tuple[int, dict[str, Any]]]:
    if isinstance(value, list):
        yield from ((n, entry) for n, entry in enumerate(value) if isinstance(entry, dict))


def _doubles(entries: list[tuple[int, dict[str, Any]]], here: tuple[str | int, ...]) -> Iterator[Fault]:
    seen: dict[str, int] = {}
    for n, entry in entries:
        key = entry.get("key")
        if not isinstance(key, str):
            continue
        if key in seen:
            yield Fault(path_of((*here, n, "key")), f"{key!r} is the key of entry {seen[key]} already: keys are unique in their list.")
        seen.setdefault(key, n)


def _listed(keys: list[Any]) -> str:
    names = [repr(k) for k in keys if isinstance(k, str)][:8]
    return f" ({', '.join(names)})" if names else ""


def _number(value: Any) -> float | None:
    return float(value) if isinstance(value, int | float) and not isinstance(value, bool) and abs(value) < 1e12 else None


def _temperatures(supply: dict[str, Any], site: dict[str, Any]) -> tuple[tuple[str, float | None], tuple[str, float | None]]:
    found: list[tuple[str, float | None]] = []
    for key in ("typical_degc", "min_degc"):
        own = _number(supply.get(key))
        found.append(("supply", own) if own is not None else ("site", _number(site.get(key))))
    return found[0], found[1]


def _temperature_order(part: dict[str, Any], site: dict[str, Any], here: tuple[str | int, ...]) -> Iterator[Fault]:
    (_, typical), (_, least) = _temperatures(part, site)
    greatest = _number(part.get("max_degc"))
    if typical is not None and least is not None and least > typical:
        key = "min_degc" if part.get("min_degc") is not None else "typical_degc"
        yield Fault(path_of((*here, key)), f"the lowest temperature ({least:g} °C) must not be above the typical one ({typical:g} °C).")
    if typical is not None and greatest is not None and greatest < typical:
        yield Fault(path_of((*here, "max_degc")), f"must not be below typical_degc ({typical:g} °C), was {greatest:g} °C.")


def _outside_tables(supply: dict[str, Any], site: dict[str, Any], here: tuple[str | int, ...]) -> Iterator[Fault]:
    bank = supply.get("bank")
    chemistry = CHEMISTRIES.get(bank.get("chemistry") or "") if isinstance(bank, dict) and isinstance(bank.get("chemistry"), str) else None
    if chemistry is None or supply.get("kind") not in {k.value for k in MODELLED_KINDS}:
        return
    for key, (owner, value) in zip(("typical_degc", "min_degc"), _temperatures(supply, site), strict=True):
        if value is not None and not chemistry.covers(value):
            path = path_of((*here, key)) if owner == "supply" else f"site.{key}"
            yield Fault(
                path,
                f"{chemistry.name} is tabled from {chemistry.lowest_degc:g} °C to {HIGHEST_DEGC:g} °C, was {value:g} °C: "
                f"no figure is given outside it (supply {supply.get('name') or supply.get('key')!s}).",
            )


def _rail_fault(load: dict[str, Any], supply: dict[str, Any] | None, here: tuple[str | int, ...]) -> Iterator[Fault]:
    rail_v = _number(load.get("rail_v"))
    nominal_v = _number(supply.get("nominal_v")) if supply else None
    if rail_v is None or nominal_v is None or min(rail_v, nominal_v) <= 0 or load.get("converter") is not None:
        return
    message = check_rail(rail_v, nominal_v, None)
    if message:
        yield Fault(path_of((*here, "rail_v")), f"{message} (load {load.get('name') or load.get('key')!s})")


# -- into the core ---------------------------------------------------------------------------------------------------------------------


def to_core(site_file: SiteFile) -> Site:
    """Return the core's values of a site file."""
    requirements = {r.key: _requirement(r) for r in site_file.requirements}
    return Site(
        name=site_file.site.name,
        typical_degc=site_file.site.typical_degc,
        min_degc=site_file.site.min_degc,
        max_degc=site_file.site.max_degc,
        requirements=tuple(requirements.values()),
        plans=tuple(_plan(p, site_file, requirements) for p in site_file.plans),
    )


def _plan(part: PlanPart, site_file: SiteFile, requirements: dict[str, Requirement]) -> Plan:
    return Plan(
        key=part.key,
        name=part.name,
        stage=Stage(part.stage),
        supplies=tuple(_supply(s, site_file, requirements) for s in part.supplies),
        loads=tuple(_load(load) for load in part.loads),
    )


def _requirement(part: RequirementPart) -> Requirement:
    return Requirement(
        key=part.key,
        name=part.name or part.key,
        source=part.source,
        standby_h=part.standby_h,
        alarm_min=part.alarm_min,
        recharge_h=part.recharge_h,
        recharge_to_ratio=part.recharge_to_ratio,
        method=Method(part.method),
        end_of_life_ratio=part.end_of_life_ratio,
        design_margin_ratio=part.design_margin_ratio,
        derating=Derating(**part.derating.model_dump()),
    )


def _supply(part: SupplyPart, site_file: SiteFile, requirements: dict[str, Requirement]) -> Supply:
    site = site_file.site
    return Supply(
        key=part.key,
        name=part.name,
        kind=SupplyKind(part.kind),
        requirement=requirements[part.requirement],
        nominal_v=part.nominal_v,
        typical_degc=site.typical_degc if part.typical_degc is None else part.typical_degc,
        min_degc=site.min_degc if part.min_degc is None else part.min_degc,
        cutoff_v=part.cutoff_v,
        own_current_a=part.own_current_a,
        output_limit_a=part.output_limit_a,
        alarm_output_limit_a=part.alarm_output_limit_a,
        supply_current_a=part.supply_current_a,
        charge_limit_a=part.charge_limit_a,
        charge_v=part.charge_v,
        bank=_bank(part.bank) if part.bank else None,
    )


def _bank(part: BankPart) -> Bank:
    values = part.model_dump()
    return Bank(chemistry_key=values.pop("chemistry"), **values)


def _stated(part: CurrentPart) -> StatedCurrent:
    return StatedCurrent(current_a=part.current_a, provenance=Provenance(part.provenance))


def _load(part: LoadPart) -> Load:
    converter = None
    if part.converter:
        converter = Converter(kind=ConverterKind(part.converter.kind), efficiency_ratio=part.converter.efficiency_ratio or 1.0)
    return Load(
        key=part.key,
        name=part.name,
        supply_key=part.supply,
        quantity=part.quantity,
        rail_v=part.rail_v,
        behaviour=Behaviour(part.behaviour),
        standby=_stated(part.standby),
        alarm=_stated(part.alarm or part.standby),
        converter=converter,
        min_v=part.min_v,
        essential=part.essential,
        bursts=tuple(Burst(**{**b.model_dump(), "during": During(b.during)}) for b in part.bursts),
    )
