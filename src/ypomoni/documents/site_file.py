"""Read and write the site file. `read_site_text` takes untrusted text; `read_site` takes the same as Python values.

Both give a `SiteFile` that is known to be whole, or raise `DocumentFaults` with every fault at once.
"""

import json
from collections.abc import Iterator
from typing import Any, get_args

from annotated_types import MaxLen
from pydantic import BaseModel, ValidationError

from ypomoni.core.chemistries import CHEMISTRIES
from ypomoni.core.errors import QuantityError
from ypomoni.core.outage.gathering import MOST_BUSY_LOADS
from ypomoni.core.outage.identifying import longest_run_h
from ypomoni.core.things.batteries import cells_of_block
from ypomoni.core.things.loads import (
    ConverterKind,
    check_rail,
    duty_fault,
)
from ypomoni.core.things.supply_kinds import SupplyKind
from ypomoni.core.units import SECONDS_PER_HOUR
from ypomoni.documents.faults import MOST_FAULTS, DocumentFaults, Fault, fault_of, path_of
from ypomoni.documents.into_core import to_core
from ypomoni.documents.site_model import FORMAT, MOST_PLANS, MOST_SITE_LOADS, VERSION, PlanPart, SiteFile

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


def read_site(document: Any, *, stored: bool = False) -> SiteFile:
    """Return a site file from Python values, or raise `DocumentFaults`.

    ``stored`` sites were checked when they were saved: what a later rule finds in them does not keep anybody from opening them.
    """
    if not isinstance(document, dict):
        raise DocumentFaults([Fault("", f"must be an object with format {FORMAT!r} and version {VERSION}.")])
    if document.get("format") != FORMAT:
        raise DocumentFaults([Fault("format", f"must be {FORMAT!r}: this is not a site file.")])
    if document.get("version") != VERSION or isinstance(document.get("version"), bool):
        raise DocumentFaults([Fault("version", f"must be {VERSION}: other versions were made by a newer Ypomoni.")])
    # Lists that are too long are not looked through: nobody mends what is in them.
    faults = list(_too_long(document))
    if faults:
        raise DocumentFaults(faults)
    site_file = None
    try:
        site_file = SiteFile.model_validate(document)
    except ValidationError as error:
        told = error.errors(include_url=False)
        faults += [fault_of(e, _known_keys(e["loc"])) for e in told[:MOST_FAULTS]]
        # Only their number is told of the rest.
        faults += [Fault("", "")] * (len(told) - len(faults))
    seen = {f.path for f in faults}
    faults += [f for f in _cross_faults(document) if f.path not in seen]
    if not stored:
        seen = {f.path for f in faults}
        faults += [f for f in _sense_faults(document) if f.path not in seen]
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


def _too_long(document: dict[str, Any]) -> Iterator[Fault]:
    """Yield lists that hold more than they may, and a site with more loads than it may have in all its plans."""
    yield from _lists_too_long(SiteFile, document, ())
    plans = document.get("plans")
    loads_count = 0
    for n, plan in enumerate(plans[:MOST_PLANS] if isinstance(plans, list) else []):
        if isinstance(plan, dict):
            yield from _lists_too_long(PlanPart, plan, ("plans", n))
            loads_count += len(plan["loads"]) if isinstance(plan.get("loads"), list) else 0
    if loads_count > MOST_SITE_LOADS:
        yield Fault("plans", f"hold {loads_count:,} loads in all: a site has at most {MOST_SITE_LOADS:,}.")


