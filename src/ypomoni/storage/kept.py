"""Every aggregate: its record, what it belongs to, and how its list is ordered."""

from typing import Any

from ypomoni.records.audit import PointRow
from ypomoni.records.bench import BenchedDeviceRow, LotRow
from ypomoni.records.library import BenchRow, DeviceRow, InstrumentRow, StockRow
from ypomoni.records.load import LoadRow
from ypomoni.records.requirement import ProfileRow, RequirementRow
from ypomoni.records.site import PlaceRow, PlanRow, RunRow, SiteRow
from ypomoni.storage.aggregate import Aggregate, compose
from ypomoni.storage.supplies import SUPPLY

BY_NAME = "lower(name), id"
SITE = compose("site", SiteRow, parent=None, order=BY_NAME)
REQUIREMENT = compose("requirement", RequirementRow, parent="site_id", order="id")
PLAN = compose("plan", PlanRow, parent="site_id", order="id")
PLACE = compose("place", PlaceRow, parent="site_id", order="id")
RUN = compose("run", RunRow, parent="site_id", order="id")
LOAD = compose("load", LoadRow, parent="plan_id", order="id")
POINT = compose("point", PointRow, parent="plan_id", order="id")
# These belong to the organisation, not to one of its sites.
INSTRUMENT = compose("instrument", InstrumentRow, parent=None, order=BY_NAME)
DEVICE = compose("device", DeviceRow, parent=None, order=BY_NAME)
STOCK = compose("stock", StockRow, parent=None, order="chemistry, block_v, capacity_ah, id")
BENCH_SUPPLY = compose("bench_supply", BenchRow, parent=None, order=BY_NAME)
BENCHED_DEVICE = compose("benched_device", BenchedDeviceRow, parent=None, order=BY_NAME)
BATTERY_LOT = compose("battery_lot", LotRow, parent=None, order="id DESC")
PROFILE = compose("profile", ProfileRow, parent=None, order=BY_NAME)

ORGANISATION_WIDE: dict[str, Aggregate[Any]] = {
    a.name: a for a in (INSTRUMENT, DEVICE, STOCK, PROFILE, BENCH_SUPPLY, BENCHED_DEVICE, BATTERY_LOT)
}
AGGREGATES: dict[str, Aggregate[Any]] = {a.name: a for a in (SITE, REQUIREMENT, PLAN, PLACE, RUN, SUPPLY, LOAD, POINT)} | ORGANISATION_WIDE

__all__ = [
    "AGGREGATES",
    "BATTERY_LOT",
    "BENCHED_DEVICE",
    "BENCH_SUPPLY",
    "DEVICE",
    "INSTRUMENT",
    "LOAD",
    "ORGANISATION_WIDE",
    "PLACE",
    "PLAN",
    "POINT",
    "PROFILE",
    "REQUIREMENT",
    "RUN",
    "SITE",
    "STOCK",
    "SUPPLY",
]
