"""What supplies that back each other up give rise to: a backup that is never reached, a selector that chatters, a gauge that sees nothing."""

from collections.abc import Iterator
from dataclasses import dataclass

from ypomoni.core.outage.selecting import Selected
from ypomoni.core.telling.results import Finding, Severity
from ypomoni.core.telling.wording import say_hours, say_percent, say_required_h, say_volts
from ypomoni.core.things.selectors import Selector, SelectorMode
from ypomoni.core.things.supplies import Supply

# More changes than this within an hour wear out contacts and restart what is fed.
MOST_CHANGES_AN_HOUR = 3


@dataclass(frozen=True, slots=True, kw_only=True)
class SelectorFacts:
    """A selector, its inputs in their order, what it does, and what it does with cold and with worn banks. ``ways`` are what was tried and helps."""

    selector: Selector
    supplies: tuple[Supply, ...]
    selected: Selected
    cold_h: float
    end_of_life_h: float
    low_h: float
    ways: tuple[str, ...] = ()

    @property
    def must_h(self) -> float:
        """How long it must hold: by the requirement of the first input. [h]"""
        return self.supplies[0].requirement.standby_h

    @property
    def unused(self) -> tuple[tuple[Supply, float], ...]:
        """The inputs with a battery that never fed, with how full each still is."""
        left = dict(zip(self.selected.input_keys, self.selected.left_ratio, strict=True))
        return tuple((s, left[s.key]) for s in self.supplies if s.key in left and s.key not in self.selected.reached)


def judge_selector(facts: SelectorFacts) -> tuple[Finding, ...]:
    """Return the findings of a selector, worst first."""
    found = [*_never_reached(facts), *_too_short(facts), *_chatters(facts), *_gauge_blind(facts)]
    # What is too short today need not be told again for the cold.
    if not any(f.severity is Severity.FAILS for f in found):
        found += _on_paper(facts)
    return tuple(found)


def say_selected(facts: SelectorFacts) -> str:
    """Say in one line what becomes of a selector."""
    selected, names = facts.selected, {s.key: s.name for s in facts.supplies}
    if selected.dead is None:
        return f"{facts.selector.name} goes on for as long as was looked at."
    if facts.unused and selected.changes:
        return f"Backup is never reached: {_why_never(facts)}"
    order = ", then ".join(names[key] for key in dict.fromkeys(c.input_key for c in selected.changes))
    return f"{facts.selector.name} holds {say_hours(selected.holdover_h, must_h=facts.must_h)} of {say_required_h(facts.must_h)}: {order}."


def _why_never(facts: SelectorFacts) -> str:
    """Say why the load is dead while an input is still unused."""
    selected, names = facts.selected, {s.key: s.name for s in facts.supplies}
    feeding = names[selected.changes[-1].input_key]
    dead = selected.dead or "the load"
    # It did not sag: it was cut off, or is empty.
    if selected.seen_v is None:
        return f"{feeding} stops, and no other input has enough voltage for {dead}."
    sags = f"{feeding} sags below the {say_volts(selected.needs_v or 0.0)} that {dead} needs{' in a burst' if selected.in_burst else ''}"
    if facts.selector.mode is SelectorMode.HIGHEST_VOLTAGE:
        return f"{sags}. No other input has more."
    return f"{sags}. It would change over only below {say_volts(facts.selector.switch_below_v)}."


def _never_reached(facts: SelectorFacts) -> Iterator[Finding]:
    selected = facts.selected
    # Where nothing ever fed, it is not a backup that was missed.
    if selected.dead is None or not facts.unused or not selected.changes:
        return
    spare = " and ".join(f"{s.name} ({say_percent(left)} full)" for s, left in facts.unused)
    helps = " ".join(facts.ways) if facts.ways else "None of the usual changes was found to help: look at the voltage of each input."
    yield Finding(
        code="backup_never_reached",
        severity=Severity.FAILS,
        evidence=f"{facts.selector.name} is dead after {say_hours(selected.holdover_h)} with {spare} unused: {_why_never(facts)}",
        source="simulation of the selector with each input's voltage under the load",
        way_out=helps,
    )


def _too_short(facts: SelectorFacts) -> Iterator[Finding]:
    selected = facts.selected
    if selected.dead is None or selected.holdover_h >= facts.must_h:
        return
    requirement = facts.supplies[0].requirement
    yield Finding(
        code="holdover_below_requirement",
        severity=Severity.FAILS,
        evidence=f"{facts.selector.name} holds {say_hours(selected.holdover_h, must_h=facts.must_h)} of {say_required_h(facts.must_h)}.",
        source=requirement.source or f"requirement {requirement.name}",
        # A larger battery at an input that is never reached is only more of what is left unused.
        way_out="First mend that not every input is reached."
        if facts.unused
        else " ".join(facts.ways) or "Fit larger batteries, or feed less from it.",
    )


def _on_paper(facts: SelectorFacts) -> Iterator[Finding]:
    if facts.selected.dead is None:
        return
    candidates = (
        ("at the low end of its band", facts.low_h),
        ("in the cold", facts.cold_h),
        ("at the end of the batteries' lives", facts.end_of_life_h),
    )
    short = [(words, hours_h) for words, hours_h in candidates if hours_h < facts.must_h]
    if short:
        listed = ", ".join(f"{words} {say_hours(hours_h, must_h=facts.must_h)}" for words, hours_h in short)
        yield Finding(
            code="meets_on_paper_only",
            severity=Severity.RISK,
            evidence=f"{facts.selector.name} holds {say_hours(facts.selected.holdover_h)} of {say_required_h(facts.must_h)} today, but {listed}.",
            source="the same simulation with currents at their limits, cold batteries and worn ones",
            way_out="Measure what is only estimated, keep the batteries warmer, or renew them in time.",
        )


def _chatters(facts: SelectorFacts) -> Iterator[Finding]:
    count = facts.selected.most_changes_an_hour
    if count <= MOST_CHANGES_AN_HOUR:
        return
    selector = facts.selector
    yield Finding(
        code="selector_chatters",
        severity=Severity.RISK,
        evidence=f"{selector.name} changes up to {count} times within an hour: an input that rests recovers to {say_volts(selector.returns_above_v)}, "
        f"is taken again, and sags below {say_volts(selector.switch_below_v)} at once.",
        source="a battery recovers when its load goes",
        way_out="Let it go back only well above the voltage at which it leaves, or by hand, or once that input is charged again.",
    )


def _gauge_blind(facts: SelectorFacts) -> Iterator[Finding]:
    gauge = facts.selector.gauge
    blind = [s for s in facts.supplies if s.key in facts.selected.reached and s.feed is not None]
    if gauge is None or not blind:
        return
    shown = " and ".join(f"{say_percent(gauge.shows_ratio(s.feed.output_v))}" for s in blind if s.feed)
    names = " and ".join(s.name for s in blind)
    yield Finding(
        code="gauge_blind",
        severity=Severity.RISK,
        evidence=f"{names} {'gives' if len(blind) == 1 else 'give'} one voltage until {'it stops' if len(blind) == 1 else 'they stop'}. "
        f"So the gauge shows {shown} to the end, and then the device is dark or on its backup without a warning.",
        source="a gauge that reads a voltage sees nothing behind a regulator",
        way_out="Watch the battery itself, before the regulator, or go by the hours.",
    )
