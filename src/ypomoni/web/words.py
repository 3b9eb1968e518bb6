"""The words of the interface for the words of the code: one table each."""

from ypomoni.core.judgement.holdover import LIMIT_WORDS
from ypomoni.core.sizing import METHOD_WORDS
from ypomoni.core.telling.results import LimitedBy, Severity, Verdict

VERDICT_WORDS: dict[Verdict | None, str] = {
    Verdict.UNSAFE: "unsafe",
    Verdict.FAILS: "fails",
    Verdict.UNKNOWN: "unknown",
    Verdict.ON_PAPER_ONLY: "on paper only",
    Verdict.HOLDS: "holds",
    None: "not judged",
}
SEVERITY_WORDS = {Severity.DANGER: "Danger", Severity.FAILS: "Fails", Severity.RISK: "Risk", Severity.NOTE: "Note"}
LIMIT_WORDS_SHORT = {
    LimitedBy.CAPACITY: "charge spent",
    LimitedBy.BURST: "a burst trips it",
    LimitedBy.ALARM: "alarm not carried",
    LimitedBy.VOLTAGE_COLLAPSE: "voltage collapses",
    LimitedBy.END_VOLTAGE: "end voltage",
    LimitedBy.CUTOFF_HIGH: "cut-off too high",
    LimitedBy.NO_BANK: "no bank",
    LimitedBy.NOTHING_DRAWS: "",
    LimitedBy.NOT_MODELLED_YET: "",
    LimitedBy.LIGHT_LOAD: "light load",
}
__all__ = ["LIMIT_WORDS", "LIMIT_WORDS_SHORT", "METHOD_WORDS", "SEVERITY_WORDS", "VERDICT_WORDS"]
