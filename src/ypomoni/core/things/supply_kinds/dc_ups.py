"""A DC UPS: it holds a direct voltage from a battery."""

from ypomoni.core.things.supply_kinds.model import KindOfSupply, SupplyKind

DC_UPS = KindOfSupply(kind=SupplyKind.DC_UPS, name="DC UPS", part="dc", shares_charger=True)
