"""Findings on a page: one line each, those of one cause together, the worst first; what only explains is folded away."""

from dataclasses import dataclass

from ypomoni.web.plan.answer import FindingView

# What a group is about; a finding of no group stands alone.
CAUSES: dict[str, tuple[str, ...]] = {
    "hours": (
        "holdover_below_requirement",
        "capacity_below_method",
        "weak_link",
        "meets_on_paper_only",
        "burst_trips_cutoff",
        "bank_past_age",
        "bursts_gathered",
        "worst_case_short",
        "cutoff_above_need",
        "cutoff_below_need",
        "cold_and_fast",
    ),
    "margins": ("double_margin", "missing_margin", "cold_not_counted"),
    "charger": (
        "charger_never_recovers",
        "charger_too_slow",
        "bank_too_large_for_charger",
        "charger_not_known",
        "recharge_not_promised",
        "charge_voltage_low",
        "drains_with_mains_on",
    ),
    "overload": ("overload_standby", "overload_alarm", "current_above_cell"),
    "season": (
        "cuts_not_survived",
        "sun_does_not_sustain",
        "cuts_not_known",
        "drains_slowly",
        "winter_deficit",
        "never_full",
        "cycle_life_spent",
    ),
    "panel": ("lithium_without_controller", "unregulated_panel_too_strong", "no_blocking_diode"),
    "disconnect": ("no_cutoff", "cutoff_below_end"),
    "warning": ("warning_missing", "warning_too_late", "warning_too_short"),
    "heat": ("float_in_heat", "life_shortened_by_heat", "charge_in_heat", "too_hot"),
    "overcharge": (
        "charge_voltage_dangerous",
        "charge_voltage_high",
        "charger_too_strong",
        "no_current_limit",
        "nimh_continuous",
        "primary_charged",
    ),
}
# A sentence so short is often only what a finding starts from; a line is no longer than this.
PREMISE_CHARS, LINE_CHARS = 70, 170
_CAUSE_OF = {code: cause for cause, codes in CAUSES.items() for code in codes}


@dataclass(frozen=True, slots=True, kw_only=True)
class FindingGroup:
    """Findings of one cause at one supply; the first is the worst, and its first sentence is the line."""

    findings: tuple[FindingView, ...]
    numbers: tuple[int, ...]

    @property
    def severity(self) -> str:
        """The worst severity in it."""
        return self.findings[0].severity

    @property
    def word(self) -> str:
        """That severity in a word."""
        return self.findings[0].word

    @property
    def line(self) -> str:
        """The first sentence of its worst finding."""
        return opening(self.findings[0].evidence)

    @property
    def evidence(self) -> tuple[str, ...]:
        """What each finding says; the line is not said again."""
        first, *others = self.findings
        return (first.evidence.removeprefix(self.line).strip(), *(f.evidence for f in others))

    @property
    def more_count(self) -> int:
        """How many more findings the line stands for."""
        return len(self.findings) - 1

    @property
    def is_open(self) -> bool:
        """Whether it is shown opened: what can hurt somebody is read without a touch."""
        return self.severity == "danger"


@dataclass(frozen=True, slots=True, kw_only=True)
class FindingsView:
    """What stands in the way, and what only explains."""

    groups: tuple[FindingGroup, ...]
    notes: tuple[FindingGroup, ...]

    @property
    def notes_count(self) -> int:
        """How many findings only explain."""
        return sum(len(g.findings) for g in self.notes)


def group_findings(findings: list[FindingView]) -> FindingsView:
    """Return findings by their cause, in the order of their worst; notes that stand with nothing worse are apart."""
    members: dict[tuple[str, str], list[tuple[int, FindingView]]] = {}
    for number, finding in enumerate(findings):
        # A danger is told for itself: nothing is folded behind another line.
        alone = finding.severity == "danger" or finding.code not in _CAUSE_OF
        key = (finding.supply, f"{finding.code} {number}" if alone else _CAUSE_OF[finding.code])
        members.setdefault(key, []).append((number, finding))
    groups = [FindingGroup(findings=tuple(f for _, f in found), numbers=tuple(n for n, _ in found)) for found in members.values()]
    return FindingsView(
        groups=tuple(g for g in groups if g.severity != "note"),
        notes=tuple(g for g in groups if g.severity == "note"),
    )


def opening(text: str) -> str:
    """Return the first sentence of a text, and the second where both are short: a premise alone says nothing."""
    first = first_sentence(text)
    rest = text[len(first) :].strip()
    both = f"{first} {first_sentence(rest)}" if rest else first
    return both if len(first) < PREMISE_CHARS and len(both) <= LINE_CHARS else first


def first_sentence(text: str) -> str:
    """Return a text up to the end of its first sentence; a number's point ends none."""
    at = 0
    while (at := text.find(". ", at)) >= 0:
        if text[at + 2 : at + 3].isupper():
            return text[: at + 1]
        at += 2
    return text
