"""The one table of unit suffixes that names in the core may end in.

Everything inside the core is in these units; mA, µA, minutes-as-text and percent exist only at the edges.
"""

UNIT_SUFFIXES: dict[str, str] = {
    "_v": "V",
    "_a": "A",
    "_w": "W",
    "_va": "VA",
    "_ah": "Ah",
    "_wh": "Wh",
    "_ohm": "Ω",
    "_ohm_ah": "Ω·Ah",
    "_siemens": "S",
    "_s": "s",
    "_min": "min",
    "_h": "h",
    "_d": "d",
    "_y": "years",
    "_degc": "°C",
    "_m": "m",
    "_mm2": "mm²",
    "_m3": "m³",
    "_mm": "mm",
    "_kg": "kg",
    "_ms": "ms",
    "_a_per_ah": "A/Ah",
    "_m3_per_h": "m³/h",
    "_m3_per_ah": "m³/Ah",
    "_per_hour": "1/h",
    "_per_h": "1/h",
    "_per_day": "1/d",
    "_per_y": "1/years",
    "_ah_per_day": "Ah/d",
    "_ah_per_y": "Ah/years",
    "_h_per_week": "h a week",
    "_ratio": "",
    "_count": "",
}

# Counts and tokens that are named in the field's own words, so they carry no suffix.
EXEMPT_NAMES = frozenset(
    {
        "seed",
        "amount",
        "allowed",
        "cost",
        "bound",
        "quantity",
        "was_quantity",
        "new_quantity",
        "string",
        "position",
        "target",
        "near",
        "series",
        "parallel",
        "g",
        "per_hour",
        "per_day",
        "mean",
        "peak",
        "price",
        "price_per_hour",
        "day",
        "month",
        "worst_month",
        "fails_on_day",
        "ends_on_day",
        "ends_in_month",
    }
)

MINUTES_PER_HOUR = 60.0
SECONDS_PER_HOUR = 3600.0
HOURS_PER_DAY = 24.0
DAYS_PER_YEAR = 365.25


def unit_of(name: str) -> str | None:
    """Return the unit a name's suffix stands for, or None when it carries none."""
    for suffix in sorted(UNIT_SUFFIXES, key=len, reverse=True):
        if name.endswith(suffix):
            return UNIT_SUFFIXES[suffix]
    return None
