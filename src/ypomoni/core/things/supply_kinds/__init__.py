"""The kinds of supplies, one file each: what is so of a kind is said there and asked nowhere else by name."""

from ypomoni.core.things.supply_kinds.ac_ups import AC_UPS
from ypomoni.core.things.supply_kinds.boxed import BOXED
from ypomoni.core.things.supply_kinds.dc_ups import DC_UPS
from ypomoni.core.things.supply_kinds.model import KindOfSupply, SupplyKind
from ypomoni.core.things.supply_kinds.panel import PANEL
from ypomoni.core.things.supply_kinds.primary import PRIMARY
from ypomoni.core.things.supply_kinds.solar import SOLAR
from ypomoni.core.things.supply_kinds.windowed import WINDOWED

KINDS: dict[SupplyKind, KindOfSupply] = {k.kind: k for k in (PANEL, BOXED, DC_UPS, AC_UPS, SOLAR, WINDOWED, PRIMARY)}

__all__ = ["KINDS", "KindOfSupply", "SupplyKind"]
