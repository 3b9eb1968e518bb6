"""What is said of the rows of a discharge table: which do not go with the others, and what all of them leave open."""

from ypomoni.core.chemistries.discharge_table import DischargeTable, RowFit, RowKind, Untold
from ypomoni.core.telling.wording import plain_number, say_amps, say_hours, say_percent, say_volts


def say_suspect_row(fit: RowFit) -> str:
    """Say how a row does not go with the others, in a sentence."""
    row = fit.row
    if row.kind is RowKind.READING:
        return (
            f"{say_volts(row.end_v)} after {say_hours(row.run_h)} at {say_amps(row.current_a)} does not go with the other rows: they make it "
            f"{say_volts(fit.model_v or 0.0)}."
        )
    return (
        f"{say_amps(row.current_a)} for {say_hours(row.run_h)} to {plain_number(row.end_v, 4)} V does not go with the other rows: they make it "
        f"{say_hours(fit.model_h or 0.0)}, {say_percent(abs(fit.error_ratio))} off."
    )


def say_untold(untold: Untold, table: DischargeTable) -> str:
    """Say what a table leaves open, in a sentence."""
    if untold is Untold.OTHER_RATES:
        rate_a = sum(row.current_a for row in table.rows) / len(table.rows)
        return f"All rows are of one rate, about {say_amps(rate_a)}: hours at other currents stay ±10 %."
    if untold is Untold.HOURS:
        return "No row says when a run ended: its hours stay ±10 %."
    return "No row has volts on the way: the time from a warning to the end may be 0.6 to 1.4 times as long as computed."
