"""What a plan takes to build: blocks, fuses, isolators, leads, terminals, chargers, each with its number, and what of it is new."""

from collections.abc import Iterator
from dataclasses import dataclass, replace

from ypomoni.core.evaluation.building import Protected, protect
from ypomoni.core.telling.wording import plain_number, say_amps, say_bank, say_volts
from ypomoni.core.things.batteries import Bank
from ypomoni.core.things.supplies import Plan, Supply
from ypomoni.core.wiring.plan import PartKind


@dataclass(frozen=True, slots=True, kw_only=True)
class PartLine:
    """One line of a parts list: what it is for which supply, its numbers on the drawing, how many of it, how many of them new.

    ``unit`` is empty for pieces; ``price`` of one is None where it is not known.
    """

    supply_key: str
    supply_name: str
    what: str
    numbers: tuple[str, ...]
    quantity: float
    new_quantity: float
    unit: str = ""
    price: float | None = None
    remark: str = ""


def parts_of(plan: Plan, before: Plan | None = None) -> tuple[PartLine, ...]:
    """Return the parts list of a plan; against a plan as found, what is there already is not new.

    Of a plan as found, only what was stated of its wiring is there.
    """
    there = {s.key: s for s in before.supplies} if before is not None else {}
    found: list[PartLine] = []
    for supply in plan.supplies:
        has = _there(there.get(supply.key))
        for line in _lines(plan, supply):
            left = has.get(line.what, 0.0)
            taken = min(left, line.quantity)
            has[line.what] = left - taken
            found.append(replace(line, new_quantity=round(line.quantity - taken, 3)))
    return tuple(found)


def _lines(plan: Plan, supply: Supply) -> Iterator[PartLine]:
    loads = plan.loads_on(supply.key)
    protected = protect(supply, loads)
    if protected is None:
        return
    bank = protected.bank
    price = next(
        (
            b.price
            for b in supply.stock
            if (b.chemistry_key, b.block_v, b.capacity_ah) == (bank.chemistry_key, bank.block_v, bank.capacity_ah)
        ),
        None,
    )
    numbers = tuple(b.number for b in protected.plan.blocks) if protected.plan else ()

    def line(what: str, quantity: float, numbers: tuple[str, ...] = (), **more: object) -> PartLine:
        return PartLine(
            supply_key=supply.key,
            supply_name=supply.name,
            what=what,
            numbers=numbers,
            quantity=quantity,
            new_quantity=quantity,
            **more,  # type: ignore[arg-type]
        )

    yield line(_block_name(bank), bank.series * bank.parallel, numbers, price=price)
    if protected.plan is not None:
        yield from (line(*values, **more) for *values, more in _wiring_lines(protected))
    charger = _charger_name(supply)
    if charger:
        yield line(charger, 1)


def _wiring_lines(protected: Protected) -> Iterator[tuple]:
    plan, volts = protected.plan, say_volts(protected.fuse_dc_v) if protected.fuse_dc_v else f"over {say_volts(protected.bears_v)}"
    if plan is None:
        return
    for kind, word in ((PartKind.FUSE, "main"), (PartKind.STRING_FUSE, "string")):
        fuses = [p for p in plan.parts if p.kind is kind]
        if fuses:
            name = _fuse_name(fuses[0].rated_a or 0.0, volts)
            yield name, len(fuses), tuple(p.number for p in fuses), {"remark": f"{word} fuse; must break {say_amps(protected.breaks_a, 2)}"}
            yield f"holder for {name}", len(fuses), tuple(p.number for p in fuses), {}
    isolators = tuple(p.number for p in plan.parts if p.kind is PartKind.ISOLATOR)
    if isolators:
        yield _isolator_name(protected), len(isolators), isolators, {}
    for section_mm2, colour in sorted({(w.section_mm2, w.colour.value) for w in plan.links}):
        links = [w for w in plan.links if (w.section_mm2, w.colour.value) == (section_mm2, colour)]
        length_m = round(sum(w.length_m for w in links), 2)
        yield _lead_name(section_mm2, colour), length_m, tuple(w.number for w in links), {"unit": "m", "remark": "measure before you cut"}
    ends = [e for w in plan.links for e in (w.from_end, w.to_end)]
    for end in dict.fromkeys(ends):
        yield end, ends.count(end), (), {"remark": "look at the block" if end != "ferrule" else ""}


def _block_name(bank: Bank) -> str:
    return f"block {say_bank(1, 1, bank.block_v, bank.capacity_ah, bank.rate_h)} {bank.chemistry.name}"


def _fuse_name(rated_a: float, volts: str) -> str:
    return f"fuse {say_amps(rated_a)}, {volts} DC"


def _isolator_name(protected: Protected) -> str:
    return f"isolator for DC, {say_amps(protected.choice.fuse_a or 0.0) if protected.choice else '?'} and {say_volts(protected.bears_v)} at least"


def _lead_name(section_mm2: float, colour: str) -> str:
    return f"lead {plain_number(section_mm2)} mm² {colour}"


def _charger_name(supply: Supply) -> str:
    bank = supply.bank
    if bank is None or bank.chemistry.is_primary or not supply.charge_limit_a or supply.of_kind.is_sunlit:
        return ""
    at = f" at {say_volts(supply.charge_v)}" if supply.charge_v is not None else ""
    return f"charger or supply that charges with {say_amps(supply.charge_limit_a)}{at}"


def _there(supply: Supply | None) -> dict[str, float]:
    """Return what of a supply as found is there, by the names of the list: its blocks, its charger, and of its wiring what was stated."""
    if supply is None or supply.bank is None:
        return {}
    bank = supply.bank
    found = {_block_name(bank): float(bank.series * bank.parallel)}
    charger = _charger_name(supply)
    if charger:
        found[charger] = 1.0
    protection, lead = bank.protection, bank.lead
    if protection is not None and protection.fuse_a is not None and protection.fuse_dc_v is not None:
        name = _fuse_name(protection.fuse_a, say_volts(protection.fuse_dc_v))
        found |= {name: 1.0, f"holder for {name}": 1.0}
    if lead is not None:
        found |= {_lead_name(lead.section_mm2, colour): lead.length_m for colour in ("red", "black")}
    return found
