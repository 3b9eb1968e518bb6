"""The bench record of a small supply: what it draws idle, whether it sleeps, where it lets go of its cell; and the verdict of that."""

from dataclasses import dataclass

from ypomoni.core.chemistries import CHEMISTRIES
from ypomoni.core.telling.results import Finding, Severity, Verdict
from ypomoni.core.telling.wording import plain_number, say_amp_hours, say_amps, say_volts
from ypomoni.core.units import HOURS_PER_DAY

DAYS_PER_WEEK = 7.0
# An idle current that empties a full cell within this is a load of its own. [weeks]
SHORT_WEEKS = 4.0
# A cut-off so little under the cell's limit is at it.
TOLERANCE_RATIO = 0.01


@dataclass(frozen=True, slots=True, kw_only=True)
class SupplyBench:
    """What was measured of a supply on the bench. [V, A, Ah, s]

    ``cells_count`` cells of a chemistry in series. ``sleep_below_a`` None: it did not sleep. ``cutoff_v`` None: it did not let go of its cell down
    to ``tried_down_to_v``. ``passes_through`` is whether the flat battery still appears at the output; None: not tried.
    """

    name: str
    chemistry_key: str
    cells_count: int
    capacity_ah: float
    output_v: float
    idle_current_a: float
    sleep_below_a: float | None = None
    sleep_after_s: float | None = None
    wakes_on_load: bool | None = None
    cutoff_v: float | None = None
    tried_down_to_v: float | None = None
    passes_through: bool | None = None

    @property
    def limit_v(self) -> float:
        """The voltage below which its cell must not go. [V]"""
        chemistry = CHEMISTRIES[self.chemistry_key]
        return self.cells_count * (chemistry.cell_limit_v or chemistry.end_v)

    @property
    def nominal_v(self) -> float:
        """The nominal voltage of its cell. [V]"""
        return self.cells_count * CHEMISTRIES[self.chemistry_key].cell_nominal_v

    @property
    def empties_after_h(self) -> float | None:
        """How long its idle current alone takes to empty a full cell; None where it draws nothing. [h]"""
        return None if self.idle_current_a <= 0 else self.capacity_ah / self.idle_current_a


def judge_bench(bench: SupplyBench) -> tuple[Verdict, tuple[Finding, ...]]:
    """Return the verdict of a supply on the bench with its reasons, worst first."""
    found = [*_protection(bench), *_idle(bench), *_sleep(bench), *_passes(bench)]
    found.sort(key=lambda f: tuple(Severity).index(f.severity))
    severities = {f.severity for f in found}
    if Severity.DANGER in severities:
        return Verdict.UNSAFE, tuple(found)
    if bench.cutoff_v is None and bench.tried_down_to_v is None:
        return Verdict.UNKNOWN, tuple(found)
    return Verdict.ON_PAPER_ONLY if Severity.RISK in severities else Verdict.HOLDS, tuple(found)


def _finding(code: str, severity: Severity, evidence: str, way_out: str) -> Finding:
    return Finding(code=code, severity=severity, evidence=evidence, source="measured on the bench", way_out=way_out)


def _protection(bench: SupplyBench) -> list[Finding]:
    chemistry = CHEMISTRIES[bench.chemistry_key]
    harm = "it can catch fire when it is charged again" if chemistry.is_rechargeable_lithium else "it is ruined"
    severity = Severity.DANGER if chemistry.is_rechargeable_lithium else Severity.RISK
    limit = say_volts(bench.limit_v)
    if bench.cutoff_v is None and bench.tried_down_to_v is None:
        return [
            _finding(
                "bench_cutoff_not_tried",
                Severity.NOTE,
                "Nobody has tried whether it lets go of its cell.",
                "Turn a bench supply down in place of the cell, with a load on the output, and note where the output goes off.",
            )
        ]
    if bench.cutoff_v is None:
        tried_v = bench.tried_down_to_v or 0.0
        if tried_v > bench.limit_v * (1 + TOLERANCE_RATIO):
            evidence = f"It still drew at {say_volts(tried_v)}. Whether it lets go before {limit} is not known."
            return [_finding("bench_cutoff_not_reached", Severity.RISK, evidence, f"Turn the bench supply down to {limit} and look again.")]
        evidence = f"It still drew at {say_volts(tried_v)}, so it never lets go of its cell. Drained below {limit}, {harm}."
        return [_finding("bench_no_cutoff", severity, evidence, "Use it with a protected cell only, or fit a disconnect.")]
    if bench.cutoff_v < bench.limit_v * (1 - TOLERANCE_RATIO):
        evidence = f"It lets go only at {say_volts(bench.cutoff_v)}. Drained below {limit}, {harm}."
        return [_finding("bench_cutoff_low", severity, evidence, "Use it with a protected cell only, or fit a disconnect.")]
    return [
        _finding("bench_protects", Severity.NOTE, f"It protects its cell: it lets go at {say_volts(bench.cutoff_v)}.", "Nothing to do.")
    ]


def _idle(bench: SupplyBench) -> list[Finding]:
    hours_h = bench.empties_after_h
    if hours_h is None:
        return []
    weeks = hours_h / HOURS_PER_DAY / DAYS_PER_WEEK
    said = f"{plain_number(weeks, 2)} weeks" if weeks >= 1 else f"{plain_number(hours_h / HOURS_PER_DAY, 2)} days"
    evidence = (
        f"Idle it draws {say_amps(bench.idle_current_a)}: alone it empties a full cell of {say_amp_hours(bench.capacity_ah)} in {said}."
    )
    severity = Severity.RISK if weeks < SHORT_WEEKS else Severity.NOTE
    return [_finding("bench_idle", severity, evidence, "Take the cell out for storage, and count this current in every plan.")]


def _sleep(bench: SupplyBench) -> list[Finding]:
    if bench.sleep_below_a is None:
        return [_finding("bench_awake", Severity.NOTE, "It did not sleep under any load that was tried.", "Nothing to do.")]
    after = "" if bench.sleep_after_s is None else f" after {plain_number(bench.sleep_after_s)} s"
    wakes = {True: "A load wakes it.", False: "No load wakes it.", None: "Whether a load wakes it was not tried."}[bench.wakes_on_load]
    evidence = f"Below {say_amps(bench.sleep_below_a)} it sleeps{after}. {wakes}"
    return [_finding("bench_sleeps", Severity.RISK, evidence, "Feed nothing from it that draws less than that and must stay up.")]


def _passes(bench: SupplyBench) -> list[Finding]:
    if not bench.passes_through:
        return []
    evidence = (
        "With its cell flat the cell's voltage still appears at the output, so what hangs there sees a voltage and is dead all the same."
    )
    return [
        _finding("bench_passes_through", Severity.RISK, evidence, "Do not use it in front of a selector that takes any voltage for good.")
    ]
