"""What was measured on the bench, checked as a whole and turned into the core's values. It is in no site file."""

from datetime import date
from typing import Any

from pydantic import ValidationError

from ypomoni.core.errors import QuantityError
from ypomoni.core.measuring.battery_lot import Lot, LotBlock, LotLimits
from ypomoni.core.measuring.device_bench import BenchedMode, Claim, DeviceBench, ModeUse
from ypomoni.core.things.batteries import cells_of_block
from ypomoni.core.things.readings import DEFAULT_INSTRUMENT, Hookup, Instrument, Range
from ypomoni.documents.described import part_of
from ypomoni.documents.faults import Fault, fault_of
from ypomoni.records.bench import BenchedDeviceRow, LotBlockRow, LotRow, ModeRow
from ypomoni.records.field import Row
from ypomoni.records.library import InstrumentRow
from ypomoni.records.nesting import part_of_row

_DEVICE = part_of(BenchedDeviceRow, lists={"modes": part_of(ModeRow)})
_LOT = part_of(LotRow, lists={"blocks": part_of(LotBlockRow)})


def faults_of_device(row: Row) -> list[Fault]:
    """Return what is wrong with a benched device; nothing where it is whole."""
    faults = _faults(_DEVICE, BenchedDeviceRow, row)
    if (row["claim_h"] is None) != (row["claim_ah"] is None):
        name, other = ("claim_h", "the battery") if row["claim_h"] is None else ("claim_ah", "the hours")
        faults.append(Fault(name, f"must not be empty where {other} is said: hours mean something on a battery only."))
    if (row["out_v"] is None) != (row["out_a"] is None):
        faults.append(
            Fault("out_v" if row["out_v"] is None else "out_a", "must not be empty: volts and amperes of the output go together.")
        )
    for n, mode in enumerate(row["modes"]):
        faults += [Fault(f"modes[{n}].{f.path}", f.message) for f in _mode_faults(mode)]
    return faults


def _mode_faults(mode: Row) -> list[Fault]:
    found: list[Fault] = []
    low, high = mode["least_a"], mode["greatest_a"]
    if low is not None and low > mode["current_a"]:
        found.append(Fault("least_a", "must not be above the mean."))
    if high is not None and high < mode["current_a"]:
        found.append(Fault("greatest_a", "must not be below the mean."))
    if mode["use"] == ModeUse.BURST.value:
        for name, said in (("duration_s", "how long it lasts, as in 8 s"), ("per_hour", "how often it comes, as in 6 an hour")):
            if mode[name] is None:
                found.append(Fault(name, f"must not be empty for what comes again and again: {said}."))
        if mode["duration_s"] and mode["per_hour"] and mode["duration_s"] * mode["per_hour"] > 3600:
            found.append(Fault("per_hour", "is too often: it would last longer than the time between two."))
    return found


def faults_of_lot(row: Row) -> list[Fault]:
    """Return what is wrong with a lot; nothing where it is whole."""
    faults = _faults(_LOT, LotRow, row)
    if not faults:
        try:
            cells_of_block(row["chemistry"], row["block_v"])
        except QuantityError as error:
            faults.append(Fault("block_v", str(error)))
    if (row["load_a"] is None) != (row["load_s"] is None):
        name, said = ("load_a", "amperes") if row["load_a"] is None else ("load_s", "seconds")
        faults.append(Fault(name, f"must not be empty: a load has {said} as well."))
    for soft, hard in (("sag_doubtful_ratio", "sag_reject_ratio"), ("resistance_doubtful_ratio", "resistance_reject_ratio")):
        if row[soft] >= row[hard]:
            faults.append(Fault(soft, "must be below the limit from which a block is rejected."))
    labels = [b["label"].casefold() for b in row["blocks"]]
    for n, block in enumerate(row["blocks"]):
        if labels.index(block["label"].casefold()) < n:
            faults.append(Fault(f"blocks[{n}].label", f"{block['label']} is in this lot already: give each block a name of its own."))
        if block["rest_v"] is not None and block["load_v"] is not None and block["load_v"] > block["rest_v"]:
            faults.append(Fault(f"blocks[{n}].load_v", "must not be above the volts at rest."))
        if block["rest_v"] is not None and block["rest_v"] > 2 * row["block_v"]:
            faults.append(Fault(f"blocks[{n}].rest_v", f"is far above a block of {row['block_v']:g} V: look at the reading."))
    return faults


def _faults(model: Any, record: type, row: Row) -> list[Fault]:
    try:
        model.model_validate(part_of_row(record, row))
    except ValidationError as error:
        return [fault_of(e, ()) for e in error.errors(include_url=False)]
    return []


def to_instrument(row: InstrumentRow | None) -> Instrument:
    """Return an instrument of the library as the core sees it; the common multimeter where there is none."""
    if row is None:
        return DEFAULT_INSTRUMENT
    return Instrument(
        key=row["key"],
        name=row["name"],
        hookup=Hookup(row["hookup"]),
        accuracy_ratio=row["accuracy_ratio"],
        digits_count=row["digits_count"],
        display_count=row["display_count"],
        offset_a=row["offset_a"],
        ranges=tuple(Range(**r) for r in row["ranges"]),
    )


def to_device_bench(row: BenchedDeviceRow, instrument: InstrumentRow | None) -> DeviceBench:
    """Return a benched device as the core sees it."""
    modes: list[Row] = [
        {k: m.get(k) for k in ("name", "current_a", "least_a", "greatest_a", "at_v", "duration_s", "per_hour")} for m in row["modes"]
    ]
    return DeviceBench(
        name=row["name"],
        supply_v=row["supply_v"],
        modes=tuple(BenchedMode(**m, use=ModeUse(said["use"])) for m, said in zip(modes, row["modes"], strict=True)),
        instrument=to_instrument(instrument),
        jack=row["jack"],
        min_v=row["min_v"],
        claim=Claim(current_a=row["claim_current_a"], runs_h=row["claim_h"], battery_ah=row["claim_ah"], power_w=row["claim_w"]),
        out_v=row["out_v"],
        out_a=row["out_a"],
    )


def to_lot(row: LotRow) -> Lot:
    """Return a lot as the core sees it."""
    return Lot(
        chemistry_key=row["chemistry"],
        block_v=row["block_v"],
        capacity_ah=row["capacity_ah"],
        rate_h=row["rate_h"],
        is_charged=row["is_charged"],
        rested_h=row["rested_h"],
        temperature_degc=row["temperature_degc"],
        load_a=row["load_a"],
        load_s=row["load_s"],
        tested_on=None if row["tested_on"] is None else date.fromisoformat(row["tested_on"]),
        limits=LotLimits(
            sag_doubtful_ratio=row["sag_doubtful_ratio"],
            sag_reject_ratio=row["sag_reject_ratio"],
            resistance_doubtful_ratio=row["resistance_doubtful_ratio"],
            resistance_reject_ratio=row["resistance_reject_ratio"],
        ),
        blocks=tuple(_block(b) for b in row["blocks"]),
    )


def _block(said: Row) -> LotBlock:
    made = said.get("made")
    names = ("label", "rest_v", "load_v", "resistance_ohm", "capacity_ah")
    read: Row = {n: said.get(n) for n in names}
    return LotBlock(
        **read,
        made=None if made is None else date.fromisoformat(f"{made}-01"),
        is_new=bool(said.get("is_new")),
    )