def _lists_too_long(model: type[BaseModel], document: dict[str, Any], here: tuple[str | int, ...]) -> Iterator[Fault]:
    for name, field in model.model_fields.items():
        most = next((m.max_length for m in field.metadata if isinstance(m, MaxLen)), None)
        entries = document.get(name)
        if most is not None and isinstance(entries, list) and len(entries) > most:
            yield Fault(path_of((*here, name)), f"takes at most {most} entries, was {len(entries)}.")


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
    places, instruments = list(_objects(document.get("places"))), list(_objects(document.get("instruments")))
    yield from _doubles(places, ("places",))
    yield from _doubles(instruments, ("instruments",))
    for n, place in places:
        yield from _temperature_order(place, site, ("places", n))
    place_keys, instrument_keys = _keys(places), _keys(instruments)
    yield from _run_faults(document, place_keys, plans)
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
            if any(supply.get(key) is not None for key in ("typical_degc", "min_degc", "max_degc")):
                yield from _temperature_order(supply, site, at)
        selector_keys = _keys(list(_objects(plan.get("selectors"))))
        tests = list(_objects(plan.get("tests")))
        yield from _doubles(tests, (*here, "tests"))
        for m, test in tests:
            yield from _unknown(test, "supply", set(by_key), "supplies of this plan", (*here, "tests", m))
        yield from _selector_faults(plan, by_key, here)
        for m, load in loads:
            at = (*here, "loads", m)
            key = load.get("supply")
            if isinstance(key, str) and key not in by_key and key not in selector_keys:
                yield Fault(path_of((*at, "supply")), f"names the supply {key!r}, which is not in this plan{_listed(list(by_key))}.")
            feeding = by_key.get(key) if isinstance(key, str) else None
            yield from _rail_fault(load, feeding, at)
            if load.get("bursts"):
                yield from _duty_fault(load, at)
            if load.get("place") is not None:
                yield from _unknown(load, "place", place_keys, "places", at)
        yield from audit_faults(plan, here, instrument_keys)


def _sense_faults(document: dict[str, Any]) -> Iterator[Fault]:
    """Yield figures that cannot be meant: a cut-off no battery reaches, a rail no converter makes."""
    for n, plan in _objects(document.get("plans")):
        supplies = list(_objects(plan.get("supplies")))
        by_key = {s.get("key"): s for _, s in supplies if isinstance(s.get("key"), str)}
        for m, supply in supplies:
            yield from _cutoff_faults(supply, ("plans", n, "supplies", m))
            yield from _block_faults(supply.get("bank"), ("plans", n, "supplies", m, "bank"))
            yield from _run_time_faults(supply, document.get("site"), ("plans", n, "supplies", m))
            yield from _busy_faults(supply, plan, ("plans", n, "supplies", m))
        for m, test in _objects(plan.get("tests")):
            key = test.get("supply")
            yield from _test_faults(test, by_key.get(key) if isinstance(key, str) else None, ("plans", n, "tests", m))
        for m, load in _objects(plan.get("loads")):
            key = load.get("supply")
            feeding = by_key.get(key) if isinstance(key, str) else None
            yield from _converter_faults(load, feeding, ("plans", n, "loads", m))
            yield from _fed_faults(load, feeding, ("plans", n, "loads", m))


def _test_faults(test: dict[str, Any], supply: dict[str, Any] | None, here: tuple[str | int, ...]) -> Iterator[Fault]:
    """Yield a test of a supply without a battery."""
    if supply is not None and not isinstance(supply.get("bank"), dict):
        yield Fault(path_of((*here, "supply")), f"names {test.get('supply')!r}, which has no battery: there is nothing to discharge.")


def _busy_faults(supply: dict[str, Any], plan: dict[str, Any], at: tuple[str | int, ...]) -> Iterator[Fault]:
    """Yield a supply with more loads with bursts than are computed."""
    count = sum(1 for _, load in _objects(plan.get("loads")) if load.get("bursts") and load.get("supply") == supply.get("key"))
    if count > MOST_BUSY_LOADS:
        yield Fault(
            path_of((*at, "key")),
            f"has {count} loads with bursts: at most {MOST_BUSY_LOADS} are computed on one supply. Enter equal devices as one load with its quantity.",
        )


def _run_faults(document: dict[str, Any], place_keys: set[str], plans: list[tuple[int, dict[str, Any]]]) -> Iterator[Fault]:
    """Yield runs that name nothing, and two of one pair."""
    supply_keys = {key for _, plan in plans for key in _keys(list(_objects(plan.get("supplies"))))}
    seen: set[tuple[Any, Any]] = set()
    for n, run in _objects(document.get("runs")):
        yield from _unknown(run, "place", place_keys, "places", ("runs", n))
        yield from _unknown(run, "supply", supply_keys, "supplies of any plan", ("runs", n))
        pair = (str(run.get("place")), str(run.get("supply")))
        if pair in seen:
            yield Fault(path_of(("runs", n)), f"is a second run from {pair[0]!r} to {pair[1]!r}: there is one of a pair.")
        seen.add(pair)


