"""The words of the product in plain English, each opened from where it stands on a page."""

import re
from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class Term:
    """A word, what it means, and what it is good for on site."""

    key: str
    name: str
    meaning: str
    use: str = ""
    # How a sentence says it besides its name, in lower case.
    also: tuple[str, ...] = ()


_ALL = (
    Term(
        key="holdover",
        name="Holdover",
        meaning="The longest standby after which the battery still carries the whole alarm that is required. It does not include the alarm.",
        use="It is compared with what must hold. A supply whose holdover is shorter fails.",
        also=("holdovers",),
    ),
    Term(
        key="endurance",
        name="Endurance",
        meaning="How long the supply lasts in standby alone, when no alarm ever comes.",
        use="It is never shorter than the holdover. Do not promise it where an alarm must be carried.",
    ),
    Term(
        key="band",
        name="Band",
        meaning="The hours lie between these two with 95 % likelihood: currents, capacity and the battery's condition are not known exactly.",
        use="Measuring narrows it. The audit says which reading narrows it most.",
        also=("bands",),
    ),
    Term(
        key="standby-current",
        name="Standby current",
        meaning="What one piece draws at rest, with nothing happening.",
        use="Measure it in series for a minute. Bursts are entered apart from it.",
        also=("standby currents", "at rest"),
    ),
    Term(
        key="alarm-current",
        name="Alarm current",
        meaning="What one piece draws while the system is in alarm: sirens, strobes, relays.",
        also=("alarm currents",),
    ),
    Term(
        key="burst",
        name="Burst",
        meaning="A state that comes again and again for seconds: a transmission, a relay, a logger that wakes.",
        use="A burst can pull a tired battery under its cut-off long before its charge is spent.",
        also=("bursts",),
    ),
    Term(
        key="rail",
        name="Rail",
        meaning="The voltage at which a current is stated. 100 mA at 5 V behind a converter is not 100 mA at a 12 V battery.",
        also=("rails",),
    ),
    Term(
        key="behaviour",
        name="Draw behaviour",
        meaning="How a device's current changes as the battery sinks: constant current, constant power (it takes more), or resistive (it takes less).",
        also=("constant power", "constant current"),
    ),
    Term(
        key="overhead",
        name="Overhead",
        meaning="What a UPS burns on battery to stay awake, with nothing on its output. It grows with the rating.",
        use="At a light load most of the charge goes there. Two timed runs tell it.",
    ),
    Term(
        key="light-load",
        name="Light-load switch-off",
        meaning="Some outputs take a small load for none, and switch off or sleep after a while.",
        use="Then the load is dark with the battery full. A larger battery does not help.",
        also=("light load", "switches off under a light load"),
    ),
    Term(
        key="selector",
        name="Selector",
        meaning="What chooses between two supplies that feed one device: the first that has a voltage, or the one with the highest.",
        use="A battery that sags still has a voltage, so the second may never be asked.",
        also=("selectors",),
    ),
    Term(
        key="gauge",
        name="Gauge",
        meaning="What a device shows as charge left. It reads the voltage it is fed with.",
        use="Behind a regulator it shows one value to the end.",
    ),
    Term(
        key="bus-group",
        name="Bus group",
        meaning="Loads that share a data bus and its 0 V, so they must stay on one supply.",
        also=("bus groups", "data bus"),
    ),
    Term(
        key="reading",
        name="Reading",
        meaning="One measurement: where, in which state, the value, with which meter, by whom and when.",
        also=("readings",),
    ),
    Term(
        key="measuring-point",
        name="Measuring point",
        meaning="A conductor that can be opened or clamped: the battery lead, the supply's output, a branch, a device.",
        also=("measuring points",),
    ),
    Term(
        key="provenance",
        name="Known from",
        meaning="Where a current comes from: measured, a data sheet, a nameplate, or an estimate.",
        use="Measured beats data sheet beats nameplate beats estimate. Each has its own uncertainty.",
        also=("estimate", "nameplate", "data sheet"),
    ),
    Term(
        key="cutoff",
        name="Cut-off",
        meaning="The voltage at which a supply disconnects its battery.",
        use="Without one a long cut ruins lead, and can set lithium on fire when it is charged again.",
        also=("cut-offs", "cutoff"),
    ),
    Term(
        key="condition",
        name="Condition",
        meaning="How much of its rated capacity the battery has left: measured, or taken from its age and how warm it stands.",
    ),
    Term(
        key="recovery",
        name="Recharge",
        meaning="How long the charger takes beside the loads until the battery is back at the share that is asked for.",
        use="The next cut does not wait. A battery that is not back in time holds shorter the next time.",
        also=("recharged", "recharges"),
    ),
    Term(
        key="requirement",
        name="Requirement",
        meaning="How long the system must stand by, how long it must then sound, how soon it must be charged again, and by which rule or contract.",
        also=("requirements",),
    ),
    Term(
        key="finding",
        name="Finding",
        meaning="One judgement with its cause, its source and a way out.",
        use="Danger can hurt people. Fails does not meet the requirement. Risk meets it on paper only. A note explains.",
        also=("findings",),
    ),
    Term(
        key="weakest",
        name="Gives out first",
        meaning="The supply that holds the smallest share of what it must. The site holds no longer than that.",
        also=("gives out",),
    ),
    Term(
        key="states",
        name="New, old, cold",
        meaning="The same supply with a new battery, in the cold, with the battery at the end of its life, and old and cold at once.",
        use="These are not the band: they say what will be, not how well it is known.",
        also=("old and cold",),
    ),
    Term(
        key="bank",
        name="Battery",
        meaning="All blocks of a supply together. Blocks in series add volts. Blocks in parallel add amp-hours.",
        also=("batteries",),
    ),
    Term(
        key="block",
        name="Block",
        meaning="One battery as it is sold: its chemistry, volts, and capacity at an hour rate.",
        also=("blocks",),
    ),
    Term(
        key="supply",
        name="Supply",
        meaning="Whatever feeds loads when the mains fails: a control panel, a boxed supply, a battery on sun, a pack of cells.",
        also=("supplies",),
    ),
    Term(key="load", name="Load", meaning="A device, or a group of equal devices, that hangs on a supply.", also=("loads",)),
    Term(
        key="school",
        name="School",
        meaning="A way to reckon the battery: plain division, derated, a standard's formula, or a simulation.",
        use="The requirement prescribes one. The others stand beside it, with the reason why they differ.",
        also=("schools",),
    ),
    Term(
        key="missing",
        name="Missing",
        meaning="The amp-hours the loads go without until the required time. The battery to fit is larger than that, and named beside it.",
    ),
    Term(
        key="on-paper-only",
        name="On paper only",
        meaning="It meets the requirement today, but not at the low end of the band, in the cold, or at the end of the battery's life.",
    ),
    Term(key="place", name="Place", meaning="A cupboard, roof or room with its own temperatures."),
    Term(
        key="output-limit",
        name="Output limit",
        meaning="The greatest current the supply gives its loads. Above it, it shuts down or sags.",
        also=("output limits",),
    ),
    Term(
        key="charge-limit",
        name="Charge limit",
        meaning="The greatest current the charger lets into the battery. It stands on the supply's label or data sheet.",
        also=("charge limits",),
    ),
)
TERMS = {term.key: term for term in _ALL}


def _sayings() -> dict[str, str]:
    return {said: t.key for t in _ALL for said in (t.name.lower(), *t.also)}


_KEY_OF = _sayings()
# Longest first, so that "standby current" is not cut off by a shorter word within it.
_SAID = re.compile(r"(?<![\w-])(" + "|".join(sorted(map(re.escape, _KEY_OF), key=len, reverse=True)) + r")(?![\w-])", re.IGNORECASE)
# Words of every day, which a sentence uses in their usual meaning more often than in ours.
_TOO_COMMON = frozenset({"reading", "readings", "place", "missing", "load", "loads", "supply", "supplies", "gauge"})


def cut_at_terms(text: str) -> list[tuple[str, str | None]]:
    """Return a sentence in parts, each with the key of the word it is, or None. A word counts where it is first said."""
    parts: list[tuple[str, str | None]] = []
    told: set[str] = set()
    at = 0
    for match in _SAID.finditer(text):
        said = match.group().lower()
        key = _KEY_OF[said]
        if key in told or said in _TOO_COMMON:
            continue
        told.add(key)
        parts += [(text[at : match.start()], None), (match.group(), key)]
        at = match.end()
    return [*parts, (text[at:], None)]
