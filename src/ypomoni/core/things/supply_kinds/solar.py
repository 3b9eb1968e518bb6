"""A battery charged by the sun: nothing is held at the set voltage for good."""

from ypomoni.core.things.supply_kinds.model import KindOfSupply, SupplyKind

SOLAR = KindOfSupply(kind=SupplyKind.SOLAR, name="Solar-charged battery", always_charges=True, is_cycled=True, part="solar", is_sunlit=True)
