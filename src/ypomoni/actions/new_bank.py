"""The columns of a supply that another bank changes; called by every action that puts a bank in place of one."""

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
    """Return the columns that a new bank changes: what it is made of, and nothing of what was found of the old one."""
    return {
        **size_columns(bank),
        "bank_age_y": 0.0,
        "bank_condition_ratio": None,
        "bank_resistance_ohm": None,
        "bank_discharge_table": [],
        "bank_blocks": [],
    }