def audit_faults(plan: dict[str, Any], here: tuple[str | int, ...], instrument_keys: set[str]) -> Iterator[Fault]:
    """Yield what points, readings and totals of a plan say that does not go together."""
    points, readings = list(_objects(plan.get("points"))), list(_objects(plan.get("readings")))
    yield from _doubles(points, (*here, "points"))
    yield from _doubles(readings, (*here, "readings"))
    supplies, loads = list(_objects(plan.get("supplies"))), list(_objects(plan.get("loads")))
    supply_keys, reading_keys = _keys(supplies), _keys(readings)
    load_supply = {load.get("key"): load.get("supply") for _, load in loads if isinstance(load.get("key"), str)}
    by_key = {p.get("key"): p for _, p in points if isinstance(p.get("key"), str)}
    for n, point in points:
        at = (*here, "points", n)
        yield from _unknown(point, "supply", supply_keys, "supplies of this plan", at)
        yield from _unknown(point, "parent", set(by_key), "points of this plan", at)
        yield from _unknown(point, "load", set(load_supply), "loads of this plan", at)
        yield from _point_faults(point, by_key, load_supply, at)
    for n, reading in readings:
        at = (*here, "readings", n)
        yield from _unknown(reading, "point", set(by_key), "points of this plan", at)
        yield from _unknown(reading, "instrument", instrument_keys, "instruments", at)
        yield from _unknown(reading, "supersedes", reading_keys - {reading.get("key")}, "other readings of this plan", at)
    for m, supply in supplies:
        for n, total in _objects(supply.get("totals")):
            at = (*here, "supplies", m, "totals", n)
            yield from _unknown(total, "point", {k for k, p in by_key.items() if p.get("supply") == supply.get("key")}, "its points", at)
            yield from _unknown(total, "reading", reading_keys, "readings of this plan", at)
    for m, load in loads:
        for state in ("standby", "alarm"):
            part = load.get(state)
            if isinstance(part, dict) and part.get("reading") is not None:
                yield from _unknown(part, "reading", reading_keys, "readings of this plan", (*here, "loads", m, state))


def _point_faults(
    point: dict[str, Any], by_key: dict[Any, dict[str, Any]], load_supply: dict[Any, Any], at: tuple[str | int, ...]
) -> Iterator[Fault]:
    parent = by_key.get(point.get("parent")) if isinstance(point.get("parent"), str) else None
    if parent is not None and parent.get("supply") != point.get("supply"):
        yield Fault(path_of((*at, "parent")), "must be a point of the same supply.")
    if parent is not None and parent.get("kind") == "device":
        yield Fault(path_of((*at, "parent")), "must not be a device: nothing lies behind one.")
    seen, following = {point.get("key")}, parent
    while following is not None:
        if following.get("key") in seen:
            yield Fault(path_of((*at, "parent")), "leads back to itself: measuring points form a tree.")
            break
        seen.add(following.get("key"))
        key = following.get("parent")
        following = by_key.get(key) if isinstance(key, str) else None
    is_device = point.get("kind") == "device"
    if is_device and point.get("load") is None:
        yield Fault(path_of((*at, "load")), "is missing: a device's point names its load.")
    if not is_device and point.get("load") is not None:
        yield Fault(path_of((*at, "load")), "must be null: only a device's point names a load.")
    key = point.get("load")
    if is_device and isinstance(key, str) and key in load_supply and load_supply[key] != point.get("supply"):
        yield Fault(path_of((*at, "load")), f"the load {key!r} is not on the supply {point.get('supply')!r}.")


def _keys(entries: list[tuple[int, dict[str, Any]]]) -> set[str]:
    return {e["key"] for _, e in entries if isinstance(e.get("key"), str)}


def _unknown(entry: dict[str, Any], name: str, known: set[Any], words: str, at: tuple[str | int, ...]) -> Iterator[Fault]:
    key = entry.get(name)
    if isinstance(key, str) and key not in known:
        yield Fault(
            path_of((*at, name)), f"names {key!r}, which is not among the {words}{_listed(sorted(k for k in known if isinstance(k, str)))}."
        )


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


