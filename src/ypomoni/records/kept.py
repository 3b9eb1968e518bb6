"""Every kind of record that can be edited, by the name its log and its addresses use."""

from ypomoni.records.audit import PointRow
from ypomoni.records.bench import BenchedDeviceRow, LotRow
from ypomoni.records.library import BenchRow, DeviceRow, InstrumentRow, StockRow
from ypomoni.records.load import LoadRow
from ypomoni.records.requirement import ProfileRow, RequirementRow
from ypomoni.records.site import PlaceRow, PlanRow, RunRow, SiteRow
from ypomoni.records.supply import SupplyRow

RECORDS: dict[str, type] = {
    "site": SiteRow,
    "requirement": RequirementRow,
    "plan": PlanRow,
    "place": PlaceRow,
    "run": RunRow,
    "supply": SupplyRow,
    "load": LoadRow,
    "point": PointRow,
    "instrument": InstrumentRow,
    "device": DeviceRow,
    "stock": StockRow,
    "profile": ProfileRow,
    "bench_supply": BenchRow,
    "benched_device": BenchedDeviceRow,
    "battery_lot": LotRow,
}
