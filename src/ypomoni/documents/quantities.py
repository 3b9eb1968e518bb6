"""Quantities the way people write them: `350 mA`, `0,35 A`, `4.2 W @ 12 V`, `5.6 µA`. Read at the edges, shown at the edges.

A text that could mean two things is asked back, never guessed. Every refusal says what would be right.
"""

import re
import unicodedata
from dataclasses import dataclass

from ypomoni.records.kinds import COUNT, CURRENT, PER_HOUR, POWER, RATIO, SECONDS, VOLTAGE, Kind

LONGEST_TEXT = 80
_NUMBER = re.compile(r"[+-]?(?:\d[\d ]*(?:[.,]\d[\d., ]*)?|[.,]\d+)(?:e[+-]?\d{1,3})?", re.IGNORECASE | re.ASCII)


class QuantityTextError(ValueError):
    """Raised when a text is no quantity of its kind; the message says what would be right."""


def read_quantity(text: str, kind: Kind) -> float:
    """Return a quantity in the unit of its kind.

    Raises
    ------
    QuantityTextError
        If the text is empty, ambiguous, of another unit, or outside what is possible.
    """
    number_text, unit_text = _split(_cleaned(text, kind), kind)
    number = _read_number(number_text, unit_text, kind)
    if not unit_text and not kind.bare_allowed:
        likely = f"{number_text} m{kind.unit} or " if f"m{kind.unit}" in kind.units else ""
        raise QuantityTextError(f"{number_text} has no unit. Write {likely}{number_text} {kind.unit}.")
    factor = 1.0 if not unit_text else _factor(unit_text, kind)
    # Scaled in decimal, so that 470 mA is 0.47 A and no digit is invented.
    value = number if factor == 1.0 else float(f"{number * factor:.15g}")
    _check_range(value, kind)
    return value


def read_count(text: str, kind: Kind = COUNT) -> int:
    """Return a whole number from 1."""
    value = read_quantity(text, kind)
    if value != int(value):
        raise QuantityTextError(f"must be a whole number, was {text.strip()}.")
    return int(value)


def read_current(text: str) -> tuple[float, float | None]:
    """Return a current and, where it was written as `W @ V`, the rail it is stated on. [A, V]"""
    cleaned = _cleaned(text, CURRENT)
    if "@" in cleaned:
        power_text, _, voltage_text = cleaned.partition("@")
        if not power_text.strip() or not voltage_text.strip():
            raise QuantityTextError("must have watts before the @ and volts after it, as in 4.2 W @ 12 V.")
        power_w, voltage_v = read_quantity(power_text, POWER), read_quantity(voltage_text, VOLTAGE)
        current_a = power_w / voltage_v
        _check_range(current_a, CURRENT)
        return current_a, voltage_v
    _, unit = _split(cleaned, CURRENT)
    if unit.casefold().endswith("va"):
        raise QuantityTextError("is volt-amperes: VA is not W. Multiply by the power factor and write W @ V.")
    if unit.casefold() in ("w", "mw", "kw"):
        raise QuantityTextError(f"is a power. Say at which voltage, as in {cleaned.strip()} @ 12 V.")
    return read_quantity(cleaned, CURRENT), None


def read_signed_current(text: str, unit: str = "") -> tuple[float, float | None, bool]:
    """Return a reading as people write it, with its sign; a bare number takes ``unit``. [A, V]

    Also returns the rail where it was written as W @ V, and whether it was written as VA @ V: that is asked about, not refused.
    """
    cleaned = _cleaned(text, CURRENT)
    sign = -1.0 if cleaned.startswith("-") else 1.0
    cleaned = cleaned.lstrip("+- ")
    if unit and not re.search(r"[A-Za-zµ]", re.sub(r"[eE][+-]?\d+$", "", cleaned)):
        cleaned = f"{cleaned} {unit}"
    was_va = re.search(r"VA(?=\s*@)", cleaned) is not None
    current_a, rail_v = read_current(re.sub(r"VA(?=\s*@)", "W", cleaned))
    return sign * current_a, rail_v, was_va


@dataclass(frozen=True, slots=True, kw_only=True)
class Duty:
    """How long a mode is on each time (None: not said) and how often. [s, 1/h]"""

    duration_s: float | None
    per_hour: float