def _cutoff_faults(supply: dict[str, Any], here: tuple[str | int, ...]) -> Iterator[Fault]:
    """Yield a cut-off above what a full battery shows at rest: such a supply would never run on its battery."""
    part = supply.get("bank")
    if not isinstance(part, dict):
        return
    full_v = _full_v(part)
    protection = part.get("bms")
    stated = [((*here, "cutoff_v"), supply.get("cutoff_v"))]
    if isinstance(protection, dict):
        stated.append(((*here, "bank", "bms", "cutoff_v"), protection.get("cutoff_v")))
    for path, value in stated:
        cutoff_v = _number(value)
        if full_v is not None and cutoff_v is not None and cutoff_v > full_v * (1 + 1e-9):
            yield Fault(
                path_of(path),
                f"must be below what this battery shows full and at rest, {full_v:.4g} V, was {cutoff_v:g} V: it would be cut off at once.",
            )


def _block_faults(bank: Any, here: tuple[str | int, ...]) -> Iterator[Fault]:
    """Yield blocks of a bank that have no place in it, and two at one place."""
    if not isinstance(bank, dict):
        return
    blocks = list(_objects(bank.get("blocks")))
    yield from _doubles(blocks, (*here, "blocks"))
    series, strings = _number(bank.get("series")), _number(bank.get("parallel"))
    if series is None or strings is None:
        return
    if len(blocks) > series * strings:
        yield Fault(
            path_of((*here, "blocks")),
            f"names {len(blocks)} blocks, but {series:g} in series × {strings:g} in parallel takes {series * strings:g}.",
        )
        return
    taken: dict[tuple[float, float], Any] = {}
    for n, block in blocks:
        at = (*here, "blocks", n)
        string, position = _number(block.get("string")), _number(block.get("position"))
        if string is None or position is None:
            continue
        if string > strings:
            yield Fault(path_of((*at, "string")), f"must be at most {strings:g}, as many strings as the bank has, was {string:g}.")
        if position > series:
            yield Fault(path_of((*at, "position")), f"must be at most {series:g}, as many blocks as are in series, was {position:g}.")
        if (string, position) in taken:
            yield Fault(
                path_of((*at, "position")),
                f"string {string:g}, position {position:g} is where {taken[string, position]!r} stands already.",
            )
        taken.setdefault((string, position), block.get("key"))


def _full_v(bank: dict[str, Any]) -> float | None:
    """Return what a bank of a site file shows full and at rest; None where that does not follow from what is there. [V]"""
    key, block_v, series = bank.get("chemistry"), _number(bank.get("block_v")), _number(bank.get("series"))
    chemistry = CHEMISTRIES.get(key) if isinstance(key, str) else None
    if chemistry is None or block_v is None or block_v <= 0 or series is None:
        return None
    cells = _number(bank.get("cells_count"))
    if cells is None:
        try:
            cells = cells_of_block(chemistry.key, block_v)
        except QuantityError:
            return None
    return series * cells * chemistry.ocv_rows[-1][1]


def _converter_faults(load: dict[str, Any], supply: dict[str, Any] | None, here: tuple[str | int, ...]) -> Iterator[Fault]:
    """Yield a rail that a linear converter cannot make, and a least voltage above the rail."""
    converter, rail_v, min_v = load.get("converter"), _number(load.get("rail_v")), _number(load.get("min_v"))
    if not isinstance(converter, dict) or rail_v is None:
        return
    fed_v, of_output = _fed(supply)
    if converter.get("kind") == ConverterKind.LINEAR.value and fed_v is not None and rail_v > fed_v * (1 + 1e-9):
        yield Fault(
            path_of((*here, "rail_v")),
            f"must not be above the supply's {'output_v' if of_output else 'nominal_v'} ({fed_v:g} V) behind a linear converter, was {rail_v:g} V: it can only take voltage away.",
        )
    if min_v is not None and min_v > rail_v * (1 + 1e-9):
        yield Fault(
            path_of((*here, "min_v")),
            f"must not be above the {rail_v:g} V that its converter gives, was {min_v:g} V: behind a converter it is a voltage of the rail.",
        )


