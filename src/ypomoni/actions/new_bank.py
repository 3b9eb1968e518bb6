"""The columns of a supply that another bank changes, said once for all that put one bank in place of another."""

from ypomoni.core.outage.identifying import identified
from ypomoni.core.telling.results import SoldBank
from ypomoni.core.things.batteries import Bank
from ypomoni.core.things.supplies import Supply
from ypomoni.records.field import Row


def size_columns(bank: Bank | SoldBank) -> Row:
    """Return the columns that say what a bank is made of."""
    return {
        "bank_block_v": bank.block_v,
        "bank_capacity_ah": bank.capacity_ah,
        "bank_rate_h": bank.rate_h,
        "bank_series": bank.series,
        "bank_parallel": bank.parallel,
    }


def kept_of_runs(before: Supply) -> Row:
    """Return the columns that change with any new bank where runs of a UPS were timed: its overhead is kept, the runs were of the old bank."""
    known = identified(before).ac
    return {} if not before.timed_runs or known is None else {"timed_runs": [], "ac_overhead_w": known.overhead_w}


def new_bank_columns(bank: Bank | SoldBank) -> Row:
    """Return the columns that a new bank changes: what it is made of and is said of it, and nothing of what was said or found of the old one.

    Least of all the old one's own protection: what was judged without it must not be kept with it.
    """
    told = bank if isinstance(bank, Bank) else None
    bms = told.bms if told else None
    return {
        **size_columns(bank),
        "bank_age_y": 0.0,
        "bank_condition_ratio": None,
        "bank_life_y": told.life_y if told else None,
        "bank_cells_count": told.cells_count if told else None,
        "bank_bms_limit_a": bms.limit_a if bms else None,
        "bank_bms_cutoff_v": bms.cutoff_v if bms else None,
        "bank_bms_charges_from_degc": bms.charges_from_degc if bms else None,
        "bank_resistance_ohm": None,
        "bank_discharge_table": [],
        "bank_blocks": [],
    }