_OFTEN = {
    "hourly": 1.0,
    "once an hour": 1.0,
    "twice an hour": 2.0,
    "daily": 1 / 24,
    "once a day": 1 / 24,
    "twice a day": 2 / 24,
    "nightly": 1 / 24,
    "weekly": 1 / 168,
    "once a week": 1 / 168,
}
_WHOLE_S = {"minute": 60.0, "hour": 3600.0, "day": 86_400.0, "week": 604_800.0, "time": 3600.0}


def read_duty(text: str) -> Duty:
    """Return a duty cycle as people think of it: `3 s every 10 min`, `6 an hour`, `8 s, 6 an hour`, `20 % of the day`, `twice a day`."""
    cleaned = " ".join(_cleaned(text, PER_HOUR).split())
    share = re.fullmatch(r"(.+?)\s*%\s*of (?:the |an |a )?(minute|hour|day|week|time)", cleaned, re.IGNORECASE)
    if share:
        whole_s = _WHOLE_S[share.group(2).lower()]
        ratio = read_quantity(f"{share.group(1)} %", RATIO) / 100.0
        if not 0 < ratio <= 1:
            raise QuantityTextError(f"must be between 0 and 100 % of the {share.group(2).lower()}, was {ratio * 100:g} %.")
        return Duty(duration_s=ratio * whole_s, per_hour=3600.0 / whole_s)
    head, often = _duration_and_rate(cleaned)
    per_hour = _rate(often)
    if per_hour <= 0:
        raise QuantityTextError("must say how often it comes, as in 3 s every 10 min, or 6 an hour.")
    return Duty(duration_s=read_quantity(head, SECONDS) if head else None, per_hour=per_hour)


def _duration_and_rate(text: str) -> tuple[str, str]:
    every = re.search(r"\bevery\b", text, re.IGNORECASE)
    if every:
        return text[: every.start()].strip(" ,;"), text[every.start() :]
    timed = re.match(r"([\d.,]+\s*(?:ms|s|sec|seconds?|min|minutes?|h|hours?|d|days?))\b[,;\s]+(.+)$", text, re.IGNORECASE)
    return (timed.group(1), timed.group(2)) if timed else ("", text)


def _rate(text: str) -> float:
    folded = text.casefold().strip()
    if folded in _OFTEN:
        return _OFTEN[folded]
    if folded.startswith("every"):
        rest = folded.removeprefix("every").strip()
        period_s = _WHOLE_S.get(rest) or read_quantity(rest, SECONDS)
        if period_s <= 0:
            raise QuantityTextError("must be every so many seconds, minutes or hours: as in 3 s every 10 min.")
        return 3600.0 / period_s
    return read_quantity(re.sub(r"\b(times|x)\s+(?=an?\b|per\b)", "", text, flags=re.IGNORECASE), PER_HOUR)


def show_duty(duration_s: float, per_hour: float) -> str:
    """Return a duty cycle in words: what is on how long, and how often."""
    period = _say_seconds(3600.0 / per_hour)
    return f"{_say_seconds(duration_s)} every {_ONE.get(period, period)}"


_ONE = {"1 s": "second", "1 min": "minute", "1 h": "hour", "1 d": "day"}


def _say_seconds(seconds: float) -> str:
    for unit_s, name in ((86_400.0, "d"), (3600.0, "h"), (60.0, "min")):
        if seconds >= unit_s:
            return f"{float(f'{seconds / unit_s:.3g}'):g} {name}"
    return f"{float(f'{seconds:.3g}'):g} s"


def _cleaned(text: str, kind: Kind) -> str:
    if len(text) > LONGEST_TEXT:
        raise QuantityTextError(f"is too long: write a {kind.name} as in {kind.example}.")
    # NFKC folds full-width digits and the two micro signs; any space counts as a space, any minus as a minus.
    folded = unicodedata.normalize("NFKC", text).replace("\u2212", "-").replace("\u03bc", "µ").replace("Ω", "Ω")
    folded = "".join(" " if c.isspace() else c for c in folded).strip()
    if not folded:
        raise QuantityTextError(f"must not be empty: write a {kind.name} as in {kind.example}.")
    return folded


def _split(text: str, kind: Kind) -> tuple[str, str]:
    found = _NUMBER.match(text)
    if not found:
        raise QuantityTextError(f"must be a {kind.name} as in {kind.example}, was {_shown(text)}.")
    return found.group().strip(), text[found.end() :].strip()