def _fed(supply: dict[str, Any] | None) -> tuple[float | None, bool]:
    """Return the voltage that the loads of a supply of a site file are made for, and whether its output regulates it; None: not held to any. [V]"""
    if supply is None:
        return None, False
    kind, ac, dc = supply.get("kind"), supply.get("ac"), supply.get("dc")
    if kind == SupplyKind.AC_UPS.value:
        return (_number(ac.get("output_v", 230.0)), True) if isinstance(ac, dict) else (None, True)
    if kind == SupplyKind.DC_UPS.value and isinstance(dc, dict) and dc.get("efficiency_ratio") is not None:
        return _number(dc.get("output_v")), True
    return _number(supply.get("nominal_v")), False


def _rail_fault(load: dict[str, Any], supply: dict[str, Any] | None, here: tuple[str | int, ...]) -> Iterator[Fault]:
    rail_v = _number(load.get("rail_v"))
    fed_v, of_output = _fed(supply)
    is_ac_on_dc = load.get("ac") is not None and supply is not None and supply.get("kind") != SupplyKind.AC_UPS.value
    if rail_v is None or fed_v is None or min(rail_v, fed_v) <= 0 or load.get("converter") is not None or is_ac_on_dc:
        return
    message = check_rail(rail_v, fed_v, None, of_output=of_output)
    if message:
        yield Fault(path_of((*here, "rail_v")), f"{message} (load {load.get('name') or load.get('key')!s})")


def _fed_faults(load: dict[str, Any], supply: dict[str, Any] | None, here: tuple[str | int, ...]) -> Iterator[Fault]:
    """Yield what a load says that no output of its supply can give: AC from DC, more volts than there are, fewer volt-amperes than watts."""
    if supply is None:
        return
    is_inverter, ac = supply.get("kind") == SupplyKind.AC_UPS.value, load.get("ac")
    if ac is not None and not is_inverter and load.get("converter") is None:
        yield Fault(
            path_of((*here, "supply")),
            f"names {supply.get('key')!r}, which gives DC, for a load that draws from AC: put it on an AC UPS, name the inverter between them "
            "as its converter, or enter what it takes from DC.",
        )
    fed_v, of_output = _fed(supply)
    min_v, converter = _number(load.get("min_v")), load.get("converter")
    if fed_v is not None and of_output and min_v is not None and not isinstance(converter, dict):
        if not is_inverter and min_v > fed_v * (1 + 1e-9):
            yield Fault(
                path_of((*here, "min_v")),
                f"must not be above the {fed_v:g} V that the output of {supply.get('key')!r} gives, was {min_v:g} V: it would never run.",
            )
        if is_inverter and min_v < 0.5 * fed_v * (1 - 1e-9):
            yield Fault(
                path_of((*here, "min_v")),
                f"must not be below half of the output's {fed_v:g} V, was {min_v:g} V: on AC it is a voltage of the mains side, not of the battery. "
                "Leave it empty if it is not known.",
            )


def _selector_faults(plan: dict[str, Any], supplies: dict[Any, dict[str, Any]], here: tuple[str | int, ...]) -> Iterator[Fault]:
    """Yield selectors that name what is no supply, feed themselves or share an input, and loads that hang on an input as well."""
    selectors = list(_objects(plan.get("selectors")))
    yield from _doubles(selectors, (*here, "selectors"))
    keys, owner = _keys(selectors), {}
    for n, selector in selectors:
        at = (*here, "selectors", n)
        if isinstance(selector.get("key"), str) and selector["key"] in supplies:
            yield Fault(path_of((*at, "key")), f"{selector['key']!r} is the key of a supply already: loads could not tell them apart.")
        inputs = selector.get("inputs")
        for m, key in enumerate(inputs if isinstance(inputs, list) else []):
            if not isinstance(key, str):
                continue
            path = path_of((*at, "inputs", m))
            # The first selector that names a supply has it; whoever comes second is told.
            if key in supplies and key not in owner:
                owner[key] = n
                if supplies[key].get("kind") == SupplyKind.AC_UPS.value:
                    yield Fault(path, f"names {key!r}, an AC UPS: a selector changes over between DC supplies.")
            elif key in owner:
                whose = "itself" if owner[key] == n else f"the selector {selectors[owner[key]][1].get('key')!r}"
                yield Fault(path, f"names {key!r}, which is an input of {whose} already: a supply is the input of one selector, once.")
            elif key in keys:
                fed = "itself" if key == selector.get("key") else "another selector"
                yield Fault(path, f"names {key!r}, so it would be fed by {fed}: its inputs are supplies.")
            else:
                yield Fault(path, f"names {key!r}, which is not among the supplies of this plan{_listed(list(supplies))}.")
    for m, load in _objects(plan.get("loads")):
        key = load.get("supply")
        if isinstance(key, str) and key in owner:
            yield Fault(
                path_of((*here, "loads", m, "supply")),
                f"names {key!r}, which is an input of the selector {selectors[owner[key]][1].get('key')!r}: hang it on the selector.",
            )
        selector = next((s for _, s in selectors if s.get("key") == key), None) if isinstance(key, str) and key in keys else None
        if selector is not None:
            yield from _selected_faults(load, selector, supplies, (*here, "loads", m))


