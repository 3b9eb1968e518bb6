"""An AC UPS: it passes mains on, and inverts from its battery."""

from ypomoni.core.things.supply_kinds.model import KindOfSupply, SupplyKind

AC_UPS = KindOfSupply(
    kind=SupplyKind.AC_UPS,
    name="AC UPS",
    always_charges=True,
    is_inverter=True,
    part="ac",
    mains_carries=True,
)
