"""A boxed supply: rectifier, charger and battery in one box."""

from ypomoni.core.things.supply_kinds.model import KindOfSupply, SupplyKind

BOXED = KindOfSupply(kind=SupplyKind.BOXED, name="Boxed supply", shares_charger=True, always_charges=True)