def _selected_faults(
    load: dict[str, Any], selector: dict[str, Any], supplies: dict[str, Any], at: tuple[str | int, ...]
) -> Iterator[Fault]:
    """Yield a load that one of a selector's inputs cannot feed."""
    if load.get("ac") is not None and load.get("converter") is None:
        yield Fault(path_of((*at, "supply")), f"names the selector {selector.get('key')!r}, which gives DC, for a load that draws from AC.")
        return
    rail_v = _number(load.get("rail_v"))
    inputs = [supplies[k] for k in selector.get("inputs") or [] if isinstance(k, str) and k in supplies]
    volts = [v for v in (_fed(s)[0] for s in inputs) if v is not None and v > 0]
    if rail_v is None or rail_v <= 0 or not volts or load.get("converter") is not None:
        return
    if all(check_rail(rail_v, v, None) for v in volts):
        yield Fault(
            path_of((*at, "rail_v")),
            f"must be within 20 % of what an input of {selector.get('key')!r} gives ({', '.join(f'{v:g} V' for v in volts)}) where there is no "
            f"converter, was {rail_v:g} V.",
        )


def _run_time_faults(supply: dict[str, Any], site: Any, here: tuple[str | int, ...]) -> Iterator[Fault]:
    """Yield timed runs longer than the battery could ever give."""
    runs = list(_objects(supply.get("timed_runs")))
    if not runs or supply.get("kind") != SupplyKind.AC_UPS.value or not isinstance(site, dict):
        return
    try:
        # The supply alone, with a requirement made up for it: nothing else bears on what its battery gives.
        alone = {**supply, "requirement": "r", "totals": [], "timed_runs": []}
        requirement = {"key": "r", "standby_h": 1, "method": "simulation"}
        plan = {"key": "p", "name": "p", "stage": "as_found", "supplies": [alone], "loads": []}
        known = SiteFile.model_validate(
            {"format": FORMAT, "version": VERSION, "site": site, "requirements": [requirement], "plans": [plan]}
        )
        built = to_core(known).plans[0].supplies[0]
    except (ValidationError, QuantityError):
        return
    if (
        built.bank is None
        or built.ac is None
        or not built.bank.chemistry.lowest_degc <= built.typical_degc <= built.bank.chemistry.highest_degc
    ):
        return
    for n, run in runs:
        output_w, run_h = _number(run.get("output_w")), _number(run.get("run_h"))
        if output_w is None or run_h is None or min(output_w, run_h) < 0:
            continue
        longest_h = longest_run_h(built, output_w)
        if run_h > longest_h:
            yield Fault(
                path_of((*here, "timed_runs", n, "run_h")),
                f"is longer than this battery could ever give: at {output_w:g} W it lasts {longest_h:.3g} h at most, was {run_h:g} h. "
                "Look at the battery, the watts and the unit of the time again.",
            )


def _duty_fault(load: dict[str, Any], here: tuple[str | int, ...]) -> Iterator[Fault]:
    """Yield the fault of bursts that ask for more time than there is."""
    pairs = [(_number(b.get("per_hour")), _number(b.get("duration_s"))) for _, b in _objects(load.get("bursts"))]
    duty_ratio = sum(often * lasts for often, lasts in pairs if often is not None and lasts is not None) / SECONDS_PER_HOUR
    if duty_ratio > 1 + 1e-9:
        yield Fault(path_of(here), duty_fault(duty_ratio))
