"""What is said on the day a charger is set up, and what is read at its steps: read from a form, each fault beside its field."""

from dataclasses import dataclass, field

from ypomoni.core.evaluation.set_up import ChargerMake, Diode, SetUp, StepKind
from ypomoni.core.things.supplies import Supply
from ypomoni.documents.quantities import QuantityTextError, read_current, read_quantity
from ypomoni.records.kinds import METER_VOLTAGE, POWER, TEMPERATURE, VOLTAGE, Kind

DIODE_WORDS = {
    Diode.NONE: "none",
    Diode.SILICON: "silicon diode",
    Diode.SCHOTTKY: "Schottky diode",
    Diode.IDEAL: "ideal diode, or sensed behind it",
}
MAKE_WORDS = {
    ChargerMake.FINISHED: "a charger as it is sold",
    ChargerMake.BUCK: "a switching converter from a higher voltage",
    ChargerMake.LINEAR: "a linear regulator from a higher voltage",
}
COLDEST_DEGC, HOTTEST_DEGC = -40.0, 60.0


@dataclass(slots=True, kw_only=True)
class SetUpForm:
    """The texts of the form with what they come to; ``faults`` by field."""

    texts: dict[str, str]
    set_up: SetUp
    faults: dict[str, str] = field(default_factory=dict)


def read_set_up(said: dict[str, str], supply: Supply) -> SetUpForm:
    """Return what was said of the day; what was not is the usual, what cannot be read is told beside its field and taken as usual."""
    faults: dict[str, str] = {}
    texts = {
        "degc": said.get("degc") or f"{supply.typical_degc:g} °C",
        "tail": said.get("tail", ""),
        "dropout": said.get("dropout", ""),
        "heat": said.get("heat", ""),
        "input_max": said.get("input_max", ""),
        "heat_limit": said.get("heat_limit", ""),
        "off_load": said.get("off_load", ""),
        "tail_again": "yes" if said.get("tail_again") == "yes" else "no",
        "diode": said.get("diode", Diode.NONE.value),
        "make": said.get("make", ChargerMake.FINISHED.value),
        "shorting": "yes" if said.get("shorting") == "yes" else "no",
    }

    def number(name: str, kind: Kind) -> float | None:
        if not texts[name].strip():
            return None
        try:
            return read_quantity(texts[name], kind)
        except QuantityTextError as error:
            faults[name] = str(error)
            return None

    def amps(name: str) -> float | None:
        if not texts[name].strip():
            return None
        try:
            return read_current(texts[name])[0]
        except QuantityTextError as error:
            faults[name] = str(error)
            return None

    degc = number("degc", TEMPERATURE)
    if degc is not None and not COLDEST_DEGC <= degc <= HOTTEST_DEGC:
        faults["degc"] = f"must be from {COLDEST_DEGC:g} to {HOTTEST_DEGC:g} °C, was {degc:g} °C."
    is_told = degc is not None and "degc" not in faults
    diode = Diode(texts["diode"]) if texts["diode"] in [d.value for d in Diode] else Diode.NONE
    make = ChargerMake(texts["make"]) if texts["make"] in [m.value for m in ChargerMake] else ChargerMake.FINISHED
    tail_v = number("tail", VOLTAGE)
    if tail_v is not None and tail_v > 1.5:
        faults["tail"], tail_v = f"must be at most 1.5 V: no diode drops {tail_v:g} V at the tail of a charge.", None
    heat_a = amps("heat")
    if heat_a is not None and heat_a <= 0:
        faults["heat"], heat_a = "must be above 0 A, or empty.", None
    heat_w = number("heat_limit", POWER)
    if heat_w is not None and heat_w <= 0:
        faults["heat_limit"], heat_w = "must be above 0 W, or empty.", None
    return SetUpForm(
        texts=texts,
        set_up=SetUp(
            day_degc=degc if is_told and degc is not None else supply.typical_degc,
            diode=diode,
            tail_v=tail_v,
            source=make,
            dropout_v=number("dropout", VOLTAGE),
            shorting_allowed=texts["shorting"] == "yes",
            heat_limit_a=heat_a,
            tail_confirmed=texts["tail_again"] == "yes",
            input_max_v=number("input_max", VOLTAGE),
            heat_limit_w=heat_w,
            off_load_v=number("off_load", VOLTAGE),
        ),
        faults=faults,
    )


def read_at_step(kind: StepKind, text: str) -> float:
    """Return what was read at a step, in volts or amperes.

    Raises
    ------
    QuantityTextError
        If the text is no such quantity.
    """
    if kind is StepKind.SET_A:
        return read_current(text)[0]
    return read_quantity(text, METER_VOLTAGE)
