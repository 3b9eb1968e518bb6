"""A battery charged for some hours of the day."""

from ypomoni.core.things.supply_kinds.model import KindOfSupply, SupplyKind

WINDOWED = KindOfSupply(
    kind=SupplyKind.WINDOWED,
    name="Battery with daily charging windows",
    always_charges=True,
    is_cycled=True,
    part="windows",
    has_windows=True,
)
