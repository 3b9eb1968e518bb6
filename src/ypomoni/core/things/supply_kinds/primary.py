"""A pack of primary cells: replaced, never charged."""

from ypomoni.core.things.supply_kinds.model import KindOfSupply, SupplyKind

PRIMARY = KindOfSupply(kind=SupplyKind.PRIMARY, name="Primary pack")
