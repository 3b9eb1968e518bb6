"""A control panel: its charger and its loads share one supply."""

from ypomoni.core.things.supply_kinds.model import KindOfSupply, SupplyKind

PANEL = KindOfSupply(kind=SupplyKind.PANEL, name="Control panel", shares_charger=True, always_charges=True)