def _read_number(number: str, unit: str, kind: Kind) -> float:
    compact = number.replace(" ", "")
    groups = re.split(r"[.,]", re.split(r"e", compact, flags=re.IGNORECASE)[0].lstrip("+-"))
    separators = [c for c in compact if c in ".,"]
    if len(separators) == 1 and separators[0] == "," and len(groups[1]) == 3 and groups[0] not in ("", "0"):
        point, whole = compact.replace(",", "."), compact.replace(",", "")
        unit = f" {unit}" if unit else ""
        raise QuantityTextError(f"could be {_trimmed(point)}{unit} or {whole}{unit}: which one? Write it without the comma.")
    compact = _without_groups(compact, separators, groups, kind) if len(separators) > 1 else compact.replace(",", ".")
    try:
        value = float(compact)
    except ValueError as error:
        raise QuantityTextError(f"must be a {kind.name} as in {kind.example}, was {_shown(number)}.") from error
    return value


def _without_groups(compact: str, separators: list[str], groups: list[str], kind: Kind) -> str:
    """Return a number without its thousands separators: all but the last separator are of one kind and three digits apart."""
    last, others = separators[-1], set(separators[:-1])
    grouped = all(len(g) == 3 for g in groups[1:-1]) and 1 <= len(groups[0]) <= 3
    if not grouped or len(others) != 1 or (last in others and len(groups[-1]) != 3):
        raise QuantityTextError(f"must be one number, as in {kind.example}, was {_shown(compact)}.")
    (thousands,) = others
    compact = compact.replace(thousands, "")
    return compact if last == thousands else compact.replace(last, ".")


def _factor(unit: str, kind: Kind) -> float:
    if unit in kind.units:
        return kind.units[unit]
    folded = {name.casefold(): factor for name, factor in kind.units.items()}
    # Case tells milli from mega, so it is forgiven only where the prefix is not m.
    if unit.casefold() in folded and not (unit[:1] == "M" and len(unit) > 1 and "m" + unit[1:] in kind.units):
        return folded[unit.casefold()]
    known = ", ".join(dict.fromkeys(u for u in kind.units if u and not u.startswith("u")))
    raise QuantityTextError(
        f"has the unit {_shown(unit)}, which is no {kind.name}: write {known or 'a plain number'}, as in {kind.example}."
    )


def _check_range(value: float, kind: Kind) -> None:
    unit = f" {kind.unit}" if kind.unit else ""
    if value < kind.least:
        rule = "must not be negative" if kind.least == 0 else f"must be at least {kind.least:g}{unit}"
        raise QuantityTextError(f"{rule}, was {value:g}{unit}.")
    if not value <= kind.most:
        raise QuantityTextError(f"must be at most {kind.most:g}{unit}, was {value:g}{unit}.")


def _trimmed(number: str) -> str:
    return number.rstrip("0").rstrip(".")


def _shown(text: str) -> str:
    return f"“{text}”" if len(text) <= 30 else f"“{text[:27]}…”"


# -- showing ---------------------------------------------------------------------------------------------------------------------------


def show_number(value: float) -> str:
    """Return a number in full, without exponent where that stays short, so that reading it back gives the same number."""
    text = repr(float(value))
    if "e" in text:
        mantissa, _, exponent = text.partition("e")
        decimals = max(0, len(mantissa.replace(".", "").lstrip("-")) - 1 - int(exponent))
        plain = f"{value:.{decimals}f}"
        text = plain if len(plain) <= 30 else text
    return text.removesuffix(".0")


def show_kept(value: float | None, kind: Kind, scale: float = 1.0) -> str:
    """Return a kept value in the unit it is typed in; ``scale`` is what is kept over what is typed."""
    return "" if value is None else show_quantity(float(f"{value / scale:.12g}"), kind.unit)


def show_quantity(value: float | None, unit: str) -> str:
    """Return a quantity with its unit, or nothing for None."""
    if value is None:
        return ""
    return f"{show_number(value)} {unit}".strip()


def show_current(current_a: float | None) -> str:
    """Return a current in full: A from 1 A, mA below, µA below 1 mA. Scaled in decimal, so that no digit is invented."""
    if current_a is None:
        return ""
    for factor, unit in ((1.0, "A"), (1e3, "mA"), (1e6, "µA")):
        if current_a == 0 or current_a >= 1 / factor or unit == "µA":
            scaled = float(f"{current_a * factor:.15g}")
            return f"{show_number(scaled)} {unit}"
    raise AssertionError("unreachable")  # pragma: no cover - the last unit takes everything


def show_ratio(ratio: float | None) -> str:
    """Return a share in percent."""
    return "" if ratio is None else f"{show_number(float(f'{ratio * 100:.12g}'))} %"
