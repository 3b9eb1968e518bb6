"""Kinds of quantities as people type them: units with their factors, an example, and what may be typed."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class Kind:
    """One kind of quantity: its units as factors to the unit it is kept in, and what may be typed."""

    name: str
    unit: str
    units: dict[str, float]
    example: str
    bare_allowed: bool = True
    least: float = 0.0
    most: float = 1e6


_SI = {"µ": 1e-6, "u": 1e-6, "m": 1e-3, "": 1.0, "k": 1e3}


def _with_prefixes(unit: str, prefixes: str = "µum k") -> dict[str, float]:
    return {p.strip() + unit: _SI[p.strip()] for p in prefixes}


CURRENT = Kind(
    name="current", unit="A", units=_with_prefixes("A"), example="350 mA, 0,35 A or 4.2 W @ 12 V", bare_allowed=False, most=1000.0
)
# What a fuse breaks is far above any current that flows.
SHORT_CIRCUIT = Kind(name="current", unit="A", units=_with_prefixes("A"), example="6000 A", bare_allowed=False, most=200_000.0)
POWER = Kind(name="power", unit="W", units=_with_prefixes("W"), example="4.2 W", bare_allowed=False, most=1e6)
VOLTAGE = Kind(name="voltage", unit="V", units=_with_prefixes("V", "m k"), example="12 V", least=1e-3, most=1000.0)
# What a meter shows whose leads may be turned.
METER_VOLTAGE = Kind(name="voltage", unit="V", units=_with_prefixes("V", "m k"), example="13.7 V", least=-1000.0, most=1000.0)
CHARGE = Kind(name="capacity", unit="Ah", units={"Ah": 1.0, "mAh": 1e-3}, example="7 Ah", least=1e-6, most=100_000.0)
# No bare number: 22 could be ohms or the milliohms on the meter.
RESISTANCE = Kind(
    name="resistance",
    unit="Ω",
    units={"Ω": 1.0, "ohm": 1.0, "mΩ": 1e-3, "mohm": 1e-3, "µΩ": 1e-6},
    example="22 mΩ",
    bare_allowed=False,
    least=1e-6,
    most=100.0,
)
HOURS = Kind(
    name="time",
    unit="h",
    units={"h": 1.0, "hour": 1.0, "hours": 1.0, "min": 1 / 60, "minutes": 1 / 60, "d": 24.0, "day": 24.0, "days": 24.0},
    example="24 h",
    most=87_600.0,
)
MINUTES = Kind(
    name="time", unit="min", units={"min": 1.0, "minutes": 1.0, "h": 60.0, "hours": 60.0, "s": 1 / 60}, example="30 min", most=10_080.0
)
SECONDS = Kind(
    name="time",
    unit="s",
    units={
        "s": 1.0,
        "sec": 1.0,
        "second": 1.0,
        "seconds": 1.0,
        "ms": 1e-3,
        "min": 60.0,
        "minute": 60.0,
        "minutes": 60.0,
        "h": 3600.0,
        "hour": 3600.0,
        "hours": 3600.0,
        "d": 86_400.0,
        "day": 86_400.0,
        "days": 86_400.0,
    },
    example="8 s",
    most=8_640_000.0,
)
YEARS = Kind(
    name="age",
    unit="years",
    units={"years": 1.0, "year": 1.0, "y": 1.0, "a": 1.0, "months": 1 / 12, "month": 1 / 12},
    example="2.5 years",
    most=50.0,
)
TEMPERATURE = Kind(name="temperature", unit="°C", units={"°C": 1.0, "C": 1.0, "degC": 1.0}, example="20 °C", least=-60.0, most=90.0)
RATIO = Kind(name="share", unit="%", units={"%": 1.0}, example="80 %", most=120.0)
FACTOR = Kind(name="factor", unit="", units={"": 1.0}, example="1.15", most=5.0)
PER_HOUR = Kind(
    name="rate",
    unit="an hour",
    units={
        "an hour": 1.0,
        "per hour": 1.0,
        "/h": 1.0,
        "/ h": 1.0,
        "a minute": 60.0,
        "/min": 60.0,
        "a day": 1 / 24,
        "/day": 1 / 24,
        "/d": 1 / 24,
    },
    example="6 an hour",
    most=36_000.0,
)
LENGTH = Kind(name="length", unit="m", units={"m": 1.0, "cm": 0.01, "mm": 0.001, "km": 1000.0}, example="30 m", least=1e-3, most=10_000.0)
VOLUME = Kind(
    name="volume", unit="l", units={"l": 1.0, "litres": 1.0, "m³": 1000.0, "m3": 1000.0, "dm³": 1.0}, example="50 l", least=0.01, most=1e6
)
MILLISECONDS = Kind(name="time", unit="ms", units={"ms": 1.0, "s": 1000.0}, example="20 ms", most=1e6)
SECTION = Kind(name="cross-section", unit="mm²", units={"mm²": 1.0, "mm2": 1.0, "sqmm": 1.0}, example="0.5 mm²", least=0.01, most=500.0)
ENERGY = Kind(name="energy", unit="Wh", units={"Wh": 1.0, "kWh": 1000.0, "mWh": 0.001}, example="18 Wh", least=1e-6, most=100_000.0)
APPARENT = Kind(name="apparent power", unit="VA", units={"VA": 1.0, "kVA": 1000.0}, example="40 VA", most=1e6)
PER_DAY = Kind(
    name="rate",
    unit="a day",
    units={"a day": 1.0, "per day": 1.0, "/d": 1.0, "/day": 1.0, "times a day": 1.0, "a week": 1 / 7, "per week": 1 / 7, "an hour": 24.0},
    example="2 a day",
    least=1e-6,
    most=1_000.0,
)
COUNT = Kind(name="number", unit="", units={"": 1.0, "×": 1.0, "x": 1.0, "pcs": 1.0}, example="8", least=1.0, most=10_000.0)

PRICE = Kind(name="price", unit="", units={"": 1.0}, example="24.50", least=0.01, most=1e6)

COUNTS = Kind(name="number", unit="", units={"": 1.0, "counts": 1.0}, example="4000", least=1.0, most=10_000_000.0)

WEIGHT = Kind(name="weight", unit="kg", units={"kg": 1.0, "g": 0.001}, example="5.2 kg", least=0.001, most=10_000.0)
SIZE = Kind(name="size", unit="mm", units={"mm": 1.0, "cm": 10.0, "m": 1000.0}, example="181 mm", least=1.0, most=10_000.0)
